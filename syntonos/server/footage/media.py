"""Media roots: which files may be seen, and what recordings lie there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings

from syntonos.core.errors import MediaError
from syntonos.core.media import FileGroup, group_files

_DEEPEST = 12
_MOST_FOLDERS = 20_000


def resolve(relative: str, root: str = "media") -> Path:
    """Return the path below a media root; one that leaves it, by links too, is refused."""
    base: Path = settings.MEDIA_ROOTS[root]
    if "\0" in relative:
        raise MediaError("The path holds a zero.", hint="Rename the file.", code="media.outside")
    path = (base / relative).resolve()
    if path != base and base not in path.parents:
        raise MediaError(
            f"{relative!r} is outside of the media root.",
            hint="Choose files below the configured media root.",
            code="media.outside",
        )
    return path


@dataclass(frozen=True, slots=True)
class FoundGroup:
    """A recording of a folder; its files are paths below the root."""

    folder: str
    group: FileGroup
    files: list[str]


def list_folder(folder: str, root: str = "media") -> tuple[list[str], list[FoundGroup]]:
    """Return sub-folders as paths below the root, and the recordings.

    Links that lead out of the root, and what begins with a full stop, are left out.

    Raises
    ------
    MediaError
        media.missing, media.outside; media.unreadable when rights are missing.
    """
    base: Path = settings.MEDIA_ROOTS[root]
    path = resolve(folder, root)
    if not path.is_dir():
        raise MediaError(f"There is no folder {folder!r}.", hint="Choose another folder.",
                         code="media.missing")  # fmt: skip
    folders: list[str] = []
    names: list[str] = []
    try:
        entries = sorted(path.iterdir())
    except OSError as error:
        raise MediaError(f"The folder {folder!r} cannot be read: {error.strerror}.",
                         hint="Look at its rights.",
                         code="media.unreadable") from error  # fmt: skip
    for entry in entries:
        if entry.name.startswith("."):
            continue
        there = entry.resolve()
        if there != base and base not in there.parents:
            continue
        if entry.is_dir():
            folders.append(entry.relative_to(base).as_posix())
        elif entry.is_file():
            names.append(entry.name)
    here = path.relative_to(base).as_posix()
    prefix = "" if here == "." else f"{here}/"
    return folders, [
        FoundGroup(folder, group, [prefix + name for name in group.files])
        for group in group_files(names)
    ]


def walk(folder: str, root: str = "media", *, depth: int = 0) -> Iterator[FoundGroup]:
    """Yield the recordings of a folder and of those below it."""
    folders, groups = list_folder(folder, root)
    yield from groups
    if depth < _DEEPEST:
        for below in folders[:_MOST_FOLDERS]:
            yield from walk(below, root, depth=depth + 1)
