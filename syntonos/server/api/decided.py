"""What the core decides and the page has to know: one document, written beside the schema."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any, get_args

from syntonos.core.chain.controls import CONTROLS
from syntonos.core.chain.stages import OPTIONAL_STAGES
from syntonos.core.chain.stages.trim import (
    BANDS,
    FIELDS,
    HUES,
    LEVELS,
    MOST_BETWEEN,
    NEUTRAL,
    PARTS,
)
from syntonos.core.chain.trim_maps import OF_A_STOP
from syntonos.core.chain.trimming import numbers_of
from syntonos.core.matching.tuner import SCALES, TURNED_BY
from syntonos.core.matching.verdict import LEAST_TOLD, MOST_CLIPPED, MOST_LUT_COST, MOST_LUT_ERROR
from syntonos.server.matching.probes_schemas import StageName


def decided() -> dict[str, Any]:
    """Return stages, a trim's numbers, the tuner's scales and thresholds, as plain JSON values."""
    rest = {name: value for name, value, _ in numbers_of(NEUTRAL)}
    tuner = {}
    for scale in SCALES:
        name, one = TURNED_BY[scale]
        control = CONTROLS[name]
        tuner[scale] = {
            "most": one * (control.reach[1] - rest[name]),
            "steps": [one * step for step in control.steps],
            "tolerance": one * (control.tolerance or 0.0),
        }
    return {
        "stages": {"optional": OPTIONAL_STAGES, "probed": get_args(StageName)},
        "trim": {
            "parts": PARTS, "fields": FIELDS, "neutral": asdict(NEUTRAL),
            "levels": LEVELS, "hues": HUES, "bands": BANDS,
            "most_between": MOST_BETWEEN, "log_of_a_stop": OF_A_STOP,
            "controls": {name: asdict(control) for name, control in CONTROLS.items()},
        },
        "tuner": tuner,
        "verdict": {
            "most_clipped": MOST_CLIPPED, "least_told": LEAST_TOLD, "most_lut_cost": MOST_LUT_COST,
            "most_lut_error": MOST_LUT_ERROR,
        },
    }  # fmt: skip


def as_typescript() -> str:
    """Return the document as a module whose values are types too."""
    return (
        "// Written by `make schema` from the core; not by hand.\n"
        f"export const decided = {json.dumps(decided(), indent=2)} as const;\n"
    )
