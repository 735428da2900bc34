"""LUTs that looks refer to: values by the sha256 of their content."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np

from syntonos.core.errors import ChainError
from syntonos.core.formats.clf_look import clf_processor
from syntonos.core.formats.table import LutTable as LookTable

__all__ = ["LookTable", "ask_for_missing_tables", "find_table", "keep_table", "moving_range"]

_STILL = 1e-5  # of the range: less is no change


def moving_range(table: LookTable) -> tuple[float, float]:
    """Return from where to where a LUT's result changes along the grey axis, in shares of input.

    (0, 1) for a LUT that clips nothing; beyond these it sends everything to one value.
    """
    n = len(table.values)
    places = np.arange(n)
    grey = table.values[places, places, places] if table.is_3d else table.values
    moves = np.flatnonzero(np.abs(np.diff(grey, axis=0)).max(axis=1) >= _STILL)
    if not len(moves):
        return 1.0, 1.0
    return float(moves[0]) / (n - 1), float(moves[-1] + 1) / (n - 1)


_kept: dict[str, LookTable] = {}
_ask: Callable[[str], LookTable | None] = lambda sha: None  # noqa: E731


def keep_table(table: LookTable) -> str:
    """Make a LUT known; returns its sha256."""
    sha = table.sha256
    _kept.setdefault(sha, table)
    return sha


def ask_for_missing_tables(source: Callable[[str], LookTable | None]) -> None:
    """Say where LUTs are to be had that this process has not seen yet."""
    global _ask  # one place, set once when the server starts
    _ask = source


def find_table(sha: str) -> LookTable:
    """Return a LUT by its sha256.

    Raises
    ------
    ChainError
        look.missing.
    """
    if sha not in _kept:
        table = _ask(sha)
        if table is None or table.sha256 != sha:
            raise ChainError(
                f"The LUT {sha[:12]}… of the look is not here.",
                hint="Bring its file in again, or take the step out of the look.",
                code="look.missing",
            )  # fmt: skip
        _kept[sha] = table
    return _kept[sha]


@lru_cache(maxsize=32)
def clf_runner(sha: str) -> Any:
    """Return what runs the CLF that a LUT with this sha256 is."""
    return clf_processor(find_table(sha).clf)
