"""Speed as ratios, each pair measured in turns in one run: `name ratio=0.21 limit=0.25 ok`."""

import statistics
import time
from collections.abc import Callable

import numpy as np
import simplejpeg

from syntonos.core.chain import PLAIN, Chain, Decode, Match, Output, compile_chain, run
from syntonos.core.chain.engine import to_bytes
from syntonos.core.scopes import count_scopes
from tests.opencolorio import plain_chain

ROUNDS = 15
SLUG = "s-log3/s-gamut3.cine"
MATCH = Match(
    angle_flare=(0.001, 0.001, 0.001), angle_white=(1.1, 1.0, 0.85), stops=0.3,
    matrix=((1.1, -0.12, 0.02), (0.03, 0.94, 0.03), (-0.02, -0.05, 1.07)),
)  # fmt: skip
CHAIN = Chain(Decode(SLUG), PLAIN, match=MATCH)


def ratio(ours: Callable[[], object], theirs: Callable[[], object]) -> float:
    """Return the median of the ratios of pairs, after one warm-up of each."""
    ours(), theirs()
    found = []
    for _ in range(ROUNDS):
        times = []
        for work in (ours, theirs):
            start = time.perf_counter()
            work()
            times.append(time.perf_counter() - start)
        found.append(times[0] / times[1])
    return statistics.median(found)


def report(name: str, value: float, limit: float) -> None:
    print(f"{name} ratio={value:.3f} limit={limit} {'ok' if value <= limit else 'short'}")


def main() -> None:
    rng = np.random.default_rng(1)
    frame = rng.uniform(0.1, 0.7, (540, 960, 3)).astype(np.float32)
    program, cpu = compile_chain(CHAIN), plain_chain(SLUG, MATCH)
    out = np.empty_like(frame)

    def theirs() -> None:
        np.copyto(out, frame)
        cpu.applyRGB(out)

    chain = ratio(lambda: run(program, frame), theirs)
    report("exact_chain_960x540_vs_opencolorio_lossless", chain, 0.5)

    smooth = np.repeat(np.repeat(rng.uniform(0.2, 0.6, (54, 96, 3)), 10, 0), 10, 1)
    picture = (smooth + rng.normal(0, 0.004, smooth.shape)).astype(np.float32)
    tone = compile_chain(CHAIN.to(Output()))
    ready = to_bytes(run(tone, picture))

    def jpeg(data: np.ndarray) -> bytes:
        return bytes(simplejpeg.encode_jpeg(data, quality=90, colorsubsampling="444"))

    def draft() -> None:
        disp = run(tone, picture)
        jpeg(to_bytes(disp))
        count_scopes(disp)

    def parts() -> None:
        run(tone, picture)
        jpeg(ready)

    report("draft_with_scopes_and_jpeg_vs_chain_and_jpeg", ratio(draft, parts), 1.4)


if __name__ == "__main__":
    main()
