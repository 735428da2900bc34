"""Checking what clips are said to carry: by their code values, their files, and their charts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any

from syntonos.core.errors import ColourError
from syntonos.core.matching.clip_check import ClipProfile, Finding, check_clip, profile_of
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.matching import selectors
from syntonos.server.matching.doubts import likelier
from syntonos.server.matching.encoding_checks import check_of
from syntonos.server.matching.models import ChartReading
from syntonos.server.productions.models import Production

_WIDTH = 480


def start(production: Production) -> Job:
    """Queue checking all clips of a production that are not checked as they are taken now."""
    return jobs.start(production, "check-clips", "Checking encodings and levels",
                      {"production_id": production.pk})  # fmt: skip


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Check clips; arguments: production_id."""
    production = Production.objects.get(pk=arguments["production_id"])
    return {"doubted": check_clips(production, progress)}


def check_clips(production: Production, progress: Callable[[float, str], None]) -> list[str]:
    """Look at every clip's code values and at every chart that is read; keep what speaks against.

    A clip that was looked at before is described again only where its code values are others; the
    comparison with the camera's other clips is always made anew.
    """
    clips = list(
        Clip.objects.filter(camera__production=production)
        .select_related("camera__production", "light").order_by("id")
    )  # fmt: skip
    steps = max(len(clips), 1)
    for number, clip in enumerate(clips):
        progress(0.6 * number / steps, f"Looking at {clip.name}")
        _describe(clip)
    doubted = []
    for number, clip in enumerate(clips):
        progress(0.6 + 0.4 * number / steps, f"Judging {clip.name}")
        found = _judge(clip, clips)
        clip.findings = [asdict(f) for f in found]
        clip.findings_of = clip.taken_as
        clip.save(update_fields=["profile", "findings", "findings_of"])
        if found:
            doubted.append(clip.name)
    return doubted


def _describe(clip: Clip) -> None:
    if clip.profile.get("of") == clip.development_key:
        return
    try:
        frames = [frame_of(clip, i, _WIDTH) for i in sorted({0, clip.frame_count // 2})]
        # Compression and developing change noise: only pictures as recorded tell it.
        following = []
        if clip.media == "stills" and clip.frame_count > 1:
            following = [frame_of(clip, i) for i in (0, 1)]
        clip.profile = {"of": clip.development_key, **asdict(profile_of(frames, following))}
    except ColourError:  # missing or broken: said elsewhere
        clip.profile = {}


def _profile(clip: Clip) -> ClipProfile | None:
    if not clip.profile:
        return None
    return ClipProfile(**{k: v for k, v in clip.profile.items() if k != "of"})


def _judge(clip: Clip, clips: Sequence[Clip]) -> list[Finding]:
    own = _profile(clip)
    found: list[Finding] = []
    if own is not None:
        others = [
            profile for other in clips
            if other.camera_id == clip.camera_id and other.pk != clip.pk
            and other.taken_as == clip.taken_as and (profile := _profile(other)) is not None
        ]  # fmt: skip
        found += check_clip(own, clip.encoding, clip.levels, kind=clip.media, facts=clip.facts,
                            others=others)  # fmt: skip
    if clip.kind == Clip.Kind.CHART:
        found += _by_chart(clip)
    return found


def _by_chart(clip: Clip) -> list[Finding]:
    """Return what the clip's chart says beside the reference's, where both are read."""
    camera = clip.camera
    reference = camera.production.reference_camera_id
    row = ChartReading.objects.filter(clip=clip).order_by("-number").first()
    base = selectors.latest_reading(clip.light_id, reference) if reference else None
    if row is None or base is None or camera.pk == reference:
        return []
    if not (selectors.holds(row) and selectors.same_chart(base, row)):
        return []
    try:
        check = check_of(base, row)
    except ColourError:
        return []
    if check["verdict"] != "doubtful":
        return []
    text, encoding, levels = likelier(check, clip)
    return [Finding("chart", text, encoding=encoding, levels=levels)]
