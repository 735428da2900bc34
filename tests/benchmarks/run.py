"""Speed as ratios, each pair measured in turns in one run: `name ratio=0.21 limit=0.25 ok`."""

import itertools
import os
import statistics
import subprocess
import sys
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import replace
from functools import partial
from io import BytesIO
from pathlib import Path
from unittest.mock import patch

import django
import numpy as np
import simplejpeg

from syntonos.core.chain import (
    PLAIN,
    Cdl,
    Chain,
    Decode,
    Match,
    Output,
    Trim,
    apply_lut,
    bake_lut,
    compile_chain,
    run,
)
from syntonos.core.chain.compose import Overrides, parts_of_chain
from syntonos.core.chain.engine import to_bytes
from syntonos.core.chain.stages.match import match_affine
from syntonos.core.chain.stages.trim import ColourPair, HueTrim, LevelTrim
from syntonos.core.encodings import AP1, GAMUTS, find_encoding, gamut_matrix
from syntonos.core.formats import Cube, write_cube
from syntonos.core.media.source import About
from syntonos.core.viewing import SCOPES, Asked, Subject
from tests.opencolorio import cube_file, plain_chain

ROUNDS = 15
SLUG = "s-log3/s-gamut3.cine"
MATCH = Match(
    angle_flare=(0.001, 0.001, 0.001), angle_white=(1.1, 1.0, 0.85), stops=0.3,
    matrix=((1.1, -0.12, 0.02), (0.03, 0.94, 0.03), (-0.02, -0.05, 1.07)),
)  # fmt: skip
CHAIN = Chain(Decode(SLUG), PLAIN, match=MATCH)


def ratio(ours: Callable[[], object], theirs: Callable[[], object], rounds: int = ROUNDS) -> float:
    """Return the median of the ratios of pairs, after one warm-up of each."""
    ours(), theirs()
    found = []
    for _ in range(rounds):
        times = []
        for work in (ours, theirs):
            start = time.perf_counter()
            work()
            times.append(time.perf_counter() - start)
        found.append(times[0] / times[1])
    return statistics.median(found)


def report(name: str, value: float, limit: float) -> None:
    print(f"{name} ratio={value:.3f} limit={limit} {'ok' if value <= limit else 'short'}")


def numpy_chain(code: np.ndarray) -> np.ndarray:
    """The same chain as plain numpy would do it, in float32."""
    curve, gamut = find_encoding(SLUG).curve, find_encoding(SLUG).gamut
    a, b, c, d, e, f, _, cut = (np.float32(v) for v in curve.params)
    lin = np.where(code >= cut, (np.exp2((code - d) / a) - c) / b, (code - f) / e)
    mat, shift = match_affine(MATCH)
    lin = lin @ gamut_matrix(gamut, AP1).T.astype(np.float32)
    lin = lin @ mat.T.astype(np.float32) + shift.astype(np.float32)
    lin = lin @ gamut_matrix(AP1, GAMUTS["bt709"]).T.astype(np.float32)
    return np.clip(lin, 0, 1) ** np.float32(1 / 2.4)


def bench_chain(frame: np.ndarray) -> None:
    program, cpu = compile_chain(CHAIN), plain_chain(SLUG, MATCH)
    out = np.empty_like(frame)

    def theirs() -> None:
        np.copyto(out, frame)
        cpu.applyRGB(out)

    report("exact_chain_960x540_vs_opencolorio_lossless",
           ratio(lambda: run(program, frame), theirs), 0.25)  # fmt: skip


def bench_threads(frame: np.ndarray) -> None:
    """Two threads against one, while the machine has two cores to give.

    Virtual cores are two real ones at times and one at others: threads that share nothing tell,
    before and after each pair. All rounds are printed too.
    """
    program = compile_chain(CHAIN)
    parts = [frame[:90].copy(), frame[90:180].copy()]

    def alone(part: np.ndarray) -> None:
        for _ in range(3):
            run(program, part)

    with ThreadPoolExecutor(2) as pool:

        def machine() -> float:
            return ratio(lambda: list(pool.map(alone, parts)),
                         lambda: [alone(part) for part in parts], rounds=1)  # fmt: skip

        engine, control = [], [machine()]
        for _ in range(60):
            engine.append(ratio(lambda: run(program, frame, threads=2),
                                lambda: run(program, frame), rounds=1))  # fmt: skip
            control.append(machine())
    free = [e for e, *around in zip(engine, control, control[1:], strict=False)
            if max(around) <= 1 / 1.6]  # fmt: skip
    if free:
        report("two_threads_vs_one", statistics.median(free), 1 / 1.6)
    print(f"# two cores were free in {len(free)} of {len(engine)} rounds; in all of them "
          f"{statistics.median(engine):.3f}, of threads that share nothing "
          f"{statistics.median(control):.3f}")  # fmt: skip


def bench_drafts(picture: np.ndarray) -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
    django.setup()
    from syntonos.server.rendering import pictures

    class Held:
        """A source whose frame is at hand."""

        about = About("held", "held", picture.shape[1], picture.shape[0])
        read = staticmethod(lambda frame, width: picture)
        clipped = staticmethod(lambda code, encoding, levels: np.zeros(code.shape, bool))

    chain = CHAIN.to(Output())
    tone, hdr = compile_chain(chain), CHAIN.to(Output("rec2100-pq-1000"))
    ready = to_bytes(run(tone, picture))

    def message(chain: Chain, mark: str = "") -> bytes:
        # What the Bench is sent, whole; the frame is at hand.
        asked = Asked(0, 960, mark=mark, scopes=SCOPES)
        subject = Subject(Held(), parts_of_chain(chain))
        return pictures.draft_message(subject, Overrides(), asked, sequence=1)

    hands = itertools.count()

    def draft() -> None:
        # Under the hand each is another chain.
        moved = replace(MATCH, stops=MATCH.stops + next(hands) * 1e-6)
        message(replace(chain, match=moved))

    def parts() -> None:
        run(tone, picture)
        simplejpeg.encode_jpeg(ready, quality=90, colorsubsampling="444")

    with patch.multiple(pictures, THREADS=1):
        report("draft_with_scopes_vs_chain_and_jpeg", ratio(draft, parts), 1.3)
        report("draft_in_pq_vs_draft", ratio(lambda: message(hdr), draft), 2.0)
        marked = ratio(lambda: message(chain, "gamut"), draft)
        report("draft_with_gamut_marks_vs_draft", marked, 3.0)
        whole = replace(chain, trim=whole_trim())
        soft = replace(chain, trim=replace(whole.trim, detail=(0.4, 0.4, 0.4)))
        report("draft_with_a_whole_trim_vs_draft", ratio(lambda: message(whole), draft), 1.6)
        report("draft_trimmed_and_softened_vs_draft", ratio(lambda: message(soft), draft), 2.5)
        report("age_of_newest_of_60_drafts_a_second_vs_one_draft", newest_age(draft), 3.0)


def whole_trim() -> Trim:
    """Return a trim with everything that is pointwise: curves, bands, twelve pairs."""
    points = ((0.1, 0.09), (0.4, 0.42), (0.7, 0.72))
    colours = np.random.default_rng(3).uniform(0.05, 0.5, (12, 3)).tolist()
    return Trim(
        stops=-0.1, warmth=8, flare=0.002, contrast=1.04, curve=points, curves_rgb=(points,) * 3,
        levels=(LevelTrim(5, 0.5, 0.9), LevelTrim(), LevelTrim(saturation=0.8)),
        cdl=Cdl((1.02, 1, 1), (0, 0, 0.004), (1, 1.01, 1), 0.96),
        hues=tuple(HueTrim(turn=4.0 * (-1) ** i, stops=0.05) for i in range(6)),
        pairs=tuple(ColourPair((r, g, b), (1.05 * r, g, 0.97 * b)) for r, g, b in colours),
    )  # fmt: skip


def newest_age(draft: Callable[[], None]) -> float:
    """Ask for 60 drafts a second for three seconds; how old the newest picture is on arrival.

    In times of one draft made alone: 1 is a draft that waits for nothing, 2 one that waits for the
    one before it. The 95th percentile.
    """
    from syntonos.server.rendering.service import RenderService

    draft()
    begin = time.perf_counter()
    for _ in range(10):
        draft()
    alone = (time.perf_counter() - begin) / 10
    service, ages, asked = RenderService(), [], []

    def work(_: Callable[[], bool]) -> bytes:
        draft()
        return b""

    def note(sequence: int, future: Future[bytes]) -> None:
        if future.exception() is None:
            ages.append(time.perf_counter() - asked[sequence])

    futures = []
    for sequence in range(180):
        asked.append(time.perf_counter())
        future = service.submit("page", "bench", sequence, work)
        future.add_done_callback(partial(note, sequence))
        futures.append(future)
        time.sleep(1 / 60)
    wait(futures)
    return float(np.percentile(ages, 95) / alone)


def bench_luts(rng: np.random.Generator, folder: Path) -> None:
    table = bake_lut(CHAIN, 65)
    path = folder / "bench.cube"
    path.write_bytes(write_cube(Cube(table)))
    cpu = cube_file(path)
    uhd = rng.uniform(0, 1, (2160, 3840, 3)).astype(np.float32)
    uhd = np.sort(uhd, axis=1)  # neighbours are alike, as in pictures
    out = np.empty_like(uhd)

    def theirs() -> None:
        np.copyto(out, uhd)
        cpu.applyRGB(out)

    report("lut_65_over_3840x2160_vs_opencolorio",
           ratio(lambda: apply_lut(uhd, table), theirs, rounds=5), 1.15)  # fmt: skip
    axis = np.linspace(0, 1, 65, dtype=np.float32)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    report("bake_65_vs_numpy", ratio(lambda: bake_lut(CHAIN, 65), lambda: numpy_chain(grid)),
           1 / 8)  # fmt: skip
    small = bake_lut(CHAIN, 33)
    rows = small.transpose(2, 1, 0, 3).reshape(-1, 3)
    report("cube_33_written_vs_numpy_savetxt",
           ratio(lambda: write_cube(Cube(small)),
                 lambda: np.savetxt(BytesIO(), rows, fmt="%.7f"), rounds=5), 0.1)  # fmt: skip
    program = compile_chain(CHAIN)
    tracemalloc.start()
    run(program, uhd, threads=2)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    # The frame itself lay there before.
    report("memory_of_a_uhd_frame_in_frames_of_float32", 1 + peak / uhd.nbytes, 3.0)


FIRST = """
import os, time
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
import django
django.setup()
import numpy as np
from syntonos.core.chain import Chain, Decode, Output
from syntonos.core.scopes import draw
from syntonos.server.rendering.jpeg import jpeg
from syntonos.server.rendering.pictures import warm_up
warm_up()
frame = np.random.default_rng(0).uniform(0.1, 0.7, (540, 960, 3)).astype(np.float32)
times = []
for _ in range(10):
    start = time.perf_counter()
    picture, counts = draw(Chain(Decode("logc4/awg4"), Output()), frame)
    jpeg(picture)
    times.append(time.perf_counter() - start)
print(times[0] / times[-1])
"""


def main() -> None:
    rng = np.random.default_rng(1)
    noise = rng.uniform(0.1, 0.7, (540, 960, 3)).astype(np.float32)
    bench_chain(noise)
    bench_threads(noise)
    smooth = np.repeat(np.repeat(rng.uniform(0.2, 0.6, (54, 96, 3)), 10, 0), 10, 1)
    bench_drafts((smooth + rng.normal(0, 0.004, smooth.shape)).astype(np.float32))
    from tests.benchmarks.footage import bench_footage

    with tempfile.TemporaryDirectory() as folder:
        bench_footage(rng, Path(folder))
        bench_luts(rng, Path(folder))
        env = {**os.environ, "SYNTONOS_DATA": folder}
        first = subprocess.run(
            [sys.executable, "-c", FIRST], env=env, capture_output=True, text=True, check=True
        )
    report("first_picture_after_start_vs_tenth", float(first.stdout), 2.0)
    from tests.benchmarks import hand

    hand.main()


if __name__ == "__main__":
    main()
