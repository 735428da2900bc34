"""A chain packed into a program, stage by stage."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

from syntonos.core.chain.document import Chain
from syntonos.core.chain.packing import Packer, Program
from syntonos.core.chain.stages import Locality, kind_of
from syntonos.core.errors import ChainError

__all__ = ["Program", "compile_chain", "packed"]


@lru_cache(maxsize=8)  # what a chain names goes by its content, so a program does not get stale
def compile_chain(chain: Chain) -> Program:
    """Pack a chain into a program; its arrays are only read.

    Only tables are made here, nothing is compiled: a new chain costs microseconds, and 5 ms where
    its match has roots or a smooth residual that were not seen before. The last few are kept.

    Raises
    ------
    EncodingError
        When a stage names an encoding that is not known.
    """
    return packed(chain).program()


def packed(chain: Chain) -> Packer:
    """Return a chain's opcodes with their parameters in float64; what writes CLF walks them.

    Raises
    ------
    ChainError
        chain.not_pointwise, for a stage that depends on the frame or on the pixels around.
    """
    require_pointwise(chain)
    pack = Packer()
    for stage in chain.stages:
        kind_of(stage).pack(pack, stage, chain)
    return pack


_NEEDS: Final = {
    Locality.FRAME: "changes from frame to frame",
    Locality.NEIGHBOURHOOD: "needs the pixels around each pixel",
}


def require_pointwise(chain: Chain) -> None:
    """Refuse a chain that no table of colours can hold, with the stage and the reason.

    Raises
    ------
    ChainError
        chain.not_pointwise.
    """
    for stage in chain.stages:
        locality = kind_of(stage).locality(stage)
        if locality in _NEEDS:
            place = kind_of(stage).place
            raise ChainError(
                f"The {place} {_NEEDS[locality]}: a LUT gives one colour for one colour.",
                hint=f"Leave the {place} out of the LUT; pictures, stills and dailies have it.",
                code="chain.not_pointwise",
            )  # fmt: skip
