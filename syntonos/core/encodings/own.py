"""A user's own encoding: log-camera parameters or a table of light by code, with primaries.

Its slug is made from its content, so that a chain document that names it means the same everywhere.
"""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final, Literal, TypeAlias

import numpy as np

from syntonos.core.encodings.curves import Curve, decode, encode, table_curve
from syntonos.core.encodings.gamuts import D65, GAMUTS, Gamut
from syntonos.core.encodings.scalar import LOG_LIN
from syntonos.core.errors import EncodingError

PREFIX: Final = "own-"
_LEAST, _MOST = 8, 4096
_AREA = 0.02  # of the primaries' triangle in xy; a display's is 0.11
Point: TypeAlias = tuple[float, float]


@dataclass(frozen=True, slots=True)
class LogCamera:
    """The parameters of CLF's Log node, style cameraLinToLog.

    code = log_side_slope log_base(lin_side_slope lin + lin_side_offset) + log_side_offset above
    lin_side_break, a straight line below it, whose slope continues the curve's unless it is given.

    Source: Academy S-2014-006 / SMPTE ST 2136-1, Log.
    """

    base: float
    lin_side_slope: float
    lin_side_offset: float
    log_side_slope: float
    log_side_offset: float
    lin_side_break: float
    linear_slope: float | None = None


@dataclass(frozen=True, slots=True)
class Definition:
    """A curve, given by parameters or by a table, and a gamut."""

    name: str
    gamut: str | tuple[Point, Point, Point]  # a known one's slug, or red, green, blue
    white: Point = D65
    adaptation: Literal["cat02", "bradford"] = "cat02"
    log: LogCamera | None = None
    table: tuple[float, ...] = ()  # scene-linear at codes first..last, evenly spaced
    first: float = 0.0
    last: float = 1.0

    def to_json(self) -> dict[str, Any]:
        """Return the definition as plain JSON values."""
        out: dict[str, Any] = {"name": self.name, "gamut": self.gamut}
        if isinstance(self.gamut, tuple):
            out["gamut"] = [list(p) for p in self.gamut]
            out |= {"white": list(self.white), "adaptation": self.adaptation}
        if self.log is not None:
            out["log"] = {n: getattr(self.log, n) for n in LogCamera.__dataclass_fields__}
        else:
            out |= {"table": list(self.table), "first": self.first, "last": self.last}
        return out

    @property
    def slug(self) -> str:
        """Its name in chains: the content's hash, whatever it is called."""
        plain = {k: v for k, v in self.to_json().items() if k != "name"}
        text = json.dumps(plain, sort_keys=True, separators=(",", ":"))
        return PREFIX + hashlib.sha256(text.encode()).hexdigest()[:16]


def _fail(message: str, hint: str) -> EncodingError:
    return EncodingError(message, hint=hint, code="encoding.invalid")


def _number(value: Any, place: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise _fail(f"{place} is {value!r}.", "A finite number is needed there.")
    return float(value)


def _point(value: Any, place: str) -> Point:
    if not isinstance(value, list | tuple) or len(value) != 2:
        raise _fail(f"{place} is {value!r}.", "Two numbers are needed: x and y.")
    return _number(value[0], place), _number(value[1], place)


def read_definition(plain: Mapping[str, Any]) -> Definition:
    """Read and check a definition.

    Raises
    ------
    EncodingError
        encoding.invalid: unknown fields, numbers that are missing or not finite, a curve that
        falls or does not come back, primaries that span nothing or do not enclose their white.
    """
    known = {"name", "gamut", "white", "adaptation", "log", "table", "first", "last"}
    if unknown := set(plain) - known:
        raise _fail(f"Unknown fields: {', '.join(sorted(unknown))}.", f"Known: {sorted(known)}.")
    name = str(plain.get("name") or "").strip()
    if not name or len(name) > 80:
        raise _fail("The encoding has no name.", "Give it one, of at most 80 letters.")
    gamut = _gamut(plain)
    white = _point(plain.get("white", D65), "white")
    adaptation = plain.get("adaptation", "cat02")
    if adaptation not in ("cat02", "bradford"):
        raise _fail(f"adaptation is {adaptation!r}.", "Say cat02 or bradford.")
    log, table = plain.get("log"), plain.get("table")
    if (log is None) == (not table):
        raise _fail("It needs either log parameters or a table.", "Give one of the two.")
    if log is not None:
        definition = Definition(name, gamut, white, adaptation, log=_log(log))
    else:
        definition = Definition(
            name, gamut, white, adaptation, table=_table(table),
            first=_number(plain.get("first", 0.0), "first"),
            last=_number(plain.get("last", 1.0), "last"),
        )  # fmt: skip
        if definition.last <= definition.first:
            raise _fail("The table's last code is not above its first.", "Exchange them.")
    if isinstance(gamut, tuple):
        _check_primaries(gamut, white)
    _check_curve(curve_of(definition), definition)
    return definition


def _gamut(plain: Mapping[str, Any]) -> str | tuple[Point, Point, Point]:
    gamut = plain.get("gamut")
    if isinstance(gamut, str):
        if gamut not in GAMUTS:
            raise _fail(f"There is no gamut {gamut!r}.", f"Known: {', '.join(GAMUTS)}.")
        return gamut
    if not isinstance(gamut, list | tuple) or len(gamut) != 3:
        raise _fail("gamut needs three primaries.", "Give x and y of red, green and blue.")
    red, green, blue = (_point(p, f"primary {i + 1}") for i, p in enumerate(gamut))
    return red, green, blue


def _log(plain: Any) -> LogCamera:
    names = LogCamera.__dataclass_fields__
    if not isinstance(plain, Mapping) or set(plain) - set(names):
        raise _fail("log is not understood.", f"Its fields are {', '.join(names)}.")
    values = {
        n: _number(plain.get(n), f"log.{n}")
        for n in names if n != "linear_slope" or plain.get(n) is not None
    }  # fmt: skip
    log = LogCamera(**values)
    if log.base <= 0 or log.base == 1:
        raise _fail(f"log.base is {log.base}.", "It is above 0 and not 1; often 2 or 10.")
    inside = log.lin_side_slope * log.lin_side_break + log.lin_side_offset
    if inside <= 0:
        raise _fail(
            f"At lin_side_break the logarithm is of {inside:.6g}.",
            "Raise lin_side_break or lin_side_offset: it must be above 0 there.",
        )
    return log


def _table(values: Any) -> tuple[float, ...]:
    if not isinstance(values, list | tuple) or not _LEAST <= len(values) <= _MOST:
        count = len(values) if isinstance(values, list | tuple) else 0
        raise _fail(f"The table has {count} values.", f"It needs {_LEAST} to {_MOST}.")
    out = tuple(_number(v, f"table value {i + 1}") for i, v in enumerate(values))
    falls = np.flatnonzero(np.diff(out) <= 0)
    if len(falls):
        raise _fail(
            f"The table does not rise from value {falls[0] + 1} to {falls[0] + 2}.",
            "Every code must stand for more light than the one before.",
        )
    return out


def _check_primaries(gamut: tuple[Point, Point, Point], white: Point) -> None:
    (rx, ry), (gx, gy), (bx, by) = gamut
    area = 0.5 * ((gx - rx) * (by - ry) - (bx - rx) * (gy - ry))
    if area < _AREA:
        raise _fail(
            "These primaries span no gamut" + (" (their order is turned)." if area < 0 else "."),
            "Give red, green and blue as x, y, as far apart as the camera's document says.",
        )
    if white[1] <= 0:
        raise _fail("The white's y is not above 0.", "D65 is 0.3127, 0.3290.")
    columns = np.array([[x, y, 1 - x - y] for x, y in gamut]).T
    gains = np.linalg.solve(columns, [white[0], white[1], 1 - white[0] - white[1]])
    if (gains <= 0).any():
        raise _fail("The white lies outside of the primaries.", "Check white and primaries.")


def _check_curve(curve: Curve, definition: Definition) -> None:
    codes = np.linspace(definition.first, definition.last, 4001)
    lin = decode(codes, curve)
    if not np.isfinite(lin).all() or (np.diff(lin) <= 0).any():
        at = codes[int(np.argmax(~(np.diff(lin) > 0)))]
        raise _fail(f"The curve falls at code {at:.3f}.", "More light must give a higher code.")
    worst = float(np.abs(encode(lin, curve) - codes).max())
    if worst > 1e-5:
        raise _fail(
            f"Coding and decoding differ by {worst:.2g} of the code range.",
            "The straight part does not meet the log: check linear_slope and lin_side_break.",
        )


def curve_of(definition: Definition) -> Curve:
    """Return the curve of a definition."""
    source = "entered by a person"
    if definition.log is None:
        return table_curve(definition.slug, definition.name, definition.table, source,
                           first=definition.first, last=definition.last)  # fmt: skip
    log = definition.log
    a = log.log_side_slope / math.log2(log.base)
    inside = log.lin_side_slope * log.lin_side_break + log.lin_side_offset
    at_break = a * math.log2(inside) + log.log_side_offset
    slope = log.linear_slope
    if slope is None:
        slope = a / math.log(2) * log.lin_side_slope / inside
    params = (
        a, log.lin_side_slope, log.lin_side_offset, log.log_side_offset, slope,
        at_break - slope * log.lin_side_break, log.lin_side_break, at_break,
    )  # fmt: skip
    return Curve(definition.slug, definition.name, LOG_LIN, params, source)


def gamut_of(definition: Definition) -> Gamut:
    """Return the gamut of a definition."""
    if isinstance(definition.gamut, str):
        return GAMUTS[definition.gamut]
    return Gamut(
        definition.slug, f"primaries of {definition.name}", *definition.gamut, definition.white,
        definition.adaptation, "entered by a person",
    )  # fmt: skip
