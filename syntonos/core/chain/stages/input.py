"""Input: the camera's gamut to the working space, with one body's own correction."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final, Literal

import numpy as np

from syntonos.core.chain.stages._strict import Triple, failure, triple
from syntonos.core.chain.stages.kind import StageKind
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer


@dataclass(frozen=True, slots=True)
class Input:
    """The camera's gamut to the working space.

    `unit` multiplies linear R, G, B in the camera's gamut before: one body's own small difference
    from the camera that its encoding was published for.
    """

    working: Literal["ap1"] = "ap1"
    unit: Triple = (1.0, 1.0, 1.0)
    kind: Literal["input"] = "input"


def read_input(stage: Mapping[str, Any]) -> Input:
    """Read an input strictly."""
    values = dict(stage)
    if values.get("working", "ap1") != "ap1":
        raise failure(f"Working space {values['working']!r} is not known.", "Say ap1.")
    if "unit" in values:
        values["unit"] = triple(values["unit"], "input.unit")
        if min(values["unit"]) <= 0:
            raise failure("input.unit has a gain at or below zero.")
    return Input(**values)


def pack_input(pack: Packer, stage: Input, chain: Chain) -> None:
    """Append the matrix from the gamut of the chain's decode, its columns times the gains."""
    gamut = find_encoding(chain.decode.encoding).gamut
    pack.affine(gamut_matrix(gamut, AP1) * np.array(stage.unit))


KIND: Final = StageKind("input", Input, read_input, pack_input)
