"""Charts: layouts, finding a chart in log footage, and reading its patches."""

from syntonos.core.charts.detection import Detection, find_chart, find_charts
from syntonos.core.charts.layout import (
    CHART_24,
    LAYOUTS,
    ChartLayout,
    find_layout,
    patch_centres,
    read_layout,
    turned,
)
from syntonos.core.charts.reading import ChartReading, PatchReading, read_chart

__all__ = [
    "CHART_24",
    "LAYOUTS",
    "ChartLayout",
    "ChartReading",
    "Detection",
    "PatchReading",
    "find_chart",
    "find_charts",
    "find_layout",
    "patch_centres",
    "read_chart",
    "read_layout",
    "turned",
]
