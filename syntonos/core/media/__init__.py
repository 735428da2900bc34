"""Media: stills, sequences, raw and video to frames of stored code values, and back."""

from syntonos.core.media.facts import (
    FACTS,
    Recording,
    frame_of_timecode,
    known_facts,
    timecode_of_frame,
)
from syntonos.core.media.raw import AS_SHOT, HIGHLIGHTS, RawDevelopment, develop_raw, read_raw_info
from syntonos.core.media.recordings import (
    ENDINGS,
    Development,
    FileGroup,
    RecordingReader,
    follows,
    group_files,
    kind_of,
    read_recording,
)
from syntonos.core.media.stills import (
    FORMATS,
    Frame,
    FrameInfo,
    read_frame,
    read_info,
    write_frame,
)
from syntonos.core.media.video import VideoReader, read_video_info
from syntonos.core.media.ycbcr import MATRICES, RANGES, SITINGS, rgb_to_ycbcr, ycbcr_to_rgb

__all__ = [
    "AS_SHOT",
    "ENDINGS",
    "FACTS",
    "FORMATS",
    "HIGHLIGHTS",
    "MATRICES",
    "RANGES",
    "SITINGS",
    "Development",
    "FileGroup",
    "Frame",
    "FrameInfo",
    "RawDevelopment",
    "Recording",
    "RecordingReader",
    "VideoReader",
    "develop_raw",
    "follows",
    "frame_of_timecode",
    "group_files",
    "kind_of",
    "known_facts",
    "read_frame",
    "read_info",
    "read_raw_info",
    "read_recording",
    "read_video_info",
    "rgb_to_ycbcr",
    "timecode_of_frame",
    "write_frame",
    "ycbcr_to_rgb",
]
