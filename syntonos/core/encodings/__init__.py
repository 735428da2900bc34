"""Encodings: how a camera stores light. A curve together with a gamut, and the curve's levels."""

from syntonos.core.encodings.curves import CURVES, Curve, decode, encode
from syntonos.core.encodings.gamuts import AP1, GAMUTS, Gamut, gamut_matrix
from syntonos.core.encodings.levels import (
    LEGAL_OFFSET,
    LEGAL_SCALE,
    LEVELS,
    levels_scale_offset,
    put_levels_on,
    take_levels_off,
)
from syntonos.core.encodings.own import Definition, LogCamera
from syntonos.core.encodings.registry import (
    ENCODINGS,
    Encoding,
    ask_for_missing,
    camera_candidates,
    find_encoding,
    keep_encoding,
)

__all__ = [
    "AP1",
    "CURVES",
    "ENCODINGS",
    "GAMUTS",
    "LEGAL_OFFSET",
    "LEGAL_SCALE",
    "LEVELS",
    "Curve",
    "Definition",
    "Encoding",
    "Gamut",
    "LogCamera",
    "ask_for_missing",
    "camera_candidates",
    "decode",
    "encode",
    "find_encoding",
    "gamut_matrix",
    "keep_encoding",
    "levels_scale_offset",
    "put_levels_on",
    "take_levels_off",
]
