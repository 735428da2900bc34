"""Scopes: counts of a picture's values. They are drawn elsewhere."""

from syntonos.core.scopes.counts import ScopeCounts, count_scopes
from syntonos.core.scopes.drawing import draw
from syntonos.core.scopes.overlays import Cast, Contour, casts, stop_contours

__all__ = ["Cast", "Contour", "ScopeCounts", "casts", "count_scopes", "draw", "stop_contours"]
