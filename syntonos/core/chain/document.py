"""The chain document: frozen values, strict JSON in and out, and its hash.

The stages are decode, input, match (optional) and output, in this order. Version 2 added the
match's roots and smooth residual; version 1 has neither and is lifted when it is read. A document
of a version that is not known is refused.
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
from syntonos.core.encodings import LEVELS, find_encoding
from syntonos.core.errors import ChainError

VERSION: Final = 2
_READABLE: Final = (1, 2)
DISPLAYS: Final = ("rec709-tone", "rec709-plain")
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
    """The camera's gamut to the working space."""

    working: Literal["ap1"] = "ap1"
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
class Output:
    """Scene-linear to a display: `rec709-tone` or `rec709-plain`, both BT.1886, clamped 0..1."""

    target: str = "rec709-tone"
    kind: Literal["output"] = "output"


@dataclass(frozen=True, slots=True)
class EncodingOutput:
    """Scene-linear to stored code values of an encoding, unclamped."""

    encoding: str
    levels: str = "full"
    kind: Literal["output-encoding"] = "output-encoding"


AnyOutput: TypeAlias = Output | EncodingOutput


@dataclass(frozen=True, slots=True)
class Chain:
    """All that happens to a clip between its code values and the output."""

    decode: Decode
    output: AnyOutput
    input: Input = Input()
    match: Match | None = None

    def to(self, output: AnyOutput) -> Chain:
        """Return the same chain with another output."""
        return replace(self, output=output)


def chain_to_json(chain: Chain) -> dict[str, Any]:
    """Return the document as plain JSON values."""
    match = [asdict(chain.match)] if chain.match is not None else []
    plain = [asdict(chain.decode), asdict(chain.input), *match, asdict(chain.output)]
    return {"syntonos": "chain", "version": VERSION, "stages": json.loads(json.dumps(plain))}


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


_FIELDS: dict[str, tuple[type[Any], set[str]]] = {
    "decode": (Decode, {"encoding", "levels"}),
    "input": (Input, {"working"}),
    "match": (Match, set(Match.__dataclass_fields__) - {"kind"}),
    "output": (Output, {"target"}),
    "output-encoding": (EncodingOutput, {"encoding", "levels"}),
}


def _read_stage(stage: Any, place: int) -> Any:
    kind = stage.get("kind") if isinstance(stage, dict) else None
    if not isinstance(kind, str) or kind not in _FIELDS:
        raise _fail(f"Stage {place} has kind {kind!r}.", f"Known are {', '.join(_FIELDS)}.")
    cls, allowed = _FIELDS[kind]
    if unknown := set(stage) - allowed - {"kind"}:
        raise _fail(f"Stage {place} ({kind}) has unknown fields {sorted(unknown)}.", _HINT)
    if kind == "match":
        return _read_match(stage)
    values = {name: stage[name] for name in allowed if name in stage}
    if "encoding" in allowed:
        values["encoding"] = find_encoding(str(values.get("encoding"))).slug
        if values.get("levels", "full") not in LEVELS:
            raise _fail(f"Stage {place} has levels {values['levels']!r}.", "Say full or legal.")
    if kind == "output" and values.get("target", "rec709-tone") not in DISPLAYS:
        raise _fail(f"There is no output {values['target']!r}.", f"Known: {', '.join(DISPLAYS)}.")
    if kind == "input" and values.get("working", "ap1") != "ap1":
        raise _fail(f"Working space {values['working']!r} is not known.", "Say ap1.")
    return cls(**values)


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
    stages = [_read_stage(stage, i + 1) for i, stage in enumerate(raw)]
    kinds = [stage.kind.split("-")[0] for stage in stages]
    if kinds not in (["decode", "input", "output"], ["decode", "input", "match", "output"]):
        raise _fail(f"The stages are {kinds}.", "They are decode, input, match (optional), output.")
    return Chain(
        decode=stages[0],
        input=stages[1],
        match=stages[2] if len(stages) == 4 else None,
        output=stages[-1],
    )


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
