"""The kinds of stages, one module each: fields, strict reader, opcodes, CLF, locality.

The order of the stages stands here and nowhere else.
"""

from __future__ import annotations

from typing import Any, Final, Literal, get_args

from syntonos.core.chain.stages import balance, decode, input, look, match, output, trim
from syntonos.core.chain.stages.kind import Locality, StageKind

_ALL: Final = (
    decode.KIND,
    input.KIND,
    match.KIND,
    trim.KIND,
    balance.KIND,
    look.KIND,
    *output.KINDS,
)
# By the `kind` that a document says.
KINDS: Final[dict[str, StageKind]] = {kind.name: kind for kind in _ALL}
# The stages in signal order, and which of them may be missing.
STAGES: Final = tuple(dict.fromkeys(kind.place for kind in _ALL))
OptionalStage = Literal["match", "trim", "balance", "look"]
OPTIONAL_STAGES: Final[tuple[OptionalStage, ...]] = get_args(OptionalStage)


def kind_of(stage: Any) -> StageKind:
    """Return what a stage's kind declares."""
    return KINDS[stage.kind]


__all__ = [
    "KINDS",
    "OPTIONAL_STAGES",
    "STAGES",
    "Locality",
    "OptionalStage",
    "StageKind",
    "kind_of",
]
