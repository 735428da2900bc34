"""The chain: one document from a clip's code values to the display, and the engine that runs it."""

from syntonos.core.chain.bake import LUT_SIZES, STORED, LutLevels, bake_lut
from syntonos.core.chain.clf import write_clf
from syntonos.core.chain.compose import AS_IN_FORCE, Overrides, Parts, compose
from syntonos.core.chain.displays import DISPLAYS, find_display
from syntonos.core.chain.document import (
    NAMED_OUTPUTS,
    PLAIN,
    AcesOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    DisplayOutput,
    EncodingOutput,
    Highlights,
    Input,
    Look,
    LutStep,
    Match,
    Output,
    Trim,
    chain_hash,
    chain_to_json,
)
from syntonos.core.chain.engine import run
from syntonos.core.chain.lut import apply_lut
from syntonos.core.chain.program import Program, compile_chain
from syntonos.core.chain.readback import ReadBack, read_back, read_back_clf
from syntonos.core.chain.reading import (
    read_balance,
    read_cdl,
    read_chain,
    read_look,
    read_output,
    read_trim,
)
from syntonos.core.chain.tables import (
    LookTable,
    ask_for_missing_tables,
    find_table,
    keep_table,
)
from syntonos.core.chain.tone import TONE, ToneScale

__all__ = [
    "AS_IN_FORCE",
    "DISPLAYS",
    "LUT_SIZES",
    "NAMED_OUTPUTS",
    "PLAIN",
    "STORED",
    "TONE",
    "AcesOutput",
    "Balance",
    "Cdl",
    "CdlStep",
    "Chain",
    "Decode",
    "DisplayOutput",
    "EncodingOutput",
    "Highlights",
    "Input",
    "Look",
    "LookTable",
    "LutLevels",
    "LutStep",
    "Match",
    "Output",
    "Overrides",
    "Parts",
    "Program",
    "ReadBack",
    "ToneScale",
    "Trim",
    "apply_lut",
    "ask_for_missing_tables",
    "bake_lut",
    "chain_hash",
    "chain_to_json",
    "compile_chain",
    "compose",
    "find_display",
    "find_table",
    "keep_table",
    "read_back",
    "read_back_clf",
    "read_balance",
    "read_cdl",
    "read_chain",
    "read_look",
    "read_output",
    "read_trim",
    "run",
    "write_clf",
]
