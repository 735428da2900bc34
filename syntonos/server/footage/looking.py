"""Looking through folders: what recordings are there, and where each would go."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from typing import Any

import numpy as np
import simplejpeg
from django.db import transaction

from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError, MediaError
from syntonos.core.media import Recording, RecordingReader, follows, read_recording
from syntonos.core.media.grouping import Found, propose_places, seconds_of
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.media import names_that_are_no_text, resolve, walk
from syntonos.server.footage.models import Arrival, Clip
from syntonos.server.footage.selectors import matrices_of
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.productions.models import Camera, Light, Production

log = logging.getLogger("syntonos.footage")

_ODD_NAME = "media.name"
_MOST_FILES_READ = 400  # heads of a sequence that are looked at; the others when it comes in


def start(production: Production, folders: Sequence[str]) -> Job:
    """Queue looking through folders below the media root."""
    for folder in folders:
        if not resolve(folder).is_dir():
            raise MediaError(f"There is no folder {folder!r}.", hint="Choose another folder.",
                             code="media.missing")  # fmt: skip
    title = f"Looking through {', '.join(f or 'all media' for f in folders)}"[:160]
    arguments = {"production_id": production.pk, "folders": sorted(set(folders))}
    return jobs.start(production, "look-through", title, arguments)


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Look through folders; arguments: production_id, folders."""
    production = Production.objects.get(pk=arguments["production_id"])
    return asdict(look_through(production, arguments["folders"], progress))


@dataclass(frozen=True, slots=True)
class Looked:
    """What came of it."""

    new: int
    known: int
    broken: int


def look_through(
    production: Production, folders: Sequence[str], progress: Callable[[float, str], None]
) -> Looked:
    """Read the heads of all recordings that are new, and propose where each would go.

    What was found before a stop stays found; what is a clip already is left out.
    """
    walked = [found for folder in folders for found in walk(folder)]
    groups = [group for _, some in walked for group in some]
    clips = Clip.objects.filter(camera__production=production).values_list("files", "copies")
    known = {
        name
        for files, copies in clips
        for some in (files, *(copy["files"] for copy in copies))
        for name in some
    }
    waiting = production.arrivals.exclude(state=Arrival.State.DONE)
    here = {name for group in groups for name in group.files}
    for row in waiting.filter(state=Arrival.State.FAILED):
        if here & set(row.files):
            row.delete()  # it is looked at once more
    seen = {name for files in waiting.values_list("files", flat=True) for name in files}
    new = [g for g in groups if not all(f in known or f in seen for f in g.files)]
    odd = _tell_odd_names(production, [folder for folder, _ in walked])
    broken = 0
    last: tuple[Arrival, Recording] | None = None
    for number, group in enumerate(new):
        progress(number / max(len(new), 1), f"Reading {group.group.name} in {group.folder or '.'}")
        row = Arrival(
            production=production, folder=group.folder[:500], name=_clean(group.group.name),
            files=group.files, missing=list(group.group.missing)[:2000],
        )  # fmt: skip
        try:
            said = read_recording([resolve(f) for f in group.files[:_MOST_FILES_READ]])
        except Exception as error:
            row.problem = problem_of(error, row.name)
            row.state = Arrival.State.FAILED
            broken += 1
            row.save()
            last = None
            continue
        if last is not None and last[0].folder == row.folder and follows(last[1], said):
            # The next part of a spanned recording: one clip.
            row, files = last[0], row.files
            row.files = [*row.files, *files]
            said = replace(last[1], frame_count=last[1].frame_count + said.frame_count)
        row.recording = recording_json(said, len(row.files))
        row.save()
        last = row, said
    _propose(production)
    return Looked(len(new) - broken, len(groups) - len(new), broken + odd)


def _tell_odd_names(production: Production, folders: Iterable[str]) -> int:
    """Say which files cannot come in for their names; returns how many."""
    count = 0
    for folder in dict.fromkeys(folders):
        own = production.arrivals.filter(
            state=Arrival.State.FAILED, folder=folder[:500], problem__code=_ODD_NAME
        )
        own.delete()  # they are told anew
        for name in names_that_are_no_text(folder):
            Arrival.objects.create(
                production=production, folder=folder[:500], name=_clean(name), files=[],
                state=Arrival.State.FAILED,
                problem={
                    "code": _ODD_NAME, "detail": "The name is not UTF-8 text.",
                    "hint": "Rename it and look through the folder again.",
                },
            )  # fmt: skip
            count += 1
    return count


def problem_of(error: Exception, name: str) -> dict[str, str]:
    """Return what went wrong with one recording, so that the others can go on."""
    if isinstance(error, ColourError):
        return {"code": error.code, "detail": error.message, "hint": error.hint}
    if isinstance(error, ConflictError):
        return {"code": error.code, "detail": error.detail, "hint": error.hint}
    log.exception("%s", name, exc_info=error)
    return {
        "code": "media.unreadable", "detail": f"{name} cannot be read: {type(error).__name__}.",
        "hint": "Copy it again from the card, or leave it out. The log says more.",
    }  # fmt: skip


def _clean(name: str) -> str:
    """Return a name that can be shown: no control characters, at most 120 letters."""
    return "".join(c if c.isprintable() else "·" for c in name)[:120] or "recording"


def recording_json(said: Recording, files: int) -> dict[str, Any]:
    """Return what a recording says as JSON."""
    plain = asdict(said)
    plain["rate"] = str(said.rate) if said.rate else ""
    if said.kind != "video":
        plain["frame_count"] = files
    return plain


def thumbnail(row: Arrival, width: int = 160) -> bytes:
    """Return the first frame of a recording that waits as a small JPEG of its code values.

    Raises
    ------
    MediaError
        when it cannot be read.
    """
    reader = RecordingReader([resolve(row.files[0], row.root)])
    try:
        code = reader.read(0)
    finally:
        reader.close()
    step = max(code.shape[1] // width, 1)
    small = np.clip(code[::step, ::step] * 255, 0, 255).round().astype(np.uint8)
    return bytes(simplejpeg.encode_jpeg(np.ascontiguousarray(small), quality=80))


def _propose(production: Production) -> None:
    """Say of all that waits where it would go; what a person has set stays."""
    rows = list(production.arrivals.filter(state=Arrival.State.PROPOSED))
    if not rows:
        return
    cameras = {camera.letter: camera.name for camera in production.cameras.all()}
    lights: dict[str, list[float]] = {light.name: [] for light in production.lights.all()}
    for clip in Clip.objects.filter(camera__production=production).select_related("light"):
        seconds = seconds_of(clip.timecode, clip.frames_a_second)
        if seconds is not None:
            lights[clip.light.name].append(seconds)
    found = []
    for row in rows:
        said = row.recording or {}
        found.append(
            Found(row.folder, row.name, said["kind"], said["facts"], said["timecode"],
                  _rate(said["rate"]))
        )  # fmt: skip
    places = propose_places(found, cameras, lights)
    with transaction.atomic():
        # A person may have corrected or left out some of it while it was worked out.
        now = production.arrivals.filter(state=Arrival.State.PROPOSED).in_bulk()
        for known, place in zip(rows, places, strict=True):
            if known.pk not in now:
                continue
            row = now[known.pk]
            by_hand = row.reasons.get("by_hand", [])
            values = {
                "letter": place.letter, "camera_name": place.camera_name,
                "light_name": place.light, "kind": "chart" if place.is_chart else "scene",
                "encoding": place.encoding,
            }  # fmt: skip
            for name, value in values.items():
                if name not in by_hand:
                    setattr(row, name, value)
            row.reasons = {**place.reasons, "by_hand": by_hand}
            row.save(update_fields=[*values, "reasons"])


def _rate(text: str) -> Fraction | None:
    return Fraction(text) if text else None


def change(production: Production, ids: Sequence[int], values: dict[str, str]) -> list[Arrival]:
    """Correct where recordings would go."""
    if values.get("encoding"):
        values["encoding"] = find_encoding(values["encoding"]).slug
    rows = list(production.arrivals.filter(pk__in=ids, state=Arrival.State.PROPOSED))
    names = {camera.letter: camera.name for camera in production.cameras.all()}
    with transaction.atomic():
        for row in rows:
            for name, value in values.items():
                if name != "matrix" or matrices_of(row):
                    setattr(row, name, value)
            if "letter" in values and "camera_name" not in values:
                same = production.arrivals.filter(letter=row.letter).exclude(pk=row.pk).first()
                row.camera_name = (
                    names.get(row.letter) or (same.camera_name if same else "")
                    or f"Camera {row.letter}"
                )  # fmt: skip
            hand = {*row.reasons.get("by_hand", []), *values}
            if "letter" in values:
                hand.add("camera_name")
            row.reasons = {**row.reasons, "by_hand": sorted(hand)}
            row.full_clean(exclude=["files", "missing", "recording", "reasons", "problem", "clip"])
            row.save(update_fields=[*values, "camera_name", "reasons"])
    return rows


def leave_out(production: Production, ids: Sequence[int]) -> None:
    """Take recordings off the list of what waits; the files stay where they are.

    Raises
    ------
    ConflictError
        arrival.underway, for what is being brought in.
    """
    with transaction.atomic():
        rows = production.arrivals.filter(pk__in=ids).exclude(state=Arrival.State.DONE)
        underway = rows.filter(state=Arrival.State.ACCEPTED).first()
        if underway is not None and jobs.is_underway(production, "bring-in"):
            raise ConflictError("arrival.underway", f"{underway.name} is being brought in.",
                                "Stop the job first, or wait for its end.")  # fmt: skip
        rows.delete()


def accept(production: Production, ids: Sequence[int]) -> Job:
    """Make the cameras and lights that are new, and queue bringing the recordings in.

    Raises
    ------
    ConflictError
        arrival.open, with what is still to be said.
    """
    rows = list(production.arrivals.filter(pk__in=ids, state=Arrival.State.PROPOSED))
    cameras = {camera.letter: camera for camera in production.cameras.all()}
    lights = {light.name: light for light in production.lights.all()}
    if not rows:
        raise ConflictError("arrival.none", "Nothing of it waits to be brought in.",
                            "Look through the folder again.")  # fmt: skip
    for row in rows:
        what = (
            "its camera" if not row.letter else "its light" if not row.light_name
            else "what encoding the new camera's footage carries"
            if row.letter not in cameras and not _encoding_of(rows, row.letter)
            else "which matrix its colours were made with (container and pictures disagree)"
            if matrices_of(row) and not row.matrix else ""
        )  # fmt: skip
        if what:
            raise ConflictError("arrival.open", f"{row.name}: {what} is not said yet.",
                                "Say it, or leave the recording out.")  # fmt: skip
    from syntonos.server.productions.services import create_camera, create_light

    with transaction.atomic():
        for row in rows:
            if row.letter not in cameras:
                cameras[row.letter] = create_camera(
                    production, {"letter": row.letter, "name": row.camera_name,
                                 "encoding": _encoding_of(rows, row.letter)},
                )  # fmt: skip
            if row.light_name not in lights:
                lights[row.light_name] = create_light(production, {"name": row.light_name})
            row.state = Arrival.State.ACCEPTED
            row.save(update_fields=["state"])
    return bring_in(production)


def bring_in(production: Production) -> Job:
    """Queue what is accepted; an open job takes up what came after it."""
    count = production.arrivals.filter(state=Arrival.State.ACCEPTED).count()
    title = f"Bringing in {count} recording{'s' if count != 1 else ''}"
    return jobs.start(production, "bring-in", title, {"production_id": production.pk})


def _encoding_of(rows: Sequence[Arrival], letter: str) -> str:
    return next((row.encoding for row in rows if row.letter == letter and row.encoding), "")


def target_of(row: Arrival) -> tuple[Camera, Light]:
    """Return the camera and the light that an accepted recording goes to."""
    production = row.production
    return (
        production.cameras.get(letter=row.letter), production.lights.get(name=row.light_name)
    )  # fmt: skip
