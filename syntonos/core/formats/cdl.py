"""ASC CDL files: .cc (one correction), .ccc (a collection), .cdl (a decision list).

Source: ASC Color Decision List 1.2, from memory, checked against OpenColorIO's reader and writer.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from xml.etree.ElementTree import Element, ParseError, SubElement, indent, tostring

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from syntonos.core.errors import LutFileError
from syntonos.core.files import parsing
from syntonos.core.formats.table import Triple

_NAMESPACE = "urn:ASC:CDL:v1.2"
_MOST_BYTES, _MOST_ROWS = 8 * 2**20, 20_000
_HINT = "Export it again as ASC CDL 1.2."


@dataclass(frozen=True, slots=True)
class Correction:
    """One colour correction: slope, offset, power per channel, saturation, and its name."""

    name: str = ""
    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    description: str = ""


def _text(values: Triple) -> str:
    return " ".join(f"{v:.9g}" for v in values)


def _element(row: Correction) -> Element:
    top = Element("ColorCorrection", {"id": row.name} if row.name else {})
    sop = SubElement(top, "SOPNode")
    if row.description:
        SubElement(sop, "Description").text = row.description
    for name in ("Slope", "Offset", "Power"):
        SubElement(sop, name).text = _text(getattr(row, name.lower()))
    SubElement(SubElement(top, "SatNode"), "Saturation").text = f"{row.saturation:.9g}"
    return top


def write_cdl(rows: list[Correction], kind: str = "cdl") -> bytes:
    """Write corrections as "cc" (the first one alone), "ccc" or "cdl".

    Raises
    ------
    LutFileError
        When there is nothing to write, or the kind is another.
    """
    if not rows or kind not in ("cc", "ccc", "cdl"):
        raise LutFileError(
            f"{len(rows)} corrections as {kind!r} were asked for.", hint="Say cc, ccc or cdl."
        )
    if kind == "cc":
        top = _element(rows[0])
    else:
        top = Element("ColorCorrectionCollection" if kind == "ccc" else "ColorDecisionList")
        for row in rows:
            parent = top if kind == "ccc" else SubElement(top, "ColorDecision")
            parent.append(_element(row))
    top.set("xmlns", _NAMESPACE)
    indent(top)
    return b'<?xml version="1.0" encoding="UTF-8"?>\n' + bytes(tostring(top, "utf-8")) + b"\n"


def _local(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def _find(parent: Element, *names: str) -> Element | None:
    return next((e for e in parent if _local(e) in names), None)


def _numbers(parent: Element | None, name: str, count: int, usual: float) -> tuple[float, ...]:
    element = None if parent is None else _find(parent, name)
    if element is None:
        return (usual,) * count
    words = (element.text or "").split()
    try:
        values = tuple(float(word) for word in words)
    except ValueError:
        values = ()
    if len(values) != count or not all(map(math.isfinite, values)):
        raise LutFileError(f"{name} is {' '.join(words)!r}, {count} numbers are needed.",
                           hint=_HINT)  # fmt: skip
    low = {"Slope": 0.0, "Saturation": 0.0, "Power": 1e-12}.get(name)
    if low is not None and min(values) < low:
        raise LutFileError(
            f"{name} is {' '.join(words)}.", code="cdl.invalid",
            hint="ASC CDL 1.2 allows slopes and saturation from 0 up, powers above 0.",
        )  # fmt: skip
    return values


@parsing("The CDL file", LutFileError)
def read_cdl_file(data: bytes) -> list[Correction]:
    """Read a .cc, .ccc or .cdl file strictly.

    Raises
    ------
    LutFileError
        For broken XML, document types and entities (which could blow it up), no correction in it,
        numbers that are missing, negative slopes and powers.
    """
    if len(data) > _MOST_BYTES:
        raise LutFileError(f"The file has {len(data)} bytes.", hint="Up to 8 MiB are taken.")
    try:
        top = fromstring(data, forbid_dtd=True)
    except DefusedXmlException:
        raise LutFileError(
            "The file defines XML entities or a document type.",
            hint="No CDL needs them; they are refused. " + _HINT, code="lut.entities",
        ) from None  # fmt: skip
    except ParseError as error:
        raise LutFileError(f"Line {error.position[0]}: this is not XML ({error.msg}).",
                           hint=_HINT) from None  # fmt: skip
    names = ("ColorCorrection", "ColorCorrectionCollection", "ColorDecisionList")
    if _local(top) not in names:
        raise LutFileError(f"The file is a {_local(top)}.", hint=f"Known: {', '.join(names)}.")
    found = [e for e in top.iter() if _local(e) == "ColorCorrection"]
    if not found or len(found) > _MOST_ROWS:
        raise LutFileError(f"The file holds {len(found)} corrections.", hint=_HINT)
    return [_read_one(e) for e in found]


def _read_one(element: Element) -> Correction:
    sop, sat = _find(element, "SOPNode"), _find(element, "SatNode", "SATNode")
    slope = _numbers(sop, "Slope", 3, 1.0)
    offset = _numbers(sop, "Offset", 3, 0.0)
    power = _numbers(sop, "Power", 3, 1.0)
    (saturation,) = _numbers(sat, "Saturation", 1, 1.0)
    note = None if sop is None else _find(sop, "Description")
    return Correction(
        element.get("id", ""), slope, offset, power, saturation,  # type: ignore[arg-type]
        "" if note is None else (note.text or "").strip(),
    )  # fmt: skip
