"""Reading chain documents strictly: every field known, every number in its range.

Documents of older versions are lifted; one of a version that is not known is refused.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any, Final

import numpy as np

from syntonos.core.chain.colour_model import MATRIX, ROOT_3
from syntonos.core.chain.displays import find_display
from syntonos.core.chain.document import (
    STAGES,
    AcesOutput,
    AnyOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    EncodingOutput,
    Input,
    Look,
    LookStep,
    LutStep,
    Match,
    Output,
    Triple,
)
from syntonos.core.chain.tone import TONE_OF_VERSION_2, ToneScale
from syntonos.core.encodings import LEVELS, find_encoding, keep_encoding
from syntonos.core.errors import ChainError

_READABLE: Final = (1, 2, 3)
_MOST_LOOKS: Final = 8
_OLD_TARGETS: Final = {"rec709-tone": TONE_OF_VERSION_2, "rec709-plain": None}
_MOST_ROWS: Final = 512


def _fail(message: str, hint: str, code: str = "chain.invalid") -> ChainError:
    return ChainError(message, hint=hint, code=code)


_HINT = "Write the chain again with Syntonos, or mend the named place."


def _numbers(value: Any, place: str, shape: tuple[int, ...]) -> Any:
    try:
        array = np.array(value, np.float64)
    except (TypeError, ValueError):
        array = np.array(np.nan)
    if array.shape != shape or not np.isfinite(array).all():
        want = " x ".join(map(str, shape)) or "one"
        raise _fail(f"{place}: {want} finite number(s) were expected, found {value!r}.", _HINT)
    return array.tolist()


def _read_match(stage: Mapping[str, Any]) -> Match:
    fields: dict[str, Any] = {}
    for name, value in stage.items():
        place = f"match.{name}"
        if name == "matrix":
            rows = _numbers(value, place, (3, 3))
            fields[name] = tuple(tuple(row) for row in rows)
        elif name in ("roots", "smooth"):
            count = len(value) if isinstance(value, list | tuple) else -1
            if count > _MOST_ROWS or (name == "roots" and count not in (0, ROOT_3 - MATRIX)):
                raise _fail(f"{place} has {count} rows.", _HINT)
            width = 3 if name == "roots" else 5
            rows = _numbers(value, place, (count, width)) if count else []
            fields[name] = tuple(tuple(row) for row in rows)
        elif name == "clip" and value is None:
            fields[name] = None
        elif name in ("stops", "mix", "clip"):
            fields[name] = _numbers(value, place, ())
        elif name != "kind":
            fields[name] = tuple(_numbers(value, place, (3,)))
    match = Match(**fields)
    if min(match.angle_white) <= 0 or min(match.reference_white) <= 0:
        raise _fail("match: a white has a channel at or below zero.", _HINT)
    if match.clip is not None and match.clip <= 0:
        raise _fail(f"match.clip is {match.clip}, needed above 0 or null.", _HINT)
    if not 0 <= match.mix < 1:
        raise _fail(f"match.mix is {match.mix}, needed 0 to below 1.", _HINT)
    return match


_KINDS: dict[str, type[Any]] = {
    "decode": Decode, "input": Input, "match": Match, "balance": Balance, "look": Look,
    "output": Output, "output-aces": AcesOutput, "output-encoding": EncodingOutput,
}  # fmt: skip
_STEPS: dict[str, type[Any]] = {"cdl": CdlStep, "lut": LutStep}


def _known_fields(stage: Any, kinds: Mapping[str, type[Any]], place: str) -> type[Any]:
    kind = stage.get("kind") if isinstance(stage, dict) else None
    if not isinstance(kind, str) or kind not in kinds:
        raise _fail(f"{place} has kind {kind!r}.", f"Known are {', '.join(kinds)}.")
    cls = kinds[kind]
    if unknown := set(stage) - set(cls.__dataclass_fields__):
        raise _fail(f"{place} ({kind}) has unknown fields {sorted(unknown)}.", _HINT)
    return cls


def _triple(value: Any, place: str) -> Triple:
    return tuple(_numbers(value, place, (3,)))


def _share(value: Any, place: str) -> float:
    share = float(_numbers(value, place, ()))
    if not 0 <= share <= 1:
        raise _fail(f"{place} is {share:g}.", "Choose a value from 0 to 1.")
    return share


def read_cdl(plain: Any, place: str = "cdl") -> Cdl:
    """Read a CDL strictly.

    Raises
    ------
    ChainError
        chain.invalid for unknown fields and numbers that are none, cdl.invalid for slopes or
        saturation below zero and powers at or below it.
    """
    if not isinstance(plain, dict) or set(plain) - set(Cdl.__dataclass_fields__):
        raise _fail(f"{place} is not understood.", f"Fields: {', '.join(Cdl.__dataclass_fields__)}")
    fields: dict[str, Any] = {
        n: _triple(plain[n], f"{place}.{n}") for n in ("slope", "offset", "power") if n in plain
    }
    if "saturation" in plain:
        fields["saturation"] = float(_numbers(plain["saturation"], f"{place}.saturation", ()))
    if "clamp" in plain:
        fields["clamp"] = bool(plain["clamp"])
    cdl = Cdl(**fields)
    for name, bad in (
        ("slope", min(cdl.slope) < 0), ("power", min(cdl.power) <= 0),
        ("saturation", cdl.saturation < 0),
    ):  # fmt: skip
        if bad:
            raise _fail(
                f"{place}.{name} is {getattr(cdl, name)}.",
                "ASC CDL 1.2 allows slopes and saturation from 0 up, powers above 0.",
                code="cdl.invalid",
            )
    return cdl


def _encoded(values: dict[str, Any], place: str) -> dict[str, Any]:
    """Check encoding and levels of a stage or step."""
    if "encoding" in values:
        values["encoding"] = find_encoding(str(values["encoding"])).slug
    if values.get("levels", "full") not in LEVELS:
        raise _fail(f"{place} has levels {values['levels']!r}.", "Say full or legal.")
    return values


def _read_tone(plain: Any, peak: float) -> ToneScale | None:
    if plain is None:
        return None
    names = set(ToneScale.__dataclass_fields__)
    if not isinstance(plain, dict) or set(plain) - names:
        raise _fail("output.tone is not understood.", f"Its fields are {', '.join(sorted(names))}.")
    tone = ToneScale(**{n: _numbers(v, f"output.tone.{n}", ()) for n, v in plain.items()})
    tone.check(peak)
    return tone


def read_output(stage: Any) -> AnyOutput:
    """Read an output strictly.

    Raises
    ------
    ChainError, EncodingError
        For unknown kinds, displays, encodings and fields, and tone scales that are none.
    """
    outputs = {k: v for k, v in _KINDS.items() if k.startswith("output")}
    cls = _known_fields(stage, outputs, "The output")
    values = dict(stage)
    if cls is EncodingOutput:
        if "encoding" not in values:
            raise _fail("The output names no encoding.", _HINT)
        return EncodingOutput(**_encoded(values, "The output"))
    display = find_display(str(values.get("display", "rec709")))
    if "compression" in values:
        values["compression"] = _share(values["compression"], "output.compression")
    if cls is AcesOutput:
        if values.get("version", "2.0") not in ("1.3", "2.0"):
            raise _fail(f"ACES {values['version']!r} is not known.", "Say 1.3 or 2.0.")
        return AcesOutput(**values)
    values["tone"] = _read_tone(values["tone"], display.peak) if "tone" in values else display.tone
    return Output(**values)


def read_look(stage: Any) -> Look:
    """Read a look strictly.

    Raises
    ------
    ChainError, EncodingError
        For unknown fields, more steps than eight, a LUT to a display that is not the last step.
    """
    _known_fields(stage, {"look": Look}, "The look")
    raw = stage.get("steps", [])
    if not isinstance(raw, list | tuple) or len(raw) > _MOST_LOOKS:
        raise _fail("The look's steps are not understood.", f"At most {_MOST_LOOKS} steps.")
    steps: list[LookStep] = []
    for i, plain in enumerate(raw):
        place = f"Step {i + 1} of the look"
        cls = _known_fields(plain, _STEPS, place)
        values = _encoded(dict(plain), place)
        if "mix" in values:
            values["mix"] = _share(values["mix"], f"{place}: mix")
        if cls is CdlStep:
            values["cdl"] = read_cdl(values.get("cdl", {}), f"{place}: cdl")
            steps.append(CdlStep(**values))
            continue
        if not isinstance(values.get("sha256"), str):
            raise _fail(f"{place} names no LUT.", _HINT)
        if values.get("to") is not None:
            find_display(values["to"])
            if i < len(raw) - 1 or values.get("mix", 1.0) != 1.0:
                raise _fail(
                    f"{place} is a LUT to a display.",
                    "It must be the last step, wholly mixed in: nothing scene-linear is left.",
                )
        steps.append(LutStep(**values))
    return Look(tuple(steps))


def read_balance(stage: Any) -> Balance:
    """Read a balance strictly.

    Raises
    ------
    ChainError
        For unknown fields and gains at or below zero.
    """
    _known_fields(stage, {"balance": Balance}, "The balance")
    stops = float(_numbers(stage.get("stops", 0.0), "balance.stops", ()))
    gains = _triple(stage.get("gains", [1, 1, 1]), "balance.gains")
    if min(gains) <= 0 or abs(stops) > 20:
        raise _fail("The balance has a gain at or below zero, or more than 20 stops.", _HINT)
    cdl = stage.get("cdl")
    return Balance(stops, gains, None if cdl is None else read_cdl(cdl, "balance.cdl"))


def _read_stage(stage: Any, place: int) -> Any:
    cls = _known_fields(stage, _KINDS, f"Stage {place}")
    if cls is Match:
        return _read_match(stage)
    if cls is Balance:
        return read_balance(stage)
    if cls is Look:
        return read_look(stage)
    if cls in (Output, AcesOutput, EncodingOutput):
        return read_output(stage)
    values = dict(stage)
    if cls is Decode:
        if "encoding" not in values:
            raise _fail("The chain does not say how its clip is encoded.", _HINT)
        return Decode(**_encoded(values, f"Stage {place}"))
    if values.get("working", "ap1") != "ap1":
        raise _fail(f"Working space {values['working']!r} is not known.", "Say ap1.")
    if "unit" in values:
        values["unit"] = _triple(values["unit"], "input.unit")
        if min(values["unit"]) <= 0:
            raise _fail("input.unit has a gain at or below zero.", _HINT)
    return Input(**values)


def _lifted(stage: Any) -> Any:
    """Bring a stage of before version 3 to today's form."""
    if isinstance(stage, dict) and stage.get("kind") == "output":
        target = stage.get("target", "rec709-tone")
        if set(stage) - {"kind", "target"} or target not in _OLD_TARGETS:
            raise _fail(f"There is no output {target!r}.", f"Known: {', '.join(_OLD_TARGETS)}.")
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
        raise _fail("This is not a chain document.", 'It needs "syntonos": "chain".')
    version = document.get("version")
    if version not in _READABLE:
        raise _fail(
            f"This chain document has version {version!r}; versions "
            f"{min(_READABLE)} to {max(_READABLE)} can be read.",
            "Open it with the Syntonos that wrote it, or update this one.",
            code="chain.version",
        )
    raw = document.get("stages")
    if not isinstance(raw, list):
        raise _fail("The chain has no list of stages.", _HINT)
    own = document.get("encodings", {})
    if not isinstance(own, dict):
        raise _fail("The chain's own encodings are not understood.", _HINT)
    for slug, plain in own.items():
        if not isinstance(plain, dict) or keep_encoding(plain).slug != slug:
            raise _fail(f"The encoding {slug} is not what its name says.", _HINT)
    if version < 3:
        raw = [_lifted(stage) for stage in raw]
    stages = [_read_stage(stage, i + 1) for i, stage in enumerate(raw)]
    kinds = [stage.kind.split("-")[0] for stage in stages]
    places = [STAGES.index(kind) for kind in kinds]
    missing = set(STAGES) - set(kinds) - {"match", "balance", "look"}
    if places != sorted(set(places)) or missing:
        raise _fail(
            f"The stages are {kinds}.",
            f"They are {', '.join(STAGES)}, in this order; match, balance and look may be missing.",
        )
    return Chain(**{stage.kind.split("-")[0]: stage for stage in stages})
