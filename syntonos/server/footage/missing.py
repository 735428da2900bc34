"""Media that moved: found again by name and size, and by checksum."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from syntonos.core.errors import MediaError
from syntonos.core.media.manifest import hash_file
from syntonos.server.footage.media import resolve, walk
from syntonos.server.footage.models import Clip
from syntonos.server.history.services import step
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.productions.models import Production


def is_missing(clip: Clip) -> bool:
    """Say whether the first or the last of a clip's files is not where it was."""
    return not all(_is_there(file, clip.root) for file in {clip.files[0], clip.files[-1]})


def _is_there(file: str, root: str) -> bool:
    try:
        return resolve(file, root).is_file()
    except MediaError:  # a link that leads out of the root by now
        return False


def start(production: Production, folder: str) -> Job:
    """Queue looking for missing media below a folder."""
    return jobs.start(
        production, "find-media", "Looking for missing media",
        {"production_id": production.pk, "folder": folder},
    )  # fmt: skip


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Look for missing media; arguments: production_id, folder."""
    production = Production.objects.get(pk=arguments["production_id"])
    return asdict(find_again(production, arguments["folder"], progress))


@dataclass(slots=True)
class FoundAgain:
    """What came of it."""

    found: list[str] = field(default_factory=list)
    still_missing: list[str] = field(default_factory=list)


def find_again(
    production: Production, folder: str, progress: Callable[[float, str], None]
) -> FoundAgain:
    """Give clips whose files moved their new paths.

    A file counts as found when its name, size and checksum are those that were kept.
    """
    clips = [
        clip for clip in Clip.objects.filter(camera__production=production).order_by("id")
        if not all(_is_there(file, clip.root) for file in clip.files)
    ]  # fmt: skip
    places: dict[tuple[str, int], list[str]] = {}
    if clips:
        for group in (one for _, some in walk(folder) for one in some):
            for file in group.files:
                path = resolve(file)
                places.setdefault((path.name, path.stat().st_size), []).append(file)
    out = FoundAgain()
    for number, clip in enumerate(clips):
        progress(number / len(clips), f"Comparing {clip.name}")
        files = []
        for file, mark in zip(clip.files, clip.marks, strict=False):
            candidates = places.get((Path(file).name, mark["size"]), [])
            match = next(
                (c for c in candidates if hash_file(resolve(c))["sha256"] == mark["sha256"]), None
            )
            if match is None:
                break
            files.append(match)
        if len(files) == len(clip.files):
            with step(
                production.pk, "clip.find", f"{clip.name}: its files were found again"
            ) as made:
                made.change(clip, {"files": files})
            out.found.append(clip.name)
        else:
            out.still_missing.append(clip.name)
    return out
