"""The chain as the API says it: unions over the core's own dataclasses, told apart by `kind`.

What comes in is read by the core's strict readers first: unknown fields and numbers out of range
are refused there, with the core's own codes and hints, and defaults come from there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from functools import partial
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import BeforeValidator, Field

from syntonos.core.chain import read_balance, read_look, read_output, read_trim
from syntonos.core.chain.document import (
    AcesOutput,
    Balance,
    Decode,
    EncodingOutput,
    Input,
    Look,
    Match,
    Output,
    Trim,
)
from syntonos.core.encodings.own import Definition, read_definition


def _read_by(reader: Callable[[Any], Any]) -> BeforeValidator:
    return BeforeValidator(
        lambda plain: asdict(reader(plain)) if isinstance(plain, dict) else plain
    )


# Of the outputs only displays: `checked_outputs` says so of an encoding in words of its own.
OutputStage = Annotated[
    Output | AcesOutput | EncodingOutput, Field(discriminator="kind"), _read_by(read_output)
]
DisplayStage = Annotated[Output | AcesOutput, Field(discriminator="kind"), _read_by(read_output)]
LookStage = Annotated[Look, _read_by(read_look)]
OwnDefinition = Annotated[Definition, _read_by(read_definition)]
# A sum too, as chains hold it; what may be kept is said where it is kept.
TrimStage = Annotated[Trim, _read_by(partial(read_trim, is_sum=True))]
BalanceStage = Annotated[Balance, _read_by(read_balance)]
AnyStage = Annotated[
    Decode | Input | Match | Trim | Balance | Look | Output | AcesOutput | EncodingOutput,
    Field(discriminator="kind"),
]


class ChainDocument(Schema):
    """A chain document (docs/formats.md)."""

    syntonos: Literal["chain"]
    version: int
    stages: list[AnyStage] = Field(max_length=16)
    # Users' own encodings that the stages name, by slug, as `core.encodings.own` writes them.
    encodings: dict[str, OwnDefinition] = Field(default_factory=dict)
