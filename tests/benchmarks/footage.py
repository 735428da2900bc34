"""Reading footage against what the host libraries need for the same."""

from pathlib import Path

import av
import numpy as np
import rawpy

from syntonos.core.media import VideoReader, develop_raw
from syntonos.core.media.video_write import write_video
from syntonos.core.simulate.dng import mosaic, write_dng
from tests.benchmarks.run import ratio, report

ROUNDS = 7


def _picture(rng: np.random.Generator, height: int, width: int) -> np.ndarray:
    coarse = rng.uniform(0.2, 0.6, (height // 20, width // 20, 3))
    smooth = np.repeat(np.repeat(coarse, 20, 0), 20, 1)
    return (smooth + rng.normal(0, 0.008, smooth.shape)).astype(np.float32)


def bench_prores(rng: np.random.Generator, folder: Path) -> None:
    """A 1080p ProRes frame to R'G'B', against decoding it alone, one thread each."""
    path = folder / "a.mov"
    write_video(path, [_picture(rng, 1080, 1920)] * 12, "prores-422-hq")

    def alone() -> None:
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            stream.codec_context.thread_count = 1
            for _ in container.decode(stream):
                pass

    def ours() -> None:
        with VideoReader(path, threads=1) as video:
            for i in range(12):
                video.read(i)

    report("prores_1080p_to_rgb_vs_decode_alone", ratio(ours, alone, ROUNDS), 1.45)


def bench_seek(rng: np.random.Generator, folder: Path) -> None:
    """A frame in the middle of long-GOP video, against decoding that group of pictures."""
    path = folder / "a.mp4"
    base = _picture(rng, 540, 960)
    write_video(path, (np.roll(base, i, axis=1) for i in range(96)), "hevc-10")
    video = VideoReader(path, threads=1)
    keys = video._keys  # where the groups begin
    place = video._place
    first = place[keys[1]] if len(keys) > 1 else 0
    last = place[keys[2]] if len(keys) > 2 else video.recording.frame_count
    plain = av.open(str(path))
    stream = plain.streams.video[0]
    stream.codec_context.thread_count = 1

    def group() -> None:
        plain.seek(keys[1] if len(keys) > 1 else 0, stream=stream)
        for count, _ in enumerate(plain.decode(stream)):
            if count >= last - first - 1:
                break

    def ours() -> None:
        video.read(0)
        video.read((first + last) // 2)

    report("seek_in_long_gop_vs_decoding_the_group", ratio(ours, group, ROUNDS), 3.0)
    video.close()
    plain.close()


def bench_raw(rng: np.random.Generator, folder: Path) -> None:
    """A 12 MP DNG to a half-size picture, against LibRaw's half-size mode."""
    path = folder / "a.dng"
    codes = mosaic(_picture(rng, 3000, 4000), black=512, white=16383)
    matrix = [[0.4716, 0.0603, -0.0830], [-0.7798, 1.5474, 0.2480], [-0.1496, 0.1937, 0.6651]]
    write_dng(path, codes, model="Dogwood", color_matrix=matrix, neutral=(0.41, 1.0, 0.65),
              black=512, white=16383)  # fmt: skip

    def theirs() -> None:
        with rawpy.imread(str(path)) as raw:
            raw.postprocess(half_size=True, output_bps=16, gamma=(1, 1), no_auto_bright=True)

    report("dng_12mp_to_half_size_vs_libraw",
           ratio(lambda: develop_raw(path, preview=True), theirs, ROUNDS), 1.0)  # fmt: skip


def bench_footage(rng: np.random.Generator, folder: Path) -> None:
    """All of it."""
    bench_prores(rng, folder)
    bench_seek(rng, folder)
    bench_raw(rng, folder)
