"""Clipped highlights: by hand from the formula, and against what was there before clipping."""

import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.core.chain import (
    Chain,
    Decode,
    EncodingOutput,
    Highlights,
    Match,
    bake_lut,
    compile_chain,
    run,
)
from syntonos.core.encodings import encode, find_encoding
from syntonos.core.matching.highlights import (
    clipped_as_in_scenes,
    clipped_channels,
    fill_of,
    shares_of,
    top_of,
)
from tests.opencolorio import processor

LINEAR = "linear/ap1"


def through(lin, highlights):
    match = Match(highlights=highlights)
    chain = Chain(Decode(LINEAR), EncodingOutput(LINEAR), match=match)
    return run(compile_chain(chain), np.array([lin], np.float32))[0]


@pytest.mark.parametrize(
    ("lin", "filled"),
    [
        # red = green (green / blue)^1: 0.8 (0.8 / 0.4) = 1.6
        ((1.0, 0.8, 0.4), (1.6, 0.8, 0.4)),
        # both at the top: red = 1 (1 / 0.5) = 2, green stays
        ((1.0, 1.0, 0.5), (2.0, 1.0, 0.5)),
        # blue = green (green / red)^0.5: 0.9 (0.9 / 0.4)^0.5 = 1.35
        ((0.4, 0.9, 1.0), (0.4, 0.9, 1.35)),
        # nothing is taken away, nothing is added where all channels are full or none is
        ((1.0, 0.3, 0.25), (1.0, 0.3, 0.25)),
        ((1.0, 1.0, 1.0), (1.0, 1.0, 1.0)),
        ((0.74, 0.7, 0.2), (0.74, 0.7, 0.2)),
        ((0.5, 1.0, 0.5), (0.5, 1.0, 0.5)),
        # at most three times the top
        ((1.0, 1.0, 0.01), (3.0, 1.0, 0.01)),
        ((1.0, -0.1, -0.2), (1.0, -0.1, -0.2)),
    ],
)
def test_a_clipped_channel_is_what_green_and_the_other_end_say(lin, filled):
    found = through(lin, Highlights(1.0, warm=1.0, cool=0.5))
    np.testing.assert_allclose(found, filled, atol=2e-5)
    np.testing.assert_allclose(through(lin, None), lin, atol=1e-6)


def test_it_acts_in_the_camera_s_own_gamut_where_channels_clip():
    name = "s-log3/s-gamut3.cine"
    encoding = find_encoding(name)
    lin = np.array([[1.0, 0.8, 0.4]])
    match = Match(highlights=Highlights(1.0, warm=1.0, cool=0.5))
    chain = Chain(Decode(name), EncodingOutput("linear/s-gamut3.cine"), match=match)
    found = run(compile_chain(chain), encode(lin, encoding.curve).astype(np.float32))
    np.testing.assert_allclose(found, [[1.6, 0.8, 0.4]], rtol=1e-4)


def test_it_is_continuous_also_in_a_lut():
    # A gold thing that gets brighter: every channel reaches the top in its turn.
    stops = np.linspace(-2, 3, 4001)
    lin = np.minimum(np.array([0.9, 0.6, 0.3]) * 2.0 ** stops[:, None], 1.0)
    filled = through_all(lin)
    assert np.abs(np.diff(filled, axis=0)).max() < 0.02
    name = "acescct/ap1"
    match = Match(highlights=Highlights(1.0, warm=1.0, cool=0.5))
    chain = Chain(Decode(name), EncodingOutput(name), match=match)
    code = encode(lin, find_encoding(name).curve).astype(np.float32)
    table = ocio.Lut3DTransform(65)
    table.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    table.setData(np.ascontiguousarray(bake_lut(chain, 65)).ravel())
    through = code.copy()
    processor(table).applyRGB(through)
    # In ACEScct, a hundredth of its signal is about a tenth of a stop.
    assert np.abs(np.diff(through, axis=0)).max() < 0.01
    assert np.abs(through - run(compile_chain(chain), code)).max() < 0.02


def through_all(lin):
    match = Match(highlights=Highlights(1.0, warm=1.0, cool=0.5))
    chain = Chain(Decode(LINEAR), EncodingOutput(LINEAR), match=match)
    return run(compile_chain(chain), lin.astype(np.float32))


def scene(seed, shine):
    """Bright things of one colour in shade and light; what they were, and as recorded."""
    rng = np.random.default_rng(seed)
    base = np.array(shine) * rng.lognormal(0, 0.1, (200, 300, 1))
    lin = base * 2.0 ** rng.uniform(-3, 1.5, (200, 300, 1))
    # Their colour fades towards the light as they get brighter.
    lin = lin + 0.02 * lin.max(axis=2, keepdims=True)
    return lin, np.minimum(lin, 1.0)


@pytest.mark.parametrize("shine", [(1.0, 0.6, 0.32), (0.4, 0.62, 1.0)], ids=["gold", "sky"])
def test_what_a_scene_shows_below_the_top_gives_back_most_of_what_was_lost(shine):
    truth, recorded = scene(4, shine)
    encoding = find_encoding("rec709-2.4")
    code = encode(recorded, encoding.curve).astype(np.float32)
    found = fill_of([code], encoding, "full")
    assert found.top == pytest.approx(1.0)
    match = clipped_as_in_scenes(Match(), [code], encoding, "full")
    assert match.highlights == found
    chain = Chain(Decode("rec709-2.4"), EncodingOutput("linear/bt709"), match=match)
    filled = run(compile_chain(chain), code)
    # Where one channel only was lost: with more of them nothing tells how bright it was.
    lost = (recorded == 1.0).sum(axis=2) == 1
    assert lost.mean() > 0.02

    def hue_error(lin):
        share = lin / lin.sum(axis=2, keepdims=True)
        return np.abs(share - truth / truth.sum(axis=2, keepdims=True))[lost].mean()

    assert hue_error(filled) < 0.35 * hue_error(recorded)


def test_what_is_clipped_is_counted_channel_by_channel():
    code = np.full((10, 10, 3), 0.5, np.float32)
    code[:2, :, 0] = 1.0
    code[:1, :, 1] = 0.99
    code[9, 9, 2] = 0.98  # below
    encoding = find_encoding("srgb")
    found = shares_of([clipped_channels(code, encoding, "full")])
    assert (found.red, found.green, found.blue, found.any) == (0.2, 0.1, 0.0, 0.2)
    # At legal levels the top lies at code 940 of 1023.
    legal = np.full((4, 4, 3), 940 / 1023, np.float32)
    assert clipped_channels(legal, encoding, "legal").all()
    assert not clipped_channels(legal, encoding, "full").any()


def test_a_sensor_s_clip_counts_where_it_is_known_and_headroom_is_no_clip():
    encoding = find_encoding("v-log/v-gamut")
    light = np.array([0.2, 5.0, 8.9, 9.1])
    code = np.repeat(encode(light, encoding.curve), 3).reshape(1, 4, 3).astype(np.float32)
    assert not clipped_channels(code, encoding, "full").any()
    found = clipped_channels(code, encoding, "full", sensor=9.0)
    assert found[0, :, 0].tolist() == [False, False, True, True]
    # Linear light is its own code value, far above one.
    linear = np.repeat(light, 3).reshape(1, 4, 3).astype(np.float32)
    found = clipped_channels(linear, find_encoding(LINEAR), "full", top=None, sensor=9.0)
    assert found[0, :, 0].tolist() == [False, False, True, True]
    # A recording that goes on to 109 % ends there.
    beyond = np.concatenate([np.full(900, 1.09), np.linspace(0, 1.08, 300)]).astype(np.float32)
    assert top_of(find_encoding("rec709-2.4"), [beyond]) == pytest.approx(1.09, abs=0.01)
    assert top_of(find_encoding("rec709-2.4"), [beyond[900:] * 0.9]) == 1.0
    assert top_of(find_encoding(LINEAR), [beyond]) is None


def test_a_scene_without_clipped_highlights_is_left_as_it_is():
    code = np.random.default_rng(1).uniform(0.1, 0.9, (60, 60, 3)).astype(np.float32)
    assert fill_of([code], find_encoding("srgb"), "full") is None
