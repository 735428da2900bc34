"""Scopes: counts of a picture's values. They are drawn elsewhere."""

from syntonos.core.scopes.counts import ScopeCounts, count_scopes
from syntonos.core.scopes.drawing import draw

__all__ = ["ScopeCounts", "count_scopes", "draw"]
