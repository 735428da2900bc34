"""Clips: making them, and giving them settings of their own."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.db import IntegrityError

from syntonos.core.encodings import find_encoding, levels_scale_offset
from syntonos.core.errors import MediaError
from syntonos.core.media import MATRICES, RANGES, SITINGS, RawDevelopment, Recording, read_recording
from syntonos.core.media.manifest import hash_file
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.media import resolve
from syntonos.server.footage.models import RAW_SETTINGS, SETTINGS, Clip
from syntonos.server.history.services import Step, changed_words, step
from syntonos.server.history.words import field_words, value_words
from syntonos.server.jobs import services as jobs
from syntonos.server.productions.models import Camera, Light, Production


def register_clip(
    *, camera: Camera, light: Light, kind: str, files: Sequence[str], name: str = ""
) -> Clip:
    """Register a recording below the media root; every file's head is checked first."""
    paths = [resolve(file) for file in files]
    said = read_recording(paths)
    marks = [{"size": path.stat().st_size, "sha256": hash_file(path)["sha256"]} for path in paths]
    stem = Path(files[0]).stem
    numbered = "" if said.kind == "video" else stem.rstrip("0123456789").rstrip("_-.")
    return make_clip(
        camera=camera, light=light, kind=kind, files=files, recording=said, marks=marks,
        name=name or numbered or stem,
    )  # fmt: skip


def make_clip(
    *,
    camera: Camera,
    light: Light,
    kind: str,
    files: Sequence[str],
    name: str,
    recording: Recording,
    marks: list[dict[str, Any]],
    missing: Sequence[int] = (),
    root: str = "media",
    overrides: dict[str, Any] | None = None,
) -> Clip:
    """Keep a recording as a clip of a camera in a light."""
    if light.production_id != camera.production_id:
        raise ConflictError("clip.foreign", "Camera and light are of different productions.",
                            "Choose both from one production.")  # fmt: skip
    digest = hashlib.sha256("".join(mark["sha256"] for mark in marks).encode())
    warnings = list(recording.warnings)
    if missing:
        warnings.insert(0, gap_text(missing))
    clip = Clip(
        camera=camera, light=light, kind=kind, name=name[:120], root=root, files=list(files),
        media=recording.kind, frame_count=recording.frame_count,
        rate=str(recording.rate) if recording.rate else "", timecode=recording.timecode[:11],
        width=recording.width, height=recording.height, pixel_aspect=recording.pixel_aspect,
        format=recording.format[:20], bits=recording.bits, tagged_range=recording.tagged_range,
        checksum=digest.hexdigest(), marks=marks, facts=dict(recording.facts),
        metadata=dict(recording.metadata), warnings=warnings, missing=list(missing),
        overrides=overrides or {},
    )  # fmt: skip
    words = f"{name} of {camera.letter} brought in"
    try:
        with step(camera.production_id, "clip.create", words) as made:
            clip.save()
            made.created(clip)
    except IntegrityError as error:
        is_away = Clip.every.filter(camera=camera, name=clip.name, is_put_away=True).exists()
        raise ConflictError(
            "clip.taken", f"Camera {camera.letter} has a clip {clip.name} already.",
            "It was put away: bring it back in Footage." if is_away
            else "It is on the Board; give this one another name if it is a new recording.",
        ) from error  # fmt: skip
    return clip


def gap_text(missing: Sequence[int]) -> str:
    """Say which frames of a sequence are not there."""
    shown = ", ".join(map(str, missing[:4])) + (" ..." if len(missing) > 4 else "")
    count = len(missing)
    return f"{count} frame{'s' if count != 1 else ''} missing: {shown}"


def apply_settings(
    production: Production, ids: Sequence[int], values: dict[str, Any],
    *, base: int | None = None,
) -> list[Clip]:  # fmt: skip
    """Give clips settings of their own: exactly the fields that `values` has, and no others.

    None takes a field back: the clip follows its camera again. What stands on clips that are read
    otherwise now is read and fitted again, in jobs.

    Raises
    ------
    MediaError, EncodingError
        When a value is none that can be.
    """
    unknown = set(values) - set(SETTINGS)
    if unknown:
        raise MediaError(f"Clips have no setting {sorted(unknown)[0]!r}.",
                         hint=f"They have {', '.join(SETTINGS)}.",
                         code="clip.settings")  # fmt: skip
    values = dict(values)
    if values.get("encoding"):
        values["encoding"] = find_encoding(values["encoding"]).slug
    if values.get("levels"):
        levels_scale_offset(values["levels"])
    if values.get("quantisation") not in (None, "", *RANGES):
        raise MediaError(f"Quantisation range {values['quantisation']!r} is not known.",
                         hint="Say 'full' or 'legal'.", code="media.range")  # fmt: skip
    for name, known in (("matrix", MATRICES), ("siting", SITINGS)):
        if values.get(name) not in (None, "", *known):
            raise MediaError(f"{name.capitalize()} {values[name]!r} is not known.",
                             hint=f"Known: {', '.join(known)}.", code="media.matrix")  # fmt: skip
    RawDevelopment(**{k: v for k, v in values.items() if k in RAW_SETTINGS and v is not None})
    clips = list(
        Clip.objects.filter(pk__in=ids, camera__production=production)
        .select_related("camera", "light").order_by("id")
    )  # fmt: skip
    again: dict[int, tuple[Light, set[int]]] = {}
    names = clips[0].name if len(clips) == 1 else f"{len(clips)} clips"

    def words(made: Step) -> str:
        # The same for each clip: said once.
        one = [e for e in made.edits if e["uuid"] == made.edits[0]["uuid"]]
        return f"{names}: " + ", ".join(
            f"{field_words(e['field'])} {value_words(e['field'], e['after'])}" for e in one
        )

    fields = {f"overrides.{name}": value for name, value in values.items()}
    with step(production.pk, "clip.settings", words, base=base) as made:
        for clip in clips:
            before = clip.encoding, clip.levels, clip.development_key
            made.change(clip, fields)
            changed = before != (clip.encoding, clip.levels, clip.development_key)
            if changed:  # its chart is read again, or what is clipped in it is measured
                again.setdefault(clip.light_id, (clip.light, set()))[1].add(clip.camera_id)
    for light, cameras in again.values():
        jobs.start(
            production, "match-angles", f"{light.name}: read and fit again",
            {"light_id": light.pk, "again": sorted(cameras)}, group=made.group,
        )  # fmt: skip
    return clips


def change_clip(clip: Clip, changes: dict[str, Any], *, base: int | None = None) -> Clip:
    """Change a clip's name, kind, light or camera; its chart readings go with it.

    The readings of a chart's clip that is a scene from now on are put away in the same step.
    Matches that stand on them where it was are to be fitted again; where its encoding is another
    under its new camera, its chart is read again, in a job.

    Raises
    ------
    ConflictError
        clip.taken, when there is a clip of that name; clip.foreign, for another production's place.
    """
    values = {k: v for k, v in changes.items() if v is not None}
    production = clip.camera.production
    for field, rows in (("light_id", production.lights), ("camera_id", production.cameras)):
        if field in values and not rows.filter(pk=values[field]).exists():
            raise ConflictError("clip.foreign", "That is no place of this production.",
                                "Choose one of its lights and cameras.")  # fmt: skip
    name, taken = clip.name, clip.taken_as
    try:
        with step(
            production.pk, "clip.change", lambda made: changed_words(name, made), base=base
        ) as made:
            if (clip.kind, values.get("kind")) == (Clip.Kind.CHART, Clip.Kind.SCENE):
                for reading in clip.readings.all():  # what shows no chart is none to match by
                    made.change(reading, {"is_withdrawn": True})
            made.change(clip, values)
    except IntegrityError as error:
        raise ConflictError("clip.taken", f"There is a clip {clip.name} already.",
                            "Choose another name.") from error  # fmt: skip
    clip = Clip.objects.select_related("camera__production", "light").get(pk=clip.pk)
    if clip.taken_as != taken and clip.readings.exists():
        jobs.start(
            production, "match-angles", f"{clip.light}: read again",
            {"light_id": clip.light_id, "again": [clip.camera_id]}, group=made.group,
        )  # fmt: skip
    return clip


# Between the clip of a chart and a scene: facts whose difference makes a match doubtful.
_MATTERS = {
    "lens": "lens", "filter": "filter", "exposure_index": "exposure index", "white": "white",
    "processing": "in-camera processing",
}  # fmt: skip


def differences(chart: Clip, scene: Clip) -> list[str]:
    """Say what the files state otherwise for a chart's clip than for a scene's."""
    out = []
    for fact, name in _MATTERS.items():
        first, second = chart.facts.get(fact), scene.facts.get(fact)
        if first and second and first.casefold() != second.casefold():
            out.append(f"{name} {second}, on the chart {first}")
    return out
