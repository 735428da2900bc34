"""Media: picture files to frames of stored code values, and back."""

from syntonos.core.media.stills import (
    FORMATS,
    Frame,
    FrameInfo,
    read_frame,
    read_info,
    write_frame,
)

__all__ = ["FORMATS", "Frame", "FrameInfo", "read_frame", "read_info", "write_frame"]
