"""Media roots: which files may be seen, and what recordings lie there."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings

from syntonos.core.errors import MediaError
from syntonos.core.media import FileGroup, group_files

_DEEPEST = 12
_MOST_FOLDERS = 20_000


_LONGEST = 255  # bytes of a name


def resolve(relative: str, root: str = "media") -> Path:
    """Return the path below a media root; one that leaves it, by links too, is refused."""
    base: Path = settings.MEDIA_ROOTS[root]
    if "\0" in relative:
        raise MediaError("The path holds a zero.", hint="Rename the file.", code="media.outside")
    if any(len(os.fsencode(part)) > _LONGEST for part in relative.split("/")):
        raise MediaError(f"{relative[:80]!r} is longer than a name can be.",
                         hint="Choose files below the media root.",
                         code="media.outside")  # fmt: skip
    try:
        path = (base / relative).resolve()
    except (OSError, RuntimeError, ValueError) as error:  # too long, a link to itself
        raise MediaError(f"{relative[:80]!r} leads nowhere.", hint="Rename the file.",
                         code="media.outside") from error  # fmt: skip
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


def _is_below(entry: Path, base: Path) -> bool:
    """Say whether an entry of a folder leads below the root, and has a name that can be kept."""
    try:
        entry.name.encode()
        there = entry.resolve(strict=True)
        kind = there.stat().st_mode
    except (OSError, RuntimeError, UnicodeEncodeError):  # a link to itself, bytes that are no text
        return False
    return base in there.parents and (stat.S_ISDIR(kind) or stat.S_ISREG(kind))


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
        if entry.name.startswith(".") or not _is_below(entry, base):
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


def walk(
    folder: str, root: str = "media", *, depth: int = 0
) -> Iterator[tuple[str, list[FoundGroup]]]:
    """Yield a folder and those below it, each with its recordings."""
    folders, groups = list_folder(folder, root)
    yield folder, groups
    if depth < _DEEPEST:
        for below in folders[:_MOST_FOLDERS]:
            yield from walk(below, root, depth=depth + 1)


def names_that_are_no_text(folder: str, root: str = "media") -> list[str]:
    """Return what a folder holds whose names cannot be kept, each with U+FFFD where it is no text.

    `list_folder` leaves them out.
    """
    raw = [entry.name for entry in resolve(folder, root).iterdir()]
    shown = [os.fsencode(name).decode("utf-8", "replace") for name in raw]
    return sorted(text for name, text in zip(raw, shown, strict=True) if text != name)
