"""The chain document: frozen values, strict JSON in and out, and its hash.

The stages are decode, input, match, balance, look and output, in this order; match, balance and
look may be missing. Version 2 added the match's roots and smooth residual; version 3 the unit
correction, balance, look, and outputs with their tone scale in numbers. Older documents are lifted
when they are read. A document of a version that is not known is refused.
"""

from __future__ import annotations

import hashlib
import json
import math
import unicodedata
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any, Final, Literal, TypeAlias

import numpy as np

from syntonos.core.chain.colour_model import MATRIX, ROOT_3
from syntonos.core.chain.displays import find_display
from syntonos.core.chain.tone import TONE, TONE_OF_VERSION_2, ToneScale
from syntonos.core.encodings import LEVELS, find_encoding, keep_encoding
from syntonos.core.errors import ChainError

VERSION: Final = 3
_READABLE: Final = (1, 2, 3)
_MOST_LOOKS: Final = 8
_OLD_TARGETS: Final = {"rec709-tone": TONE_OF_VERSION_2, "rec709-plain": None}
WORKING_LOG: Final = "acescct/ap1"
Triple: TypeAlias = tuple[float, float, float]
_MOST_ROWS: Final = 512
IDENTITY: Final = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))


@dataclass(frozen=True, slots=True)
class Decode:
    """Stored code values to scene-linear in the camera's own gamut."""

    encoding: str
    levels: str = "full"
    kind: Literal["decode"] = "decode"


@dataclass(frozen=True, slots=True)
class Input:
    """The camera's gamut to the working space.

    `unit` multiplies linear R, G, B in the camera's gamut before: one body's own small difference
    from the camera that its encoding was published for.
    """

    working: Literal["ap1"] = "ap1"
    unit: Triple = (1.0, 1.0, 1.0)
    kind: Literal["input"] = "input"


@dataclass(frozen=True, slots=True)
class Match:
    """One camera's light brought to the reference's, all in AP1 mixed towards luminance.

    p = P lin_ap1, with P = (1 - mix) I + mix 1 l^T and l the luminance weights of AP1;
    x = (p - angle_flare) / angle_white 2^stops; y = model(x); out = y reference_white +
    reference_flare; lin_ap1 = P^-1 out. Whites have luminance one. The model is
    matrix x + roots + smooth residual, as in `colour_model`; matrix rows sum to one.

    `roots` has ten rows or none; `smooth` has a row (ln r/g, ln b/g, weights of r, g, b) for each
    of its centres.

    `clip` is the scene-linear level at which the angle's sensor clips, where it is known. Towards
    it, from three quarters of it in the smallest channel, the result blends to neutral of the same
    luminance: what is clipped has no colour that could be matched.
    """

    angle_flare: Triple = (0.0, 0.0, 0.0)
    angle_white: Triple = (1.0, 1.0, 1.0)
    stops: float = 0.0
    matrix: tuple[Triple, Triple, Triple] = IDENTITY
    reference_white: Triple = (1.0, 1.0, 1.0)
    reference_flare: Triple = (0.0, 0.0, 0.0)
    mix: float = 0.2
    clip: float | None = None
    roots: tuple[Triple, ...] = ()
    smooth: tuple[tuple[float, float, float, float, float], ...] = ()
    kind: Literal["match"] = "match"

    @property
    def is_affine(self) -> bool:
        """Whether it is a matrix and offsets alone."""
        return not self.roots and not self.smooth


@dataclass(frozen=True, slots=True)
class Cdl:
    """ASC CDL 1.2: (in slope + offset)^power, then saturation about BT.709 luma.

    Clamped to 0..1 before and after the power as the standard has it, or not at all; negatives
    then skip the power.
    """

    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    clamp: bool = False


@dataclass(frozen=True, slots=True)
class Balance:
    """All cameras of a light alike, the reference too, after the match.

    Scene-linear AP1 is multiplied by 2^stops and by `gains`; then the CDL works in ACEScct.
    """

    stops: float = 0.0
    gains: Triple = (1.0, 1.0, 1.0)
    cdl: Cdl | None = None
    kind: Literal["balance"] = "balance"


@dataclass(frozen=True, slots=True)
class CdlStep:
    """A CDL on values of an encoding."""

    cdl: Cdl = Cdl()
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


@dataclass(frozen=True, slots=True)
class Output:
    """Scene-linear to a display, clamped to what it shows.

    With a tone scale, or plain: clipped at white. `compression` is the strength 0..1 of the ACES
    reference gamut compression before it.
    """

    display: str = "rec709"
    tone: ToneScale | None = TONE
    compression: float = 0.0
    kind: Literal["output"] = "output"


@dataclass(frozen=True, slots=True)
class AcesOutput:
    """Scene-linear to a display by an ACES output transform, done by OpenColorIO."""

    display: str = "rec709"
    version: Literal["1.3", "2.0"] = "2.0"
    compression: float = 0.0
    kind: Literal["output-aces"] = "output-aces"


@dataclass(frozen=True, slots=True)
class EncodingOutput:
    """Scene-linear to stored code values of an encoding, unclamped."""

    encoding: str
    levels: str = "full"
    kind: Literal["output-encoding"] = "output-encoding"


DisplayOutput: TypeAlias = Output | AcesOutput
AnyOutput: TypeAlias = DisplayOutput | EncodingOutput
PLAIN: Final = Output(tone=None)
NAMED_OUTPUTS: Final[dict[str, Output]] = {"rec709-tone": Output(), "rec709-plain": PLAIN}


@dataclass(frozen=True, slots=True)
class Chain:
    """All that happens to a clip between its code values and the output."""

    decode: Decode
    output: AnyOutput
    input: Input = Input()
    match: Match | None = None
    balance: Balance | None = None
    look: Look | None = None

    def to(self, output: AnyOutput) -> Chain:
        """Return the same chain with another output."""
        return replace(self, output=output)

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
    maybe = (chain.match, chain.balance, chain.look)
    stages = [chain.decode, chain.input, *(s for s in maybe if s is not None), chain.output]
    plain = json.loads(json.dumps([asdict(stage) for stage in stages]))
    out = {"syntonos": "chain", "version": VERSION, "stages": plain}
    own = {slug: find_encoding(slug).definition for slug in chain.encodings}
    if written := {slug: d.to_json() for slug, d in own.items() if d is not None}:
        out["encodings"] = written
    return out


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
    if not isinstance(raw, list) or len(raw) > _MOST_LOOKS:
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
            f"{' and '.join(map(str, _READABLE))} can be read.",
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
    order = ["decode", "input", "match", "balance", "look", "output"]
    places = [order.index(kind) for kind in kinds]
    missing = set(order) - set(kinds) - {"match", "balance", "look"}
    if places != sorted(set(places)) or missing:
        raise _fail(
            f"The stages are {kinds}.",
            "They are decode, input, match, balance, look and output, in this order; match, "
            "balance and look may be missing.",
        )
    return Chain(**{stage.kind.split("-")[0]: stage for stage in stages})


def _number(value: float) -> str:
    """Write a number as ECMAScript does, which RFC 8785 asks for."""
    if not math.isfinite(value):
        raise _fail("A chain holds a number that is not finite.", _HINT)
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


def chain_hash(chain: Chain) -> str:
    """Return the sha256 of the document's canonical form, as hexadecimal.

    Source: RFC 8785 (canonical JSON), with strings in NFC and -0 written as 0.
    """
    return hashlib.sha256(_canonical(chain_to_json(chain)).encode()).hexdigest()
