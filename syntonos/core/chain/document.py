"""The chain document: frozen values, as JSON, and its hash; `reading` reads it strictly.

The stages and their order are those of `stages`; match, trim, balance and look may be missing.
Version 2 added the match's roots and smooth residual; version 3 the unit correction, balance, look,
and outputs with their tone scale in numbers; version 4 the match's highlights; version 5 the trim;
version 6 its numbers over time; version 7 warmth and tint that add up (`chain.white`). Each kind of
stage says since which version it can be said, and a chain is written in the lowest version that
holds it, so that the hashes of other chains stay. Older documents are lifted when they are read. A
document of a version that is not known is refused.
"""

from __future__ import annotations

import hashlib
import json
import math
import unicodedata
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Final, TypeAlias

from syntonos.core.chain.stages import STAGES, kind_of
from syntonos.core.chain.stages._strict import Triple
from syntonos.core.chain.stages.balance import Balance
from syntonos.core.chain.stages.cdl import Cdl
from syntonos.core.chain.stages.decode import Decode
from syntonos.core.chain.stages.input import Input
from syntonos.core.chain.stages.look import WORKING_LOG, CdlStep, Look, LookStep, LutStep
from syntonos.core.chain.stages.match import IDENTITY, Highlights, Match
from syntonos.core.chain.stages.output import (
    NAMED_OUTPUTS,
    PLAIN,
    AcesOutput,
    AnyOutput,
    DisplayOutput,
    EncodingOutput,
    Output,
)
from syntonos.core.chain.stages.trim import Trim
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ChainError

__all__ = [
    "IDENTITY", "NAMED_OUTPUTS", "PLAIN", "STAGES", "VERSION", "WORKING_LOG", "AcesOutput",
    "AnyOutput", "AnyStage", "Balance", "Cdl", "CdlStep", "Chain", "Decode", "DisplayOutput",
    "EncodingOutput", "Highlights", "Input", "Look", "LookStep", "LutStep", "Match", "Output",
    "Trim", "Triple", "chain_hash", "chain_to_json",
]  # fmt: skip

VERSION: Final = 7
PLAIN_INPUT: Final = Input()
AnyStage: TypeAlias = Decode | Input | Match | Trim | Balance | Look | AnyOutput


@dataclass(frozen=True, slots=True)
class Chain:
    """All that happens to a clip between its code values and the output."""

    decode: Decode
    output: AnyOutput
    input: Input = PLAIN_INPUT
    match: Match | None = None
    trim: Trim | None = None
    balance: Balance | None = None
    look: Look | None = None

    def to(self, output: AnyOutput) -> Chain:
        """Return the same chain with another output."""
        return replace(self, output=output)

    @property
    def stages(self) -> tuple[AnyStage, ...]:
        """All stages that it has, in signal order."""
        found = (getattr(self, place) for place in STAGES)
        return tuple(stage for stage in found if stage is not None)

    @property
    def encodings(self) -> tuple[str, ...]:
        """The slugs of all encodings that it names."""
        looks = self.look.steps if self.look else ()
        last = (self.output.encoding,) if isinstance(self.output, EncodingOutput) else ()
        return (self.decode.encoding, *(step.encoding for step in looks), *last)

    @property
    def luts(self) -> tuple[str, ...]:
        """The sha256 of all LUTs that it names."""
        looks = self.look.steps if self.look else ()
        return tuple(step.sha256 for step in looks if isinstance(step, LutStep))


def chain_to_json(chain: Chain) -> dict[str, Any]:
    """Return the document as plain JSON values; users' own encodings are written out in it."""
    written = [kind_of(stage).written(stage) for stage in chain.stages]
    plain = json.loads(json.dumps([fields for fields, _ in written]))
    version = max(version for _, version in written)
    out = {"syntonos": "chain", "version": version, "stages": plain}
    own = {slug: find_encoding(slug).definition for slug in chain.encodings}
    if defined := {slug: d.to_json() for slug, d in own.items() if d is not None}:
        out["encodings"] = defined
    return out


def _number(value: float) -> str:
    """Write a number as ECMAScript does, which RFC 8785 asks for."""
    if not math.isfinite(value):
        raise ChainError(
            "A chain holds a number that is not finite.", code="chain.invalid",
            hint="Write the chain again with Syntonos, or mend the named place.",
        )  # fmt: skip
    if value == int(value) and abs(value) < 1e21:
        return str(int(value))
    mantissa, _, exponent = repr(value).partition("e")
    if not exponent:
        return mantissa
    power = int(exponent)
    if -7 < power < 0:  # 1e-05 is 0.00001 in ECMAScript
        sign, digits = ("-", mantissa[1:]) if mantissa.startswith("-") else ("", mantissa)
        return f"{sign}0.{'0' * (-power - 1)}{digits.replace('.', '')}"
    return f"{mantissa}e{'+' if power > 0 else '-'}{abs(power)}"


def _canonical(value: Any) -> str:
    if isinstance(value, dict):
        keys = sorted(value, key=lambda k: k.encode("utf-16-be"))
        items = (f"{_canonical(k)}:{_canonical(value[k])}" for k in keys)
        return "{" + ",".join(items) + "}"
    if isinstance(value, list):
        return "[" + ",".join(map(_canonical, value)) + "]"
    if isinstance(value, str):
        return json.dumps(unicodedata.normalize("NFC", value), ensure_ascii=False)
    if isinstance(value, bool) or value is None:
        return json.dumps(value)
    return _number(float(value))


@lru_cache(maxsize=256)
def chain_hash(chain: Chain) -> str:
    """Return the sha256 of the document's canonical form, as hexadecimal.

    Source: RFC 8785 (canonical JSON), with strings in NFC and -0 written as 0.
    """
    return hashlib.sha256(_canonical(chain_to_json(chain)).encode()).hexdigest()
