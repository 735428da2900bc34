"""Speed as ratios, each pair measured in turns in one run: `name ratio=0.21 limit=0.25 ok`."""

import statistics
import time
from collections.abc import Callable

import numpy as np
import PyOpenColorIO as ocio
import simplejpeg

from syntonos.core.chain import Chain, Decode, Match, Output, compile_chain, run
from syntonos.core.chain.engine import match_affine, to_bytes
from syntonos.core.encodings import GAMUTS, gamut_matrix
from syntonos.core.scopes import count_scopes
from tests.library_keys import OCIO_TO_AP0

ROUNDS = 15
SLUG = "s-log3/s-gamut3.cine"
MATCH = Match(
    angle_flare=(0.001, 0.001, 0.001), angle_white=(1.1, 1.0, 0.85), stops=0.3,
    matrix=((1.1, -0.12, 0.02), (0.03, 0.94, 0.03), (-0.02, -0.05, 1.07)),
)  # fmt: skip
CHAIN = Chain(Decode(SLUG), Output("rec709-plain"), match=MATCH)


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


def _affine(mat: np.ndarray, offset: object = (0.0, 0.0, 0.0)) -> ocio.MatrixTransform:
    full = np.eye(4)
    full[:3, :3] = mat
    return ocio.MatrixTransform(full.ravel().tolist(), [*map(float, offset), 0.0])


def opencolorio() -> ocio.CPUProcessor:
    """The same chain in OpenColorIO, float, without its lossy optimisations."""
    to_ap1 = ocio.BuiltinTransform("ACEScg_to_ACES2065-1")
    to_ap1.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    gamma = ocio.ExponentTransform([2.4, 2.4, 2.4, 1.0])
    gamma.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    group = ocio.GroupTransform(
        [ocio.BuiltinTransform(OCIO_TO_AP0[SLUG]), to_ap1, _affine(*match_affine(MATCH)),
         _affine(gamut_matrix(GAMUTS["ap1"], GAMUTS["bt709"])),
         ocio.RangeTransform(0.0, 1.0, 0.0, 1.0), gamma]
    )  # fmt: skip
    return (
        ocio.Config.CreateRaw()
        .getProcessor(group)
        .getOptimizedCPUProcessor(
            ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS
        )
    )


def main() -> None:
    rng = np.random.default_rng(1)
    frame = rng.uniform(0.1, 0.7, (540, 960, 3)).astype(np.float32)
    program, cpu = compile_chain(CHAIN), opencolorio()
    out = np.empty_like(frame)

    def theirs() -> None:
        np.copyto(out, frame)
        cpu.applyRGB(out)

    chain = ratio(lambda: run(program, frame), theirs)
    report("exact_chain_960x540_vs_opencolorio_lossless", chain, 0.5)

    smooth = np.repeat(np.repeat(rng.uniform(0.2, 0.6, (54, 96, 3)), 10, 0), 10, 1)
    picture = (smooth + rng.normal(0, 0.004, smooth.shape)).astype(np.float32)
    tone = compile_chain(CHAIN.to(Output("rec709-tone")))
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
