"""Media roots: which files may be seen, and what clips lie there."""

from __future__ import annotations

import re
from pathlib import Path

from django.conf import settings

from syntonos.core.errors import MediaError
from syntonos.core.media import FORMATS

_NUMBER = re.compile(r"^(.*?)[._-]?(\d+)$")


def resolve(relative: str, root: str = "media") -> Path:
    """Return the path below a media root; one that leaves it is refused."""
    base: Path = settings.MEDIA_ROOTS[root]
    path = (base / relative).resolve()
    if path != base and base not in path.parents:
        raise MediaError(
            f"{relative!r} is outside of the media root.",
            hint="Choose files below the configured media root.",
            code="media.outside",
        )
    return path


def list_folder(folder: str) -> tuple[list[str], list[tuple[str, list[str]]]]:
    """Return sub-folders and image sequences (name, files), both as paths below the root."""
    base = settings.MEDIA_ROOTS["media"]
    path = resolve(folder)
    if not path.is_dir():
        raise MediaError(f"There is no folder {folder!r}.", hint="Choose another folder.",
                         code="media.missing")  # fmt: skip
    folders: list[str] = []
    groups: dict[str, list[str]] = {}
    for entry in sorted(path.iterdir()):
        if entry.name.startswith("."):
            continue
        relative = entry.relative_to(base).as_posix()
        if entry.is_dir():
            folders.append(relative)
        elif entry.suffix.lower() in FORMATS:
            numbered = _NUMBER.match(entry.stem)
            name = (numbered.group(1) if numbered else "") or entry.stem
            groups.setdefault(f"{name}{entry.suffix.lower()}", []).append(relative)
    return folders, [(Path(name).stem, files) for name, files in groups.items()]
