"""What warmth and tint of a trim meant before version 7 of the chain, led to today's numbers.

A positive number went along the locus, a negative one was the inverse of the positive one: -100
mired were -116 on the locus, with 3.4 of tint. Both scale Bradford's cone responses, and two
numbers say every such scaling that keeps the luminance of white: so each old pair has one new pair
that makes the same picture.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.white import shift_of
from syntonos.core.colorimetry import adaptation_matrix, locus_white, white_to_cct_duv, xy_to_xyz
from syntonos.core.encodings import AP1
from syntonos.core.encodings.gamuts import ACES_WHITE

A = NDArray[np.float64]
_BETWEEN: Final = 8  # points between two keys: a straight line of old numbers is none of new ones
_MOST_KEYS: Final = 500


def white_of_version_6(warmth: float, tint: float) -> A:
    """Return the matrix (3, 3) of scene-linear AP1 that a trim's white was, up to its luminance."""
    kelvin, duv = white_to_cct_duv(xy_to_xyz(ACES_WHITE))
    from_xyz = np.linalg.inv(AP1.to_xyz)

    def moved(mired: float, off: float) -> A:
        there = locus_white(1e6 / kelvin + mired, duv + off / 1000)
        mat = adaptation_matrix(ACES_WHITE, there[:2] / there.sum(), method="bradford")
        return np.asarray(from_xyz @ mat @ AP1.to_xyz, np.float64)

    def either(value: float, mired: float, off: float) -> A:
        mat = moved(abs(value) * mired, abs(value) * off)
        return mat if value >= 0 else np.asarray(np.linalg.inv(mat), np.float64)

    return either(tint, 0.0, 1.0) @ either(warmth, 1.0, 0.0)


def lifted_pair(warmth: float, tint: float) -> tuple[float, float]:
    """Return today's warmth and tint of the same white, rounded to what no eye sees."""
    if not (warmth or tint):
        return 0.0, 0.0
    new = shift_of(white_of_version_6(warmth, tint) @ np.ones(3))
    return round(float(new[0]), 6), round(float(new[1]), 6)


def lifted_trim(stage: dict[str, Any]) -> dict[str, Any]:
    """Return a trim's document of before version 7 with today's numbers; others stay as they are.

    What is none is left for the reader to refuse.
    """
    out = dict(stage)
    try:
        out |= _pair(stage)
        if isinstance(stage.get("levels"), list | tuple):
            out["levels"] = [{**level, **_pair(level)} for level in stage["levels"]]
        if stage.get("keys"):
            out["keys"] = _keys(stage)
    except (TypeError, ValueError, KeyError):
        return stage
    return out


def _pair(plain: dict[str, Any]) -> dict[str, float]:
    old = float(plain.get("warmth", 0.0)), float(plain.get("tint", 0.0))
    if not (any(old) and np.isfinite(old).all()):
        return {}
    return dict(zip(("warmth", "tint"), lifted_pair(*old), strict=True))


def _keys(stage: dict[str, Any]) -> list[dict[str, Any]]:
    """Return tracks over time: those of warmth and tint of one place together, densely."""
    tracks = {str(track["number"]): track["points"] for track in stage["keys"]}
    out = [{"number": name, "points": points} for name, points in tracks.items()
           if name.rpartition(".")[2] not in ("warmth", "tint")]  # fmt: skip
    levels = {name: i for i, name in enumerate(("darks", "middle", "lights"))}
    for place in dict.fromkeys(n.rpartition(".")[0] for n in tracks if n not in {
        row["number"] for row in out
    }):  # fmt: skip
        own = stage if not place else stage.get("levels", [{}] * 3)[levels[place.split(".")[1]]]
        base = np.array([float(own.get(name, 0.0)) for name in ("warmth", "tint")])
        names = [f"{place}.{name}".lstrip(".") for name in ("warmth", "tint")]
        frames = sorted({float(f) for name in names for f, _ in tracks.get(name, ())})
        many = max(1, min(_BETWEEN, _MOST_KEYS // len(frames) - 1))
        dense = [v for a, b in pairwise(frames) for v in np.linspace(a, b, many, endpoint=False)]
        dense.append(frames[-1])
        old = np.array([
            np.interp(dense, *np.array(tracks[name], np.float64).T) if name in tracks
            else np.zeros(len(dense)) for name in names
        ])  # fmt: skip
        new = [np.subtract(lifted_pair(*(base + row)), lifted_pair(*base)) for row in old.T]
        for i, name in enumerate(names):
            out.append({"number": name, "points": [
                (frame, float(row[i])) for frame, row in zip(dense, new, strict=True)
            ]})  # fmt: skip
    return out
