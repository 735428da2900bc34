"""`syntonos cdl`: a CDL for a box that works in a stated encoding, with its LUTs."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from syntonos.cli.charts import frames_of
from syntonos.cli.commands import read_chain_file
from syntonos.cli.output import has_place, print_readback, write_file
from syntonos.core.chain.cdl_fit import cdl_files, fit_cdl, read_back_cdl
from syntonos.core.chain.trimming import without_detail
from syntonos.core.encodings import find_encoding


def run_cdl(args: argparse.Namespace) -> int:
    """Fit a CDL to a chain, write it with the LUTs before and behind it, read all again."""
    out = Path(args.out)
    beside = {"1-before.cube": out.with_suffix(".before.cube"),
              "2-behind.cube": out.with_suffix(".behind.cube")}  # fmt: skip
    has_place(args.out, *(str(path) for path in beside.values()), beside=[args.chain])
    chain, lacks = without_detail(read_chain_file(args.chain))
    image = frames_of([args.image])[0] if args.image else None
    fit = fit_cdl(chain, args.encoding or chain.decode.encoding, image)
    files = cdl_files(fit, args.size, title=out.stem, threads=os.cpu_count() or 1)
    for name, data in files.items():
        write_file(str(beside.get(name, out)), data)
    print(f"A CDL on {find_encoding(fit.encoding).name}, full levels: alone it loses delta E "
          f"{fit.mean:.2f} in the mean, {fit.p99_9:.2f} at the 99.9th percentile.")  # fmt: skip
    if lacks:
        print(lacks)
    print("Read again with its LUTs:")
    print_readback(read_back_cdl(files, fit, chain, image))
    return 0
