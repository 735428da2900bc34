"""LUTs that looks refer to: values by the sha256 of their content."""

from __future__ import annotations

from collections.abc import Callable

from syntonos.core.errors import ChainError
from syntonos.core.formats.table import LutTable as LookTable

__all__ = ["LookTable", "ask_for_missing_tables", "find_table", "keep_table"]

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
