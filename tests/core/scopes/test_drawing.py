"""A drawn frame is what the engine, the view for a screen and the counts make one after another."""

import numpy as np
import pytest

from syntonos.core.chain import Chain, Decode, Match, Output, compile_chain, run
from syntonos.core.chain.document import AcesOutput
from syntonos.core.chain.engine import Cancelled, to_bytes
from syntonos.core.chain.marks import on_screen
from syntonos.core.scopes import count_scopes, draw

MATCH = Match(angle_white=(1.2, 1.0, 0.8), stops=0.5, clip=2.0)
OUTPUTS = [Output(), Output("rec2100-pq-1000"), Output("p3-d65"), AcesOutput("rec709", "2.0")]


def frame(height: int, width: int) -> np.ndarray:
    """Noise over the whole range of codes, with what is no number in it."""
    code = np.random.default_rng(3).uniform(-0.05, 1.05, (height, width, 3)).astype(np.float32)
    code[1, 2] = np.nan, np.inf, -np.inf
    return code


@pytest.mark.parametrize("output", OUTPUTS, ids=lambda o: f"{o.kind}-{o.display}")
@pytest.mark.parametrize("threads", [1, 3])
@pytest.mark.parametrize("whole", [False, True])
def test_a_drawn_frame_is_the_picture_and_its_counts(output, threads, whole):
    # Neither width nor height divides the engine's tiles.
    code, chain = frame(37, 101), Chain(Decode("v-log/v-gamut"), output, match=MATCH)
    picture, counts = draw(chain, code, whole=whole, threads=threads)
    disp = run(compile_chain(chain), code)
    seen = to_bytes(on_screen(disp, output.display, whole=whole))
    # Fused loops may round a value that lies between two bytes the other way.
    assert np.abs(picture.astype(int) - seen).max() <= 1
    assert (picture != seen).mean() < 1e-3
    apart = count_scopes(disp, output.display)
    np.testing.assert_array_equal(counts.parade.sum(axis=2), apart.parade.sum(axis=2))
    assert np.abs(counts.parade.astype(int) - apart.parade).sum() <= 8
    assert np.abs(counts.vector.astype(int) - apart.vector).sum() <= 8
    assert (counts.below, counts.above) == pytest.approx((apart.below, apart.above), abs=1e-3)


def test_a_frame_narrower_than_a_tile_and_one_pixel_high_is_drawn():
    chain = Chain(Decode("s-log3/s-gamut3"), Output())
    picture, counts = draw(chain, np.full((1, 5, 3), 0.41, np.float32), threads=2)
    assert picture.shape == (1, 5, 3)
    assert counts.parade.sum() == 15
    assert np.ptp(picture) <= 1


def test_drawing_is_given_up_for_a_newer_draft():
    asked = []

    def is_cancelled() -> bool:
        asked.append(True)
        return len(asked) > 2

    with pytest.raises(Cancelled):
        draw(Chain(Decode("s-log3/s-gamut3"), Output()), frame(64, 64),
             is_cancelled=is_cancelled)  # fmt: skip
    assert len(asked) == 3
