"""Curve levels: whether a curve's 0..1 is the whole code scale or its 64..940 part."""

from __future__ import annotations

from typing import Final, TypeVar

import numpy as np
from numpy.typing import NDArray

from syntonos.core.errors import EncodingError

A = TypeVar("A", NDArray[np.float32], NDArray[np.float64])

LEVELS: Final = ("full", "legal")
# Black and white of legal levels in 10 bit, and what they are of the code scale.
LEGAL_BLACK, LEGAL_WHITE, TOP_CODE = 64, 940, 1023
LEGAL_OFFSET: Final = LEGAL_BLACK / TOP_CODE
LEGAL_SCALE: Final = (LEGAL_WHITE - LEGAL_BLACK) / TOP_CODE


def levels_scale_offset(levels: str) -> tuple[float, float]:
    """Return (scale, offset) of ``stored = scale v + offset``.

    Legal: (64 + 876 v) / 1023 at any depth of these still formats.

    Raises
    ------
    EncodingError
        When the levels are neither "full" nor "legal".

    Source: ITU-R BT.709-6, item 5.6, quantisation of 10-bit signals.
    """
    if levels == "full":
        return 1.0, 0.0
    if levels == "legal":
        return LEGAL_SCALE, LEGAL_OFFSET
    raise EncodingError(
        f"Levels {levels!r} are not known.", hint="Say 'full' or 'legal'.", code="levels.unknown"
    )


def take_levels_off(code_rgb: A, levels: str) -> A:
    """Turn stored code values (...) into the curve's own 0..1, dtype of the input.

    Raises
    ------
    EncodingError
        When the levels are not known.
    """
    scale, offset = levels_scale_offset(levels)
    return ((code_rgb - offset) / scale).astype(code_rgb.dtype)


def put_levels_on(log_rgb: A, levels: str) -> A:
    """Turn curve values (of any shape) into stored code: the inverse of `take_levels_off`."""
    scale, offset = levels_scale_offset(levels)
    return (log_rgb * scale + offset).astype(log_rgb.dtype)
