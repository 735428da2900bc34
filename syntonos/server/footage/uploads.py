"""Files that are dropped into the page: streamed to disc, capped, whole or not there."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import shutil
import threading
import uuid
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from syntonos.core.errors import MediaError
from syntonos.core.media import kind_of
from syntonos.server.productions.models import Production

MOST_GIB = 64
_LONGEST = 24 * 3600.0  # seconds after which nothing is written into a partial file any more
_naming = threading.Lock()
_BESIDE = (".mhl", ".cube", ".cdl", ".cc", ".ccc", ".clf", ".3dl")


class Incoming:
    """A file on its way below the media root, in a folder of the production's drops of that day.

    It has its name when it is whole (`finish`); until then, and where it is dropped, there is none.
    Each has a partial file of its own, so that two of one name do not write into each other.

    Parameters
    ----------
    name, place
        Of the file, and the folders above it as the browser names them ("A001/Clip"); cleaned.
    size
        Bytes that are announced.

    Raises
    ------
    MediaError
        For endings that are not read, files that are too large, and a full disc.
    """

    def __init__(self, production: Production, name: str, size: int, place: str) -> None:
        self._name, self._size, self._done = _clean(Path(name or "file").name), size, 0
        self._sha256 = hashlib.sha256()
        name = self._name
        if not kind_of(name) and Path(name).suffix.lower() not in _BESIDE:
            raise MediaError(
                f"{name} is nothing that is read here.", code="upload.kind",
                hint="Pictures, video, raw, and LUTs, CDLs or manifests beside them are.",
            )  # fmt: skip
        if size > MOST_GIB * 2**30:
            raise MediaError(f"{name} has {size / 2**30:.0f} GiB.", code="upload.large",
                             hint=f"Up to {MOST_GIB} GiB can be dropped. Put it into the media "
                             "folder instead and look through that.")  # fmt: skip
        self._base: Path = settings.MEDIA_ROOTS["media"]
        self._folder = f"dropped/{timezone.now():%Y-%m-%d}-p{production.pk}"
        below = [_clean(part) for part in place.split("/") if part.strip(". ")][:8]
        target = self._base.joinpath(self._folder, *below, name)
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            if shutil.disk_usage(target.parent).free < size + settings.SPARE:
                raise MediaError("The disc is full.", code="upload.space",
                                 hint="Make room where the media are, then drop the file "
                                 "again.")  # fmt: skip
            self._target = target
            self._partial = target.with_name(f".{uuid.uuid4().hex}.part")
            self._out = self._partial.open("xb")
        except OSError as error:
            raise self._lost(error) from error

    def _lost(self, error: OSError) -> MediaError:
        return MediaError(f"{self._name} could not be kept: {error.strerror}.", code="upload.space",
                          hint="Look at the disc, then drop the file again.")  # fmt: skip

    def write(self, chunk: bytes) -> None:
        """Keep what has come.

        Raises
        ------
        MediaError
            upload.space; upload.size for more than was announced.
        """
        self._done += len(chunk)
        if self._done > self._size:
            raise MediaError(f"{self._name} is longer than was announced.", code="upload.size",
                             hint="Drop it again.")  # fmt: skip
        try:
            self._out.write(chunk)
            self._sha256.update(chunk)
        except OSError as error:
            raise self._lost(error) from error

    def finish(self) -> dict[str, str]:
        """Give the file its name; returns its folder, where it is below the media root, its sha256.

        Where another file has the name already it gets a number after it.

        Raises
        ------
        MediaError
            upload.size where it broke off; upload.space.
        """
        if self._done != self._size:
            raise MediaError(f"{self._name} broke off on its way.", code="upload.size",
                             hint="Drop it again.")  # fmt: skip
        try:
            self._out.flush()
            os.fsync(self._out.fileno())
            self._out.close()
            with _naming:  # between finding a free name and taking it nobody else may take it
                target = _free(self._target)
                self._partial.replace(target)
        except OSError as error:
            raise self._lost(error) from error
        return {"folder": self._folder, "file": target.relative_to(self._base).as_posix(),
                "sha256": self._sha256.hexdigest()}  # fmt: skip

    def drop(self) -> None:
        """Take away what is there of it; nothing after `finish`."""
        with contextlib.suppress(OSError):
            self._out.close()
        self._partial.unlink(missing_ok=True)


def remove_partial(now: float) -> None:
    """Remove what a stop left of files on their way; `now` in seconds since 1970."""
    for path in (settings.MEDIA_ROOTS["media"] / "dropped").rglob(".*.part"):
        with contextlib.suppress(FileNotFoundError):
            if now - path.stat().st_mtime > _LONGEST:
                path.unlink()


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
