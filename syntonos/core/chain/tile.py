"""The tile that the compiled loops work on: three planes of 512 values."""

from __future__ import annotations

from typing import Any

from syntonos.core._jit import jit

TILE = 512


@jit
def load(x: Any, pixels: Any) -> None:
    """Take pixels (n, 3) apart into planes; flat, so that the compiler sees even strides."""
    row, red, green, blue = pixels.reshape(pixels.size), x[0], x[1], x[2]
    for i in range(pixels.shape[0]):
        red[i], green[i], blue[i] = row[3 * i], row[3 * i + 1], row[3 * i + 2]


@jit
def store(x: Any, pixels: Any) -> None:
    """Put planes together into pixels (n, 3)."""
    row, red, green, blue = pixels.reshape(pixels.size), x[0], x[1], x[2]
    for i in range(pixels.shape[0]):
        row[3 * i], row[3 * i + 1], row[3 * i + 2] = red[i], green[i], blue[i]
