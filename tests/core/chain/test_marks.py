"""What a display cannot show, what LUTs clip, and what a screen shows of other displays."""

from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.chain import (
    DISPLAYS,
    PLAIN,
    AcesOutput,
    Chain,
    Decode,
    EncodingOutput,
    Look,
    LookTable,
    LutStep,
    Output,
    bake_lut,
    compile_chain,
    keep_table,
    read_balance,
    run,
)
from syntonos.core.chain.displays import light_marks
from syntonos.core.chain.marks import (
    beyond_display,
    clipped_by_luts,
    grey_through_luts,
    on_screen,
    screen_white,
)
from syntonos.core.chain.readback import display_lab
from syntonos.core.chain.tables import moving_range
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.encodings import AP1, GAMUTS, gamut_matrix
from syntonos.core.errors import ChainError
from syntonos.core.simulate.spectra import library

LINEAR = Decode("linear/ap1")


def _lit(colours, gamut):
    """Scene-linear AP1 (1, n, 3) of linear colours in a gamut."""
    return (np.array([colours]) @ gamut_matrix(GAMUTS[gamut], AP1).T).astype(np.float32)


def test_primaries_of_a_wider_gamut_lie_outside_and_white_above_is_clipped():
    code = _lit([[0.5, 0.0, 0.0], [0.0, 0.5, 0.0], [0.18] * 3, [40.0] * 3], "bt2020")
    outside, clipped = beyond_display(Chain(LINEAR, Output()), code)
    assert outside.tolist() == [[True, True, False, False]]
    assert clipped.tolist() == [[False, False, False, True]]
    # On a display of those primaries they lie inside.
    wide, _ = beyond_display(Chain(LINEAR, Output("rec2100-pq-1000")), code)
    assert not wide.any()
    # Plain, white is diffuse white; compression brings part of it in, and is seen in the mark.
    _, plain = beyond_display(Chain(LINEAR, PLAIN), _lit([[0.9] * 3, [1.1] * 3], "bt709"))
    assert plain.tolist() == [[False, True]]
    vivid = _lit([[1.0, -0.05, -0.02]], "bt709")
    before, _ = beyond_display(Chain(LINEAR, Output()), vivid)
    after, _ = beyond_display(Chain(LINEAR, Output("rec2100-pq-1000", compression=1.0)), vivid)
    assert (before.tolist(), after.tolist()) == ([[True]], [[False]])


def test_what_an_aces_output_shows_as_its_white_is_clipped():
    grey = (0.18 * 2.0 ** np.arange(0, 12.0))[None, :, None] * np.ones(3)
    for version, stops in (("1.3", 7), ("2.0", 9)):
        chain = Chain(LINEAR, AcesOutput("rec709", version))
        _, clipped = beyond_display(chain, grey.astype(np.float32))
        assert clipped[0].tolist() == [i >= stops for i in range(12)]


def test_hdr_light_stands_where_bt_2408_says():
    """BT.2408-7, table 1: 203 cd/m2 at 58 % of PQ and 75 % of HLG; 1000 at 75 % of PQ."""
    pq, hlg = ({n: s for s, n in light_marks(f"rec2100-{d}")} for d in ("pq-1000", "hlg"))
    assert (pq[203], pq[1000]) == (pytest.approx(0.58, abs=5e-3), pytest.approx(0.75, abs=5e-3))
    assert (hlg[203], hlg[1000]) == (pytest.approx(0.75, abs=1e-3), pytest.approx(1, abs=1e-6))
    assert light_marks("srgb") == ()


def test_marks_are_silent_where_there_is_no_display():
    code = _lit([[0.5, -0.1, 0.0]], "bt709")
    for chain in (
        Chain(LINEAR, EncodingOutput("v-log/v-gamut")),
        Chain(LINEAR, Output(), look=Look((
            LutStep(keep_table(LookTable(np.zeros((2, 2, 2, 3), np.float32))), to="rec709"),
        ))),
    ):  # fmt: skip
        assert not any(mask.any() for mask in beyond_display(chain, code))
    assert beyond_display(Chain(LINEAR, AcesOutput()), code)[0].any()


def test_the_share_that_a_lut_clips_is_that_of_the_picture():
    curve = np.clip(np.linspace(-0.25, 1.25, 61), 0, 1)  # still below a sixth and above five
    table = LookTable(np.repeat(curve[:, None], 3, axis=1).astype(np.float32))
    low, high = moving_range(table)
    assert (low, high) == (pytest.approx(1 / 6, abs=0.02), pytest.approx(5 / 6, abs=0.02))
    look = Look((LutStep(keep_table(table), "linear/ap1"),))
    code = np.linspace(0, 1, 600, dtype=np.float32).reshape(20, 30, 1) * np.ones(3, np.float32)
    shares = clipped_by_luts(Chain(LINEAR, PLAIN, look=look), code)
    assert shares == [pytest.approx(1 / 3, abs=0.03)]
    straight = LookTable(np.repeat(np.linspace(0, 1, 9)[:, None], 3, axis=1).astype(np.float32))
    assert moving_range(straight) == (0.0, 1.0)
    assert moving_range(LookTable(np.full((4, 3), 0.5, np.float32))) == (1.0, 1.0)


def test_middle_grey_tells_what_a_lut_was_not_made_for():
    """A LUT from V-Log to Rec.709, a plain one in V-Log, each as it is meant and as it is not."""
    to_display = bake_lut(Chain(Decode("v-log/v-gamut"), Output()), 17)
    display, plain = keep_table(LookTable(to_display)), keep_table(LookTable(
        np.repeat(np.linspace(0, 1, 513)[:, None] ** 2, 3, axis=1).astype(np.float32)
    ))  # fmt: skip

    def grey(*steps):
        return grey_through_luts(Chain(LINEAR, Output(), look=Look(steps)))

    meant = LutStep(display, "v-log/v-gamut", to="rec709")
    lights = np.repeat(0.18 * 2.0 ** np.float32([[-1], [0], [1]]), 3, axis=1)
    low, shown, high = run(compile_chain(Chain(LINEAR, Output())), lights).mean(axis=1)
    assert grey(meant) == [pytest.approx((shown, (high - low) / 2), abs=0.01)]
    # Display values have their grey near that of log, but twice its stops in a step of code.
    ((_, right), (_, wrong)) = (*grey(meant), *grey(replace(meant, encoding="rec709")))
    assert right < 0.15
    assert wrong > 0.22
    # Squaring doubles what lies above and takes log values far down.
    log, linear = grey(LutStep(plain, "v-log/v-gamut"), LutStep(plain, "linear/ap1"))
    assert log[0] < -3
    assert linear == pytest.approx((np.log2(0.18), 2.0), abs=0.05)


@pytest.mark.parametrize("display", [d for d in DISPLAYS if d not in ("rec709", "rec709-2.2")])
def test_a_screen_shows_other_displays_light(display):
    """The same colours, inside of BT.709 and below HDR's white: the screen shows their light."""
    rng = np.random.default_rng(2)
    code = _lit(rng.uniform(0.05, 0.7, (300, 3)), "bt709")
    there = run(compile_chain(Chain(LINEAR, Output(display, None))), code)
    seen = on_screen(there, display)
    if display == "srgb":
        np.testing.assert_array_equal(seen, there)
        return
    scale = 2.03 if DISPLAYS[display].is_hdr else 1.0
    want = run(compile_chain(Chain(LINEAR, PLAIN)), code / np.float32(scale))
    assert delta_e_2000(display_lab(seen), display_lab(want)).max() < 0.3


@pytest.mark.parametrize("slug", [d for d in DISPLAYS if DISPLAYS[d].is_hdr])
def test_hdr_seen_as_a_whole_is_darkened_until_its_peak_is_white(slug):
    """A ramp of greys up to the peak: nothing is clipped, all is as many stops darker.

    The light of the display's codes comes from colour-science's EOTFs of BT.2100.
    """
    display = DISPLAYS[slug]
    ramp = np.repeat(np.linspace(0.05, 1, 80, dtype=np.float32)[:, None], 3, axis=1)
    peak = 100 * display.peak
    if display.system_gamma:
        nits = library().models.eotf_BT2100_HLG(ramp.astype(float), L_W=peak)[:, 1]
    else:
        # The highest code is 10000 nit: the ramp ends at this display's own peak.
        ramp *= np.float32(library().models.eotf_inverse_BT2100_PQ(peak))
        nits = library().models.eotf_BT2100_PQ(ramp[:, 1].astype(float))
    white = screen_white(slug, whole=True)
    assert white == pytest.approx(peak)
    assert screen_white(slug) == pytest.approx(203)
    light = on_screen(ramp, slug, whole=True)[:, 1].astype(float) ** 2.4
    np.testing.assert_allclose(light, nits / white, rtol=2e-3, atol=2e-5)
    assert screen_white("rec709", whole=True) is None
    clipped = on_screen(ramp, slug)[:, 1].astype(float) ** 2.4
    np.testing.assert_allclose(clipped, np.minimum(nits / 203, 1), rtol=2e-3, atol=2e-4)


def test_a_balance_beyond_reason_is_refused():
    assert read_balance({"kind": "balance", "warmth": -60, "tint": 8}).warmth == -60
    for warmth, tint in ((500, 0), (0, 90), (float("nan"), 0)):
        with pytest.raises(ChainError) as caught:
            read_balance({"kind": "balance", "warmth": warmth, "tint": tint})
        assert caught.value.code in ("balance.range", "chain.invalid")
