"""What the command line writes and prints: files, JSON, LUTs and their read-back."""

from __future__ import annotations

import errno
import json
import os
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import (
    STORED,
    Chain,
    LutLevels,
    ReadBack,
    bake_lut,
    read_back,
    read_back_clf,
    write_clf,
)
from syntonos.core.charts import (
    ChartLayout,
)
from syntonos.core.errors import LutFileError, MediaError
from syntonos.core.formats import Cube, read_lut, write_3dl, write_cube

UNCERTAIN = 3


def write_file(path: str, data: bytes) -> None:
    """Write a file that appears under its name only when it is complete."""
    target = Path(path)
    partial = target.with_name(f".{target.name}.part")
    try:
        partial.write_bytes(data)
        partial.replace(target)
    except OSError as error:  # in the words of the path that was asked for
        raise OSError(error.errno, error.strerror, path) from error
    finally:
        partial.unlink(missing_ok=True)


def has_place(*paths: str | None, beside: Iterable[str] = ()) -> None:
    """Raise before the work, not after it, where a file could not be written.

    No two may be one file, nor one of those that are read (`beside`).
    """
    taken = {os.path.realpath(path) for path in beside}
    for path in paths:
        if path is None:
            continue
        place = Path(path)
        if not place.parent.is_dir():
            raise FileNotFoundError(errno.ENOENT, "There is no such folder", str(place.parent))
        if place.is_dir() or (place.exists() and not place.is_file()):
            raise MediaError(f"{place.name} is no file that can be written.",
                             hint="Choose another name.", code="media.kind")  # fmt: skip
        if os.path.realpath(place) in taken:
            raise MediaError(f"{path} is given for two files.",
                             hint="Choose another name for what is written.",
                             code="media.twice")  # fmt: skip
        taken.add(os.path.realpath(place))


def as_json(plain: Any) -> str:
    """Return JSON for people and programs."""
    return json.dumps(plain, indent=2, ensure_ascii=False, allow_nan=False)


def say_uncertain(name: str, layout: ChartLayout) -> int:
    """Say that a chart may be the wrong way up; returns the exit code for it."""
    print(
        f"syntonos: a chart was found in {name}, but not which way up it is. Give its corners in "
        f"the order of patches {layout.corner_words()}.",
        file=sys.stderr,
    )
    return UNCERTAIN


def print_readback(result: ReadBack) -> None:
    """Print how far a written LUT is from its chain."""
    if result.share_beyond:
        print(f"{result.share_beyond:.1%} of the picture lies beyond 0 to 1, where the LUT gives "
              "what it gives at its edge; a CLF goes on.")  # fmt: skip
    for d in result.differences:
        bits = "10 bit" if d.bits else "float"
        print(f"  {d.colours:<8}{d.interpolation:<12}{bits:<7} delta E mean {d.mean:.3f}  "
              f"99.9 % {d.p99_9:.3f}  max {d.max:.3f}")  # fmt: skip


def lut_file(chain: Chain, path: str, size: int, levels: LutLevels, comment: str = "") -> bytes:
    """Return a chain as the kind of file that the name ends in."""
    ending = Path(path).suffix.lower()
    if ending == ".clf":
        if levels != STORED:
            raise LutFileError("A CLF says itself what its values mean.",
                               hint="Leave --lut-in and --lut-out away.")  # fmt: skip
        return write_clf(chain, title="Syntonos")
    if ending not in (".cube", ".3dl"):
        raise LutFileError(f"{path} is no kind of LUT that is known here.",
                           hint="End the name in .cube, .3dl or .clf.")  # fmt: skip
    table = bake_lut(chain, size, threads=os.cpu_count() or 1, levels=levels)
    if ending == ".3dl":
        return write_3dl(table)
    comments: tuple[str, ...] = (comment,) if comment else ()
    if levels != STORED:
        comments += (f"LUT input {levels.into}, output {levels.out}",)
    return write_cube(Cube(table, "Syntonos"), comments=comments)


def read_back_lut(
    data: bytes, path: str, chain: Chain, levels: LutLevels, image: NDArray[np.float32] | None
) -> ReadBack:
    """Read a written LUT again and compare it with its chain."""
    if Path(path).suffix.lower() == ".clf":
        return read_back_clf(data, chain, image)
    return read_back(read_lut(data, path).values, chain, image, levels=levels)
