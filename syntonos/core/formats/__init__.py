"""File formats: bytes to values and back."""

from pathlib import PurePath

from syntonos.core.errors import LutFileError
from syntonos.core.formats.cdl import Correction, read_cdl_file, write_cdl
from syntonos.core.formats.clf_look import read_clf
from syntonos.core.formats.cube import Cube, read_cube, write_cube
from syntonos.core.formats.table import LutTable
from syntonos.core.formats.three_dl import read_3dl, write_3dl

__all__ = [
    "Correction",
    "Cube",
    "LutTable",
    "read_3dl",
    "read_cdl_file",
    "read_clf",
    "read_cube",
    "read_lut",
    "write_3dl",
    "write_cdl",
    "write_cube",
]


def read_lut(data: bytes, name: str) -> LutTable:
    """Read a LUT file by its name's ending: .cube, .3dl, .clf.

    Raises
    ------
    CubeFileError, LutFileError
        For another ending, and what the readers refuse.
    """
    ending = PurePath(name).suffix.lower()
    if ending == ".cube":
        cube = read_cube(data)
        return LutTable(cube.table, cube.low, cube.high)
    if ending == ".3dl":
        return read_3dl(data)
    if ending in (".clf", ".ctf"):
        return read_clf(data)
    raise LutFileError(
        f"{name} is no LUT that is known here.", hint="Bring in a .cube, .3dl or .clf file.",
        code="lut.unknown",
    )  # fmt: skip
