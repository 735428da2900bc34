"""What speaks against the encodings that clips are taken as, cell by cell."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from syntonos.core.encodings import CURVES, GAMUTS, find_encoding
from syntonos.server.footage.models import Clip
from syntonos.server.matching.models import ChartReading, EncodingCheck

Key = tuple[int, int]  # light, camera


@dataclass(frozen=True, slots=True)
class Doubt:
    """One clip that is probably something else; no encoding where only the text helps."""

    clip_id: int
    clip: str
    text: str
    encoding: str = ""
    levels: str = ""

    @property
    def encoding_name(self) -> str:
        """The published designation of what it may be."""
        return find_encoding(self.encoding).name if self.encoding else ""


def doubts_of(
    clips: Iterable[Clip], readings: Mapping[Key, ChartReading], reference: int | None
) -> dict[Key, Doubt]:
    """Return what is doubted in each cell; one query, however many clips.

    The chart speaks first, as `encoding_checks` kept it of the present readings; then what
    "Check encodings" found of clips that are still taken as they were then.
    """
    found: dict[Key, Doubt] = {}
    checks = {
        (row.reference_reading_id, row.angle_reading_id): row.data
        for row in EncodingCheck.objects.filter(
            angle_reading__in=[row.pk for row in readings.values()]
        )
    }
    for (light, camera), own in readings.items():
        base = readings.get((light, reference or 0))
        check = checks.get((base.pk, own.pk)) if base is not None else None
        if check is not None and check["verdict"] == "doubtful":
            text, encoding, levels = likelier(check, own.clip)
            found[light, camera] = Doubt(own.clip_id, own.clip.name, text, encoding, levels)
    for clip in clips:
        key = clip.light_id, clip.camera_id
        if key in found or not clip.findings or clip.findings_of != clip.taken_as:
            continue
        said = clip.findings[0]
        found[key] = Doubt(clip.pk, clip.name, said["text"], said.get("encoding", ""),
                           said.get("levels", ""))  # fmt: skip
    return found


def likelier(check: Mapping[str, Any], clip: Clip) -> tuple[str, str, str]:
    """Return what a doubtful check says in words, and the encoding and levels it speaks for.

    Of those that cannot be told apart the one that changes least; the gamut is not judged.
    """
    alike = check["alike"]
    best = next((c for c in alike if c["encoding"] == clip.encoding), alike[0])
    stated, other = find_encoding(clip.encoding), find_encoding(best["encoding"])
    encoding, levels, cost = best["encoding"], best["levels"], best["cost"]
    if other.curve.slug in CURVES and stated.gamut.slug in GAMUTS:
        encoding = find_encoding(f"{other.curve.slug}/{stated.gamut.slug}").slug
    beside = len(alike) - 1
    text = (
        f"Its chart speaks for {other.curve.name} at {levels} levels"
        + (f", or {beside} other{'s' if beside > 1 else ''} that cannot be told from it" if beside
           else "")
        + (f"; taking it as said costs {cost:.1f} ΔE" if cost is not None else "") + "."
    )  # fmt: skip
    return text, encoding, levels
