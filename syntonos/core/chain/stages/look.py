"""Look: a short list of CDLs and LUTs over everything."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final, Literal, TypeAlias

import numpy as np

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.displays import find_display
from syntonos.core.chain.packing import Node, Packer
from syntonos.core.chain.stages._strict import encoded, failure, known_fields, share
from syntonos.core.chain.stages.cdl import Cdl, pack_cdl, read_cdl
from syntonos.core.chain.stages.kind import Locality, StageKind
from syntonos.core.chain.tables import LookTable, find_table
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain

WORKING_LOG: Final = "acescct/ap1"
PLAIN_CDL: Final = Cdl()
_MOST_LOOKS: Final = 8


@dataclass(frozen=True, slots=True)
class CdlStep:
    """A CDL on values of an encoding."""

    cdl: Cdl = PLAIN_CDL
    encoding: str = WORKING_LOG
    levels: str = "full"
    mix: float = 1.0
    kind: Literal["cdl"] = "cdl"


@dataclass(frozen=True, slots=True)
class LutStep:
    """A 1D or 3D LUT, by the sha256 of its values, on values of an encoding.

    It gives back values of the same encoding, or those of a display (`to`): then it is the last
    step of a look, and an output of that display adds nothing to it.
    """

    sha256: str
    encoding: str = WORKING_LOG
    levels: str = "full"
    to: str | None = None  # a display's slug
    mix: float = 1.0
    kind: Literal["lut"] = "lut"


LookStep: TypeAlias = CdlStep | LutStep


@dataclass(frozen=True, slots=True)
class Look:
    """A short ordered list over everything."""

    steps: tuple[LookStep, ...] = ()
    kind: Literal["look"] = "look"

    @property
    def display(self) -> str | None:
        """The display that its last step, a LUT, leads to; None where the output does."""
        last = self.steps[-1] if self.steps else None
        return last.to if isinstance(last, LutStep) else None


_STEPS: Final[dict[str, type[Any]]] = {"cdl": CdlStep, "lut": LutStep}


def read_look(stage: Any) -> Look:
    """Read a look strictly.

    Raises
    ------
    ChainError, EncodingError
        For unknown fields, more steps than eight, a LUT to a display that is not the last step.
    """
    known_fields(stage, {"look": Look}, "The look")
    raw = stage.get("steps", [])
    if not isinstance(raw, list | tuple) or len(raw) > _MOST_LOOKS:
        raise failure("The look's steps are not understood.", f"At most {_MOST_LOOKS} steps.")
    steps: list[LookStep] = []
    for i, plain in enumerate(raw):
        place = f"Step {i + 1} of the look"
        cls = known_fields(plain, _STEPS, place)
        values = encoded(dict(plain), place)
        if "mix" in values:
            values["mix"] = share(values["mix"], f"{place}: mix")
        if cls is CdlStep:
            values["cdl"] = read_cdl(values.get("cdl", {}), f"{place}: cdl")
            steps.append(CdlStep(**values))
            continue
        if not isinstance(values.get("sha256"), str):
            raise failure(f"{place} names no LUT.")
        if values.get("to") is not None:
            find_display(values["to"])
            if i < len(raw) - 1 or values.get("mix", 1.0) != 1.0:
                raise failure(
                    f"{place} is a LUT to a display.",
                    "It must be the last step, wholly mixed in: nothing scene-linear is left.",
                )
        steps.append(LutStep(**values))
    return Look(tuple(steps))


def pack_look(pack: Packer, look: Look, chain: Chain) -> None:
    """Append the steps, in order."""
    for step in look.steps:
        pack_step(pack, step)


def pack_step(pack: Packer, step: LookStep) -> None:
    """One step of a look, in its encoding and back; a LUT to a display stays there."""
    encoding = find_encoding(step.encoding)
    pack.affine(gamut_matrix(AP1, encoding.gamut))
    pack.curve(encoding.curve, step.levels, inverse=False)
    table = find_table(step.sha256) if isinstance(step, LutStep) else None
    if table is not None and table.clf:
        pack.note("lut")
        pack.host(table.sha256, Node.OWN if step.mix == 1 else Node.CUBE, step.mix)
    else:
        if step.mix < 1:
            pack.keep()
        if isinstance(step, CdlStep):
            pack_cdl(pack, step.cdl)
        elif table is not None:
            _pack_lut(pack, table)
        if step.mix < 1:
            pack.blend(step.mix)
    if isinstance(step, LutStep) and step.to is not None:
        return
    pack.curve(encoding.curve, step.levels, inverse=True)
    pack.affine(gamut_matrix(encoding.gamut, AP1))


def _pack_lut(pack: Packer, table: LookTable) -> None:
    low, high = np.array(table.low), np.array(table.high)
    if (low != 0).any() or (high != 1).any():
        pack.affine(np.diag(1 / (high - low)), -low / (high - low))
    pack.note("lut")
    place = (pack.table(table.values), float(len(table.values)))
    if table.is_3d:
        pack.add(k.OP_LUT_3D, place)
    else:
        pack.add(k.OP_LUT_1D, place, Node.CURVE, inverse=True)


def _locality(look: Look) -> Locality:
    tables = (find_table(step.sha256) for step in look.steps if isinstance(step, LutStep))
    return Locality.HOSTED if any(table.clf for table in tables) else Locality.POINTWISE


def _is_invertible(look: Look) -> bool:
    return all(isinstance(s, CdlStep) and s.mix == 1 and not s.cdl.clamp for s in look.steps)


KIND: Final = StageKind(
    "look", Look, read_look, pack_look, locality=_locality, is_invertible=_is_invertible
)
