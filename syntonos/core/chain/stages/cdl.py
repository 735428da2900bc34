"""The ASC CDL: a part of balances and looks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.packing import Node, Packer
from syntonos.core.chain.stages._strict import Triple, failure, numbers, triple


@dataclass(frozen=True, slots=True)
class Cdl:
    """ASC CDL 1.2: (in slope + offset)^power, then saturation about BT.709 luma.

    Clamped to 0..1 before and after the power as the standard has it, or not at all; negatives
    then skip the power.
    """

    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    clamp: bool = False


def read_cdl(plain: Any, place: str = "cdl") -> Cdl:
    """Read a CDL strictly.

    Raises
    ------
    ChainError
        chain.invalid for unknown fields and numbers that are none, cdl.invalid for slopes or
        saturation below zero and powers at or below it.
    """
    if not isinstance(plain, dict) or set(plain) - set(Cdl.__dataclass_fields__):
        raise failure(
            f"{place} is not understood.", f"Fields: {', '.join(Cdl.__dataclass_fields__)}"
        )
    fields: dict[str, Any] = {
        n: triple(plain[n], f"{place}.{n}") for n in ("slope", "offset", "power") if n in plain
    }
    if "saturation" in plain:
        fields["saturation"] = float(numbers(plain["saturation"], f"{place}.saturation", ()))
    if "clamp" in plain:
        fields["clamp"] = bool(plain["clamp"])
    cdl = Cdl(**fields)
    for name, bad in (
        ("slope", min(cdl.slope) < 0), ("power", min(cdl.power) <= 0),
        ("saturation", cdl.saturation < 0),
    ):  # fmt: skip
        if bad:
            raise failure(
                f"{place}.{name} is {getattr(cdl, name)}.",
                "ASC CDL 1.2 allows slopes and saturation from 0 up, powers above 0.",
                code="cdl.invalid",
            )
    return cdl


def pack_cdl(pack: Packer, cdl: Cdl) -> None:
    """Append a CDL."""
    plain = cdl.power == (1.0, 1.0, 1.0)
    pack.add(k.OP_CDL, (*cdl.slope, *cdl.offset, *cdl.power, cdl.saturation, float(cdl.clamp),
                        float(plain)), Node.CDL)  # fmt: skip
