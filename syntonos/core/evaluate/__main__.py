"""`python -m syntonos.core.evaluate`: the table of docs/matching.md, from simulated cameras."""

from __future__ import annotations

import argparse
import json
import sys
from dataclasses import asdict
from pathlib import Path

from syntonos.core.evaluate.cases import CLASSES, OTHERS, draw_cases
from syntonos.core.evaluate.judge import HEADINGS, best_plain, judge_all, table

# Development may look at the first as often as it likes; the other is for a release.
_SEEDS = {"development": 200_000, "held-back": 7_000_000}


def main() -> int:
    """Run the cases and print the table."""
    parser = argparse.ArgumentParser(prog="evaluate", description=__doc__)
    parser.add_argument("--per-class", type=int, default=20)
    parser.add_argument("--seeds", choices=sorted(_SEEDS), default="development")
    parser.add_argument("--only", help="one class")
    parser.add_argument("--other-charts", action="store_true", help="than the one of 24 patches")
    parser.add_argument("--json", metavar="FILE", help="write every case's numbers")
    args = parser.parse_args()
    classes = OTHERS if args.other_charts else CLASSES
    cases = draw_cases(args.per_class, _SEEDS[args.seeds], classes)
    if args.only:
        cases = [c for c in cases if c.name == args.only]

    def tell(done: int, of: int) -> None:
        print(f"\r{done} of {of} cases", end="", file=sys.stderr, flush=True)

    verdicts = judge_all(cases, tell)
    print(file=sys.stderr)
    if args.json:
        Path(args.json).write_text(json.dumps([asdict(v) for v in verdicts]), "utf-8")
    rows = [HEADINGS, *table(verdicts)]
    for row in rows:
        print(f"{row[0]:<20}" + "".join(f"{cell:>9}" for cell in row[1:]))
    print(f"the best single plain method: {best_plain(verdicts)}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
