"""Readings and fits as plain JSON, for reports, the database and the API."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, fields
from typing import Any

import numpy as np

from syntonos.core.charts import CHART_24, ChartLayout, ChartReading, PatchReading
from syntonos.core.matching.fit import MatchFit
from syntonos.core.matching.scene_fit import Clusters, SceneFit


def reading_to_json(reading: ChartReading) -> dict[str, Any]:
    """Return a reading as JSON values."""
    plain = asdict(reading)
    plain["corners"] = [list(c) for c in reading.corners]
    plain["layout"] = {
        k: list(v) if isinstance(v, tuple) else v for k, v in asdict(reading.layout).items()
    }
    plain["patches"] = [
        {k: list(v) if isinstance(v, tuple) else v for k, v in asdict(p).items()}
        for p in reading.patches
    ]
    return plain


def reading_from_json(plain: Mapping[str, Any]) -> ChartReading:
    """Return the reading that `reading_to_json` wrote."""
    patches = tuple(
        PatchReading(
            index=int(p["index"]),
            centre=tuple(p["centre"]),
            code_rgb=tuple(p["code_rgb"]),
            lin_rgb=tuple(p["lin_rgb"]),
            spread=tuple(p["spread"]),
            error=float(p["error"]),
            flags=tuple(p["flags"]),
            count=int(p.get("count", 100)),
            correlation=tuple(p.get("correlation", (0.0, 0.0, 0.0))),
            rounding=tuple(p.get("rounding", (0.0, 0.0, 0.0))),
            noise=tuple(p["noise"]) if p.get("noise") else None,
        )
        for p in plain["patches"]
    )
    corners = tuple((float(x), float(y)) for x, y in plain["corners"])
    return ChartReading(
        corners, plain["encoding"], plain["levels"], int(plain["frames"]), patches,
        plain.get("clip"), _layout(plain.get("layout")),
    )  # fmt: skip


def _layout(plain: Mapping[str, Any] | None) -> ChartLayout:
    if plain is None:
        return CHART_24  # readings of before other charts were read
    nominal = plain["nominal"]
    return ChartLayout(
        plain["slug"], plain["name"], tuple(plain["columns_at"]), tuple(plain["rows_at"]),
        tuple(plain["names"]), tuple(plain["greys"]), tuple(plain["mid_greys"]),
        tuple(plain["skins"]), None if nominal is None else tuple(tuple(v) for v in nominal),
        float(plain["sample_half"]),
    )  # fmt: skip


def fit_to_json(fit: MatchFit) -> dict[str, Any]:
    """Return a fit's evidence as JSON values; the match itself stands in the chain document."""
    plain = asdict(fit)
    plain["stops"] = fit.match.stops
    plain["match"].pop("kind")
    plain["levels"] = {
        who: asdict(check) for who, check in zip(("reference", "angle"), fit.levels, strict=True)
    }
    plain["residuals"] = [asdict(r) for r in fit.residuals]
    plain["advice"] = [asdict(a) for a in fit.advice]
    plain["models"] = [asdict(m) for m in fit.models]
    plain["warnings"] = list(fit.warnings)
    plain["pairs"] = list(fit.pairs)
    if fit.steadied is None:
        del plain["steadied"]
    return plain


def colours_to_json(colours: Clusters) -> dict[str, Any]:
    """Return colours of a scene as JSON values, to six digits."""
    return {
        f.name: np.vectorize(lambda v: float(f"{v:.6g}"))(getattr(colours, f.name)).tolist()
        for f in fields(colours)
    }  # fmt: skip


def colours_from_json(plain: Mapping[str, Any]) -> Clusters:
    """Return the colours that `colours_to_json` wrote."""
    return Clusters(*(np.array(plain[f.name], np.float64) for f in fields(Clusters)))


def scene_fit_to_json(fit: SceneFit) -> dict[str, Any]:
    """Return the evidence of a match without a chart, under the names that a chart's has."""
    expected = fit.expected
    match = asdict(fit.match)
    match.pop("kind")
    return {
        "match": match, "stops": fit.match.stops, "before": fit.before,
        "white_only": fit.white_only, "after": fit.after, "left_one_out": fit.left_out,
        "expected": expected.mean, "expected_low": expected.low, "expected_high": expected.high,
        "expected_kinds": {"seen": asdict(fit.seen), "unseen": asdict(fit.unseen)},
        "clusters": fit.clusters, "set_aside": fit.aside, "fall_off": list(fit.fall_off),
        "advice": list(fit.advice),
    }  # fmt: skip
