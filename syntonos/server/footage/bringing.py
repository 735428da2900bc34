"""Bringing in: checksums, manifests, and the clip with its small picture."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from django.conf import settings

from syntonos.core.errors import MediaError
from syntonos.core.files import read_bytes
from syntonos.core.media import read_recording
from syntonos.core.media.manifest import Marked, hash_file, read_manifest
from syntonos.server.footage.clipping import measure
from syntonos.server.footage.frames import write_proxies
from syntonos.server.footage.looking import problem_of, target_of
from syntonos.server.footage.media import resolve
from syntonos.server.footage.models import Arrival, Clip
from syntonos.server.footage.services import make_clip
from syntonos.server.history.services import forget_creation
from syntonos.server.jobs.services import Cancelled, Progress
from syntonos.server.productions.models import Production

log = logging.getLogger("syntonos.footage")


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Bring in what is accepted; arguments: production_id."""
    production = Production.objects.get(pk=arguments["production_id"])
    return asdict(bring_in(production, progress))


MOST_MANIFEST = 64 * 2**20


@dataclass(slots=True)
class Brought:
    """What came of it."""

    clips: int = 0
    copies: int = 0  # recordings that are clips already, from another place
    verified: int = 0  # files whose checksum a manifest confirmed
    failed: list[dict[str, str]] = field(default_factory=list)  # name, detail, hint
    unread: list[str] = field(default_factory=list)  # manifests that cannot be read, and why


def bring_in(production: Production, progress: Callable[[float, str], None]) -> Brought:
    """Bring in all accepted recordings, one after the other; what fails is kept with its reason.

    A stop loses the recording that is worked on only: it stays accepted.
    """
    out = Brought()
    manifests: dict[Path, dict[str, Marked]] = {}
    # Until nothing waits: more may be accepted while this runs.
    while rows := list(production.arrivals.filter(state=Arrival.State.ACCEPTED).order_by("id")):
        sizes = [sum(_size(row, file) for file in row.files) for row in rows]
        total, done = max(sum(sizes), 1), 0
        for row, size in zip(rows, sizes, strict=True):
            tell = partial(_tell, progress, row.name, done, total)
            _bring(row, manifests, tell, out)
            done += size
    return out


def _tell(
    progress: Callable[[float, str], None], name: str, before: int, total: int, read: int,
    what: str = "Checking",
) -> None:  # fmt: skip
    progress(0.98 * (before + read) / total, f"{what} {name}")


def _bring(
    row: Arrival, manifests: dict[Path, dict[str, Marked]], tell: Callable[..., None],
    out: Brought,
) -> None:  # fmt: skip
    try:
        marks, verified = _marks(row, manifests, tell, out.unread)
        clip, is_copy = _clip(row, marks, tell)
    except Cancelled:
        raise
    except Exception as error:
        row.problem = problem_of(error, row.name)
        row.state = Arrival.State.FAILED
        out.failed.append({"name": row.name, **row.problem})
    else:
        row.state, row.clip, row.problem = Arrival.State.DONE, clip, None
        out.clips += not is_copy
        out.copies += is_copy
        out.verified += verified
    # Only what came of it, and only where nobody has left it out since.
    Arrival.objects.filter(pk=row.pk).update(state=row.state, clip=row.clip, problem=row.problem)


def _size(row: Arrival, file: str) -> int:
    try:
        return resolve(file, row.root).stat().st_size
    except (OSError, MediaError):
        return 0


def _marks(
    row: Arrival,
    manifests: dict[Path, dict[str, Marked]],
    tell: Callable[..., None],
    unread: list[str],
) -> tuple[list[dict[str, Any]], int]:
    """Return size and checksum of each file, and how many a manifest confirmed."""
    marks, verified, done = [], 0, 0
    for file in row.files:
        path = resolve(file, row.root)
        said = _said(path, row.root, manifests, unread)
        names = [said.hash_name] if said else []
        hashes = hash_file(path, names, tell=partial(_after, tell, done))
        size = path.stat().st_size
        if said is not None:
            if hashes[said.hash_name] != said.value or said.size not in (None, size):
                raise MediaError(
                    f"{path.name} is not what its manifest says: {said.hash_name} "
                    f"{hashes[said.hash_name][:12]} instead of {said.value[:12]}.",
                    hint="The copy is damaged: copy it again from the card.",
                    code="media.damaged",
                )
            verified += 1
        marks.append({"size": size, "sha256": hashes["sha256"]})
        done += size
    return marks, verified


def _after(tell: Callable[..., None], before: int, read: int) -> None:
    tell(before + read)


def _said(
    path: Path, root: str, manifests: dict[Path, dict[str, Marked]], unread: list[str]
) -> Marked | None:
    """Return what the nearest manifest at or above a file says of it."""
    base: Path = settings.MEDIA_ROOTS[root]
    folder = path.parent
    while folder == base or base in folder.parents:
        if folder not in manifests:
            manifests[folder] = {}
            for place in (folder, folder / "ascmhl"):
                for manifest in sorted(place.glob("*.mhl")) if place.is_dir() else []:
                    try:
                        # Later generations repeat and complete the earlier ones.
                        manifests[folder] |= read_manifest(read_bytes(manifest, most=MOST_MANIFEST))
                    except (MediaError, OSError) as error:
                        log.warning("%s: %s", manifest.name, error)
                        unread.append(f"{manifest.name}: {error}")
        found = manifests[folder].get(path.relative_to(folder).as_posix())
        if found is not None:
            return found
        folder = folder.parent
    return None


def _clip(
    row: Arrival, marks: list[dict[str, Any]], tell: Callable[..., None]
) -> tuple[Clip, bool]:  # fmt: skip
    """Return the clip of a recording, and whether it was one already: the card and its backup."""
    camera, light = target_of(row)
    same = Clip.objects.filter(camera=camera, marks=marks).first()
    if same is not None:
        place = {"root": row.root, "files": row.files}
        own = {"root": same.root, "files": same.files}
        if place != own and place not in same.copies:
            same.copies = [*same.copies, place]
            same.save(update_fields=["copies"])
        return same, place != own
    said = read_recording([resolve(file, row.root) for file in row.files])
    clip = make_clip(
        camera=camera, light=light, kind=row.kind, files=row.files, name=row.name,
        recording=said, marks=marks, missing=row.missing, root=row.root,
        overrides={"matrix": row.matrix} if row.matrix else {},
    )  # fmt: skip
    tell(sum(mark["size"] for mark in marks), "Small pictures of")
    measure(clip)
    try:
        _proxies(clip)
    except BaseException:  # broken, or stopped: nothing is left half brought in
        forget_creation(clip)
        clip.delete()
        raise
    return clip, False


def _proxies(clip: Clip) -> None:
    """Make the small pictures, and say which of their frames cannot be read.

    Where the disc refuses them the clip is shown from its files.
    """
    try:
        unread = write_proxies(clip)
    except OSError as error:
        log.warning("no small pictures of %s: %s", clip.name, error)
        return
    if unread:
        numbers = ", ".join(str(frame + 1) for frame in unread)
        said = f"cannot be read: frame {numbers}, of eight that were looked at"
        clip.warnings = [*clip.warnings, said]
        clip.save(update_fields=["warnings"])
