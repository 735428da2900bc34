"""Composing a chain: the one place where a chain comes from.

`Parts` says what is in force for a clip, `Overrides` what is looked at or written instead. The
server gathers the parts from its rows, the command line from its arguments.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Final

from syntonos.core.chain.document import (
    STAGES,
    AnyOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    Input,
    Look,
    Match,
    Output,
    Trim,
    Triple,
)
from syntonos.core.chain.stages import OPTIONAL_STAGES, OptionalStage
from syntonos.core.chain.stages.trim import added
from syntonos.core.errors import ChainError

USUAL_OUTPUT: Final = Output()
# Saturation to zero in light of BT.709's primaries: what lies outside of them shows as black.
_GREY = CdlStep(Cdl(saturation=0.0), "linear/bt709")


@dataclass(frozen=True, slots=True)
class Parts:
    """What a clip's chain is made of, each as it is in force.

    trim, clip_trim
        A camera's in its light, and what a clip adds to it.
    unit : (3,)
        Gains of linear R, G, B: one body's own difference from what its encoding says. It counts
        only where no match does, since a match was fitted to this body and has it in it.
    """

    decode: Decode
    output: AnyOutput = USUAL_OUTPUT
    unit: Triple = (1.0, 1.0, 1.0)
    match: Match | None = None
    trim: Trim | None = None
    clip_trim: Trim | None = None
    balance: Balance | None = None
    look: Look | None = None


@dataclass(frozen=True, slots=True)
class Overrides:
    """What is looked at, or written, instead of what is in force. Nothing of it is kept.

    off
        Stages that are left out.
    until
        The last stage before the output: what comes after it is left out.
    decode
        A candidate encoding. The match in force was fitted to another one and is left out, unless
        a match of its own is given.
    match, trim, clip_trim, balance, look
        A revision, or a draft, in place of the one in force. A pinned chain has one trim, which
        `trim` takes the place of.
    output
        Another output.
    grey
        Saturation to zero before the output.
    pinned
        A whole chain in place of the parts; the other overrides then act on it.
    """

    off: frozenset[OptionalStage] = field(default_factory=frozenset)
    until: str | None = None
    decode: Decode | None = None
    match: Match | None = None
    trim: Trim | None = None
    clip_trim: Trim | None = None
    balance: Balance | None = None
    look: Look | None = None
    output: AnyOutput | None = None
    grey: bool = False
    pinned: Chain | None = None


AS_IN_FORCE: Final = Overrides()


def parts_of_chain(chain: Chain) -> Parts:
    """Return the parts that a chain was composed of."""
    return Parts(
        chain.decode, chain.output, unit=chain.input.unit,
        **{name: getattr(chain, name) for name in OPTIONAL_STAGES},
    )  # fmt: skip


def compose(parts: Parts, overrides: Overrides = AS_IN_FORCE) -> Chain:
    """Return a clip's chain.

    Parameters
    ----------
    parts : Parts
        What is in force.
    overrides : Overrides
        What stands in its place; by default nothing.

    Returns
    -------
    Chain
        The body's unit correction is in it where no match is.

    Raises
    ------
    ChainError
        compose.stage, for a stage that cannot be left out or is not known; compose.pinned, for
        what a clip adds to a pinned chain, whose trim has that in it.
    """
    if overrides.pinned is not None and overrides.clip_trim is not None:
        raise ChainError(
            "A pinned chain has one trim, with what the clip added in it.", code="compose.pinned",
            hint="Give a trim in its place.",
        )  # fmt: skip
    if unknown := sorted(set(overrides.off) - set(OPTIONAL_STAGES)):
        raise ChainError(
            f"A chain has no stage {unknown[0]!r} that could be left out.", code="compose.stage",
            hint=f"Leave out {', '.join(OPTIONAL_STAGES)}.",
        )  # fmt: skip
    if overrides.until is not None and overrides.until not in STAGES:
        raise ChainError(
            f"A chain has no stage {overrides.until!r}.", code="compose.stage",
            hint=f"Stop after one of {', '.join(STAGES)}.",
        )  # fmt: skip
    base = parts if overrides.pinned is None else parts_of_chain(overrides.pinned)
    decode = overrides.decode or base.decode
    match = overrides.match or (base.match if decode == base.decode else None)
    stages = {
        "match": match,
        "trim": trim_of(base, overrides),
        "balance": overrides.balance or base.balance,
        "look": overrides.look or base.look,
    }
    last = STAGES.index(overrides.until) if overrides.until else len(STAGES)
    kept = {
        name: stage for name, stage in stages.items()
        if stage is not None and name not in overrides.off and STAGES.index(name) <= last
    }  # fmt: skip
    chain = Chain(
        decode,
        overrides.output or base.output,
        input=Input(unit=base.unit) if "match" not in kept else Input(),
        **kept,  # type: ignore[arg-type]
    )
    return _without_colour(chain) if overrides.grey else chain


def trim_of(parts: Parts, overrides: Overrides = AS_IN_FORCE) -> Trim | None:
    """Return a light's trim with what the clip adds; None where they change nothing."""
    if "trim" in overrides.off:
        return None
    light, clip = overrides.trim or parts.trim, overrides.clip_trim or parts.clip_trim
    both = added(light, clip) if light is not None and clip is not None else light or clip
    return None if both is None or both.is_neutral else both


def _without_colour(chain: Chain) -> Chain:
    steps = chain.look.steps if chain.look is not None else ()
    if chain.look is not None and chain.look.display is not None:  # its LUT has to stay the last
        return replace(chain, look=Look((*steps[:-1], _GREY, steps[-1])))
    return replace(chain, look=Look((*steps, _GREY)))
