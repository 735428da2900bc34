"""The chain: one document from a clip's code values to the display, and the engine that runs it."""

from syntonos.core.chain.bake import LUT_SIZES, bake_lut
from syntonos.core.chain.document import (
    Chain,
    Decode,
    EncodingOutput,
    Input,
    Match,
    Output,
    chain_hash,
    chain_to_json,
    read_chain,
)
from syntonos.core.chain.engine import Program, compile_chain, run
from syntonos.core.chain.lut import apply_lut
from syntonos.core.chain.readback import ReadBack, read_back
from syntonos.core.chain.tone import TONE, ToneScale

__all__ = [
    "LUT_SIZES",
    "TONE",
    "Chain",
    "Decode",
    "EncodingOutput",
    "Input",
    "Match",
    "Output",
    "Program",
    "ReadBack",
    "ToneScale",
    "apply_lut",
    "bake_lut",
    "chain_hash",
    "chain_to_json",
    "compile_chain",
    "read_back",
    "read_chain",
    "run",
]
