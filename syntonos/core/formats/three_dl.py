"""The .3dl format: a mesh of input values, then integer rows with blue fastest.

No standard describes it; from memory, and checked against OpenColorIO's reader (common practice):
the first row of numbers lists the input codes of the mesh, evenly spaced from 0; each further row
has three integers. The depth of the output is that of the smallest usual scale that holds them.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from syntonos.core.errors import LutFileError
from syntonos.core.files import parsing
from syntonos.core.formats.table import LutTable

_MOST_BYTES = 256 * 2**20
_DEPTHS = (8, 10, 12, 14, 16)
_MESHES = {17, 33, 65}
_HINT = "Export the LUT again, as .cube where there is a choice."


def _fail(line: int | None, what: str, hint: str = _HINT) -> LutFileError:
    return LutFileError(f"Line {line}: {what}" if line else what, hint=hint)


def write_3dl(table: NDArray[np.float32], *, bits: int = 12) -> bytes:
    """Write a 3D table, (size, size, size, 3) float32 as table[r, g, b], as integers.

    Values are clamped to 0..1 and rounded to `bits`: the format holds nothing else.

    Raises
    ------
    LutFileError
        For another size than 17, 33 or 65, another depth, or values that are not finite.
    """
    size = len(table)
    if size not in _MESHES or bits not in _DEPTHS:
        raise LutFileError(
            f"A .3dl of {size} points and {bits} bit was asked for.",
            hint=f"Choose {sorted(_MESHES)} points and one of {_DEPTHS} bit.",
        )
    if not np.isfinite(table).all():
        raise LutFileError("The table holds NaN or infinite values.", hint="Check its chain.")
    mesh = np.minimum(np.arange(size) * (1024 // (size - 1)), 1023)
    rows = np.rint(np.clip(table, 0, 1) * (2**bits - 1)).astype(int).reshape(-1, 3)
    lines = [" ".join(map(str, mesh)), *(f"{r} {g} {b}" for r, g, b in rows.tolist())]
    return ("\n".join(lines) + "\n").encode("ascii")


@parsing("The .3dl file", LutFileError)
def read_3dl(data: bytes) -> LutTable:
    """Read a .3dl file strictly.

    Raises
    ------
    LutFileError
        With the line, for text that is no number, a mesh that is uneven, a count of rows that is
        no cube of the mesh, values beyond 16 bit.
    """
    if len(data) > _MOST_BYTES:
        raise _fail(None, f"The file has {len(data)} bytes, over the limit of {_MOST_BYTES}.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise _fail(None, "The file is not text.", "Choose a .3dl file.") from None
    mesh: NDArray[np.float64] | None = None
    rows: list[list[int]] = []
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.split("#")[0].strip()
        if not line or line[0].isalpha():
            if line and line.split()[0] not in ("3DMESH", "Mesh", "LUT8", "gamma"):
                raise _fail(number, f"{line.split()[0]!r} is not known here.")
            continue
        try:
            values = [int(word) for word in line.split()]
        except ValueError:
            raise _fail(number, f"{line[:40]!r} is not a row of whole numbers.") from None
        if min(values) < 0:
            raise _fail(number, f"{min(values)} is below 0.")
        if mesh is None and len(values) > 3:
            mesh = np.array(values, float)
        elif len(values) != 3:
            raise _fail(number, f"Three values were expected, found {len(values)}.")
        else:
            rows.append(values)
    size = round(len(rows) ** (1 / 3))
    if size < 2 or size**3 != len(rows) or (mesh is not None and len(mesh) != size):
        points = f" for a mesh of {len(mesh)}" if mesh is not None else ""
        raise _fail(None, f"{len(rows)} rows{points} make no cube.", "The file was cut: export it "
                    "again.")  # fmt: skip
    if mesh is not None:
        even = np.linspace(0, mesh[-1], size)
        if mesh[-1] <= 0 or np.abs(mesh - even).max() > mesh[-1] / 500 + 1:
            raise _fail(
                None, "The mesh is not even: this file bends its input by a curve.",
                "Only even meshes are read; export it as .cube.",
            )  # fmt: skip
    most = max(map(max, rows))
    depth = next((bits for bits in _DEPTHS if most < 2**bits), None)
    if depth is None:
        raise _fail(None, f"The value {most} is beyond 16 bit.")
    depth = depth if depth != 8 else 10
    values_ = np.array(rows, np.float32) / np.float32(2**depth - 1)
    return LutTable(values_.reshape(size, size, size, 3))
