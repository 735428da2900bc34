"""Working with trims: colours through one, what changed in words, numbers by name."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from math import inf
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.document import Chain, Decode, EncodingOutput
from syntonos.core.chain.engine import run
from syntonos.core.chain.program import compile_chain
from syntonos.core.chain.stages._strict import failure
from syntonos.core.chain.stages.trim import (
    BANDS,
    FIELDS,
    HUES,
    INNER_RANGES,
    LEVELS,
    NEUTRAL,
    RANGES,
    Trim,
    added,
    at_frame,
    check_together,
    read_trim,
)
from syntonos.core.errors import ChainError

_LIGHT: Final = "linear/ap1"


def through_trim(trim: Trim, lin_ap1: NDArray[Any]) -> NDArray[np.float64]:
    """Return scene-linear AP1 (..., 3) after a trim's pointwise parts, without its softening.

    Of numbers that change over time, as they are at the first frame.
    """
    alone = replace(at_frame(trim, 0), detail=NEUTRAL.detail)
    chain = Chain(Decode(_LIGHT), EncodingOutput(_LIGHT), trim=alone)
    return np.asarray(run(compile_chain(chain), np.asarray(lin_ap1, np.float32)), np.float64)


def without_detail(chain: Chain) -> tuple[Chain, str]:
    """Return a chain as a LUT can hold it, and what it then lacks in words ("" where nothing)."""
    trim = chain.trim
    if trim is None or not any(trim.in_force.detail):
        return chain, ""
    shares = ", ".join(
        f"{name} {share:.0%}" for name, share in zip(BANDS, trim.in_force.detail, strict=True)
        if share
    )  # fmt: skip
    said = f"The softening of detail ({shares}) is not in it: it needs the pixels around."
    return replace(chain, trim=replace(trim, detail=NEUTRAL.detail)), said


def numbers_of(trim: Trim) -> Iterator[tuple[str, float, str]]:
    """Yield every number of a trim that can be set by name: name, value, unit with range."""
    for name, (low, high, unit) in RANGES.items():
        value = getattr(trim, name)
        said = f"{unit}; {low:g} to {high:g}"
        if not isinstance(value, tuple):
            yield name, value, said
            continue
        parts = {"borders": ("darks", "lights"), "detail": BANDS}.get(name, ("r", "g", "b"))
        for part, one in zip(parts, value, strict=True):
            yield f"{name}.{part}", one, said
    for names, rows, place in ((LEVELS, trim.levels, "levels"), (HUES, trim.hues, "hues")):
        for part, row in zip(names, rows, strict=True):
            for field, one in asdict(row).items():  # type: ignore[call-overload]
                yield f"{place}.{part}.{field}", one, _INNER_UNITS[field]
    for field in ("slope", "offset", "power"):
        for part, one in zip("rgb", getattr(trim.cdl, field), strict=True):
            yield f"cdl.{field}.{part}", one, "ASC CDL in the working log"
    yield "cdl.saturation", trim.cdl.saturation, "ASC CDL in the working log"


@dataclass(frozen=True, slots=True)
class Beyond:
    """A number of a trim outside of its range."""

    name: str  # as `numbers_of` names it
    value: float
    low: float
    high: float

    @property
    def excess(self) -> float:
        """How far it is outside."""
        return max(self.low - self.value, self.value - self.high)


def beyond(trim: Trim) -> tuple[Beyond, ...]:
    """Return the numbers of a trim that are outside of their ranges, as stored sums may be."""
    found = []
    for name, value, _ in numbers_of(trim):
        first, last = name.split(".")[0], name.split(".")[-1]
        inner = INNER_RANGES[last] if first in ("levels", "hues") else (-inf, inf)
        low, high = RANGES[first][:2] if first in RANGES else inner
        row = Beyond(name, value, low, high)
        if row.excess > _ROUNDING:
            found.append(row)
    return tuple(found)


def refuse_beyond(
    before: tuple[Trim, Trim], after: tuple[Trim, Trim], names: tuple[str, str] = ("", "")
) -> None:
    """Refuse to keep trims whose sum goes beyond what one trim may be.

    Parameters
    ----------
    before, after : (light's, clip's)
        As they are kept, and as they would be. What was beyond already may be made less.
    names
        Of both, for the words: what the light's trim is called, and the clip.

    Raises
    ------
    ChainError
        trim.sum, with both numbers; trim.hues and trim.pairs for what does not go together.
    """
    was = {row.name: row.excess for row in beyond(added(*before))}
    total = added(*after)
    for row in beyond(total):
        if row.excess > was.get(row.name, 0.0) + _ROUNDING:
            if after[1] == NEUTRAL:
                raise ChainError(
                    f"{row.name} of {names[0] or 'the trim'} is {row.value:g}.",
                    hint=f"It goes from {row.low:g} to {row.high:g}.", code="trim.range",
                )  # fmt: skip
            of_light, of_clip = (
                next(v for n, v, _ in numbers_of(one.in_force) if n == row.name) for one in after
            )
            raise ChainError(
                f"{row.name} is {of_light:g} in {names[0] or 'the light'}, and "
                f"{names[1] or 'the clip'} has {of_clip:g}: together {row.value:g}.",
                hint=f"Together they go from {row.low:g} to {row.high:g}: make one of them less.",
                code="trim.sum",
            )  # fmt: skip
    try:
        check_together(total.hues, total.pairs)
    except ChainError:
        kept = added(*before)
        if (kept.hues, kept.pairs) != (total.hues, total.pairs):
            try:
                check_together(kept.hues, kept.pairs)
            except ChainError:
                return  # it was so before: what is stored keeps its picture
            raise


_ROUNDING: Final = 1e-9
_INNER_UNITS: Final = {
    "warmth": "mired; -250 to 250", "tint": "Duv x 1000; -40 to 40", "turn": "degrees; -60 to 60",
    "saturation": "factor; 0 to 4", "stops": "stops; -2 to 2",
}  # fmt: skip
_AS_CALLED: Final = {"exposure": "stops"}


def with_numbers(trim: Trim, values: dict[str, float]) -> Trim:
    """Return a trim with numbers set by the names that `numbers_of` lists; "exposure" is stops.

    Raises
    ------
    ChainError
        trim.name for a name that is none; else as `read_trim`.
    """
    plain = asdict(trim)
    known = [name for name, _, _ in numbers_of(trim)]
    for called, value in values.items():
        name = _AS_CALLED.get(called, called)
        if name not in known:
            raise failure(f"A trim has no number {called!r}.", f"It has {', '.join(known)}.",
                          "trim.name")  # fmt: skip
        place: Any = plain
        *path, last = (_key(part) for part in name.split("."))
        for part in path:
            at = place[part]
            place[part] = list(at) if isinstance(at, tuple) else at
            place = place[part]
        place[last] = value
    return read_trim(plain)


_INDEX: Final = {"darks": 0, "middle": 1, "lights": 2, "fine": 0, "coarse": 2, "r": 0, "g": 1,
                 "b": 2, **{name: i for i, name in enumerate(HUES)}}  # fmt: skip


def _key(part: str) -> str | int:
    return _INDEX.get(part, part)


def trim_words(before: Trim, after: Trim) -> str:
    """Return what changed, in words: "exposure -0.10 stop, warmth +8 mired, curves"."""
    words = []
    for name, called, unit, digits in (
        ("stops", "exposure", " stop", 2), ("warmth", "warmth", " mired", 0),
        ("tint", "tint", "", 1), ("flare", "flare", " of white", 4),
        ("pivot", "pivot", " stop", 1),
    ):  # fmt: skip
        moved = getattr(after, name) - getattr(before, name)
        if abs(moved) > 1e-9:
            words.append(f"{called} {moved:+.{digits}f}{unit}")
    if before.contrast != after.contrast:
        words.append(f"contrast {after.contrast:.3f}")
    if before.cdl.saturation != after.cdl.saturation:
        words.append(f"strength {after.cdl.saturation:.0%}")
    words += [
        called for name, called in _CALLED.items() if getattr(before, name) != getattr(after, name)
    ]
    if (before.cdl.slope, before.cdl.offset, before.cdl.power) != (
        after.cdl.slope, after.cdl.offset, after.cdl.power
    ):  # fmt: skip
        words.append("CDL")
    if before.off != after.off:
        words.append(f"{', '.join(after.off)} bypassed" if after.off else "nothing bypassed")
    return ", ".join(words) or "nothing changed"


_CALLED: Final = {
    "flare_rgb": "flare of channels", "stops_rgb": "stops of channels", "levels": "levels",
    "borders": "borders of levels", "curve": "curve of luminance", "curves_rgb": "curves",
    "hues": "hues", "pairs": "pairs", "detail": "detail", "keys": "numbers over time",
}  # fmt: skip


def only(trim: Trim, parts: tuple[str, ...], onto: Trim) -> Trim:
    """Return a trim with the named parts of another one in place of its own."""
    fields = {name: getattr(trim, name) for part in parts for name in FIELDS[part]}
    return replace(onto, **fields, off=tuple(p for p in onto.off if p not in parts))
