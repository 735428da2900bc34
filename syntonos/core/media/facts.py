"""What a recording says of itself, under one set of names, however its format calls them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, Final

from syntonos.core.errors import MediaError

# Our name: the last parts under which formats and sidecars keep it, in lower case, letters only.
_NAMES: Final[dict[str, tuple[str, ...]]] = {
    "camera": ("camera", "cameraid", "cameraindex", "cameralabel", "uniquecameramodel",
               "inputdevice", "model"),
    "reel": ("reel", "reelname", "tape", "roll"),
    "scene": ("scene",),
    "take": ("take",),
    "slate": ("slate",),
    "circled": ("circled", "goodtake"),
    "lens": ("lens", "lensmodel", "lenstype"),
    "filter": ("filter", "filters", "nd", "ndfilter"),
    "exposure_index": ("exposureindex", "ei", "iso", "isospeed", "isospeedratings",
                       "photographicsensitivity"),
    "white": ("white", "whitebalance", "whitepoint", "colortemperature", "colourtemperature",
              "kelvin"),
    "tint": ("tint",),
    "shutter": ("shutter", "shutterangle", "exposuretime", "shutterspeed", "exptime"),
    "aperture": ("aperture", "fnumber", "tstop"),
    "processing": ("processing", "incameraprocessing", "picturestyle", "pictureprofile"),
    "curve": ("curve", "gamma", "logcurve", "transferfunction", "encoding"),
    "gamut": ("gamut", "colorspace", "colourspace", "colorprimaries"),
    "date": ("date", "datetime", "datetimeoriginal", "creationtime", "capdate"),
    "note": ("comment", "comments", "note", "description", "imagedescription"),
}  # fmt: skip
_OURS: Final = {other: ours for ours, others in _NAMES.items() for other in others}
FACTS: Final = tuple(_NAMES)
_TIMECODE: Final = re.compile(r"^(\d\d)[:.](\d\d)[:.](\d\d)([:;.,])(\d\d)$")


def known_facts(found: Mapping[str, Any]) -> dict[str, str]:
    """Return what metadata says under our names (keys of FACTS), as text of at most 200 letters.

    A name counts by its last part, whatever stands before it ("exif:LensModel" is a lens).
    """
    facts: dict[str, str] = {}
    for name, value in found.items():
        last = re.split(r"[.:/]", str(name))[-1]
        ours = _OURS.get(re.sub(r"[^a-z]", "", last.lower()))
        text = " ".join(str(value).split())[:200]
        if ours and text and ours not in facts:
            facts[ours] = text
    return facts


@dataclass(frozen=True, slots=True)
class Recording:
    """What the head of a recording says: one clip, however many files it is spread over."""

    kind: str  # "stills", "video" or "raw"
    format: str  # "PNG", "DPX", "prores", "DNG" ...
    width: int  # as shown: after turning, before the pixel aspect
    height: int
    bits: int
    frame_count: int
    rate: Fraction | None = None  # frames a second
    timecode: str = ""  # of the first frame; ";" before the frames where numbers are dropped
    pixel_aspect: float = 1.0
    turns: int = 0  # quarter turns clockwise that the picture needs
    tagged_range: str = ""  # "full" or "legal", where the file says so
    matrix: str = ""  # key of ycbcr.MATRICES where the pictures are Y'CbCr
    siting: str = ""
    facts: Mapping[str, str] = field(default_factory=dict)  # under the names of FACTS
    metadata: Mapping[str, str] = field(default_factory=dict)  # as the file has it
    warnings: tuple[str, ...] = ()


def frame_of_timecode(timecode: str, rate: Fraction) -> int:
    """Return the number of frames since 00:00:00:00.

    Raises
    ------
    MediaError
        When it is no timecode, or its frames do not fit the rate.

    Source: SMPTE ST 12-1: of 30000/1001 the numbers 0 and 1 of every minute are dropped, but of
    each tenth (of 60000/1001 the numbers 0 to 3).
    """
    match = _TIMECODE.match(timecode.strip())
    base = round(rate)
    if not match or int(match[5]) >= base or int(match[2]) > 59 or int(match[3]) > 59:
        raise MediaError(f"{timecode!r} is no timecode at {float(rate):.5g} frames a second.",
                         hint="Timecode is hours:minutes:seconds:frames.",
                         code="media.timecode")  # fmt: skip
    hours, minutes, seconds, frames = (int(match[i]) for i in (1, 2, 3, 5))
    total = ((hours * 60 + minutes) * 60 + seconds) * base + frames
    if match[4] in ";," and base % 30 == 0:
        if seconds == 0 and frames < base // 15 and minutes % 10:
            raise MediaError(
                f"{timecode!r} is a number that drop-frame timecode leaves out.",
                hint="Say the next one that is counted, or take the semicolon away.",
                code="media.timecode",
            )
        minutes += 60 * hours
        total -= base // 15 * (minutes - minutes // 10)
    return total


def timecode_of_frame(frame: int, rate: Fraction, *, drops: bool = False) -> str:
    """Return the timecode of a number of frames since midnight; the inverse of the other.

    Source: SMPTE ST 12-1.
    """
    base = round(rate)
    if drops and base % 30 == 0:
        dropped = base // 15
        ten = base * 600 - 9 * dropped
        tens, rest = divmod(frame, ten)
        frame += 9 * dropped * tens
        if rest >= base * 60:
            frame += dropped * ((rest - base * 60) // (base * 60 - dropped) + 1)
    seconds, frames = divmod(frame, base)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    mark = ";" if drops else ":"
    return f"{hours % 24:02d}:{minutes:02d}:{seconds:02d}{mark}{frames:02d}"
