"""Trim: small adjustments of one angle by hand, after its match."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import partial
from itertools import pairwise
from typing import TYPE_CHECKING, Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.stages._strict import (
    Triple,
    failure,
    known_fields,
    number,
    numbers,
    share,
    triple,
)
from syntonos.core.chain.stages.cdl import Cdl, read_cdl
from syntonos.core.chain.stages.kind import Locality, StageKind

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer

PLAIN: Final = Cdl()
# The parts in signal order, but for the curve of luminance, which runs in light, before tone; each
# can be bypassed alone.
PARTS: Final = ("light", "tone", "curves", "hues", "pairs", "detail")
LEVELS: Final = ("darks", "middle", "lights")
HUES: Final = ("red", "yellow", "green", "cyan", "blue", "magenta")
BANDS: Final = ("fine", "middle", "coarse")
_MOST_POINTS, _MOST_PAIRS, _MOST_KEYS, _LONGEST_ORIGIN = 16, 64, 500, 200
LEAST_REACH, USUAL_REACH, MOST_REACH = 0.05, 0.08, 0.4
# Neighbouring bands may not be turned further apart: hues between them would change their order.
MOST_BETWEEN: Final = 36.0
Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class LevelTrim:
    """White and saturation of darks, middle or lights: mired, Duv x 1000, a factor."""

    warmth: float = 0.0
    tint: float = 0.0
    saturation: float = 1.0


@dataclass(frozen=True, slots=True)
class HueTrim:
    """One of six bands round the hue circle: degrees, a factor of chroma, stops."""

    turn: float = 0.0
    saturation: float = 1.0
    stops: float = 0.0


@dataclass(frozen=True, slots=True)
class ColourPair:
    """A colour of the angle, and that of the reference that it should be: AP1 before this part.

    `reach` in the working log, as chroma; luminance counts a third. `strength` 0..1. `origin` says
    where it was picked: clips, frames, places.
    """

    angle: Triple
    reference: Triple
    reach: float = USUAL_REACH
    strength: float = 1.0
    origin: str = ""


@dataclass(frozen=True, slots=True)
class KeyTrack:
    """What one number of a trim has more at frames: (frame, value), linear between, held beyond.

    It is added as a clip's trim is: numbers add, slopes and factors multiply.
    """

    number: str  # as `trimming.numbers_of` names it
    points: tuple[Point, ...]


_EVEN: Final = (LevelTrim(), LevelTrim(), LevelTrim())
_ROUND: Final = (HueTrim(),) * 6


@dataclass(frozen=True, slots=True)
class Trim:
    """One camera's adjustments in one light, or those that a clip adds; neutral by default.

    light : flare (added, a share of white; common and per channel), exposure and white: warmth
        (mired, positive is warmer) and tint (Duv x 1000, positive is greener) as `chain.white`
        moves it, stops per channel beyond.
    tone : in the working log (ACEScct): white and saturation by level, whose borders lie so many
        stops about middle grey; contrast about a pivot (stops about middle grey); an ASC CDL that
        does not clamp.
    curves : points in the working log; one for luminance, which keeps the ratio of the channels,
        and one for each channel.
    hues : six bands about red, yellow, green, cyan, blue and magenta.
    pairs : colours that should become others.
    detail : softening of fine, middle and coarse detail, 0..1.
    off : parts that are bypassed.
    keys : numbers that change from frame to frame.
    """

    flare: float = 0.0
    flare_rgb: Triple = (0.0, 0.0, 0.0)
    stops: float = 0.0
    warmth: float = 0.0
    tint: float = 0.0
    stops_rgb: Triple = (0.0, 0.0, 0.0)
    levels: tuple[LevelTrim, LevelTrim, LevelTrim] = _EVEN
    borders: tuple[float, float] = (-2.0, 2.0)
    contrast: float = 1.0
    pivot: float = 0.0
    cdl: Cdl = PLAIN
    curve: tuple[Point, ...] = ()
    curves_rgb: tuple[tuple[Point, ...], tuple[Point, ...], tuple[Point, ...]] = ((), (), ())
    hues: tuple[HueTrim, ...] = _ROUND
    pairs: tuple[ColourPair, ...] = ()
    detail: Triple = (0.0, 0.0, 0.0)
    off: tuple[str, ...] = field(default=())
    keys: tuple[KeyTrack, ...] = ()
    kind: Literal["trim"] = "trim"

    @property
    def in_force(self) -> Trim:
        """The same without the parts that are bypassed, and what changes of them over time."""
        if not self.off:
            return self
        fields = {n: getattr(NEUTRAL, n) for p in self.off for n in FIELDS[p]}
        keys = tuple(track for track in self.keys if track.number.split(".")[0] not in fields)
        return replace(self, **fields, keys=keys, off=())

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing."""
        return replace(self.in_force, pivot=0.0, borders=NEUTRAL.borders) == NEUTRAL


NEUTRAL: Final = Trim()
# Which fields belong to a part.
FIELDS: Final[dict[str, tuple[str, ...]]] = {
    "light": ("flare", "flare_rgb", "stops", "warmth", "tint", "stops_rgb"),
    "tone": ("levels", "borders", "contrast", "pivot", "cdl"),
    "curves": ("curve", "curves_rgb"),
    "hues": ("hues",),
    "pairs": ("pairs",),
    "detail": ("detail",),
}
# Numbers with their ranges, units and what they are: for readers, the command line and its list.
RANGES: Final[dict[str, tuple[float, float, str]]] = {
    "flare": (-0.2, 0.2, "share of white"),
    "flare_rgb": (-0.2, 0.2, "share of white, R G B"),
    "stops": (-10.0, 10.0, "stops"),
    "warmth": (-250.0, 250.0, "mired, positive is warmer"),
    "tint": (-40.0, 40.0, "Duv x 1000, positive is greener"),
    "stops_rgb": (-6.0, 6.0, "stops, R G B"),
    "borders": (-8.0, 8.0, "stops about middle grey, darks and lights"),
    "contrast": (0.25, 4.0, "slope in the working log"),
    "pivot": (-4.0, 4.0, "stops about middle grey"),
    "detail": (0.0, 1.0, "share taken off fine, middle and coarse detail"),
}  # fmt: skip
_NOT_ADDED: Final = ("borders", "pivot")  # a clip adds nothing to them, nor do keys
INNER_RANGES: Final[dict[str, tuple[float, float]]] = {
    "turn": (-60.0, 60.0), "saturation": (0.0, 4.0), "stops": (-2.0, 2.0),
    "warmth": (-250.0, 250.0), "tint": (-40.0, 40.0),
}  # fmt: skip


# Of these a chain holds the product of a light's and a clip's; of other numbers the sum.
_FACTORS: Final = ("contrast", "saturation")
# Sums of white, and the farthest that numbers of before version 7 have become.
_WHITES: Final = {"warmth": 700.0, "tint": 100.0}


def _limits(name: str, low: float, high: float, *, is_sum: bool) -> tuple[float, float]:
    """Return a number's range, or that of what two trims make of it together."""
    if not is_sum:
        return low, high
    if name in _WHITES:
        return -_WHITES[name], _WHITES[name]
    return (low * low, high * high) if name in _FACTORS else (2 * low, 2 * high)


def _within(value: float, low: float, high: float, place: str) -> float:
    if not low <= value <= high:
        raise failure(f"{place} is {value:g}.", f"It goes from {low:g} to {high:g}.", "trim.range")
    return value


def _rows(
    raw: Any, cls: type[Any], count: int, place: str, *, is_sum: bool
) -> tuple[Any, ...]:  # fmt: skip
    if not isinstance(raw, list | tuple) or len(raw) != count:
        raise failure(f"{place}: {count} were expected.")
    out = []
    for i, plain in enumerate(raw):
        if not isinstance(plain, dict) or set(plain) - set(cls.__dataclass_fields__):
            raise failure(f"{place} {i + 1} is not understood.",
                          f"Fields: {', '.join(cls.__dataclass_fields__)}.")  # fmt: skip
        out.append(cls(**{
            name: _within(
                number(value, f"{place}.{name}"),
                *_limits(name, *INNER_RANGES[name], is_sum=is_sum), f"{place}.{name}",
            ) for name, value in plain.items()
        }))  # fmt: skip
    return tuple(out)


def _points(raw: Any, place: str) -> tuple[Point, ...]:
    """Read a curve's points: rising in both, so that it can be led back."""
    if not isinstance(raw, list | tuple) or len(raw) > _MOST_POINTS:
        raise failure(f"{place} is not understood.", f"At most {_MOST_POINTS} points (x, y).")
    found: list[Point] = []
    for point in raw:
        x, y = numbers(point, place, (2,))
        found.append((x, y))
    if len(found) == 1:
        raise failure(f"{place} has one point.", "Give two or more.", "trim.curve")
    for (x0, y0), (x1, y1) in pairwise(found):
        if x1 - x0 < 1e-3 or y1 - y0 < 1e-3:
            raise failure(
                f"{place} does not rise from ({x0:.3f}, {y0:.3f}) to ({x1:.3f}, {y1:.3f}).",
                "Put every point higher than those on its left.", "trim.curve",
            )  # fmt: skip
    return tuple(found)


def _pairs(raw: Any, most: int) -> tuple[ColourPair, ...]:
    if not isinstance(raw, list | tuple) or len(raw) > most:
        raise failure("The trim's pairs are not understood.", f"At most {most}.")
    out = []
    for i, plain in enumerate(raw):
        place = f"pair {i + 1}"
        if not isinstance(plain, dict) or set(plain) - set(ColourPair.__dataclass_fields__):
            raise failure(f"{place} is not understood.")
        pair = ColourPair(
            triple(plain.get("angle"), f"{place}.angle"),
            triple(plain.get("reference"), f"{place}.reference"),
            _within(number(plain.get("reach", USUAL_REACH), f"{place}.reach"),
                    LEAST_REACH, MOST_REACH, f"{place}.reach"),
            share(plain.get("strength", 1.0), f"{place}.strength"),
            _origin(plain.get("origin", ""), place),
        )  # fmt: skip
        out.append(pair)
    return tuple(out)


def _origin(raw: Any, place: str) -> str:
    if not isinstance(raw, str) or len(raw) > _LONGEST_ORIGIN:
        raise failure(f"{place}: its origin is not understood.")
    return raw


def read_trim(stage: Any, *, is_sum: bool = False) -> Trim:
    """Read a trim strictly.

    Parameters
    ----------
    stage : mapping
        Plain JSON values.
    is_sum : bool
        Whether it may be what a light's and a clip's trim make together, as chains hold it and as
        it may be stored: numbers have twice their range then, and hues and pairs are taken as they
        are. A person may keep such a sum within the usual ranges only (`trimming.refuse_beyond`).

    Raises
    ------
    ChainError
        chain.invalid for unknown fields and numbers that are none; trim.range beyond a range;
        trim.curve for points that do not rise; trim.hues for neighbours turned too far apart;
        trim.pairs for pairs that contradict each other or need more than their reach allows.
    """
    known_fields(stage, {"trim": Trim}, "The trim")
    found: dict[str, Any] = {}
    for name, (least, most, _) in RANGES.items():
        if name not in stage:
            continue
        low, high = _limits(name, least, most, is_sum=is_sum and name not in _NOT_ADDED)
        usual = getattr(NEUTRAL, name)
        if isinstance(usual, tuple):
            values = numbers(stage[name], f"trim.{name}", (len(usual),))
            found[name] = tuple(_within(v, low, high, f"trim.{name}") for v in values)
        else:
            found[name] = _within(number(stage[name], f"trim.{name}"), low, high, f"trim.{name}")
    if "borders" in found and found["borders"][1] - found["borders"][0] < 0.5:
        raise failure("The borders of darks and lights meet.", "Keep half a stop between them.",
                      "trim.range")  # fmt: skip
    if "levels" in stage:
        found["levels"] = _rows(stage["levels"], LevelTrim, 3, "trim.levels", is_sum=is_sum)
    if "cdl" in stage:
        found["cdl"] = replace(read_cdl(stage["cdl"], "trim.cdl"), clamp=False)
    if "curve" in stage:
        found["curve"] = _points(stage["curve"], "trim.curve")
    if "curves_rgb" in stage:
        raw = stage["curves_rgb"]
        if not isinstance(raw, list | tuple) or len(raw) != 3:
            raise failure("trim.curves_rgb: three curves were expected.")
        found["curves_rgb"] = tuple(
            _points(one, f"trim.curves_rgb, {c}") for one, c in zip(raw, "RGB", strict=True)
        )
    if "hues" in stage:
        found["hues"] = _rows(stage["hues"], HueTrim, 6, "trim.hues", is_sum=is_sum)
    if "pairs" in stage:
        found["pairs"] = _pairs(stage["pairs"], _MOST_PAIRS * (1 + is_sum))
    if not is_sum:
        check_together(found.get("hues", _ROUND), found.get("pairs", ()))
    off = stage.get("off", ())
    if not isinstance(off, list | tuple) or set(off) - set(PARTS):
        raise failure("The trim's bypassed parts are not understood.", f"Parts: {PARTS}.")
    found["off"] = tuple(part for part in PARTS if part in off)
    if "keys" in stage:
        found["keys"] = _keys(stage["keys"], _MOST_PAIRS * (1 + is_sum))
    return Trim(**found)


def check_together(hues: tuple[HueTrim, ...], pairs: tuple[ColourPair, ...]) -> None:
    """Refuse hues and pairs of which each is fine, and which do not go together.

    Raises
    ------
    ChainError
        trim.hues, trim.pairs.
    """
    from syntonos.core.chain.trim_maps import check_pairs

    _check_hues(hues)
    check_pairs(pairs)


def _keys(raw: Any, most: int) -> tuple[KeyTrack, ...]:
    """Read numbers over time: frames rise, values lie within the number's own range."""
    from syntonos.core.chain.trimming import with_numbers

    if not isinstance(raw, list | tuple) or len(raw) > most:
        raise failure("The trim's keys are not understood.", f"At most {most} numbers.")
    out = []
    for plain in raw:
        if not isinstance(plain, dict) or set(plain) != {"number", "points"}:
            raise failure("The trim's keys are not understood.", "Fields: number, points.")
        name, points = str(plain["number"]), plain["points"]
        if not isinstance(points, list | tuple) or not 0 < len(points) <= _MOST_KEYS:
            raise failure(f"Keys of {name}: 1 to {_MOST_KEYS} points (frame, value).")
        if name.split(".")[0] in _NOT_ADDED:
            raise failure(f"{name} does not change over time.", "Set it for the whole clip.",
                          "trim.keys")  # fmt: skip
        found = [numbers(point, f"keys of {name}", (2,)) for point in points]
        for (before, _), (after, _) in pairwise(found):
            if after <= before:
                raise failure(f"Keys of {name}: frame {after:g} follows {before:g}.",
                              "Put them in order, one to a frame.", "trim.keys")  # fmt: skip
        for _, value in found:
            with_numbers(NEUTRAL, {name: value})
        out.append(KeyTrack(name, tuple((frame, value) for frame, value in found)))
    return tuple(out)


def at_frame(trim: Trim, number: int) -> Trim:
    """Return the trim as it is at a frame's number, without keys."""
    from syntonos.core.chain.trimming import with_numbers

    trim = trim.in_force
    now = replace(trim, keys=())
    for track in trim.keys:
        frames, values = zip(*track.points, strict=True)
        value = float(np.interp(number, frames, values))
        now = added(now, with_numbers(NEUTRAL, {track.number: value}))
    return now


def _check_hues(hues: tuple[HueTrim, ...]) -> None:
    for i, name in enumerate(HUES):
        after = (i + 1) % 6
        if abs(hues[i].turn - hues[after].turn) > MOST_BETWEEN:
            raise failure(
                f"{name.capitalize()} and {HUES[after]} are turned "
                f"{abs(hues[i].turn - hues[after].turn):.0f} degrees apart.",
                f"Up to {MOST_BETWEEN:.0f}: beyond, hues between them would change their order.",
                "trim.hues",
            )  # fmt: skip


def added(base: Trim, more: Trim) -> Trim:
    """Return a light's trim with what a clip adds to it.

    Numbers add; slopes, powers, contrast and saturation multiply; pairs follow each other. Curves,
    pivot and borders are the light's own, where the clip has none. What either bypasses it does not
    bring along; the sum bypasses nothing.
    """
    a, b = base.in_force, more.in_force
    total: dict[str, Any] = {
        name: getattr(a, name) + getattr(b, name) for name in ("flare", "stops", "warmth", "tint")
    }
    for name in ("flare_rgb", "stops_rgb"):
        total[name] = tuple(x + y for x, y in zip(getattr(a, name), getattr(b, name), strict=True))
    total["levels"] = tuple(
        LevelTrim(x.warmth + y.warmth, x.tint + y.tint, x.saturation * y.saturation)
        for x, y in zip(a.levels, b.levels, strict=True)
    )
    total["hues"] = tuple(
        HueTrim(x.turn + y.turn, x.saturation * y.saturation, x.stops + y.stops)
        for x, y in zip(a.hues, b.hues, strict=True)
    )
    total["contrast"] = a.contrast * b.contrast
    total["pivot"] = b.pivot if b.contrast != 1 else a.pivot
    total["cdl"] = Cdl(
        tuple(x * y for x, y in zip(a.cdl.slope, b.cdl.slope, strict=True)),  # type: ignore[arg-type]
        tuple(x + y for x, y in zip(a.cdl.offset, b.cdl.offset, strict=True)),  # type: ignore[arg-type]
        tuple(x * y for x, y in zip(a.cdl.power, b.cdl.power, strict=True)),  # type: ignore[arg-type]
        a.cdl.saturation * b.cdl.saturation,
    )
    total["curve"] = b.curve or a.curve
    total["curves_rgb"] = tuple(y or x for x, y in zip(a.curves_rgb, b.curves_rgb, strict=True))
    total["pairs"] = (*a.pairs, *b.pairs)
    total["keys"] = (*a.keys, *b.keys)
    total["detail"] = tuple(min(x + y, 1.0) for x, y in zip(a.detail, b.detail, strict=True))
    return replace(a, **total)


def _pack(pack: Packer, trim: Trim, chain: Chain) -> None:
    from syntonos.core.chain.trim_maps import pack_trim

    pack_trim(pack, trim.in_force)


def _locality(trim: Trim) -> Locality:
    if trim.keys:
        return Locality.FRAME
    return Locality.NEIGHBOURHOOD if any(trim.in_force.detail) else Locality.POINTWISE


def _area(trim: Trim, light: NDArray[np.float32], width: int) -> NDArray[np.float32]:
    from syntonos.core.chain.detail import soften

    return soften(light, trim.in_force.detail, width, in_place=True)


def _margin(trim: Trim, width: int) -> int:
    from syntonos.core.chain.detail import reach

    return reach(trim.in_force.detail, width)


def _is_invertible(trim: Trim) -> bool:
    # Curves rise, bands keep their order, pairs are bounded: all but what takes colour away.
    now = trim.in_force
    factors = [now.cdl.saturation, *now.cdl.slope]
    factors += [level.saturation for level in now.levels] + [hue.saturation for hue in now.hues]
    return not any(now.detail) and min(factors) > 0


WHITE_THAT_ADDS: Final = 7  # the version that brought today's warmth and tint


def _since(trim: Trim) -> int:
    whites = (trim, *trim.levels)
    has_white = any(one.warmth or one.tint for one in whites) or any(
        track.number.rpartition(".")[2] in ("warmth", "tint") for track in trim.keys
    )
    return WHITE_THAT_ADDS if has_white else 5


KIND: Final = StageKind(
    "trim", Trim, partial(read_trim, is_sum=True), _pack, locality=_locality,
    is_invertible=_is_invertible, area=_area, margin=_margin, at=at_frame, since=_since,
    later={"keys": 6},
)  # fmt: skip
