"""Where a video stream says that its chroma samples stand.

The binding of the host library does not hand that field out, so its own tracer of headers is asked,
which writes every field of H.264, HEVC and AV1 headers in words.
"""

from __future__ import annotations

import re
import threading
from pathlib import Path
from typing import Final

import av
import av.logging
from av.bitstream import BitStreamFilterContext

# ITU-T H.264 and H.265 annex E, chroma_sample_loc_type; AV1 6.4.2, chroma_sample_position.
_H26X: Final = {0: "left", 1: "center", 2: "topleft", 3: "top", 4: "bottomleft", 5: "bottom"}
_AV1: Final = {1: "left", 2: "topleft"}
_FIELD: Final = re.compile(r"(chroma_sample_(?:loc_type_top_field|position))\s.*=\s*(\d+)\s*$")
_TRACED: Final = ("h264", "hevc", "av1", "libdav1d")
# What the standard of the codec fixes where it has no field: H.262 figure 6-1.
_FIXED: Final = {"mpeg2video": "left"}
_one_at_a_time = threading.Lock()  # the library's log is one for the process


def stated_siting(path: Path) -> str:
    """Return a key of ycbcr.SITINGS as the first video stream states it, or "" where it does not.

    What cannot be traced states nothing; the file itself is opened by who reads it.
    """
    try:
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            codec = str(stream.codec_context.name)
            if codec in _FIXED:
                return _FIXED[codec]
            if codec not in _TRACED:
                return ""
            with _one_at_a_time:
                return _traced(container, stream)
    except (av.FFmpegError, OSError, ValueError, IndexError):
        return ""


def _traced(container: av.container.InputContainer, stream: av.VideoStream) -> str:
    level = av.logging.get_level()
    av.logging.set_level(av.logging.INFO)
    try:
        with av.logging.Capture() as lines:
            tracer = BitStreamFilterContext("trace_headers", stream)
            packet = next(p for p in container.demux(stream) if p.size)
            tracer.filter(packet)
    except StopIteration:
        return ""
    finally:
        av.logging.set_level(level)
    for _, _, text in lines:
        found = _FIELD.search(text)
        if found:
            names = _AV1 if found[1].endswith("position") else _H26X
            return names.get(int(found[2]), "")
    return ""
