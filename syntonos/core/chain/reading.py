"""Reading chain documents strictly: every field known, every number in its range.

Each kind of stage has its own reader. Documents of older versions are lifted; one of a version that
is not known is refused.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Final

from syntonos.core.chain.document import VERSION, Chain
from syntonos.core.chain.old_white import lifted_trim
from syntonos.core.chain.stages import KINDS, OPTIONAL_STAGES, STAGES, kind_of
from syntonos.core.chain.stages._strict import failure, known_fields
from syntonos.core.chain.stages.balance import read_balance
from syntonos.core.chain.stages.cdl import read_cdl
from syntonos.core.chain.stages.look import read_look
from syntonos.core.chain.stages.output import read_output
from syntonos.core.chain.stages.trim import WHITE_THAT_ADDS, read_trim
from syntonos.core.chain.tone import TONE_OF_VERSION_2
from syntonos.core.encodings import keep_encoding

__all__ = ["read_balance", "read_cdl", "read_chain", "read_look", "read_output", "read_trim"]

_READABLE: Final = tuple(range(1, VERSION + 1))
_OLD_TARGETS: Final = {"rec709-tone": TONE_OF_VERSION_2, "rec709-plain": None}


def _read_stage(stage: Any, place: int) -> Any:
    known_fields(stage, {name: kind.cls for name, kind in KINDS.items()}, f"Stage {place}")
    return KINDS[stage["kind"]].read(stage)


def _lifted(stage: Any, version: int) -> Any:
    """Bring a stage of an older document to today's form."""
    if version < WHITE_THAT_ADDS and isinstance(stage, dict) and stage.get("kind") == "trim":
        return lifted_trim(stage)
    if version < 3 and isinstance(stage, dict) and stage.get("kind") == "output":
        target = stage.get("target", "rec709-tone")
        if set(stage) - {"kind", "target"} or target not in _OLD_TARGETS:
            raise failure(f"There is no output {target!r}.", f"Known: {', '.join(_OLD_TARGETS)}.")
        tone = _OLD_TARGETS[target]
        return {"kind": "output", "display": "rec709", "tone": tone and asdict(tone)}
    return stage


def read_chain(document: Any) -> Chain:
    """Read a chain document strictly.

    Parameters
    ----------
    document : object
        Parsed JSON.

    Raises
    ------
    ChainError
        For another kind of document, an unknown version ("chain.version"), unknown stages or
        fields, numbers that are missing or not finite, or stages out of order.
    EncodingError
        For an encoding that is not known.
    """
    if not isinstance(document, dict) or document.get("syntonos") != "chain":
        raise failure("This is not a chain document.", 'It needs "syntonos": "chain".')
    version = document.get("version")
    if version not in _READABLE:
        raise failure(
            f"This chain document has version {version!r}; versions "
            f"{min(_READABLE)} to {max(_READABLE)} can be read.",
            "Open it with the Syntonos that wrote it, or update this one.",
            code="chain.version",
        )
    raw = document.get("stages")
    if not isinstance(raw, list):
        raise failure("The chain has no list of stages.")
    own = document.get("encodings", {})
    if not isinstance(own, dict):
        raise failure("The chain's own encodings are not understood.")
    for slug, plain in own.items():
        if not isinstance(plain, dict) or keep_encoding(plain).slug != slug:
            raise failure(f"The encoding {slug} is not what its name says.")
    raw = [_lifted(stage, version) for stage in raw]
    stages = [_read_stage(stage, i + 1) for i, stage in enumerate(raw)]
    kinds = [kind_of(stage).place for stage in stages]
    places = [STAGES.index(kind) for kind in kinds]
    missing = set(STAGES) - set(kinds) - set(OPTIONAL_STAGES)
    if places != sorted(set(places)) or missing:
        raise failure(
            f"The stages are {kinds}.",
            f"They are {', '.join(STAGES)}, in this order; "
            f"{', '.join(OPTIONAL_STAGES)} may be missing.",
        )
    return Chain(**dict(zip(kinds, stages, strict=True)))
