"""Charts: layouts, finding a chart in log footage, and reading its patches."""

from syntonos.core.charts.detection import Detection, find_chart
from syntonos.core.charts.layout import CHART_24, ChartLayout, patch_centres, turned
from syntonos.core.charts.reading import ChartReading, PatchReading, read_chart

__all__ = [
    "CHART_24",
    "ChartLayout",
    "ChartReading",
    "Detection",
    "PatchReading",
    "find_chart",
    "patch_centres",
    "read_chart",
    "turned",
]
