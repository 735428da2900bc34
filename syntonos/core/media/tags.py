"""Tags of TIFF files: those that DNG sequences carry are read in any TIFF."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any


def read_tags(path: Path) -> dict[str, Any]:
    """Return the tags of a file's first picture by name, EXIF's among them; {} for no TIFF."""
    import tifffile

    try:
        with tifffile.TiffFile(path) as file:
            tags = {tag.name: tag.value for tag in file.pages[0].tags}  # type: ignore[union-attr]
            exif = tags.pop("ExifTag", None)
            return {**tags, **(exif if isinstance(exif, dict) else {})}
    except (tifffile.TiffFileError, OSError, ValueError, KeyError, IndexError):
        return {}


def plain_tags(tags: dict[str, Any]) -> dict[str, str]:
    """Return what can be shown of tags: text and numbers, no tables."""
    return {
        name: str(value)[:200] for name, value in tags.items()
        if isinstance(value, str | int | float) and len(str(value)) < 2000
    }  # fmt: skip


def timecode_of(tags: dict[str, Any]) -> str:
    """Return the first of TimeCodes, eight bytes of binary-coded decimals each; "" for none.

    Source: DNG Specification 1.7.1.0, TimeCodes; SMPTE ST 331 (frame, second, minute, hour).
    """
    value = tags.get("TimeCodes", b"")
    try:
        data = bytes(value)[:4] if isinstance(value, bytes | list | tuple) else b""
    except (TypeError, ValueError):  # what else than bytes somebody keeps there
        return ""
    if len(data) < 4:
        return ""
    frames, seconds, minutes, hours = (
        (byte & mask) // 16 * 10 + (byte & 15)
        for byte, mask in zip(data, (0x3F, 0x7F, 0x7F, 0x3F), strict=True)
    )
    mark = ";" if data[0] & 0x40 else ":"
    return f"{hours:02d}:{minutes:02d}:{seconds:02d}{mark}{frames:02d}"


def rate_of(tags: dict[str, Any]) -> Fraction | None:
    """Return FrameRate, in frames a second; None where it is not a positive ratio.

    Source: DNG Specification 1.7.1.0, FrameRate.
    """
    match tags.get("FrameRate"):
        case (int(top), int(bottom)) if top > 0 and bottom > 0:
            return Fraction(top, bottom).limit_denominator(1001)
    return None
