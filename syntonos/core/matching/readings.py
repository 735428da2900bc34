"""Readings brought into the space of the fits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import chroma_place
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.charts import CHART_24, ChartLayout, ChartReading
from syntonos.core.charts.layout import place_on
from syntonos.core.charts.reading import GLARE
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.matching.bayes import PAIR, SCENE
from syntonos.core.matching.metric import MIX
from syntonos.core.matching.rounds import Readings
from syntonos.core.matching.scene_fit import Clusters, mixed

A = NDArray[np.float64]
_TOP_GREY = 0.9


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
    scene: Clusters | None = None,
) -> Readings:
    """Gather two readings for the rounds.

    Parameters
    ----------
    used : sequence of int
        The patches (from 0) that take part; a grey among them.
    weights : mapping, optional
        Patch to weight, 1 where it says nothing.
    pairs : sequence of ColourPair
    scene : Clusters, optional
        Colours of a scene that both cameras saw in the chart's light.

    Raises
    ------
    FitError
        fit.no_greys when no grey patch can be used.
    """
    rows = list(used)
    mixing = mix_matrix(MIX)
    layout = reference.layout
    mids = [k for k, i in enumerate(rows) if i in layout.mid_greys]
    mids = mids or [k for k, i in enumerate(rows) if i in layout.greys]
    if not mids:
        named = ", ".join(str(i + 1) for i in layout.greys[:8]) or "none was found"
        raise FitError(
            f"None of the greys (patches {named}) can be used: they are clipped or left out.",
            hint="Read a frame with the chart exposed below clipping and without glare.",
            code="fit.no_greys",
        )
    nominal = grey_luminance(reference)[[rows[k] for k in mids]]
    suspects = frozenset(
        k for k, i in enumerate(rows)
        if GLARE in (*reference.patches[i].flags, *angle.patches[i].flags)
    )  # fmt: skip
    # A pair's areas are not flat: one per cent of spread is taken for granted.
    spots = [np.array([getattr(p, side) for p in pairs]).reshape(-1, 3) @ mixing.T
             for side in ("angle", "reference")]  # fmt: skip
    spot_cov = [np.einsum("ni,nj,ij->nij", s, s, np.eye(3)) * 1e-4 for s in spots]
    weight = [(weights or {}).get(i, 1.0) for i in rows] + [p.weight for p in pairs]
    place = np.concatenate([where_lit(layout, rows), np.zeros((len(pairs), 2))])
    chart = Readings(
        np.concatenate([working(angle)[rows] @ mixing.T, spots[0]]),
        np.concatenate([working(reference)[rows] @ mixing.T, spots[1]]),
        np.concatenate([mixed_cov(angle)[rows], spot_cov[0]]),
        np.concatenate([mixed_cov(reference)[rows], spot_cov[1]]),
        place, np.array(rows + [PAIR] * len(pairs)), mids, nominal, np.array(weight), suspects,
        is_learned(layout),
    )  # fmt: skip
    return chart if scene is None else _beside(chart, scene)


def _beside(chart: Readings, scene: Clusters) -> Readings:
    """Return readings of a chart with a scene's colours after them."""
    want, got, count = mixed(scene.reference), mixed(scene.angle), len(scene.count)
    noise = want[:, :, None] * scene.spread * want[:, None, :]

    def after(name: str, more: A) -> A:
        return np.concatenate([getattr(chart, name), more])

    return replace(
        chart, angle=after("angle", got), reference=after("reference", want),
        angle_cov=after("angle_cov", np.zeros_like(noise)),
        reference_cov=after("reference_cov", noise), place=after("place", np.zeros((count, 2))),
        patches=np.concatenate([chart.patches, np.full(count, SCENE)]),
        weight=after("weight", np.ones(count)),
    )  # fmt: skip


def where_lit(layout: ChartLayout, rows: Sequence[int]) -> A:
    """Return where patches are on the chart (n, 2), -0.5..0.5, for what light does over it.

    Of a chart of which less than half is left, they are counted from the middle of that: greys of
    one row could not tell light that changes across the rows from exposure.
    """
    places = place_on(layout)
    few = len(rows) < len(layout.names) / 2
    return np.asarray(places[rows] - (places[rows].mean(axis=0) if few else 0), np.float64)


def spread_out(
    reference: ChartReading, used: list[int], most: int = 64, most_greys: int = 14
) -> list[int]:
    """Return at most so many patches that are as different from each other as can be.

    More of them say little more, and take time with their number's cube. Those that do not take
    part are still judged. Greys come first, one of each level.
    """
    if len(used) <= most:
        return used
    lin = working(reference)
    light = np.maximum(lin @ AP1.to_xyz[1], 1e-6)
    white = np.median(lin[list(reference.layout.mid_greys)], axis=0)
    place = np.column_stack([0.3 * np.log2(light), chroma_place(np.maximum(lin / white, 1e-4))])
    greys = [i for i in used if i in reference.layout.greys]
    chosen = greys[:1] or used[:1]
    for pool, count in ((greys, most_greys), (used, most)):
        while len(chosen) < min(count, len(pool)):
            rest = [i for i in pool if i not in chosen]
            gap = np.linalg.norm(place[rest][:, None] - place[chosen][None], axis=2).min(axis=1)
            chosen.append(rest[int(np.argmax(gap))])
    return sorted(chosen)


def is_learned(layout: ChartLayout) -> bool:
    """Say whether the prior knows this chart's patches: how they err, and together with which."""
    return layout.names == CHART_24.names


def grey_luminance(reading: ChartReading) -> A:
    """Return the patches' luminances (n,), white 1: published, or as the reading's greys say.

    Without published values the lightest usable grey is taken for a reflectance of 0.9: that sets
    what 100 per cent means, and nothing else depends on it.
    """
    layout = reading.layout
    if layout.nominal is not None:
        return np.asarray(np.array(layout.nominal) @ AP1.to_xyz[1], np.float64)
    light = working(reading) @ AP1.to_xyz[1]
    usable = [i for i in layout.greys if reading.patches[i].is_usable] or list(layout.greys)
    top = max((float(light[i]) for i in usable), default=float(light.max()))
    return np.asarray(light / max(top, 1e-9) * _TOP_GREY, np.float64)
