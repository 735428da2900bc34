from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from syntonos.core.chain import (
    PLAIN,
    TONE,
    Chain,
    Decode,
    EncodingOutput,
    Match,
    Output,
    compile_chain,
    run,
)
from syntonos.core.chain.engine import Cancelled
from syntonos.core.chain.readback import display_lab
from syntonos.core.chain.stages.match import match_affine, through_match
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.encodings import GAMUTS
from syntonos.core.library_keys import OCIO_TO_AP0
from syntonos.core.simulate.spectra import library
from tests.opencolorio import plain_chain, through

MATCH = Match(
    angle_flare=(0.002, 0.001, 0.001), angle_white=(1.2, 0.95, 0.8), stops=0.4,
    matrix=((1.1, -0.12, 0.02), (0.03, 0.94, 0.03), (-0.02, -0.05, 1.07)),
    reference_white=(1.05, 1.0, 0.9), reference_flare=(0.001, 0.001, 0.002),
)  # fmt: skip


def _codes(count=4000):
    rng = np.random.default_rng(5)
    grey = rng.uniform(0.1, 0.75, (count, 1))
    return np.clip(grey + rng.normal(0, 0.06, (count, 3)), 0, 1).astype(np.float32)


@pytest.mark.parametrize("slug", OCIO_TO_AP0)
@pytest.mark.parametrize("match", [None, MATCH], ids=["no match", "match"])
def test_chain_agrees_with_opencolorio_lossless(slug, match):
    codes = _codes()
    ours = run(compile_chain(Chain(Decode(slug), PLAIN, match=match)), codes)
    theirs = through(plain_chain(slug, match), codes)
    # Judged as colours: near black a root magnifies both libraries' float32 rounding.
    assert delta_e_2000(display_lab(ours), display_lab(theirs)).max() < 0.02


@settings(max_examples=25, deadline=None)
@given(
    st.sampled_from(sorted(OCIO_TO_AP0)),
    st.lists(st.floats(0.6, 1.6), min_size=6, max_size=6),
    st.floats(-1.5, 1.5),
    st.lists(st.floats(-0.2, 0.2), min_size=6, max_size=6),
)
def test_random_matches_agree_with_opencolorio(slug, whites, stops, mixing):
    a, b, c, d, e, f = mixing
    match = Match(
        angle_white=tuple(whites[:3]), reference_white=tuple(whites[3:]), stops=stops,
        matrix=((1 - a - b, a, b), (c, 1 - c - d, d), (e, f, 1 - e - f)),
    )  # fmt: skip
    codes = _codes(300)
    ours = run(compile_chain(Chain(Decode(slug), PLAIN, match=match)), codes)
    theirs = through(plain_chain(slug, match), codes)
    assert delta_e_2000(display_lab(ours), display_lab(theirs)).max() < 0.05


@pytest.mark.parametrize("levels", ["full", "legal"])
def test_an_encoding_to_itself_is_identity(levels):
    codes = _codes()
    chain = Chain(
        Decode("s-log3/s-gamut3.cine", levels), EncodingOutput("s-log3/s-gamut3.cine", levels)
    )
    # Half a code value of 12 bit.
    np.testing.assert_allclose(run(compile_chain(chain), codes), codes, atol=1.2e-4)


def test_neutral_stays_neutral_through_a_match_between_whites():
    match = Match(angle_white=(1.3, 0.95, 0.7), reference_white=(1.1, 1.0, 0.8), stops=0.5,
                  matrix=MATCH.matrix)  # fmt: skip
    mat, offset = match_affine(match)
    from syntonos.core.chain.stages.match import mix_matrix

    to_lin = np.linalg.inv(mix_matrix(match.mix))
    got = mat @ to_lin @ np.array(match.angle_white) + offset
    want = to_lin @ np.array(match.reference_white) * 2**0.5
    np.testing.assert_allclose(got, want, atol=1e-12)


def test_tone_holds_middle_grey_and_undoes_itself():
    assert TONE.apply(0.18) == pytest.approx(TONE.grey, abs=1e-12)
    assert TONE.apply(0.18 * 2**TONE.stops_to_white) == pytest.approx(1, abs=1e-12)
    # BT.709's camera curve gives 18 % the value 0.409008; through BT.1886 that is 0.117.
    assert pytest.approx(TONE.grey, abs=2e-4) == 0.409008**2.4
    lin = np.geomspace(1e-4, 0.18 * 2**TONE.stops_to_white * 0.99, 500)
    assert (np.diff(TONE.apply(lin)) > 0).all()
    np.testing.assert_allclose(TONE.invert(TONE.apply(lin)), lin, rtol=1e-9)


def test_engine_shows_the_tone_formula():
    lin = np.geomspace(0.001, 20, 300)
    grey = np.repeat(lin[:, None], 3, axis=1).astype(np.float32)
    shown = run(compile_chain(Chain(Decode("linear/bt709"), Output())), grey)
    # 1e-5 is a hundredth of a 10-bit code.
    np.testing.assert_allclose(shown[:, 1], TONE.apply(lin) ** (1 / 2.4), atol=1e-5)


def test_nan_negative_and_bright_pixels_come_through():
    codes = np.array([[0.4, np.nan, 0.4], [-0.2, -0.2, -0.2], [1.5, 1.5, 1.5]], np.float32)
    out = run(compile_chain(Chain(Decode("v-log/v-gamut"), Output())), codes)
    assert np.isnan(out[0]).any()
    np.testing.assert_array_equal(out[1], 0)
    np.testing.assert_allclose(out[2], 1)


@pytest.mark.parametrize("shape", [(3,), (7, 3), (5, 4, 3), (600, 9, 3)])
def test_shape_dtype_and_threads_change_nothing(shape):
    codes = np.random.default_rng(0).random(shape).astype(np.float32)
    program = compile_chain(Chain(Decode("log3g10/rwg"), Output()))
    one = run(program, codes)
    assert one.shape == shape
    assert one.dtype == np.float32
    np.testing.assert_array_equal(one, run(program, codes, threads=2))


def test_a_superseded_run_gives_up():
    frame = np.zeros((200, 200, 3), np.float32)
    with pytest.raises(Cancelled):
        run(compile_chain(Chain(Decode("s-log3/s-gamut3"), Output())), frame,
            is_cancelled=lambda: True)  # fmt: skip


def test_a_clipped_sky_takes_no_colour_from_the_match():
    clipped = replace(MATCH, clip=8.0, angle_flare=(0.0,) * 3, reference_flare=(0.0,) * 3)
    chain = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), match=clipped)
    light = np.repeat(np.float32([[0.18], [1.0], [5.9], [7.0], [8.0], [9.0]]), 3, axis=1)
    with_clip = run(compile_chain(chain), light)
    plain = run(compile_chain(replace(chain, match=replace(clipped, clip=None))), light)
    # Below three quarters of the clip nothing changes; at the clip it is neutral, as bright.
    np.testing.assert_allclose(with_clip[:3], plain[:3], rtol=1e-5)
    assert np.ptp(plain[4]) > 0.5
    np.testing.assert_allclose(with_clip[4:], with_clip[4:, :1].repeat(3, axis=1), rtol=1e-5)
    luminance = GAMUTS["ap1"].to_xyz[1]
    np.testing.assert_allclose(with_clip @ luminance, plain @ luminance, rtol=1e-5)
    assert np.ptp(with_clip[3]) < np.ptp(plain[3])
    # A bright coloured light is not clipped in all channels and keeps its colour.
    glow = np.float32([[9.0, 3.0, 0.4]])
    np.testing.assert_allclose(run(compile_chain(chain), glow),
                               run(compile_chain(replace(chain, match=replace(clipped, clip=None))),
                                   glow), rtol=1e-5)  # fmt: skip


RICH = Match(
    matrix=((1.1, -0.12, 0.02), (0.03, 0.94, 0.03), (-0.02, -0.05, 1.07)), mix=0.0,
    roots=tuple(map(tuple, np.random.default_rng(7).normal(0, 0.08, (10, 3)))),
)  # fmt: skip


def _colours(count=3000):
    rng = np.random.default_rng(3)
    light = rng.lognormal(-1.5, 1.0, (count, 1))
    return (light * np.exp(rng.normal(0, 0.4, (count, 3)))).astype(np.float32)


def _linear(match):
    slug = "linear/ap1"
    return compile_chain(Chain(Decode(slug), EncodingOutput(slug), match=match))


def test_roots_are_those_of_finlayson():
    """Finlayson, Mackiewicz, Hurlbert (2015), table I, by colour-science's expansion."""
    lin = _colours()
    lin /= lin.mean(axis=1, keepdims=True)
    expansion = library().characterisation.polynomial_expansion_Finlayson2015
    theirs = expansion(lin, 3, root_polynomial_expansion=True)
    # Our model is linear in their terms: a least squares fit in them must leave nothing.
    ours = run(_linear(RICH), lin)
    left = ours - theirs @ np.linalg.lstsq(theirs, ours, rcond=None)[0]
    assert np.abs(left).max() < 2e-4
    # And in degree 2 it leaves something, or the test would see nothing.
    low = expansion(lin, 2, root_polynomial_expansion=True)
    left = ours - low @ np.linalg.lstsq(low, ours, rcond=None)[0]
    assert np.abs(left).max() > 4e-3


def test_the_model_keeps_neutral_and_scales_with_the_light():
    # The second centre is what the fit adds: it takes away what the first does at neutral.
    k = float(np.exp(-0.5 * 0.25 / 0.45**2))
    smooth = ((0.4, -0.3, 0.01, -0.02, 0.03), (0.0, 0.0, -0.01 * k, 0.02 * k, -0.03 * k))
    program = _linear(replace(RICH, smooth=smooth))
    grey = np.linspace(0.001, 4, 50, dtype=np.float32)[:, None] * np.ones(3, np.float32)
    np.testing.assert_allclose(run(program, grey), grey, rtol=3e-4)
    lin = _colours()
    np.testing.assert_allclose(
        run(program, lin * np.float32(8)), 8 * run(program, lin), rtol=1e-4, atol=1e-5
    )


def test_the_engine_follows_the_model_in_float64():
    match = replace(
        RICH, smooth=((0.4, -0.3, 0.01, -0.02, 0.03),), stops=0.4, angle_white=(1.2, 0.95, 0.8),
        angle_flare=(0.002, 0.001, 0.001), mix=0.2,
    )  # fmt: skip
    lin = np.concatenate([_colours(), -0.02 * _colours(200), np.zeros((1, 3), np.float32)])
    exact = through_match(match, lin.astype(np.float64))
    got = run(_linear(match), lin)
    scale = np.abs(exact).max(axis=1, keepdims=True) + 1e-3
    assert (np.abs(got - exact) / scale).max() < 5e-4
    assert np.isnan(run(_linear(match), np.full((1, 3), np.nan, np.float32))).all()
