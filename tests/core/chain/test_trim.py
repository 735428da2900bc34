"""The trim against other libraries' forms of the same parts, and by what each part promises."""

import json
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest
from scipy.interpolate import PchipInterpolator

from syntonos.core.chain import (
    Balance,
    Cdl,
    Chain,
    Decode,
    EncodingOutput,
    Trim,
    bake_lut,
    chain_hash,
    chain_to_json,
    compile_chain,
    read_chain,
    run,
)
from syntonos.core.chain.executor import execute
from syntonos.core.chain.stages.trim import (
    ColourPair,
    HueTrim,
    KeyTrack,
    LevelTrim,
    added,
    at_frame,
    read_trim,
)
from syntonos.core.chain.trimming import beyond, refuse_beyond
from syntonos.core.chain.white import cone_gains, matrix_of_gains, shift_of, taken_back
from syntonos.core.colorimetry import delta_e_2000, xyz_to_lab
from syntonos.core.encodings import AP1, CURVES, decode, encode
from syntonos.core.errors import ChainError
from syntonos.core.simulate.spectra import library
from tests.opencolorio import processor, through

LOG = CURVES["acescct"]
GREY = encode(np.array([0.18]), LOG)[0]
STOP = 1 / 17.52  # Academy S-2016-001: code values of a stop
RNG = np.random.default_rng(8)
LIGHT = np.exp(RNG.uniform(np.log(0.004), np.log(8), (3000, 1)) + RNG.normal(0, 0.5, (3000, 3)))
LIGHT = np.concatenate([LIGHT, -0.01 * LIGHT[:50], np.full((1, 3), 0.18)]).astype(np.float32)


def trimmed(trim, light=LIGHT):
    chain = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), trim=trim)
    return run(compile_chain(chain), light)


def in_log(*transforms):
    """Transforms of OpenColorIO between light and ACEScct of AP1, there and back."""
    # Academy S-2016-001, as OpenColorIO's camera log.
    log = ocio.LogCameraTransform(
        [0.0078125] * 3, base=2.0, logSideSlope=[1 / 17.52] * 3, logSideOffset=[9.72 / 17.52] * 3
    )
    back = ocio.LogCameraTransform(
        [0.0078125] * 3, base=2.0, logSideSlope=[1 / 17.52] * 3,
        logSideOffset=[9.72 / 17.52] * 3, direction=ocio.TRANSFORM_DIR_INVERSE,
    )  # fmt: skip
    return processor(log, *transforms, back)


def lab(light):
    return xyz_to_lab(np.maximum(light, 0) @ AP1.to_xyz.T, AP1.to_xyz @ np.ones(3))


def test_exposure_and_flare_are_what_they_say():
    got = trimmed(Trim(stops=0.5, stops_rgb=(0, 0, -1), flare=0.01, flare_rgb=(0.005, 0, 0)))
    want = ocio.MatrixTransform(
        np.diag([2**0.5, 2**0.5, 2**-0.5, 1]).ravel().tolist(),
        [0.015 * 2**0.5, 0.01 * 2**0.5, 0.01 * 2**-0.5, 0],
    )
    np.testing.assert_allclose(got, through(processor(want), LIGHT), rtol=2e-6, atol=1e-7)


@pytest.mark.parametrize(("warmth", "tint"), [(40, 0), (-100, 0), (0, 8), (120, 0)])
def test_white_is_moved_by_adaptation(warmth, tint):
    # From outside: Bradford's matrix of colour-science between the same two whites.
    colour = library()
    moved = trimmed(Trim(warmth=warmth, tint=tint), np.ones((1, 3), np.float32))[0]
    xyz = AP1.to_xyz @ moved
    here = AP1.to_xyz @ np.ones(3)
    mat = colour.adaptation.matrix_chromatic_adaptation_VonKries(here, xyz, transform="Bradford")
    want = LIGHT @ (np.linalg.inv(AP1.to_xyz) @ mat @ AP1.to_xyz).T
    np.testing.assert_allclose(trimmed(Trim(warmth=warmth, tint=tint)), want, rtol=1e-3, atol=1e-4)
    assert xyz[1] == pytest.approx(here[1], rel=1e-5)


@pytest.mark.parametrize(("warmth", "tint"), [(-100, 0), (-40, 0), (150, -20), (-60, 9), (30, 12)])
def test_trim_balance_and_casts_have_one_scale_of_white(warmth, tint):
    # From outside: correlated colour temperature and Duv by Ohno 2013.
    colour = library()
    grey = np.full((1, 3), 0.18, np.float32)
    shown = trimmed(Trim(warmth=warmth, tint=tint), grey)
    (kelvin, duv), (other, off) = (
        colour.temperature.uv_to_CCT_Ohno2013(colour.xy_to_UCS_uv(v[:2] / v.sum()))
        for v in (grey[0] @ AP1.to_xyz.T, shown[0] @ AP1.to_xyz.T)
    )
    assert 1e6 / other - 1e6 / kelvin == pytest.approx(warmth, abs=0.5)
    assert 1000 * (off - duv) == pytest.approx(tint, abs=0.15)
    balanced = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"),
                     balance=Balance(warmth=warmth, tint=tint))  # fmt: skip
    light = LIGHT[:3000]
    turned = trimmed(Trim(warmth=warmth, tint=tint), light)
    np.testing.assert_allclose(run(compile_chain(balanced), light), turned, rtol=1e-5)
    np.testing.assert_allclose(shift_of(shown[0]), (warmth, tint), atol=0.02)
    # What takes it back leaves nothing, of any colour.
    np.testing.assert_allclose(shown @ AP1.to_xyz[1], grey @ AP1.to_xyz[1], rtol=1e-5)
    other_way, off = taken_back((warmth, tint))
    back_of_grey = matrix_of_gains(1 / cone_gains(warmth, tint)) @ np.ones(3)
    assert back_of_grey @ AP1.to_xyz[1] == pytest.approx(1, rel=1e-6)  # a neutral keeps its light
    back = trimmed(Trim(warmth=other_way, tint=off), turned)
    np.testing.assert_allclose(back / back[0, 0], light / light[0, 0], rtol=2e-4)


@pytest.mark.parametrize(
    ("warmth", "tint"), [(-100, 0), (100, 0), (-250, -40), (250, 40), (40, -12)]
)
def test_trims_of_older_documents_keep_their_picture(warmth, tint):
    """Before version 7: Bradford to the white along the locus, negative ones inverse (adr 21)."""
    colour = library()
    here = AP1.to_xyz @ np.ones(3)
    uv = colour.xy_to_UCS_uv(here[:2] / here.sum())
    kelvin, duv = colour.temperature.uv_to_CCT_Ohno2013(uv)
    old = np.eye(3)
    for mired, off in ((warmth, 0), (0, tint)):
        place = np.array([1e6 / (1e6 / kelvin + abs(mired)), duv + abs(off) / 1000])
        xy = colour.UCS_uv_to_xy(colour.temperature.CCT_to_uv_Ohno2013(place))
        white = np.array([xy[0] / xy[1], 1, (1 - xy.sum()) / xy[1]])
        mat = colour.adaptation.matrix_chromatic_adaptation_VonKries(
            here / here[1], white, transform="Bradford"
        )
        mat = np.linalg.inv(AP1.to_xyz) @ mat @ AP1.to_xyz
        old = (mat if mired + off >= 0 else np.linalg.inv(mat)) @ old
    old /= AP1.to_xyz[1] @ old @ np.ones(3)
    document = chain_to_json(Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"),
                                   trim=Trim(stops=0.25)))  # fmt: skip
    document["stages"][2] |= {"warmth": warmth, "tint": tint}
    document["version"] = 5
    got = run(compile_chain(read_chain(document)), LIGHT[:3000])
    want = LIGHT[:3000] @ old.T * 2**0.25
    # Ohno's method is good to a few hundredths of a mired here: 0.1 of the strongest colours.
    assert delta_e_2000(lab(got), lab(want)).max() < 0.1


def test_contrast_and_cdl_are_those_of_opencolorio():
    cdl = Cdl((1.1, 0.95, 1.02), (0.01, -0.02, 0.0), (1.05, 0.9, 1.0), 1.2)
    contrast = ocio.MatrixTransform(
        np.diag([1.15, 1.15, 1.15, 1]).ravel().tolist(), [-0.15 * (GREY + 0.5 * STOP)] * 3 + [0]
    )
    theirs = ocio.CDLTransform()
    theirs.setSOP([*cdl.slope, *cdl.offset, *cdl.power])
    theirs.setSat(cdl.saturation)
    theirs.setStyle(ocio.CDL_NO_CLAMP)
    got = trimmed(Trim(contrast=1.15, pivot=0.5, cdl=cdl))
    want = through(in_log(contrast, theirs), LIGHT)
    assert delta_e_2000(lab(got), lab(want)).max() < 0.02
    # The pivot stays where it is.
    pivot = np.full((1, 3), 0.18 * 2**0.5, np.float32)
    np.testing.assert_allclose(trimmed(Trim(contrast=1.6, pivot=0.5), pivot), pivot, rtol=1e-5)


def test_curves_are_monotone_splines_that_go_on_straight():
    points = ((0.1, 0.08), (0.3, 0.27), (GREY, GREY), (0.7, 0.75))
    got = encode(trimmed(Trim(curves_rgb=(points, (), points))).astype(np.float64), LOG)
    code = encode(LIGHT.astype(np.float64), LOG)
    spline = PchipInterpolator(*np.array(points).T)
    inside = (code[:, 0] > 0.1) & (code[:, 0] < 0.7)
    assert inside.sum() > 1000
    np.testing.assert_allclose(got[inside, 0], spline(code[inside, 0]), atol=2e-5)
    np.testing.assert_allclose(got[:, 1], code[:, 1], atol=2e-6)
    above = code[:, 2] > 0.7
    end = spline.derivative()(0.7)
    np.testing.assert_allclose(got[above, 2], 0.75 + end * (code[above, 2] - 0.7), atol=3e-5)


def test_the_curve_of_luminance_keeps_the_ratio_of_channels():
    points = ((0.1, 0.05), (GREY, GREY + 0.02), (0.8, 0.85))
    light = LIGHT[:3000]
    got = trimmed(Trim(curve=points), light)
    ratio = got / light
    np.testing.assert_allclose(ratio, ratio[:, :1].repeat(3, axis=1), rtol=1e-5)
    lum = light.astype(np.float64) @ AP1.to_xyz[1]
    code = encode(lum, LOG)
    inside = (code > 0.12) & (code < 0.8)
    want = decode(PchipInterpolator(*np.array(points).T)(code), LOG)
    np.testing.assert_allclose((got @ AP1.to_xyz[1])[inside], want[inside], rtol=2e-4, atol=1e-6)


def test_white_and_saturation_by_level_stay_within_their_level():
    levels = (LevelTrim(warmth=-20), LevelTrim(), LevelTrim(saturation=0.5))
    grey = np.repeat((0.18 * 2.0 ** np.linspace(-5, 5, 201))[:, None], 3, axis=1).astype(np.float32)
    got = trimmed(Trim(levels=levels), grey)
    stops = np.linspace(-5, 5, 201)
    # Darks turn bluer, the middle and neutral lights stay; it goes over without a step.
    assert (got[stops < -3.1, 2] > 1.02 * grey[stops < -3.1, 2]).all()
    np.testing.assert_allclose(got[stops > -0.9], grey[stops > -0.9], rtol=1e-5)
    bend = np.diff(np.log2(got[:, 2] / got[:, 0]), 2)
    assert np.abs(bend).max() < 0.003
    colour = np.array([[1.6, 1.0, 0.7]], np.float32)
    spread = [np.ptp(np.log2(trimmed(Trim(levels=levels), colour * s))) for s in (0.18, 4.0)]
    assert spread[0] == pytest.approx(np.ptp(np.log2(colour)), rel=1e-4)
    assert spread[1] == pytest.approx(0.5 * np.ptp(np.log2(colour)), rel=0.01)


HUES = (HueTrim(turn=12), HueTrim(saturation=0.7), HueTrim(), HueTrim(stops=0.3), HueTrim(),
        HueTrim(turn=-10, saturation=1.3))  # fmt: skip


def plane(light):
    """Hue (degrees) and chroma of light in the working log, about its mean."""
    r, g, b = encode(np.asarray(light, np.float64), LOG).T
    u, v = (2 * r - g - b) / 6**0.5, (g - b) / 2**0.5
    return np.degrees(np.arctan2(v, u)), np.hypot(u, v)


def around(chroma=0.08, steps=720):
    angle = np.radians(np.linspace(0, 360, steps, endpoint=False))
    u, v = chroma * np.cos(angle), chroma * np.sin(angle)
    code = GREY + np.stack([2 * u / 6**0.5, v / 2**0.5 - u / 6**0.5, -v / 2**0.5 - u / 6**0.5], -1)
    return decode(code, LOG)


def test_bands_turn_their_hue_and_leave_neutral_alone():
    circle = around()
    before, chroma = plane(circle)
    after, other = plane(trimmed(Trim(hues=HUES), circle.astype(np.float32)))
    turned = (after - before + 180) % 360 - 180
    at = {d: int(np.argmin(np.abs((before - d + 180) % 360 - 180))) for d in range(0, 360, 60)}
    assert turned[at[0]] == pytest.approx(12, abs=0.1)
    assert turned[at[300]] == pytest.approx(-10, abs=0.1)
    assert turned[at[120]] == pytest.approx(0, abs=0.1)
    assert (other / chroma)[at[60]] == pytest.approx(0.7, abs=0.005)
    # Periodic without a seam, and in order: hues do not pass each other.
    assert np.abs(np.diff(turned, append=turned[:1])).max() < 0.35
    assert ((np.diff(after, append=after[:1]) + 180) % 360 - 180 > 0).all()
    neutral = np.repeat(np.geomspace(1e-4, 50, 60)[:, None], 3, axis=1).astype(np.float32)
    np.testing.assert_allclose(trimmed(Trim(hues=HUES), neutral), neutral, rtol=3e-6)


PAIRS = (ColourPair((0.30, 0.16, 0.10), (0.33, 0.17, 0.12), reach=0.08, origin="B004_02"),
         ColourPair((0.05, 0.09, 0.30), (0.06, 0.09, 0.27), reach=0.1))  # fmt: skip


def test_pairs_reach_their_colours_and_no_others():
    sources, wanted = (np.array([getattr(p, side) for p in PAIRS]) for side in
                       ("angle", "reference"))  # fmt: skip
    got = trimmed(Trim(pairs=PAIRS), sources.astype(np.float32))
    assert delta_e_2000(lab(got), lab(wanted)).max() < 0.15
    # Beyond the reach, as chroma of the working log, nothing moves.
    place = encode(LIGHT.astype(np.float64), LOG) @ plane_matrix().T
    own = encode(sources, LOG) @ plane_matrix().T
    away = (np.linalg.norm(place[:, None] - own[None], axis=-1) > [0.09, 0.11]).all(axis=1)
    assert 300 < away.sum() < len(LIGHT)
    moved = delta_e_2000(lab(trimmed(Trim(pairs=PAIRS))), lab(LIGHT.astype(np.float64)))
    assert moved[away].max() < 0.1
    assert moved[~away].max() > 1
    # Half the strength goes half way; the map keeps its order along every line of colours.
    half = tuple(replace(p, strength=0.5) for p in PAIRS)
    part = encode(trimmed(Trim(pairs=half), sources.astype(np.float32)).astype(np.float64), LOG)
    np.testing.assert_allclose(part, (encode(sources, LOG) + encode(wanted, LOG)) / 2, atol=2e-3)
    line = decode(np.linspace(0.15, 0.6, 400)[:, None] + np.array([0.06, 0, -0.06]), LOG)
    after = encode(trimmed(Trim(pairs=PAIRS), line.astype(np.float32)).astype(np.float64), LOG)
    assert (np.diff(after, axis=0) > 0).all()


def plane_matrix():
    """Chroma as it is, luminance a third: the distance that a reach is counted in."""
    rows = np.array([[2, -1, -1], [0, 3**0.5, -(3**0.5)], [0, 0, 0]]) / 6**0.5
    rows[2] = np.ones(3) / 3 * 3**0.5 / 3
    return rows


# One of each kind of part, in the order that docs/trim.md states.
IN_ORDER = (
    Trim(stops=0.3, warmth=15), Trim(curve=((0.1, 0.05), (0.45, 0.5), (0.8, 0.82))),
    Trim(levels=(LevelTrim(warmth=-30), LevelTrim(tint=4), LevelTrim(saturation=0.5))),
    Trim(contrast=1.3), Trim(curves_rgb=(((0.1, 0.08), (0.4, 0.46), (0.7, 0.71)),) * 3),
    Trim(hues=HUES), Trim(pairs=PAIRS),
)  # fmt: skip


@pytest.mark.parametrize("first", range(len(IN_ORDER) - 1))
def test_the_parts_of_a_trim_work_in_the_order_that_is_stated(first):
    earlier, later = IN_ORDER[first], IN_ORDER[first + 1]
    light = LIGHT[:3000]
    both = trimmed(added(earlier, later), light)
    after, before = trimmed(later, trimmed(earlier, light)), trimmed(earlier, trimmed(later, light))
    apart = delta_e_2000(lab(after), lab(before)).max()
    assert apart > 0.5  # else the order would not matter
    assert delta_e_2000(lab(both), lab(after)).max() < 0.05


def test_softening_takes_detail_off_and_is_the_same_in_a_region():
    rng = np.random.default_rng(2)
    frame = np.abs(rng.normal(0.2, 0.08, (90, 320, 3))).astype(np.float32)
    frame = np.repeat(np.repeat(frame, 2, axis=0), 2, axis=1)
    chain = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), trim=Trim(
        stops=1.0, detail=(0.0, 1.0, 0.5)))  # fmt: skip
    whole = execute(chain, frame)
    assert whole.mean() == pytest.approx(2 * frame.mean(), rel=2e-3)  # light is kept
    assert whole.std() < 0.75 * (2 * frame).std()
    part = execute(chain, frame, region=(101, 31, 90, 70))
    np.testing.assert_allclose(part, whole[31:101, 101:191], atol=1e-5)
    # Twice the size is the same thing: bands are shares of the width.
    small = execute(chain, frame[::2, ::2])
    assert small.std() > 0.9 * whole.std()
    with pytest.raises(ChainError, match="pixels around"):
        compile_chain(chain)


@pytest.mark.parametrize(
    ("plain", "code", "words"),
    [
        ({"stops": float("nan")}, "chain.invalid", "finite"),
        ({"stops": 11}, "trim.range", "-10 to 10"),
        ({"warmth": 251}, "trim.range", "250"),
        ({"pivot": -9}, "trim.range", "-4 to 4"),
        ({"borders": [0, 0.2]}, "trim.range", "half a stop"),
        ({"curve": [[0.1, 0.2], [0.3, 0.1]]}, "trim.curve", "does not rise"),
        ({"curves_rgb": [[[0.1, 0.2]], [], []]}, "trim.curve", "one point"),
        ({"hues": [{"turn": 40}, {}, {}, {}, {}, {}]}, "trim.hues", "Red and yellow"),
        ({"pairs": [{"angle": [0.2, 0.1, 0.1], "reference": [0.1, 0.2, 0.1]}]}, "trim.pairs",
         "reach"),
        ({"pairs": [{"angle": [0.2, 0.1, 0.1], "reference": [0.21, 0.1, 0.1]},
                    {"angle": [0.2, 0.1, 0.1], "reference": [0.18, 0.1, 0.1]}]}, "trim.pairs",
         r"Pairs 1 and 2 contradict.*Without pair 1 its colour is ΔE \d+\.\d off"),
        # Near each other, and pulled apart by more than they are: said of these two, by number.
        ({"pairs": [{"angle": [0.2, 0.1, 0.1], "reference": [0.215, 0.1, 0.1], "reach": 0.3},
                    {"angle": [0.205, 0.1, 0.1], "reference": [0.19, 0.1, 0.1], "reach": 0.3}]},
         "trim.pairs", "Pairs 1 and 2 contradict"),
        ({"pairs": [{"angle": [0.2, 0.1, 0.1], "reference": [0.21, 0.1, 0.1], "origin": 4}]},
         "chain.invalid", "origin"),
        ({"keys": [{"number": "stops", "points": [[4, 0.1], [4, 0.2]]}]}, "trim.keys", "follows"),
        ({"keys": [{"number": "stops", "points": [[0, 99]]}]}, "trim.range", "-10 to 10"),
        ({"keys": [{"number": "gain", "points": [[0, 1]]}]}, "trim.name", "no number"),
        ({"gain": 1}, "chain.invalid", "unknown fields"),
        ({"off": ["light", "sound"]}, "chain.invalid", "bypassed"),
    ],
)  # fmt: skip
def test_bad_trims_are_refused_in_words(plain, code, words):
    with pytest.raises(ChainError, match=words) as caught:
        read_trim({"kind": "trim", **plain})
    assert caught.value.code == code


FULL = Trim(
    flare=0.002, stops=-0.1, warmth=8, tint=-1.5, contrast=1.04, pivot=0.5,
    levels=(LevelTrim(5, 0.5, 0.9), LevelTrim(), LevelTrim(saturation=0.8)),
    cdl=Cdl((1.02, 1, 1), (0, 0, 0.004), (1, 1.01, 1), 0.96),
    curve=((0.1, 0.09), (0.6, 0.62)), hues=HUES, pairs=PAIRS, off=("curves",),
)  # fmt: skip


def test_a_document_holds_it_and_its_hash_is_golden():
    chain = Chain(Decode("s-log3/s-gamut3.cine"), EncodingOutput("linear/ap1"), trim=FULL)
    assert read_chain(json.loads(json.dumps(chain_to_json(chain)))) == chain
    golden = json.loads((Path(__file__).parents[2] / "data/chain_v7.json").read_text())
    assert golden["version"] == 7
    assert read_chain(golden) == chain
    assert chain_to_json(read_chain(golden)) == golden
    # One of before has other numbers of white and all else alike.
    older = read_chain(json.loads((Path(__file__).parents[2] / "data/chain_v5.json").read_text()))
    assert replace(older.trim, warmth=8, tint=-1.5, levels=FULL.levels) == FULL
    assert older.trim.warmth == pytest.approx(8, abs=0.3)
    # A chain without a trim is written as before.
    assert chain_to_json(replace(chain, trim=None))["version"] < 5
    assert chain_hash(chain) != chain_hash(replace(chain, trim=replace(FULL, off=())))


def test_a_bypassed_part_does_nothing():
    bypassed = trimmed(replace(FULL, off=("light", "tone", "curves", "hues", "pairs")))
    np.testing.assert_array_equal(bypassed, LIGHT)
    # Nor does what changes of it over time.
    keys = (KeyTrack("stops", ((0, 1.0),)), KeyTrack("contrast", ((0, 1.2),)))
    over_time = Trim(stops=0.5, keys=keys, off=("light",))
    assert at_frame(over_time, 0) == Trim(contrast=1.2)


def test_a_clip_adds_to_its_light_whatever_the_light_bypasses():
    both = added(Trim(stops=-0.10, contrast=1.1), Trim(stops=0.05, contrast=1.1, warmth=4))
    assert (both.stops, both.contrast, both.warmth) == pytest.approx((-0.05, 1.21, 4))
    alone = trimmed(Trim(warmth=4, stops=0.05), trimmed(Trim(stops=-0.10)))
    np.testing.assert_allclose(trimmed(replace(both, contrast=1.0)), alone, rtol=1e-5, atol=1e-7)
    # Half a stop of the light is bypassed; the quarter that the clip adds counts.
    light = Trim(stops=0.5, contrast=1.2, off=("light",))
    both = added(light, Trim(stops=0.25))
    assert (both.stops, both.contrast, both.off) == (0.25, 1.2, ())
    np.testing.assert_array_equal(trimmed(both), trimmed(Trim(stops=0.25, contrast=1.2)))


STRONG = (
    (Trim(stops=8), Trim(stops=5), "stops", (8, 5)),
    (Trim(contrast=3), Trim(contrast=2), "contrast", (3, 2)),
    (Trim(hues=(HueTrim(turn=30),) * 6), Trim(hues=(HueTrim(turn=31),) * 6), "hues.red.turn",
     (30, 31)),
    (Trim(levels=(LevelTrim(warmth=-200), LevelTrim(), LevelTrim())),
     Trim(levels=(LevelTrim(warmth=-60), LevelTrim(), LevelTrim())), "levels.darks.warmth",
     (-200, -60)),
)  # fmt: skip


@pytest.mark.parametrize(("light", "clip", "name", "numbers"), STRONG, ids=lambda v: str(v)[:20])
def test_a_sum_beyond_the_range_is_refused_with_both_numbers_and_read_where_it_is_stored(
    light, clip, name, numbers
):
    with pytest.raises(ChainError) as caught:
        refuse_beyond((light, Trim()), (light, clip), ("B in Foundry", "B004_02"))
    assert caught.value.code == "trim.sum"
    for word in (name, "B in Foundry", "B004_02", *(f"{n:g}" for n in numbers)):
        assert word in caught.value.message
    # Stored already it keeps its picture, as a document too, and may be made less, not more.
    chain = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), trim=added(light, clip))
    assert read_chain(chain_to_json(chain)) == chain
    assert name in {row.name for row in beyond(chain.trim)}
    less = read_trim(with_half(clip))
    refuse_beyond((light, clip), (light, less))
    with pytest.raises(ChainError):
        refuse_beyond((light, less), (light, clip))
    with pytest.raises(ChainError):
        read_trim(asdict(chain.trim))


def with_half(trim):
    """A trim with half of what it turns; factors half-way."""
    plain = asdict(trim)
    plain["stops"] /= 2
    plain["contrast"] = 1 + (plain["contrast"] - 1) / 2
    for row in plain["hues"]:
        row["turn"] = row["turn"] - 0.5
    for row in plain["levels"]:
        row["warmth"] /= 2
    return plain


def test_pairs_that_contradict_across_light_and_clip_are_refused():
    one = ColourPair((0.2, 0.1, 0.1), (0.21, 0.1, 0.1))
    other = ColourPair((0.2, 0.1, 0.1), (0.18, 0.1, 0.1))
    light, clip = Trim(pairs=(one,)), Trim(pairs=(other,))
    with pytest.raises(ChainError, match="contradict"):
        refuse_beyond((light, Trim()), (light, clip))
    # So they were stored: something else of the clip can still be turned.
    refuse_beyond((light, clip), (light, replace(clip, stops=0.1)))


def test_numbers_over_time_are_added_at_their_frames_and_no_lut_takes_them():
    keys = [{"number": "stops", "points": [[10, 0.0], [20, 1.0]]},
            {"number": "contrast", "points": [[0, 1.1]]}]  # fmt: skip
    trim = read_trim({"kind": "trim", "stops": 0.5, "contrast": 1.2, "keys": keys})
    chain = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), trim=trim)
    assert read_chain(chain_to_json(chain)) == chain
    assert chain_to_json(chain)["version"] == 6
    grey = np.full((1, 1, 3), 0.18, np.float32)
    # Contrast turns about middle grey, so that it does not move it at the tenth frame.
    for number, stops in ((0, 0.5), (10, 0.5), (15, 1.0), (20, 1.5), (99, 1.5)):
        alone = replace(trim, keys=(), stops=stops, contrast=1.2 * 1.1)
        want = execute(replace(chain, trim=alone), grey)
        np.testing.assert_allclose(execute(chain, grey, number=number), want, rtol=1e-6)
    with pytest.raises(ChainError, match="frame to frame"):
        bake_lut(replace(chain, decode=Decode("acescct/ap1")), 17)
    # Two trims that change add up, as those that stay do.
    both = at_frame(added(trim, read_trim({"kind": "trim", "keys": keys[:1]})), 15)
    assert both.stops == pytest.approx(0.5 + 0.5 + 0.5)
