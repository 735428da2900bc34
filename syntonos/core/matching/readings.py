"""Readings brought into the space of the fits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.engine import mix_matrix
from syntonos.core.charts import CHART_24, ChartReading
from syntonos.core.charts.layout import reference_lin
from syntonos.core.charts.reading import GLARE
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.matching.metric import MIX
from syntonos.core.matching.rounds import Readings

A = NDArray[np.float64]


def working(reading: ChartReading) -> A:
    """Return a reading's patches (n, 3) in scene-linear AP1."""
    return reading.lin_rgb @ gamut_matrix(find_encoding(reading.encoding).gamut, AP1).T


def mixed_cov(reading: ChartReading) -> A:
    """Return the covariances (n, 3, 3) of the patches' means in mixed AP1."""
    mat = mix_matrix(MIX) @ gamut_matrix(find_encoding(reading.encoding).gamut, AP1)
    own = np.array([p.mean_cov for p in reading.patches])
    return np.asarray(mat @ own @ mat.T, np.float64)


@dataclass(frozen=True, slots=True)
class ColourPair:
    """A colour off the chart that both cameras saw: areas of a costume, a wall, skin."""

    angle: tuple[float, float, float]  # scene-linear AP1
    reference: tuple[float, float, float]
    weight: float = 1.0


def readings_of(
    reference: ChartReading,
    angle: ChartReading,
    used: Sequence[int],
    weights: Mapping[int, float] | None = None,
    pairs: Sequence[ColourPair] = (),
) -> Readings:
    """Gather two readings for the rounds.

    Parameters
    ----------
    used : sequence of int
        The patches (from 0) that take part; a grey among them.
    weights : mapping, optional
        Patch to weight, 1 where it says nothing.
    pairs : sequence of ColourPair

    Raises
    ------
    FitError
        fit.no_greys when no grey patch can be used.
    """
    rows = list(used)
    mixing = mix_matrix(MIX)
    mids = [k for k, i in enumerate(rows) if i in CHART_24.mid_greys]
    mids = mids or [k for k, i in enumerate(rows) if i in CHART_24.greys]
    if not mids:
        raise FitError(
            "None of the greys (patches 19 to 24) can be used: they are clipped or left out.",
            hint="Read a frame with the chart exposed below clipping and without glare.",
            code="fit.no_greys",
        )
    nominal = (reference_lin() @ AP1.to_xyz[1])[[rows[k] for k in mids]]
    suspects = frozenset(
        k for k, i in enumerate(rows)
        if GLARE in (*reference.patches[i].flags, *angle.patches[i].flags)
    )  # fmt: skip
    # A pair's areas are not flat: one per cent of spread is taken for granted.
    spots = [np.array([getattr(p, side) for p in pairs]).reshape(-1, 3) @ mixing.T
             for side in ("angle", "reference")]  # fmt: skip
    spot_cov = [np.einsum("ni,nj,ij->nij", s, s, np.eye(3)) * 1e-4 for s in spots]
    weight = [(weights or {}).get(i, 1.0) for i in rows] + [p.weight for p in pairs]
    place = [(i % 6 / 5 - 0.5, i // 6 / 3 - 0.5) for i in rows] + [(0.0, 0.0)] * len(pairs)
    return Readings(
        np.concatenate([working(angle)[rows] @ mixing.T, spots[0]]),
        np.concatenate([working(reference)[rows] @ mixing.T, spots[1]]),
        np.concatenate([mixed_cov(angle)[rows], spot_cov[0]]),
        np.concatenate([mixed_cov(reference)[rows], spot_cov[1]]),
        np.array(place), np.array(rows + [-1] * len(pairs)), mids, nominal, np.array(weight),
        suspects,
    )  # fmt: skip
