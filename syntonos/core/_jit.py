"""The one door to numba: a typed decorator, and a cache that cannot serve stale code.

numba's disk cache does not notice when a called function or a constant of another file changed, so
the cache lives in a folder named by the hash of all the core's sources and the versions in use.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar, cast

import numba
import numpy as np

F = TypeVar("F", bound=Callable[..., object])


def _cache_folder() -> Path:
    core = Path(__file__).parent
    digest = hashlib.sha256(f"{numba.__version__} {np.__version__}".encode())
    for source in sorted(core.rglob("*.py")):
        digest.update(source.read_bytes())
    base = os.environ.get("SYNTONOS_CACHE") or str(Path.home() / ".cache" / "syntonos")
    return Path(base) / "compiled" / digest.hexdigest()[:16]


CACHE = _cache_folder()
numba.config.CACHE_DIR = str(CACHE)

# No "nnan"/"ninf": a NaN that enters must come out as NaN.
_FAST = {"contract", "nsz", "arcp"}


def jit(function: F) -> F:
    """Compile a function that holds no lock; the result is cached on disk."""
    return cast(
        F, numba.njit(cache=True, nogil=True, fastmath=_FAST, error_model="numpy")(function)
    )
