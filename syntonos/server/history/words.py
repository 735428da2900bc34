"""What a field and a value are called in the log."""

from __future__ import annotations

from typing import Any, Final

from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError

_FIELDS: Final = {
    "levels": "curve levels", "quantisation": "quantisation range", "is_stand_in": "stand-in",
    "unit_stops": "unit exposure", "unit_tint": "unit tint", "light_id": "light",
    "matrix": "Y'CbCr matrix", "siting": "chroma siting",
    "reference_camera_id": "reference camera", "exposure_index": "exposure index",
}  # fmt: skip


def field_words(path: str) -> str:
    """Return what a field is called."""
    last = path.rsplit(".", 1)[-1]
    return _FIELDS.get(last, last.replace("_", " "))


def value_words(path: str, value: Any) -> str:
    """Return a value as words, short."""
    if path.rsplit(".", 1)[-1] == "encoding" and value:
        try:
            return find_encoding(str(value)).name
        except ColourError:
            return str(value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if value in (None, ""):
        return "as the camera" if path.startswith("overrides.") else "none"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, list | dict):
        return "another"
    text = str(value)
    return text if len(text) <= 40 else f"{text[:37]}..."
