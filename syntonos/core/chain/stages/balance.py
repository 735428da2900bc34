"""Balance: all cameras of a light alike, after the match."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final, Literal

import numpy as np

from syntonos.core.chain.stages._strict import Triple, failure, known_fields, numbers, triple
from syntonos.core.chain.stages.cdl import Cdl, read_cdl
from syntonos.core.chain.stages.kind import StageKind
from syntonos.core.chain.stages.look import CdlStep, pack_step

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer


@dataclass(frozen=True, slots=True)
class Balance:
    """All cameras of a light alike, the reference too, after the match.

    Scene-linear AP1 is multiplied by 2^stops and by `gains`; then the CDL works in ACEScct.
    """

    stops: float = 0.0
    gains: Triple = (1.0, 1.0, 1.0)
    cdl: Cdl | None = None
    kind: Literal["balance"] = "balance"


def read_balance(stage: Any) -> Balance:
    """Read a balance strictly.

    Raises
    ------
    ChainError
        For unknown fields and gains at or below zero.
    """
    known_fields(stage, {"balance": Balance}, "The balance")
    stops = float(numbers(stage.get("stops", 0.0), "balance.stops", ()))
    gains = triple(stage.get("gains", [1, 1, 1]), "balance.gains")
    if min(gains) <= 0 or abs(stops) > 20:
        raise failure("The balance has a gain at or below zero, or more than 20 stops.")
    cdl = stage.get("cdl")
    return Balance(stops, gains, None if cdl is None else read_cdl(cdl, "balance.cdl"))


def pack_balance(pack: Packer, balance: Balance, chain: Chain) -> None:
    """Append gains, and the CDL in the working log."""
    pack.affine(np.diag(np.array(balance.gains) * 2.0**balance.stops))
    if balance.cdl is not None:
        pack_step(pack, CdlStep(balance.cdl))


KIND: Final = StageKind(
    "balance", Balance, read_balance, pack_balance,
    is_invertible=lambda balance: balance.cdl is None or not balance.cdl.clamp,
)  # fmt: skip
