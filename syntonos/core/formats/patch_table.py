"""Values of a chart's patches from a text file: CGATS.17, or CSV with a line of names.

Source: ISO 28178:2009 (CGATS.17) from memory: fields between BEGIN_DATA_FORMAT and
END_DATA_FORMAT, rows between BEGIN_DATA and END_DATA. XYZ and L*a*b* there are under D50
(ISO 13655). CSV is ours: columns patch (from 1), then x, y, z or l, a, b or r, g, b.
"""

from __future__ import annotations

import csv
import io
import shlex
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from syntonos.core.errors import ChartError
from syntonos.core.files import parsing

Kind = Literal["xyz", "lab", "rgb"]
_FIELDS: Final[dict[Kind, tuple[str, str, str]]] = {
    "xyz": ("XYZ_X", "XYZ_Y", "XYZ_Z"), "lab": ("LAB_L", "LAB_A", "LAB_B"),
}  # fmt: skip
_COLUMNS: Final[dict[Kind, tuple[str, str, str]]] = {
    "xyz": ("x", "y", "z"), "lab": ("l", "a", "b"), "rgb": ("r", "g", "b"),
}  # fmt: skip
_HINT = (
    "Give every patch, counted from 1, with XYZ or L*a*b* (CGATS, CSV) or scene-linear r, g, b "
    "(CSV)."
)


@dataclass(frozen=True, slots=True)
class PatchTable:
    """Patch values in reading order."""

    kind: Kind  # "xyz": Y = 100 at white, D50; "lab": D50; "rgb": scene-linear, white about 1
    values: NDArray[np.float64]  # (n, 3)


@parsing("The table", ChartError, hint=_HINT, code="table.unreadable")
def read_patch_table(data: bytes, *, patches: int = 24) -> PatchTable:
    """Read a file of patch values.

    Parameters
    ----------
    data : bytes
        CGATS.17 or CSV, UTF-8.
    patches : int
        How many there must be.

    Raises
    ------
    ChartError
        table.unreadable for other files, table.fields when the colour fields are missing,
        table.patches when patches are missing or given twice, table.number for a value that is
        no finite number.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise _fail("unreadable", "The file is not text.") from None
    if "BEGIN_DATA_FORMAT" in text:
        return _cgats(text, patches)
    return _csv(text, patches)


def _fail(code: str, message: str) -> ChartError:
    return ChartError(message, hint=_HINT, code=f"table.{code}")


def _cgats(text: str, patches: int) -> PatchTable:
    fields: list[str] = []
    rows: list[list[str]] = []
    part = ""
    for line in text.splitlines():
        bare = line.strip()
        if not bare or bare.startswith("#"):
            continue
        if bare in ("BEGIN_DATA_FORMAT", "BEGIN_DATA"):
            part = bare
        elif bare in ("END_DATA_FORMAT", "END_DATA"):
            part = ""
        elif part:
            try:
                words = shlex.split(bare, posix=True)
            except ValueError:
                raise _fail("unreadable", f"A quote is not closed: {bare[:40]!r}.") from None
            if part == "BEGIN_DATA_FORMAT":
                fields += [w.upper() for w in words]
            else:
                rows.append(words)
    for kind, names in _FIELDS.items():
        if all(n in fields for n in names):
            at = [fields.index(n) for n in names]
            key = fields.index("SAMPLE_ID") if "SAMPLE_ID" in fields else None
            return _table(kind, rows, at, key, patches)
    raise _fail("fields", f"There is no XYZ or L*a*b* among the fields {', '.join(fields[:8])}.")


def _csv(text: str, patches: int) -> PatchTable:
    rows = [r for r in csv.reader(io.StringIO(text)) if any(cell.strip() for cell in r)]
    names = [cell.strip().lower() for cell in rows[0]] if rows else []
    for kind, wanted in _COLUMNS.items():
        if all(n in names for n in wanted):
            at = [names.index(n) for n in wanted]
            key = names.index("patch") if "patch" in names else None
            return _table(kind, rows[1:], at, key, patches)
    raise _fail("fields", f"The first line names {', '.join(names[:6]) or 'nothing'}.")


def _table(
    kind: Kind, rows: list[list[str]], at: list[int], key: int | None, patches: int
) -> PatchTable:
    found: dict[int, list[float]] = {}
    for number, row in enumerate(rows, start=1):
        try:
            name = row[key].strip() if key is not None else str(number)
            # SAMPLE_ID may be a name like A1: then the rows' order counts.
            index = int(name) if name.isdecimal() and len(name) < 9 else number
            values = [float(row[i]) for i in at]
        except (ValueError, IndexError):
            raise _fail("number", f"Row {number} has no three numbers: {' '.join(row)[:50]!r}."
                        ) from None  # fmt: skip
        if not np.isfinite(values).all():
            raise _fail("number", f"Patch {index} is not finite.")
        if index in found:
            raise _fail("patches", f"Patch {index} is given twice.")
        found[index] = values
    missing = [str(i) for i in range(1, patches + 1) if i not in found]
    if missing or len(found) != patches:
        what = f"patch {', '.join(missing[:6])} is missing" if missing else "there are more"
        raise _fail("patches", f"Of {patches} patches {len(found)} are given: {what}.")
    return PatchTable(kind, np.array([found[i] for i in range(1, patches + 1)]))
