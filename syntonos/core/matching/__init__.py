"""Matching: from two chart readings to the match of one camera to the reference."""

from syntonos.core.matching.fit import FitOptions, MatchFit, PatchResidual, fit_match
from syntonos.core.matching.levels import LevelsCheck, check_levels
from syntonos.core.matching.report import fit_to_json, reading_from_json, reading_to_json

__all__ = [
    "FitOptions",
    "LevelsCheck",
    "MatchFit",
    "PatchResidual",
    "check_levels",
    "fit_match",
    "fit_to_json",
    "reading_from_json",
    "reading_to_json",
]
