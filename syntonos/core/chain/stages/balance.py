"""Balance: all cameras of a light alike, after the match."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final, Literal

import numpy as np

from syntonos.core.chain.stages._strict import (
    Triple,
    failure,
    known_fields,
    number,
    numbers,
    triple,
)
from syntonos.core.chain.stages.cdl import Cdl, read_cdl
from syntonos.core.chain.stages.kind import StageKind
from syntonos.core.chain.stages.look import CdlStep, pack_step
from syntonos.core.chain.white import MOST_TINT, MOST_WARMTH, white_shift

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer


@dataclass(frozen=True, slots=True)
class Balance:
    """All cameras of a light alike, the reference too, after the match.

    Scene-linear AP1 is multiplied by 2^stops and its white moved by `warmth` (mired) and `tint`
    (Duv x 1000), as `chain.white` does; then the CDL works in ACEScct. `gains` are what balances
    before version 7 had instead: factors of the channels.
    """

    stops: float = 0.0
    gains: Triple = (1.0, 1.0, 1.0)
    cdl: Cdl | None = None
    warmth: float = 0.0
    tint: float = 0.0
    kind: Literal["balance"] = "balance"


def read_balance(stage: Any) -> Balance:
    """Read a balance strictly.

    Raises
    ------
    ChainError
        For unknown fields and gains at or below zero; balance.range for more than 400 mired or 60
        of tint either way.
    """
    known_fields(stage, {"balance": Balance}, "The balance")
    stops = float(numbers(stage.get("stops", 0.0), "balance.stops", ()))
    gains = triple(stage.get("gains", [1, 1, 1]), "balance.gains")
    if min(gains) <= 0 or abs(stops) > 20:
        raise failure("The balance has a gain at or below zero, or more than 20 stops.")
    warmth, tint = (number(stage.get(n, 0.0), f"balance.{n}") for n in ("warmth", "tint"))
    if not (abs(warmth) <= MOST_WARMTH and abs(tint) <= MOST_TINT):
        raise failure(
            f"A balance of {warmth:g} mired and a tint of {tint:g} was asked for.",
            f"Up to {MOST_WARMTH:g} mired and {MOST_TINT:g} of tint are taken.", "balance.range",
        )  # fmt: skip
    cdl = stage.get("cdl")
    own = None if cdl is None else read_cdl(cdl, "balance.cdl")
    return Balance(stops, gains, own, warmth, tint)


def pack_balance(pack: Packer, balance: Balance, chain: Chain) -> None:
    """Append gains, and the CDL in the working log."""
    white = np.array(white_shift(balance.warmth, balance.tint))
    pack.affine(white * np.array(balance.gains) * 2.0**balance.stops)
    if balance.cdl is not None:
        pack_step(pack, CdlStep(balance.cdl))


KIND: Final = StageKind(
    "balance", Balance, read_balance, pack_balance,
    is_invertible=lambda balance: balance.cdl is None or not balance.cdl.clamp,
    later={"warmth": 7, "tint": 7},
)  # fmt: skip
