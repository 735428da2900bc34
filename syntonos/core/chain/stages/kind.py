"""What every kind of stage declares of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import Enum
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer


class Locality(Enum):
    """What a stage needs to know of a pixel's surroundings."""

    POINTWISE = "pointwise"  # the pixel alone: it fuses with others and can be baked
    FRAME = "frame"  # the number of the frame too
    NEIGHBOURHOOD = "neighbourhood"  # the pixels around
    HOSTED = "hosted"  # the pixel alone, but done by the host library between opcodes


@dataclass(frozen=True, slots=True)
class StageKind:
    """One kind of stage.

    place
        Which of STAGES it stands for; several kinds may, as the outputs do.
    cls
        Its frozen dataclass, with a `kind`.
    read
        From plain JSON values; strict.
    pack
        Its opcodes, appended to a packer, each with the CLF node that says it (`packing.Node`);
        the chain is there for what its neighbours are.
    locality
        Of such a stage.
    is_invertible
        Whether light after it can be led back to light before it.
    at
        Of a stage that depends on the frame: the pointwise stage that it is at a frame's number.
    area, margin
        Of one that needs its neighbourhood, after its opcodes: what makes of pixels (h, w, 3) as
        many, which it may write over, and how many pixels around a region it needs; both are told
        the frame's width.
    """

    place: str
    cls: type[Any]
    read: Callable[[Mapping[str, Any]], Any]
    pack: Callable[[Packer, Any, Chain], None]
    locality: Callable[[Any], Locality] = lambda stage: Locality.POINTWISE
    is_invertible: Callable[[Any], bool] = lambda stage: True
    at: Callable[[Any, int], Any] = lambda stage, number: stage
    area: Callable[[Any, NDArray[np.float32], int], NDArray[np.float32]] | None = None
    margin: Callable[[Any, int], int] = lambda stage, width: 0

    @property
    def name(self) -> str:
        """The `kind` that a document says."""
        return str(self.cls.__dataclass_fields__["kind"].default)
