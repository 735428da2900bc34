"""The one door to numba: a typed decorator, and a cache that cannot serve stale code.

numba's disk cache does not notice when a called function or a constant of another file changed.
Each module's kernels are therefore cached in a folder named by a hash of the module, of every
module of the core that it imports, directly or through others, and of the versions in use: what
changes elsewhere in the core compiles nothing again.
"""

from __future__ import annotations

import ast
import hashlib
import os
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from typing import Final, TypeVar, cast

import numba
import numpy as np

F = TypeVar("F", bound=Callable[..., object])

_PACKAGES: Final = Path(__file__).parents[2]  # where `syntonos` lies
# All compiled kernels; a folder of their own for each module and each state of what it uses.
CACHE: Final = (
    Path(os.environ.get("SYNTONOS_CACHE") or Path.home() / ".cache" / "syntonos") / "compiled"
)

# No "nnan"/"ninf": a NaN that enters must come out as NaN.
_FAST = {"contract", "nsz", "arcp"}


def _file_of(module: str) -> Path | None:
    """Return the source of one of our modules or packages; None for anything else."""
    path = _PACKAGES.joinpath(*module.split("."))
    for found in (path.with_suffix(".py"), path / "__init__.py"):
        if module.startswith("syntonos.") and found.is_file():
            return found
    return None


@cache
def _imports(source: Path) -> tuple[Path, ...]:
    """Return the files of our own that a module imports anywhere in it, functions included."""

    def named() -> Iterator[str]:
        for node in ast.walk(ast.parse(source.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Import):
                yield from (alias.name for alias in node.names)
            elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                yield from (f"{node.module}.{alias.name}" for alias in node.names)
                yield node.module

    return tuple({found for name in named() if (found := _file_of(name)) is not None})


@cache
def sources_of(source: Path) -> tuple[Path, ...]:
    """Return a module's file and those of all of our modules that it uses, sorted.

    Parameters
    ----------
    source : Path
        The module's own file.
    """
    found, waiting = set[Path](), [source]
    while waiting:
        here = waiting.pop()
        if here not in found:
            found.add(here)
            waiting += _imports(here)
    return tuple(sorted(found))


@cache
def _folder_of(source: Path) -> Path:
    digest = hashlib.sha256(f"{numba.__version__} {np.__version__}".encode())
    for used in sources_of(source):
        digest.update(used.read_bytes())
    return CACHE / f"{source.stem}-{digest.hexdigest()[:16]}"


def jit(function: F) -> F:
    """Compile a function that holds no lock; the result is cached on disk."""
    # numba asks for the folder when it decorates.
    numba.config.CACHE_DIR = str(_folder_of(Path(function.__code__.co_filename)))
    return cast(
        F, numba.njit(cache=True, nogil=True, fastmath=_FAST, error_model="numpy")(function)
    )
