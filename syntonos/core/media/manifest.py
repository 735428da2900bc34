"""Checksums, and the manifests in which cards and copies carry theirs (ASC MHL).

Source: ASC Media Hash List specification 2.0 (namespace urn:ASC:MHL:v2.0) and the older
media hash list 1.1: which elements hold path, size and hashes.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any, Final

import xxhash
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException

from syntonos.core.errors import MediaError
from syntonos.core.files import parsing, see_file

_CHUNK: Final = 4 * 2**20
_LARGEST: Final = 64 * 2**20
# The best kept first: where a manifest has several, the first of these is checked.
_MAKERS: Final[dict[str, Callable[[], Any]]] = {
    "xxh128": xxhash.xxh3_128,
    "xxh3": xxhash.xxh3_64,
    "xxh64": xxhash.xxh64,
    "sha1": lambda: hashlib.sha1(usedforsecurity=False),
    "md5": lambda: hashlib.md5(usedforsecurity=False),
}
_NAMES: Final = {
    "xxhash64be": "xxh64", "xxhash64": "xxh64", "xxh64": "xxh64", "xxh3": "xxh3",
    "xxh128": "xxh128", "md5": "md5", "sha1": "sha1",
}  # fmt: skip
HASHES: Final = tuple(_MAKERS)


@dataclass(frozen=True, slots=True)
class Marked:
    """What a manifest says of one file."""

    size: int | None
    hash_name: str  # one of HASHES
    value: str  # hexadecimal, lower case


@parsing("The manifest", code="manifest.invalid")
def read_manifest(data: bytes) -> dict[str, Marked]:
    """Return what an ASC MHL manifest says, by path below the folder that it is for.

    Parameters
    ----------
    data : bytes
        At most 64 MiB of XML, version 1 or 2; entities are refused.

    Raises
    ------
    MediaError
        manifest.invalid, when it is no manifest, or is damaged.
    """
    if len(data) > _LARGEST:
        raise _fail(f"The manifest has {len(data) / 2**20:.0f} MiB.")
    try:
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, DefusedXmlException, ValueError) as error:
        raise _fail(f"The manifest is no XML: {error}.") from error
    if _plain(root.tag) != "hashlist":
        raise _fail(f"The manifest's first element is {_plain(root.tag)!r}, not hashlist.")
    found: dict[str, Marked] = {}
    for entry in root.iter():
        if _plain(entry.tag) != "hash":
            continue
        path, size, hashes = "", None, {}
        for part in entry.iter():
            name, text = _plain(part.tag), (part.text or "").strip()
            if name in ("path", "file") and text:
                path = text
                size = size if part.get("size") is None else _whole(part.get("size"))
            elif name == "size":
                size = _whole(text)
            elif name in _NAMES and text:
                hashes[_NAMES[name]] = text.lower()
        clean = PurePosixPath(path.replace("\\", "/"))
        if not path or clean.is_absolute() or ".." in clean.parts:
            continue
        for name in HASHES:
            if name in hashes:
                found[clean.as_posix()] = Marked(size, name, hashes[name])
                break
    return found


def _plain(tag: object) -> str:
    return str(tag).rsplit("}", 1)[-1].lower()


def _whole(text: str | None) -> int | None:
    return int(text) if text and text.isdecimal() and len(text) < 19 else None


def _fail(message: str) -> MediaError:
    return MediaError(message, hint="Copy it again from the card, or take it away.",
                      code="manifest.invalid")  # fmt: skip


def hash_file(
    path: str | os.PathLike[str],
    names: Iterable[str] = (),
    *,
    tell: Callable[[int], None] = lambda done: None,
) -> dict[str, str]:
    """Return hashes of a file in one reading: "sha256" and those of HASHES that are asked for.

    Parameters
    ----------
    tell
        Called with the bytes read so far; what it raises stops the reading.

    Raises
    ------
    MediaError
        media.missing; media.growing, when the file changes while it is read.
    """
    path = see_file(path)
    makers = {"sha256": hashlib.sha256(), **{name: _MAKERS[name]() for name in names}}
    try:
        before = path.stat()
        done = 0
        with path.open("rb") as file:
            while chunk := file.read(_CHUNK):
                for maker in makers.values():
                    maker.update(chunk)
                done += len(chunk)
                tell(done)
        after = path.stat()
    except FileNotFoundError as error:
        raise MediaError(f"There is no file {path.name}.", hint="Check the path.",
                         code="media.missing") from error  # fmt: skip
    except OSError as error:
        raise MediaError(f"{path.name} cannot be read: {error.strerror}.",
                         hint="Look at the disc and its cable; copy the file again.",
                         code="media.unreadable") from error  # fmt: skip
    if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
        raise MediaError(f"{path.name} changes while it is read.",
                         hint="Wait until it is copied, then bring it in again.",
                         code="media.growing")  # fmt: skip
    return {name: maker.hexdigest() for name, maker in makers.items()}
