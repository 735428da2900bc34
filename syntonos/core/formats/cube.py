"""The .cube format: 3D and 1D tables with their domain.

Source: Cube LUT Specification 1.0 (2013), from memory, checked against an independent reader: one
of LUT_1D_SIZE or LUT_3D_SIZE, red fastest, keywords before data, whole-line comments.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import NoReturn

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.errors import CubeFileError
from syntonos.core.files import parsing
from syntonos.core.formats.table import Triple

_MOST_BYTES = 512 * 2**20
_HINT = "Export the LUT again as a .cube file."
_PIECE = 100_000  # rows
_MOST_POINTS = {"LUT_1D_SIZE": 65536, "LUT_3D_SIZE": 256}
_KEYWORD = re.compile(r"^[A-Z_][A-Z0-9_]*")


@dataclass(frozen=True, slots=True)
class Cube:
    """A 3D table, ``table[r, g, b]``, (size, size, size, 3) float32, or three curves (size, 3)."""

    table: NDArray[np.float32]
    title: str = ""
    low: Triple = (0.0, 0.0, 0.0)  # of the domain
    high: Triple = (1.0, 1.0, 1.0)


def write_cube(cube: Cube, *, comments: tuple[str, ...] = ()) -> bytes:
    """Write a .cube file.

    Parameters
    ----------
    cube : Cube
        Finite values; 2 to 256 points per axis, 2 to 65536 of a 1D table.
    comments : tuple of str
        Lines for the head of the file.

    Returns
    -------
    bytes, ASCII, values with seven decimals.

    Raises
    ------
    CubeFileError
        When a value is not finite.
    """
    size = len(cube.table)
    if not np.isfinite(cube.table).all():
        raise CubeFileError(
            "The table holds NaN or infinite values.", hint="Check the chain it was baked from."
        )
    head = [f"# {re.sub(r'[^ -~]', '?', line)}" for line in comments]
    if cube.title:
        head.append('TITLE "' + re.sub(r'[^ -~]|"', "?", cube.title) + '"')
    is_1d = cube.table.ndim == 2
    head.append(f"LUT_{1 if is_1d else 3}D_SIZE {size}")
    if (cube.low, cube.high) != ((0.0,) * 3, (1.0,) * 3):
        head += [f"DOMAIN_M{end} " + " ".join(f"{v:.9g}" for v in values)
                 for end, values in (("IN", cube.low), ("AX", cube.high))]  # fmt: skip
    # .cube lists red fastest, our tables are [r, g, b]: hence the reversed axes.
    rows = cube.table if is_1d else cube.table.transpose(2, 1, 0, 3).reshape(-1, 3)
    return ("\n".join(head) + "\n").encode("ascii") + _format_rows(rows)


def _format_rows(rows: NDArray[np.float32]) -> bytes:
    """Write values in fixed point, three to a line."""
    most = int(np.abs(rows).max(initial=0.0)) + 1
    out = np.empty(rows.size * (len(str(most)) + 11), np.uint8)
    used = _write_digits(np.ascontiguousarray(rows, np.float32).reshape(-1), out)
    return out[:used].tobytes()


@jit
def _write_digits(values: NDArray[np.float32], out: NDArray[np.uint8]) -> int:
    """Write sign, whole part, a point and seven decimals of each value; returns the bytes used."""
    at = 0
    for i in range(values.size):
        scaled = np.int64(np.rint(np.float64(abs(values[i])) * 1e7))
        if values[i] < 0 and scaled > 0:
            out[at] = 45
            at += 1
        whole, rest = scaled // 10_000_000, scaled % 10_000_000
        places, reach = 1, np.int64(10)
        while whole >= reach:
            places += 1
            reach *= 10
        for k in range(places):
            out[at + places - 1 - k] = 48 + whole % 10
            whole //= 10
        at += places
        out[at] = 46
        for k in range(7):
            out[at + 7 - k] = 48 + rest % 10
            rest //= 10
        out[at + 8] = 10 if i % 3 == 2 else 32
        at += 9
    return at


def _fail(line: int | None, what: str, hint: str = _HINT) -> NoReturn:
    place = f"Line {line}: " if line else ""
    raise CubeFileError(f"{place}{what}", hint=hint)


@parsing("The .cube file", CubeFileError)
def read_cube(data: bytes) -> Cube:
    """Read a .cube file strictly.

    Raises
    ------
    CubeFileError
        With the line number, for anything the specification does not allow: both sizes or none, a
        domain that is none, a size of 1, a wrong count of rows, and values that are not finite.
    """
    if len(data) > _MOST_BYTES:
        _fail(None, f"The file has {len(data)} bytes, over the limit of {_MOST_BYTES}.")
    try:
        lines = data.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError:
        _fail(None, "The file is not text.", "Choose a .cube file.")
    axes, size, title, first, low, high = _read_head(lines)
    body = [line for line in lines[first:] if line.strip() and not line.lstrip().startswith("#")]
    wanted = size**axes
    if len(body) != wanted:
        _fail(
            None,
            f"LUT_{axes}D_SIZE {size} needs {wanted} rows of values, found {len(body)}.",
            "The file was cut or has the wrong size: export it again.",
        )
    values = _read_rows(lines, first, body)
    if axes == 3:
        values = values.reshape(size, size, size, 3).transpose(2, 1, 0, 3).copy()
    return Cube(values, title, low, high)


def _read_rows(lines: list[str], first: int, body: list[str]) -> NDArray[np.float32]:
    try:
        # In pieces: the interpreter is free for others between them.
        table = np.concatenate([
            np.loadtxt(body[at : at + _PIECE], np.float32, comments=None, ndmin=2)
            for at in range(0, len(body), _PIECE)
        ])  # fmt: skip
        if table.shape == (len(body), 3) and np.isfinite(table).all():
            return table
    except ValueError:
        pass
    for number, line in enumerate(lines[first:], first + 1):  # find the line that is to blame
        parts = line.split()
        if not parts or parts[0].startswith("#"):
            continue
        if _KEYWORD.match(parts[0]) and parts[0].lower() not in ("nan", "inf", "infinity"):
            _fail(number, f"Keyword {parts[0]!r} after the first row of values.")
        if len(parts) != 3:
            _fail(number, f"Three values were expected, found {len(parts)}.")
        for part in parts:
            try:
                finite = bool(np.isfinite(np.float32(part)))
            except ValueError:
                _fail(number, f"{part!r} is not a number.")
            if not finite:
                _fail(number, f"{part!r} is not a finite number.")
    _fail(None, "The values cannot be read.")


def _read_head(lines: list[str]) -> tuple[int, int, str, int, Triple, Triple]:
    """Return axes, size, title, the index of the first row of values, and the domain."""
    axes, size, title, first = 0, 0, "", len(lines)
    domain = {"DOMAIN_MIN": (0.0, 0.0, 0.0), "DOMAIN_MAX": (1.0, 1.0, 1.0)}
    for number, raw in enumerate(lines, 1):
        line = raw.strip()
        if not line or line.startswith("#"):
            continue
        keyword = _KEYWORD.match(line)
        if keyword is None or line.lower().startswith(("nan", "inf")):
            first = number - 1
            break
        word, rest = keyword.group(), line[keyword.end() :].strip()
        if word == "TITLE":
            if len(rest) < 2 or rest[0] != '"' or rest[-1] != '"':
                _fail(number, "TITLE needs its text in double quotes.")
            title = rest[1:-1]
        elif word in _MOST_POINTS:
            if size:
                _fail(number, f"{word}: a size stands twice.", "One table to a file.")
            most = _MOST_POINTS[word]
            if not rest.isdecimal() or len(rest) > 9 or not 2 <= int(rest) <= most:
                _fail(number, f"{word} is {rest!r}, needed 2 to {most}.")
            axes, size = int(word[4]), int(rest)
        elif word in domain:
            domain[word] = _read_domain(number, word, rest)
        else:
            _fail(number, f"Keyword {word!r} is not in the specification.")
    low, high = domain["DOMAIN_MIN"], domain["DOMAIN_MAX"]
    if any(a >= b for a, b in zip(low, high, strict=True)):
        _fail(None, f"DOMAIN_MIN {low} is not below DOMAIN_MAX {high}.")
    if not size:
        _fail(None, "LUT_3D_SIZE or LUT_1D_SIZE is missing.", "Choose a .cube file.")
    return axes, size, title, first, low, high


def _read_domain(number: int, word: str, rest: str) -> Triple:
    try:
        a, b, c = (float(x) for x in rest.split())
    except ValueError:
        _fail(number, f"{word} needs three numbers, found {rest!r}.")
    if not np.isfinite([a, b, c]).all():
        _fail(number, f"{word} is not finite.")
    return a, b, c
