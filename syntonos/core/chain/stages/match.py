"""Match: one camera's light brought to the reference's; the stage and its numbers, in float64."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.colour_model import (
    AP1_LUMINANCE,
    MATRIX,
    ROOT_3,
    chroma_table,
    evaluate_model,
)
from syntonos.core.chain.stages._strict import Triple, failure, numbers
from syntonos.core.chain.stages.kind import StageKind
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer

IDENTITY: Final = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
_MOST_ROWS: Final = 512
# Where the blend towards a clip begins and is done, as shares of the clip.
_CLIP_FROM, _CLIP_TO = 0.75, 0.98


# Where clipped channels begin to be filled, as shares of the top, and at most how far beyond it.
_FILL_FROM, _FILL_TO, _FILL_MOST = 0.75, 0.99, 3.0
_MOST_EXPONENT: Final = 2.0


@dataclass(frozen=True, slots=True)
class Highlights:
    """What is clipped at the top of a recording's code values, filled towards the light.

    In linear light of the camera's own gamut, `top` being what the highest code value means. Along
    bright things red, green and blue change together: log(red / green) = warm log(green / blue),
    and log(blue / green) = cool log(green / red). So where red has reached the top and blue has
    not, red becomes green (green / blue)^warm, if that is more; blue likewise. As the last channel
    fills, this goes to the light's own white. It begins at three quarters of the top, and never
    ends above three times it. Green stays: nothing says what it lost.
    """

    top: float
    warm: float
    cool: float


@dataclass(frozen=True, slots=True)
class Match:
    """One camera's light brought to the reference's, all in AP1 mixed towards luminance.

    p = P lin_ap1, with P = (1 - mix) I + mix 1 l^T and l the luminance weights of AP1;
    x = (p - angle_flare) / angle_white 2^stops; y = model(x); out = y reference_white +
    reference_flare; lin_ap1 = P^-1 out. Whites have luminance one. The model is
    matrix x + roots + smooth residual, as in `colour_model`; matrix rows sum to one.

    `roots` has ten rows or none; `smooth` has a row (ln r/g, ln b/g, weights of r, g, b) for each
    of its centres.

    `clip` is the scene-linear level at which the angle's sensor clips, where it is known. Towards
    it, from three quarters of it in the smallest channel, the result blends to neutral of the same
    luminance: what is clipped has no colour that could be matched. `highlights` fills single
    clipped channels before all that; None leaves them as recorded.
    """

    angle_flare: Triple = (0.0, 0.0, 0.0)
    angle_white: Triple = (1.0, 1.0, 1.0)
    stops: float = 0.0
    matrix: tuple[Triple, Triple, Triple] = IDENTITY
    reference_white: Triple = (1.0, 1.0, 1.0)
    reference_flare: Triple = (0.0, 0.0, 0.0)
    mix: float = 0.2
    clip: float | None = None
    highlights: Highlights | None = None
    roots: tuple[Triple, ...] = ()
    smooth: tuple[tuple[float, float, float, float, float], ...] = ()
    kind: Literal["match"] = "match"

    @property
    def is_affine(self) -> bool:
        """Whether it is a matrix and offsets alone."""
        return not self.roots and not self.smooth


def read_match(stage: Mapping[str, Any]) -> Match:
    """Read a match strictly."""
    fields: dict[str, Any] = {}
    for name, value in stage.items():
        place = f"match.{name}"
        if name == "matrix":
            rows = numbers(value, place, (3, 3))
            fields[name] = tuple(tuple(row) for row in rows)
        elif name in ("roots", "smooth"):
            count = len(value) if isinstance(value, list | tuple) else -1
            if count > _MOST_ROWS or (name == "roots" and count not in (0, ROOT_3 - MATRIX)):
                raise failure(f"{place} has {count} rows.")
            width = 3 if name == "roots" else 5
            rows = numbers(value, place, (count, width)) if count else []
            fields[name] = tuple(tuple(row) for row in rows)
        elif name in ("clip", "highlights") and value is None:
            fields[name] = None
        elif name == "highlights":
            fields[name] = _read_highlights(value)
        elif name in ("stops", "mix", "clip"):
            fields[name] = numbers(value, place, ())
        elif name != "kind":
            fields[name] = tuple(numbers(value, place, (3,)))
    match = Match(**fields)
    if min(match.angle_white) <= 0 or min(match.reference_white) <= 0:
        raise failure("match: a white has a channel at or below zero.")
    if match.clip is not None and match.clip <= 0:
        raise failure(f"match.clip is {match.clip}, needed above 0 or null.")
    if not 0 <= match.mix < 1:
        raise failure(f"match.mix is {match.mix}, needed 0 to below 1.")
    return match


def _read_highlights(plain: Any) -> Highlights:
    names = tuple(Highlights.__dataclass_fields__)
    if not isinstance(plain, dict) or set(plain) != set(names):
        raise failure("match.highlights is not understood.", f"Its fields are {', '.join(names)}.")
    found = Highlights(**{n: float(numbers(plain[n], f"match.highlights.{n}", ())) for n in names})
    if found.top <= 0 or not all(0 <= v <= _MOST_EXPONENT for v in (found.warm, found.cool)):
        raise failure(
            "match.highlights is out of range.",
            f"top above 0, warm and cool from 0 to {_MOST_EXPONENT:g}.",
        )
    return found


def mix_matrix(mix: float) -> NDArray[np.float64]:
    """Return (3, 3), (1 - mix) I + mix 1 l^T: AP1 moved a little towards its luminance.

    In it the data of real cameras and lights are positive, so whites can be divided by.
    """
    return (1 - mix) * np.eye(3) + mix * np.ones((3, 1)) * AP1_LUMINANCE


@lru_cache(maxsize=8)
def _mixing(mix: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    mat = mix_matrix(mix)
    return mat, np.asarray(np.linalg.inv(mat), np.float64)


_Affine = tuple[NDArray[np.float64], NDArray[np.float64]]


@lru_cache(maxsize=64)
def around_model(match: Match) -> tuple[_Affine, _Affine]:
    """Return matrix and offset before and after the match's colour model; read only."""
    p, inverse = _mixing(match.mix)
    gain = 2.0**match.stops / np.array(match.angle_white)
    before = (gain[:, None] * p, -gain * np.array(match.angle_flare))
    after = (inverse * np.array(match.reference_white), inverse @ np.array(match.reference_flare))
    for array in (*before, *after):
        array.setflags(write=False)
    return before, after


def match_affine(match: Match) -> _Affine:
    """Return (matrix (3, 3), offset (3,)) of an affine match stage on scene-linear AP1."""
    (before, shift), (after, lift) = around_model(match)
    core = after @ np.array(match.matrix)
    return core @ before, core @ shift + lift


_Rows = tuple[tuple[float, ...], ...]


def _arrays(roots: _Rows, smooth: _Rows) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return np.array(roots).reshape(-1, 3), np.array(smooth).reshape(-1, 5)


@lru_cache(maxsize=64)
def model_table(roots: _Rows, smooth: _Rows) -> NDArray[np.float32]:
    """Return a model's roots and smooth residual as `chroma_table` samples them; kept."""
    return np.ascontiguousarray(chroma_table(*_arrays(roots, smooth)), np.float32)


def through_match(match: Match, lin_ap1: NDArray[np.float64]) -> NDArray[np.float64]:
    """Apply a match stage to scene-linear AP1 (..., 3) in float64, without its blend to a clip."""
    (before, shift), (after, lift) = around_model(match)
    y = evaluate_model(lin_ap1 @ before.T + shift, np.array(match.matrix),
                       *_arrays(match.roots, match.smooth))  # fmt: skip
    return np.asarray(y @ after.T + lift, np.float64)


def pack_match(pack: Packer, match: Match, chain: Chain) -> None:
    """Append a match: a matrix, or the model with its table, after clipped channels are filled."""
    if match.highlights is not None:
        _pack_highlights(pack, match.highlights, chain)
    clip = (1e30, 0.0) if match.clip is None else (
        _CLIP_FROM * match.clip, 1 / ((_CLIP_TO - _CLIP_FROM) * match.clip)
    )  # fmt: skip
    if not match.is_affine:
        (before, shift), (after, lift) = around_model(match)
        into, out = _with_offset(before, shift), _with_offset(after, lift)
        by_chroma = model_table(match.roots, match.smooth)
        place = (pack.table(by_chroma), float(len(by_chroma)))
        pack.add(k.OP_MODEL, (*into.ravel(), *np.ravel(match.matrix), *out.ravel(), *clip,
                              *AP1_LUMINANCE, *place))  # fmt: skip
        return
    mat, shift = match_affine(match)
    if match.clip is None:
        pack.affine(mat, shift)
        return
    rows = _with_offset(mat, shift).ravel()
    pack.add(k.OP_AFFINE_TO_CLIP, (*rows, *clip, *AP1_LUMINANCE))


def _pack_highlights(pack: Packer, highlights: Highlights, chain: Chain) -> None:
    """Append the filling, in the gamut of the chain's decode and back."""
    top, gamut = highlights.top, find_encoding(chain.decode.encoding).gamut
    pack.affine(gamut_matrix(AP1, gamut))
    pack.add(k.OP_HIGHLIGHTS, (
        top, highlights.warm, highlights.cool, _FILL_FROM * top,
        1 / ((_FILL_TO - _FILL_FROM) * top), _FILL_MOST * top,
    ))  # fmt: skip
    pack.affine(gamut_matrix(gamut, AP1))


def _with_offset(mat: NDArray[np.float64], offset: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.concatenate([mat, offset[:, None]], axis=1)


# Towards a clip everything goes to neutral, and a model's rows may fold: not every match has a way
# back.
KIND: Final = StageKind(
    "match", Match, read_match, pack_match,
    is_invertible=lambda match: (
        match.is_affine and match.clip is None and match.highlights is None
    ),
    later={"highlights": 4},
)  # fmt: skip
