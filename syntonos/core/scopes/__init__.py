"""Scopes: counts of a picture's values. They are drawn elsewhere."""

from syntonos.core.scopes.counts import ScopeCounts, count_scopes

__all__ = ["ScopeCounts", "count_scopes"]
