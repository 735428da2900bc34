"""Matching: from two chart readings to the match of one camera to the reference."""

from syntonos.core.matching.fit import FitOptions, MatchFit, ModelChoice, PatchResidual, fit_match
from syntonos.core.matching.levels import LevelsCheck, LevelsChoice, check_levels, choose_levels
from syntonos.core.matching.models import AVERAGED, MODEL_NAMES, MODEL_WORDS, MODELS, WHITE
from syntonos.core.matching.readings import ColourPair
from syntonos.core.matching.report import fit_to_json, reading_from_json, reading_to_json

__all__ = [
    "AVERAGED",
    "MODELS",
    "MODEL_NAMES",
    "MODEL_WORDS",
    "WHITE",
    "ColourPair",
    "FitOptions",
    "LevelsCheck",
    "LevelsChoice",
    "MatchFit",
    "ModelChoice",
    "PatchResidual",
    "check_levels",
    "choose_levels",
    "fit_match",
    "fit_to_json",
    "reading_from_json",
    "reading_to_json",
]
