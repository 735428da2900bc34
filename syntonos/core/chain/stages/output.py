"""Outputs: scene-linear light to a display, or to code values of an encoding."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final, Literal, TypeAlias

import numpy as np

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.displays import Display, find_display
from syntonos.core.chain.packing import Node, Packer
from syntonos.core.chain.stages._strict import encoded, failure, known_fields, numbers, share
from syntonos.core.chain.stages.kind import Locality, StageKind
from syntonos.core.chain.tone import TONE, ToneScale
from syntonos.core.encodings import AP1, GAMUTS, find_encoding, gamut_matrix
from syntonos.core.errors import ChainError

if TYPE_CHECKING:
    from syntonos.core.chain.document import Chain


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
_OUTPUTS: Final[dict[str, type[Any]]] = {
    "output": Output, "output-aces": AcesOutput, "output-encoding": EncodingOutput,
}  # fmt: skip


def _read_tone(plain: Any, peak: float) -> ToneScale | None:
    if plain is None:
        return None
    names = set(ToneScale.__dataclass_fields__)
    if not isinstance(plain, dict) or set(plain) - names:
        raise failure(
            "output.tone is not understood.", f"Its fields are {', '.join(sorted(names))}."
        )
    tone = ToneScale(**{n: numbers(v, f"output.tone.{n}", ()) for n, v in plain.items()})
    tone.check(peak)
    return tone


def read_output(stage: Any) -> AnyOutput:
    """Read an output strictly.

    Raises
    ------
    ChainError, EncodingError
        For unknown kinds, displays, encodings and fields, and tone scales that are none.
    """
    cls = known_fields(stage, _OUTPUTS, "The output")
    values = dict(stage)
    if cls is EncodingOutput:
        if "encoding" not in values:
            raise failure("The output names no encoding.")
        return EncodingOutput(**encoded(values, "The output"))
    display = find_display(str(values.get("display", "rec709")))
    if "compression" in values:
        values["compression"] = share(values["compression"], "output.compression")
    if cls is AcesOutput:
        if values.get("version", "2.0") not in ("1.3", "2.0"):
            raise failure(f"ACES {values['version']!r} is not known.", "Say 1.3 or 2.0.")
        return AcesOutput(**values)
    values["tone"] = _read_tone(values["tone"], display.peak) if "tone" in values else display.tone
    return Output(**values)


def pack_output(pack: Packer, output: AnyOutput, chain: Chain) -> None:
    """Append the output; a look that ends in a LUT to a display has made it already."""
    shown_by_look = chain.look.display if chain.look is not None else None
    if shown_by_look is not None:
        _shown(pack, find_display(shown_by_look), output)
    elif isinstance(output, EncodingOutput):
        target = find_encoding(output.encoding)
        pack.affine(gamut_matrix(AP1, target.gamut))
        pack.curve(target.curve, output.levels, inverse=False)
    else:
        _show(pack, output)


def _compress(pack: Packer, strength: float) -> None:
    """Append the gamut compression, where it has a strength."""
    if strength > 0:
        pack.add(k.OP_COMPRESS, (*_COMPRESSION, strength))


def _show(pack: Packer, output: DisplayOutput) -> None:
    """Scene-linear AP1 to a display."""
    _compress(pack, output.compression)
    if isinstance(output, AcesOutput):
        pack.affine(gamut_matrix(AP1, GAMUTS["ap0"]))
        pack.host(output, Node.NONE)
        pack.clamp(0.0, 1.0)
        return
    display = find_display(output.display)
    pack.affine(gamut_matrix(AP1, display.gamut))
    pack.note("display light")
    if output.tone is None:
        pack.clamp(0.0, display.peak)
    else:
        pack.add(k.OP_TONE, output.tone.packed(display.peak), Node.CURVE)
    _light(pack, display)


def _light(pack: Packer, display: Display) -> None:
    """Display light to the display's code values."""
    if display.to_signal:
        pack.add(k.OP_SCENE_LIGHT, display.to_signal)
    pack.curve(display.curve, "full", inverse=False)


def _shown(pack: Packer, display: Display, output: AnyOutput) -> None:
    """Code values of one display, which a look has made, to what the output is."""
    if isinstance(output, EncodingOutput) or display.system_gamma:
        raise ChainError(
            f"The look ends in a LUT to {display.name}: nothing scene-linear is left.",
            hint="Take that LUT out of the look for this file.", code="look.ends",
        )  # fmt: skip
    target = find_display(output.display)
    pack.clamp(0.0, 1.0)
    if target == display:
        return
    pack.curve(display.curve, "full", inverse=True)
    pack.affine(gamut_matrix(display.gamut, target.gamut))
    pack.clamp(0.0, target.peak)
    _light(pack, target)


def _compression() -> tuple[float, ...]:
    """Return thresholds, scales, power and its root of the reference gamut compression.

    Source: ACES 1.3, reference gamut compression: limits 1.147, 1.264, 1.312, thresholds 0.815,
    0.803, 0.880, power 1.2, for cyan, magenta and yellow distances in AP1.
    """
    limit, threshold = np.array([1.147, 1.264, 1.312]), np.array([0.815, 0.803, 0.880])
    power = 1.2
    span = limit - threshold
    scale = span / (((1 - threshold) / span) ** -power - 1) ** (1 / power)
    return (*threshold, *scale, power, 1 / power)


_COMPRESSION = _compression()


KINDS: Final = (
    StageKind("output", Output, read_output, pack_output, is_invertible=lambda output: False),
    StageKind(
        "output", AcesOutput, read_output, pack_output, is_invertible=lambda output: False,
        locality=lambda output: Locality.HOSTED,
    ),
    StageKind("output", EncodingOutput, read_output, pack_output),
)  # fmt: skip
