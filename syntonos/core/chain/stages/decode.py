"""Decode: stored code values to scene-linear light in the camera's own gamut."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final, Literal

from syntonos.core.chain.stages._strict import encoded, failure
from syntonos.core.chain.stages.kind import StageKind
from syntonos.core.encodings import find_encoding

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer


@dataclass(frozen=True, slots=True)
class Decode:
    """Stored code values to scene-linear in the camera's own gamut."""

    encoding: str
    levels: str = "full"
    kind: Literal["decode"] = "decode"


def read_decode(stage: Mapping[str, Any]) -> Decode:
    """Read a decode strictly."""
    if "encoding" not in stage:
        raise failure("The chain does not say how its clip is encoded.")
    return Decode(**encoded(dict(stage), "The decode"))


def pack_decode(pack: Packer, stage: Decode, chain: Chain) -> None:
    """Append levels and curve."""
    pack.curve(find_encoding(stage.encoding).curve, stage.levels, inverse=True)


KIND: Final = StageKind("decode", Decode, read_decode, pack_decode)
