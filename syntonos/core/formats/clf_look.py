"""Reading a CLF as a look: OpenColorIO runs its nodes; a table pictures what they do.

Source: Academy S-2014-006 / SMPTE ST 2136-1; OpenColorIO reads it. Where the channels stay apart
the table is three curves, else a cube: over 0..1, or further where it goes on beyond that.
"""

from __future__ import annotations

import hashlib
import math
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from syntonos.core.errors import LutFileError
from syntonos.core.files import parsing
from syntonos.core.formats.table import LutTable

_MOST_BYTES = 96 * 2**20
# OpenColorIO reads them while it holds the interpreter: 0.7 s for a cube of 100 points (measured).
_MOST_ENTRIES = 80**3
_CURVE, _CUBE = 4096, 65
# Log encodings reach 1.47 (ACEScct at the largest half float) and a little under zero.
_LOW, _HIGH = -0.25, 1.5
_CURVE_WIDE, _CUBE_WIDE = 16384, 113  # steps as fine as over 0..1
_STILL = 1e-5  # less is no change


def _goes_on(cpu: Any) -> bool:
    """Say whether it still moves outside of 0..1, on the grey axis or with one channel outside."""
    for outside in (np.linspace(_LOW, 0, 9), np.linspace(1, _HIGH, 9)):
        for channels in ((0, 1, 2), (0,), (1,), (2,)):
            values = np.full((9, 3), 0.4, np.float32)
            values[:, channels] = outside[:, None]
            cpu.applyRGB(values)
            if np.abs(np.diff(values, axis=0)).max() > _STILL:
                return True
    return False


@parsing("The CLF", LutFileError, hint="Export the CLF again, version 3.")
def clf_transform(data: bytes) -> Any:
    """Return a CLF's nodes as a group of OpenColorIO's transforms.

    Raises
    ------
    LutFileError
        As `read_clf`.
    """
    return _processor(data).createGroupTransform()


@parsing("The CLF", LutFileError, hint="Export the CLF again, version 3.")
def clf_processor(data: bytes) -> Any:
    """Return what runs a CLF's nodes on float pixels, with the interpolation that it states.

    Raises
    ------
    LutFileError
        As `read_clf`.
    """
    import PyOpenColorIO as ocio

    return _processor(data).getOptimizedCPUProcessor(
        ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS
    )


def _processor(data: bytes) -> Any:
    import PyOpenColorIO as ocio

    _see_xml(data)
    # OpenColorIO keeps what it has read by its path: one of its own for each content.
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{hashlib.sha256(data).hexdigest()}.clf"
        path.write_bytes(data)
        try:
            return ocio.Config.CreateRaw().getProcessor(ocio.FileTransform(str(path)))
        except ocio.Exception as error:
            said = str(error).replace(str(path), "the file").splitlines()[0]
            raise LutFileError(f"OpenColorIO refuses it: {said}",
                               hint="Export the CLF again, version 3.") from None  # fmt: skip


def _see_xml(data: bytes) -> None:
    if len(data) > _MOST_BYTES:
        raise LutFileError(f"The file has {len(data)} bytes.", hint="Up to 96 MiB are taken.")
    try:
        top = fromstring(data, forbid_dtd=True)
    except DefusedXmlException:
        raise LutFileError(
            "The file defines XML entities or a document type.", code="lut.entities",
            hint="No CLF needs them; they are refused. Export it again.",
        ) from None  # fmt: skip
    except SyntaxError as error:
        raise LutFileError(f"This is not XML ({error}).", hint="Export the CLF again.") from None
    if str(top.tag).rpartition("}")[2] != "ProcessList":
        raise LutFileError(f"The file is a {top.tag}.", hint="A CLF is a ProcessList.")
    entries = sum(
        math.prod(int(n) for n in array.get("dim", "0").split()[:-1]) for array in top.iter()
        if str(array.tag).rpartition("}")[2] == "Array"
    )  # fmt: skip
    if entries > _MOST_ENTRIES:
        raise LutFileError(
            f"Its LUTs have {entries} entries in all.", code="lut.large",
            hint="Export its cube with at most 80 points; 65 are usual.",
        )  # fmt: skip


@parsing("The CLF", LutFileError, hint="Export the CLF again, version 3.")
def read_clf(data: bytes) -> LutTable:
    """Read a CLF file; its table is over 0..1 where it ends there, else over -0.25..1.5.

    Raises
    ------
    LutFileError
        For files over 96 MiB or LUTs of more entries than a cube of 80 points, document types and
        entities, XML that is none, no ProcessList, and what OpenColorIO refuses, in its words.
    """
    cpu = clf_processor(data)
    wide = _goes_on(cpu)
    low, high = (_LOW, _HIGH) if wide else (0.0, 1.0)
    if cpu.hasChannelCrosstalk():
        axis = np.linspace(low, high, _CUBE_WIDE if wide else _CUBE, dtype=np.float32)
        values = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    else:
        axis = np.linspace(low, high, _CURVE_WIDE if wide else _CURVE, dtype=np.float32)
        values = np.repeat(axis[:, None], 3, axis=1)
    values = np.ascontiguousarray(values)
    cpu.applyRGB(values)
    if not np.isfinite(values).all():
        raise LutFileError("It gives values that are not finite.", hint="Check it in its source.")
    return LutTable(values, (low,) * 3, (high,) * 3, data)
