"""`syntonos trim`: numbers of a chain's trim, by name."""

from __future__ import annotations

import argparse
import json
from dataclasses import replace

from syntonos.cli.commands import read_chain_file
from syntonos.cli.output import has_place, write_file
from syntonos.core.chain import Trim, chain_to_json
from syntonos.core.chain.trimming import numbers_of, trim_words, with_numbers
from syntonos.core.errors import ChainError


def _setting(text: str) -> tuple[str, float]:
    name, _, value = text.partition("=")
    try:
        return name.strip(), float(value)
    except ValueError:
        said = f"{text!r}: give a name, an equals sign and a number, like warmth=8"
        raise ChainError(f"--set {said}.", hint="`syntonos trim CHAIN.json --list` names them.",
                         code="trim.name") from None  # fmt: skip


def run_trim(args: argparse.Namespace) -> int:
    """List a chain's trim, or set numbers of it and write the chain."""
    has_place(args.out, beside=[args.chain])
    chain = read_chain_file(args.chain)
    trim = chain.trim or Trim()
    if args.set:
        after = with_numbers(trim, dict(_setting(text) for text in args.set))
        print(trim_words(trim, after))
        trim = after
    if args.list or not (args.set or args.out):
        for name, value, said in numbers_of(trim):
            print(f"{name:<26}{value:>10.4g}  {said}")
    if args.out:
        kept = replace(chain, trim=None if trim.is_neutral else trim)
        text = json.dumps(chain_to_json(kept), indent=1, ensure_ascii=False)
        write_file(args.out, f"{text}\n".encode())
    return 0
