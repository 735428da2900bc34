"""Which camera and which light a recording belongs to, by what its files say: a proposal.

The rules are common practice, no source: reels carry their camera's letter, cards lie in folders
named for cameras, and a pause of a quarter of an hour is a new set-up.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import PurePosixPath
from typing import Final

from syntonos.core.encodings import ENCODINGS
from syntonos.core.errors import MediaError
from syntonos.core.media.facts import frame_of_timecode

_PAUSE: Final = 15 * 60.0  # seconds between two lights
_REEL: Final = re.compile(r"^([A-Z])[_-]?\d{2,}", re.IGNORECASE)
_ALONE: Final = re.compile(r"^([A-Z])[_ -](?=[A-Z])", re.IGNORECASE)  # A_chart
_LETTER: Final = re.compile(r"^(?:cam(?:era)?[ _-]*)?([A-Z])(?:[ _-]*cam(?:era)?)?$", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Found:
    """A recording as it was found."""

    folder: str  # below the media root
    name: str
    kind: str  # "stills", "video", "raw"
    facts: Mapping[str, str] = field(default_factory=dict)
    timecode: str = ""
    rate: Fraction | None = None


@dataclass(frozen=True, slots=True)
class Place:
    """Where it would go, and why; empty where nothing says it."""

    letter: str
    camera_name: str
    light: str
    is_chart: bool
    encoding: str
    reasons: Mapping[str, str]


def seconds_of(timecode: str, rate: Fraction | None) -> float | None:
    """Return a timecode as seconds since midnight; None for none, 24 a second where not known."""
    try:
        steady = rate or Fraction(24)
        return float(frame_of_timecode(timecode, steady) / steady)
    except MediaError:
        return None


def propose_places(
    found: Sequence[Found],
    cameras: Mapping[str, str],
    lights: Mapping[str, Sequence[float]],
) -> list[Place]:
    """Propose camera, light and kind of each recording.

    Parameters
    ----------
    found
        The recordings, all that came together.
    cameras
        Names of the cameras that are there, by letter.
    lights
        Of each light that is there the seconds since midnight at which its clips begin.
    """
    letters = dict(cameras)
    places: list[Place] = []
    where = _lights(found, lights)
    for row in found:
        letter, name, why = _camera(row, letters)
        letters.setdefault(letter, name)
        light, why_light = where[len(places)]
        chart, why_chart = _kind(row)
        encoding, why_encoding = encoding_of(row.kind, row.facts)
        reasons = {"letter": why, "light": why_light, "kind": why_chart, "encoding": why_encoding}
        places.append(Place(letter, letters[letter], light, chart, encoding, reasons))
    return places


def _camera(row: Found, cameras: Mapping[str, str]) -> tuple[str, str, str]:
    said = row.facts.get("camera", "").strip()
    by_name = {name.casefold(): letter for letter, name in cameras.items() if name}
    parts = [part for part in PurePosixPath(row.folder).parts if part not in (".", "/")]
    for text, source in [(said, "its files name the camera"),
                         *((part, f"the folder {part}") for part in reversed(parts))]:  # fmt: skip
        words = text.casefold()
        for name, letter in by_name.items():
            if words and (words == name or words.startswith((f"{name} ", f"{name}_"))):
                return letter, cameras[letter], source
        if match := _LETTER.match(text):
            letter = match[1].upper()
            return letter, cameras.get(letter, f"Camera {letter}"), source
    for text, source in ((row.facts.get("reel", ""), "its reel"), (row.name, "its name")):
        if match := _REEL.match(text):
            letter = match[1].upper()
            name = cameras.get(letter) or said or (parts[-1] if parts else f"Camera {letter}")
            return letter, name, f"{source}, {text}"
    if match := _ALONE.match(row.name):
        letter = match[1].upper()
        return letter, cameras.get(letter, said or f"Camera {letter}"), f"its name, {row.name}"
    name = said or (parts[-1] if parts else "Camera")
    free = next(c for c in "ABCDEFGHIJKLMNOPQRSTUVWXYZ" if c not in cameras or c == "Z")
    return free, name[:80], "nothing says it: the next free letter"


def _lights(
    found: Sequence[Found], lights: Mapping[str, Sequence[float]]
) -> dict[int, tuple[str, str]]:
    out: dict[int, tuple[str, str]] = {}
    timed = sorted(
        (seconds, i) for i, row in enumerate(found)
        if (seconds := seconds_of(row.timecode, row.rate)) is not None
    )  # fmt: skip
    groups: list[list[tuple[float, int]]] = []
    for seconds, i in timed:
        if groups and seconds - groups[-1][-1][0] <= _PAUSE:
            groups[-1].append((seconds, i))
        else:
            groups.append([(seconds, i)])
    for group in groups:
        first, last = group[0][0], group[-1][0]
        known = next(
            (name for name, times in lights.items()
             if any(first - _PAUSE <= time <= last + _PAUSE for time in times)), "",
        )  # fmt: skip
        clock = f"{int(first // 3600):02d}:{int(first // 60 % 60):02d}"
        light = known or f"Light at {clock}"
        why = (
            f"its clips were shot at that time, {clock}" if known
            else f"{len(group)} recordings from {clock} without a pause of a quarter of an hour"
        )  # fmt: skip
        for _, i in group:
            out[i] = light, why
    only = next(iter(lights)) if len(lights) == 1 else ""
    for i, _ in enumerate(found):
        if i not in out:
            out[i] = only, "the only light" if only else "no timecode says it"
    return out


def _kind(row: Found) -> tuple[bool, str]:
    for text, source in ((row.name, "its name"), (row.facts.get("slate", ""), "its slate"),
                         (row.facts.get("scene", ""), "its scene"),
                         (row.facts.get("note", ""), "its note")):  # fmt: skip
        if "chart" in text.casefold():
            return True, f"{source} says chart"
    return False, "nothing says chart"


def encoding_of(kind: str, facts: Mapping[str, str]) -> tuple[str, str]:
    """Return the encoding that files name in their facts, and why; "" where they do not."""
    if kind == "raw":
        return "linear/ap1", "raw is developed to scene-linear"
    curve, gamut = (_letters(facts.get(name, "")) for name in ("curve", "gamut"))
    if curve:
        fits = [
            slug for slug, encoding in ENCODINGS.items()
            if curve in (_letters(slug), _letters(encoding.name), _letters(slug.split("/")[0]))
        ]  # fmt: skip
        close = [slug for slug in fits if gamut and gamut == _letters(slug.split("/")[-1])]
        if len(close or fits) == 1:
            return (close or fits)[0], "its files name it"
    return "", "its files do not name it"


def _letters(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.casefold())
