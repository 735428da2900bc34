"""What every kind of stage declares of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field
from enum import Enum
from typing import TYPE_CHECKING, Any, Final

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain
    from syntonos.core.chain.packing import Packer


FIRST_VERSION: Final = 3  # of the documents that are written today


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
    since
        Of such a stage: the lowest version of the document that can say it.
    later
        Fields that came after the kind itself, with the version that brought each. Where they have
        their default they are not written, and the document keeps its older version.
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
    since: Callable[[Any], int] = lambda stage: FIRST_VERSION
    later: Mapping[str, int] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """The `kind` that a document says."""
        return str(self.cls.__dataclass_fields__["kind"].default)

    def written(self, stage: Any) -> tuple[dict[str, Any], int]:
        """Return a stage's fields as they are written, and the version that its document needs."""
        plain = asdict(stage)
        version = self.since(stage)
        for name, since in self.later.items():
            if getattr(stage, name) == self.cls.__dataclass_fields__[name].default:
                del plain[name]
            else:
                version = max(version, since)
        return plain, version
