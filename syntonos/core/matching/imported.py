"""Readings that no camera made: imported values, and the chart's published ones."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts import CHART_24, ChartLayout, ChartReading, PatchReading
from syntonos.core.charts.layout import D50, places_of, reference_lin
from syntonos.core.charts.reading import with_neutrals
from syntonos.core.colorimetry import adaptation_matrix, lab_to_xyz, xy_to_xyz
from syntonos.core.encodings import AP1
from syntonos.core.formats.patch_table import PatchTable

A = NDArray[np.float64]
_ERROR = 0.002  # of each value: what a spectrophotometer repeats


def reading_of_table(table: PatchTable, layout: ChartLayout = CHART_24) -> ChartReading:
    """Return imported values as a reading in scene-linear AP1; D50 is adapted to its white."""
    values = table.values
    if table.kind == "rgb":
        return reading_of_values(values, layout)
    xyz = values / 100 if table.kind == "xyz" else lab_to_xyz(values, xy_to_xyz(D50))
    to_ap1 = np.linalg.inv(AP1.to_xyz) @ adaptation_matrix(D50, AP1.white, method="bradford")
    return reading_of_values(xyz @ to_ap1.T, layout)


def published_reading(layout: ChartLayout = CHART_24) -> ChartReading:
    """Return a chart's published colours as a reading."""
    return reading_of_values(reference_lin(layout), layout)


def reading_of_values(lin_ap1: A, layout: ChartLayout = CHART_24) -> ChartReading:
    """Return scene-linear AP1 values (n, 3) as a reading."""
    patches = []
    for i, row in enumerate(lin_ap1):
        r, g, b = (float(v) for v in row)
        spread = tuple(max(abs(v), 0.01) * _ERROR for v in (r, g, b))
        patches.append(PatchReading(
            i + 1, (0.0, 0.0), (r, g, b), (r, g, b), spread, 0.0, (), 1,  # type: ignore[arg-type]
        ))  # fmt: skip
    return ChartReading(
        tuple((float(x), float(y)) for x, y in places_of(layout)[_corners(layout)]), "linear/ap1",
        "full", 1, tuple(patches), None, with_neutrals(np.asarray(lin_ap1), layout),
    )  # fmt: skip


def _corners(layout: ChartLayout) -> list[int]:
    return [i - 1 for i in layout.corner_patches]
