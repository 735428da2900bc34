"""The one boundary to files: what is read, how much of it, and what a reader may raise.

A path may lead to a pipe, a device, a folder or a file without end, and the libraries that read
formats raise all kinds of things. Past this boundary there are bytes of a bounded size, and errors
of our own.
"""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from syntonos.core.errors import ColourError, MediaError

MOST_TEXT: Final = 16 * 2**20  # documents, tables, layouts
MOST_LUT: Final = 128 * 2**20
MOST_STILL: Final = 4 * 2**30
_LARGE: Final = 2**30
_KINDS: Final = (
    (stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISCHR, "a device"),
    (stat.S_ISBLK, "a device"), (stat.S_ISSOCK, "a socket"),
)  # fmt: skip


def see_file(path: str | os.PathLike[str], *, most: int | None = None) -> Path:
    """Return a path after a look at it: it leads to a file of at most `most` bytes.

    Raises
    ------
    MediaError
        media.missing, media.unreadable; media.kind for what is no file; media.too_large beyond
        `most`; media.truncated where most of a large file was never written.
    """
    path = Path(path)
    try:
        found = path.stat()
    except FileNotFoundError:
        raise MediaError(f"There is no file {path.name}.", hint="Check the path.",
                         code="media.missing") from None  # fmt: skip
    except OSError as problem:
        raise MediaError(f"{path.name} cannot be read: {problem.strerror}.",
                         hint="Check the path and its rights.",
                         code="media.unreadable") from problem  # fmt: skip
    for is_kind, words in _KINDS:
        if is_kind(found.st_mode):
            raise MediaError(f"{path.name or path} is {words}, not a file.",
                             hint="Choose a file.", code="media.kind")  # fmt: skip
    if most is not None and found.st_size > most:
        raise MediaError(f"{path.name} has {found.st_size} bytes; up to {most} are read.",
                         hint="Choose the file that was meant, or a smaller one.",
                         code="media.too_large")  # fmt: skip
    if found.st_size > _LARGE and found.st_blocks * 512 < found.st_size / 4:
        raise MediaError(f"{path.name} is to have {found.st_size} bytes and is mostly empty.",
                         hint="Its copy did not finish: copy it again from the card.",
                         code="media.truncated") from None  # fmt: skip
    return path


def read_bytes(path: str | os.PathLike[str], *, most: int) -> bytes:
    """Return the bytes of a file of at most `most`.

    Raises
    ------
    MediaError
        As `see_file`; and where it grows past `most` while it is read.
    """
    path = see_file(path, most=most)
    try:
        with path.open("rb") as file:
            data = file.read(most + 1)
    except OSError as problem:
        raise MediaError(f"{path.name} cannot be read: {problem.strerror}.",
                         hint="Check the path and its rights.",
                         code="media.unreadable") from problem  # fmt: skip
    if len(data) > most:
        raise MediaError(f"{path.name} has over {most} bytes.", hint="Choose a smaller file.",
                         code="media.too_large")  # fmt: skip
    return data


def read_text(path: str | os.PathLike[str], *, most: int = MOST_TEXT) -> str:
    """Return the text of a file.

    Raises
    ------
    MediaError
        As `read_bytes`; media.text where it is not UTF-8.
    """
    try:
        return read_bytes(path, most=most).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        name, at = Path(path).name, error.start + 1
        raise MediaError(
            f"{name} is not text: byte {at} is none of UTF-8.", code="media.text",
            hint="Choose a text file in UTF-8.",
        ) from None  # fmt: skip


@contextmanager
def parsing(
    what: str,
    error: type[ColourError] = MediaError,
    *,
    hint: str = "Copy it again, or export it again.",
    code: str | None = None,
) -> Iterator[None]:
    """Turn whatever a parser raises over what it was given into an error of ours.

    Our own errors pass, and so does the system's word on a file (OSError with its number).
    """
    try:
        yield
    except ColourError:
        raise
    except OSError as problem:
        if problem.errno not in (None, errno.EINVAL, errno.EIO):
            raise
        raise error(f"{what} cannot be read: it is damaged or breaks off.", hint=hint,
                    code=code) from problem  # fmt: skip
    except (MemoryError, RecursionError) as problem:
        raise error(f"{what} is larger or more deeply nested than can be read.", hint=hint,
                    code=code) from problem  # fmt: skip
    except Exception as problem:
        said = (str(problem).strip().splitlines() or [type(problem).__name__])[0][:160]
        raise error(f"{what} cannot be read: {said.rstrip('.')}.", hint=hint,
                    code=code) from problem  # fmt: skip
