"""Files that are dropped into the page: streamed to disc, capped, whole or not there."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

from django.conf import settings
from django.utils import timezone
from ninja import UploadedFile

from syntonos.core.errors import MediaError
from syntonos.core.media import kind_of
from syntonos.server.productions.models import Production

MOST_GIB = 64
_CHUNK = 4 * 2**20
_SPARE = 512 * 2**20  # left free on the disc
_BESIDE = (".mhl", ".cube", ".cdl", ".cc", ".ccc", ".clf", ".3dl")


def keep(production: Production, file: UploadedFile, place: str) -> dict[str, str]:
    """Keep a file below the media root, in a folder of the production's drops of that day.

    Parameters
    ----------
    place
        Folders below it, as the browser names them ("A001/Clip"); they are cleaned.

    Raises
    ------
    MediaError
        For endings that are not read, files that are too large, and a full disc; nothing half
        stays behind.
    """
    name = _clean(Path(file.name or "file").name)
    if not kind_of(name) and Path(name).suffix.lower() not in _BESIDE:
        raise MediaError(
            f"{name} is nothing that is read here.", code="upload.kind",
            hint="Pictures, video, raw, and LUTs, CDLs or manifests beside them are.",
        )  # fmt: skip
    size = file.size or 0
    if size > MOST_GIB * 2**30:
        raise MediaError(f"{name} has {size / 2**30:.0f} GiB.", code="upload.large",
                         hint=f"Up to {MOST_GIB} GiB can be dropped. Put it into the media folder "
                         "instead and look through that.")  # fmt: skip
    base: Path = settings.MEDIA_ROOTS["media"]
    folder = f"dropped/{timezone.now():%Y-%m-%d}-p{production.pk}"
    below = [_clean(part) for part in place.split("/") if part.strip(". ")][:8]
    target = base.joinpath(folder, *below, name)
    target.parent.mkdir(parents=True, exist_ok=True)
    if shutil.disk_usage(target.parent).free < size + _SPARE:
        raise MediaError("The disc is full.", code="upload.space",
                         hint="Make room where the media are, then drop the file "
                         "again.")  # fmt: skip
    target = _free(target)
    partial = target.with_name(f".{target.name}.part")
    try:
        with partial.open("wb") as out:
            for chunk in file.chunks(_CHUNK):
                out.write(chunk)
        partial.replace(target)
    except OSError as error:
        raise MediaError(f"{name} could not be kept: {error.strerror}.", code="upload.space",
                         hint="Look at the disc, then drop the file again.") from error  # fmt: skip
    finally:
        partial.unlink(missing_ok=True)
    return {"folder": folder, "file": target.relative_to(base).as_posix()}


def _clean(name: str) -> str:
    """Return a name without what leads elsewhere or cannot be shown."""
    kept = re.sub(r"[\x00-\x1f/\\]", "_", name).strip()
    return kept.lstrip(".")[:180] or "file"


def _free(target: Path) -> Path:
    """Return the path, or one with a number after the name where a file has it already."""
    number, path = 1, target
    while path.exists():
        number += 1
        path = target.with_name(f"{target.stem} {number}{target.suffix}")
    return path
