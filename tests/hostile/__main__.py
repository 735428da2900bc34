"""`make hostile`: bad files and bad requests, and a table of both. At most ten minutes."""

import argparse
import os
import subprocess
import sys

from tests.hostile.files import tell, try_all


def main() -> int:
    parser = argparse.ArgumentParser(prog="tests.hostile", description=__doc__)
    parser.add_argument("--count", type=int, default=1500, help="files that are spoiled")
    parser.add_argument("--requests", type=int, default=6000, help="requests, about")
    parser.add_argument("--seed", type=int, default=1, help="0: another one each time")
    parser.add_argument("--places", type=int, default=1,
                        help="pipes, devices and their like for one kind in so many")  # fmt: skip
    args = parser.parse_args()
    seed = args.seed or int.from_bytes(os.urandom(3))
    print(f"seed {seed}", flush=True)
    tried, failed = try_all(seed, args.count, places=args.places)
    tell(tried, failed)
    sys.stdout.flush()
    if not args.requests:
        return 1 if any(failed.values()) else 0
    # Requests need a database of their own, which pytest makes.
    env = {**os.environ, "HOSTILE_EXAMPLES": str(max(args.requests // 150, 1)),
           "HOSTILE_SEED": str(seed)}  # fmt: skip
    ended = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "--show-capture=no",
         "--tb=no", "tests/server/test_hostile.py"], env=env, check=False,
    )  # fmt: skip
    return 1 if any(failed.values()) or ended.returncode else 0


if __name__ == "__main__":
    raise SystemExit(main())
