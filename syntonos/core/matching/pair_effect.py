"""What a list of colour pairs does beside its own colours: to greys and to skin."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.chain.stages.trim import NEUTRAL, Trim
from syntonos.core.chain.trimming import through_trim
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.matching.metric import MIX, scene_delta_e
from syntonos.core.matching.prior import population, population_kinds

_GREYS = MIDDLE_GREY * 2.0 ** np.linspace(-4, 2, 13)


@dataclass(frozen=True, slots=True)
class PairEffect:
    """The most that any grey, and any skin, is moved: delta E 2000 under the ACES white."""

    greys: float
    skins: float


def effect_of_pairs(trim: Trim) -> PairEffect | None:
    """Return what a trim's pairs do to greys and skins; None where it has none.

    Skins are those of the population that stands for what is in front of cameras.
    """
    pairs = trim.in_force.pairs
    if not pairs:
        return None
    alone = replace(NEUTRAL, pairs=pairs)
    skins = population()[population_kinds() == "skins"] @ np.linalg.inv(mix_matrix(MIX)).T
    greys = np.repeat(_GREYS[:, None], 3, axis=1)
    return PairEffect(_most_moved(alone, greys), _most_moved(alone, skins))


def _most_moved(trim: Trim, lin: NDArray[np.float64]) -> float:
    return float(scene_delta_e(through_trim(trim, lin), lin, np.ones(3)).max())
