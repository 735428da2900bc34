"""The chain document: frozen values, as JSON, and its hash; `reading` reads it strictly.

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
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from typing import Any, Final, Literal, TypeAlias

from syntonos.core.chain.tone import TONE, ToneScale
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ChainError

VERSION: Final = 3
# The stages in signal order. Match, balance and look may be missing.
STAGES: Final = ("decode", "input", "match", "balance", "look", "output")
WORKING_LOG: Final = "acescct/ap1"
Triple: TypeAlias = tuple[float, float, float]
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
