"""What fits know beforehand: how cameras of this trade differ from each other.

The numbers are learned from pairs of simulated cameras by `core.evaluate.learn`; a reading of a
chart then only has to say how this pair differs from the usual one.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

A = NDArray[np.float64]
FILE: Final = Path(__file__).with_name("prior.npz")
FAMILIES: Final = ("ordinary", "odd")  # lights


@dataclass(frozen=True, slots=True)
class Prior:
    """Mean and covariance of the model's coefficients, and of what the model leaves.

    `mean` (36,) and `cov` (36, 36): coefficients (12 terms, 3 channels), term by term.
    `patch_cov` (72, 72): of the 24 patches' remaining errors in delta E, in units of tau.
    `tau` and `tau_spread`: median and log spread of the rms error off the chart per component.
    """

    mean: A
    cov: A
    patch_cov: A
    tau: float
    tau_spread: float


@cache
def load_priors() -> dict[str, Prior]:
    """Return the priors by family of light."""
    with np.load(FILE) as data:
        return {
            name: Prior(
                data[f"{name}_mean"].astype(np.float64),
                data[f"{name}_cov"].astype(np.float64),
                data[f"{name}_patch_cov"].astype(np.float64),
                float(data[f"{name}_tau"]),
                float(data[f"{name}_tau_spread"]),
            )
            for name in FAMILIES
        }


@cache
def population() -> A:
    """Return white-balanced colours (n, 3) that stand for what is in front of cameras."""
    with np.load(FILE) as data:
        return np.asarray(data["population"], np.float64)


@cache
def population_kinds() -> NDArray[np.str_]:
    """Return what each colour of the population is: skins, foliage, saturated or other, (n,)."""
    with np.load(FILE) as data:
        return np.asarray(data["population_kind"], np.str_)
