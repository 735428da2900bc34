from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.chain import Match
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.matching import (
    MODELS,
    ColourPair,
    FitOptions,
    fit_match,
    fit_to_json,
    reading_from_json,
    reading_to_json,
)
from syntonos.core.matching.fit import bring_to_reference, difference_as_shot, working
from syntonos.core.matching.metric import difference_jacobian, scene_delta_e
from syntonos.core.matching.scene_fit import Clusters
from syntonos.core.matching.tuner import tuner_of
from tests.simulated import DAY, TUNGSTEN, camera_a, camera_b, off_chart, reading


def _changed(base, lin_ap1):
    """Return a reading with other values, given in scene-linear AP1."""
    back = gamut_matrix(AP1, find_encoding(base.encoding).gamut)
    patches = tuple(
        replace(p, lin_rgb=tuple(map(float, back @ v)))
        for p, v in zip(base.patches, lin_ap1, strict=True)
    )
    return replace(base, patches=patches)


KNOWN = Match(
    angle_white=(1.08, 0.99, 0.9), stops=0.45,
    matrix=((1.08, -0.1, 0.02), (0.03, 0.93, 0.04), (-0.02, -0.08, 1.1)),
    reference_white=(1.0, 1.0, 1.0),
)  # fmt: skip


@pytest.mark.parametrize("warm", [(1.0, 1.0, 1.0), (1.35, 0.97, 0.55)], ids=["neutral", "warm"])
def test_a_known_match_is_found_again(warm):
    own = reading(camera_a())
    white = np.array(warm) / (np.array(warm) @ AP1.to_xyz[1])
    known = replace(KNOWN, reference_white=tuple(white))
    reference = _changed(own, bring_to_reference(known, working(own)))
    fit = fit_match(reference, own)
    lin = off_chart(camera_a())
    white_lin = np.linalg.solve(mix_matrix(0.2), white)
    miss = scene_delta_e(
        bring_to_reference(fit.match, lin), bring_to_reference(known, lin), white_lin
    )
    # The weak pull towards identity and the greys' own tint leave a trace.
    assert miss.mean() < 0.15
    assert fit.after < 0.1
    # The camera's own greys are not exactly neutral, so exposure is found to a few hundredths.
    assert fit.flare_share == pytest.approx(0, abs=1e-4)


@pytest.mark.parametrize(("light", "seed"), [(DAY, 15), (DAY, 10), (TUNGSTEN, 2), (DAY, 20)])
def test_off_chart_colours_come_closer_than_by_white_and_exposure(light, seed):
    a, b = camera_a(white_light=light), camera_b(seed, white_light=light)
    reference, own = reading(a, light=light), reading(b, light=light)
    fit = fit_match(reference, own)
    plain = fit_match(reference, own, FitOptions(model="white"))
    want, got = off_chart(a, light=light), off_chart(b, light=light)
    white = np.linalg.solve(mix_matrix(0.2), np.array(fit.match.reference_white))
    error = scene_delta_e(bring_to_reference(fit.match, got), want, white).mean()
    alone = scene_delta_e(bring_to_reference(plain.match, got), want, white).mean()
    assert error <= 0.6 * alone
    assert fit.expected_low < error < fit.expected_high
    assert fit.expected < next(m.expected for m in fit.models if m.model == "white")


def test_exposure_is_meant_in_the_mean_over_an_unevenly_lit_chart():
    even = reading(camera_b(15))
    light = 2.0 ** ((np.arange(24) % 6) / 5)  # a stop from edge to edge, brightest on the right
    light = light / light.mean()
    reference, uneven = reading(camera_a()), _changed(even, working(even) * light[:, None])
    plain, fit = fit_match(reference, even), fit_match(reference, uneven)
    # At the chart's middle the light is 0.037 stop under its mean.
    assert np.log2(light[[2, 3]].mean()) == pytest.approx(-0.037, abs=0.001)
    assert fit.match.stops == pytest.approx(plain.match.stops, abs=0.005)
    # Which of the chart's light is the scene's stays open, and is said.
    assert fit.expected > 1.2 * plain.expected


def test_exposure_white_and_flare_are_told_in_their_units():
    a = camera_a(white_light=DAY, flare=0.0)
    b = replace(a, stops=-0.5, flare=0.015, encoding="s-log3/s-gamut3.cine")
    fit = fit_match(reading(a), reading(b))
    assert fit.match.stops == pytest.approx(0.5, abs=0.02)
    assert fit.warmth == pytest.approx(0, abs=2)
    # 1.5 % of a 100 % white, on a chart whose white gives 0.84 under this light.
    assert fit.flare_share == pytest.approx(0.015 / (0.95 * 0.88), rel=0.2)
    assert fit.left_one_out < 0.6


def test_clean_readings_carry_no_flare():
    a = camera_a(white_light=DAY)
    fit = fit_match(reading(a, seed=1), reading(a, seed=2))
    assert fit.flare_share == 0
    assert fit.after < 0.3


def test_a_glared_patch_does_not_pull_the_others():
    def glare(raw):
        out = raw.copy()
        out[14] += 0.12
        return out

    reference = reading(camera_a())
    clean = fit_match(reference, reading(camera_b()))
    spoilt = fit_match(reference, reading(camera_b(), patches=glare))
    rest = [i for i in range(24) if i != 14]
    before, after = ([f.residuals[i].after for i in rest] for f in (clean, spoilt))
    assert np.mean(after) < np.mean(before) + 0.15
    assert spoilt.residuals[14].after > 4


def test_uneven_light_is_found_and_taken_off():
    reference = reading(camera_a())
    even, uneven = (fit_match(reference, reading(camera_b(), gradient=g)) for g in (0.0, 0.5))
    lin = off_chart(camera_b())
    white = np.linalg.solve(mix_matrix(0.2), np.array(even.match.reference_white))
    # Exposure at the chart's middle differs, since the gradient runs over the whole frame.
    gain = bring_to_reference(even.match, lin).mean() / bring_to_reference(uneven.match, lin).mean()
    apart = scene_delta_e(
        bring_to_reference(uneven.match, lin) * gain, bring_to_reference(even.match, lin), white
    )
    assert apart.mean() < 0.25
    assert uneven.after < even.after + 0.3


def test_a_colour_off_the_chart_draws_the_fit_and_is_never_doubted():
    reference, own = reading(camera_a()), reading(camera_b())
    plain = fit_match(reference, own)
    white = np.linalg.solve(mix_matrix(0.2), np.array(plain.match.reference_white))
    # A strong colour: greys stay the chart's, whatever is asked of a neutral.
    lin = off_chart(camera_b())
    strong = np.ptp(lin, axis=1) / lin.sum(axis=1)
    x = lin[np.argmin(np.abs(strong - 0.6) + 9 * (lin.min(axis=1) < 0.01))]
    want = bring_to_reference(plain.match, x) * np.array([1.05, 1.0, 0.95])

    def miss(weight):
        pair = ColourPair(tuple(map(float, x)), tuple(map(float, want)), weight=weight)
        fit = fit_match(reference, own, FitOptions(pairs=(pair,)))
        assert fit.after < plain.after + 0.2
        return float(scene_delta_e(bring_to_reference(fit.match, x), want, white))

    alone = float(scene_delta_e(bring_to_reference(plain.match, x), want, white))
    assert alone > miss(1.0) + 0.03 > miss(5.0) + 0.1


def test_models_are_told_from_the_simplest_on_and_the_chosen_one_is_fitted():
    reference, own = reading(camera_a()), reading(camera_b())
    fits = {m: fit_match(reference, own, FitOptions(model=m)) for m in MODELS}
    for name, fit in fits.items():
        assert [m.model for m in fit.models] == list(MODELS)
        chosen = next(m for m in fit.models if m.model == name)
        assert (fit.after, fit.expected) == (chosen.after, chosen.expected)
    assert not fits["matrix"].match.roots
    assert not fits["matrix"].match.smooth
    assert fits["smooth"].match.smooth
    assert not fits["smooth"].match.roots
    assert fits["roots"].match.roots
    assert fits["white"].match.matrix == ((1, 0, 0), (0, 1, 0), (0, 0, 1))
    with pytest.raises(FitError) as caught:
        fit_match(reference, own, FitOptions(model="guess"))
    assert caught.value.code == "fit.model"


def test_what_would_help_is_told_with_its_gain():
    """The gain that is told is about the gain that comes when one does as told."""
    noisy = replace(camera_b(), noise=0.3)
    reference = reading(camera_a())
    fit = fit_match(reference, reading(noisy))
    (advice,) = fit.advice
    assert "more frames" in advice.text
    better = fit_match(reference, reading(replace(noisy, noise=0.15)))
    assert advice.gain == pytest.approx(fit.expected - better.expected, rel=0.6)
    assert not fit_match(reference, reading(camera_b())).advice


def test_clipped_and_chosen_patches_are_left_out_with_their_reason():
    reference, own = reading(camera_a()), reading(camera_b(clip=0.6, stops=0.2))
    fit = fit_match(reference, own, FitOptions(leave_out=(13,)))
    reasons = {r.index: r.left_out for r in fit.residuals if r.left_out}
    assert reasons[19] == "clipped in the angle"
    assert reasons[13] == "by hand"
    assert fit.residuals[18].predicted is None


def test_cameras_are_as_far_apart_before_a_match_as_the_match_says():
    base, own = reading(camera_a()), reading(camera_b(stops=0.7))
    fit = fit_match(base, own)
    assert all(r.left_out is None for r in fit.residuals)
    assert difference_as_shot(base, own) == pytest.approx(fit.before, rel=1e-9)
    # CIEDE2000 under the white of the reference's own mid greys, without what is cut off.
    own = reading(camera_b(clip=0.6, stops=0.2))
    used = [i for i, patch in enumerate(own.patches) if not {"clipped", "crushed"} & {*patch.flags}]
    assert 0 < 24 - len(used) < 6
    mids = [i for i in base.layout.mid_greys if i in used]
    nominal = (np.array(base.layout.nominal) @ AP1.to_xyz[1])[mids]
    white = np.median(working(base)[mids] / nominal[:, None], axis=0)
    apart = scene_delta_e(working(own)[used], working(base)[used], white).mean()
    assert difference_as_shot(base, own) == pytest.approx(apart, rel=1e-9)


def test_few_patches_give_white_and_exposure_and_fewer_are_refused():
    reference, own = reading(camera_a()), reading(camera_b())
    fit = fit_match(reference, own, FitOptions(leave_out=tuple(range(1, 15))))
    assert fit.model == "white"
    assert fit.warnings
    with pytest.raises(FitError) as caught:
        fit_match(reference, own, FitOptions(leave_out=tuple(range(1, 20))))
    assert caught.value.code == "fit.too_few"
    with pytest.raises(FitError) as caught:
        fit_match(reference, own, FitOptions(leave_out=tuple(range(19, 25))))
    assert caught.value.code == "fit.no_greys"


def test_the_grey_ramp_speaks_against_wrong_levels_and_only_then():
    reference = reading(camera_a())
    right = camera_b(levels="legal")
    assert not [w for w in fit_match(reference, reading(right)).warnings if "levels" in w]
    wrong = reading(right)
    wrong = replace(wrong, levels="full", patches=_as_full(wrong))
    warnings = fit_match(reference, wrong).warnings
    assert any("angle speaks against full levels" in w for w in warnings)


def _as_full(got):
    from syntonos.core.encodings import decode

    curve = find_encoding(got.encoding).curve
    return tuple(
        replace(p, lin_rgb=tuple(decode(np.array(p.code_rgb), curve).tolist())) for p in got.patches
    )


def test_the_local_metric_is_ciede2000_for_small_changes():
    rng = np.random.default_rng(0)
    lin, white = rng.uniform(0.02, 0.9, (200, 3)), np.ones(3)
    step = rng.normal(0, 2e-4, (200, 3))
    told = np.linalg.norm(np.einsum("nij,nj->ni", difference_jacobian(lin, white), step), axis=1)
    true = scene_delta_e(lin, lin + step, white)
    np.testing.assert_allclose(told, true, rtol=0.08, atol=2e-3)


def test_the_tuner_reads_a_turned_picture_and_rests_after_the_match():
    reference = reading(camera_a(white_light=DAY))
    lin = working(reference)
    turned = _changed(reference, lin * 2**0.25)
    assert tuner_of(reference, turned, None).exposure == pytest.approx(0.25, abs=0.01)
    own = reading(camera_b())
    rest = tuner_of(reference, own, fit_match(reference, own).match)
    assert abs(rest.exposure) < 0.02
    assert abs(rest.warmth) < 2
    assert abs(rest.strength) < 4


def test_readings_and_fits_survive_json():
    import json

    own = reading(camera_a())
    assert reading_from_json(json.loads(json.dumps(reading_to_json(own)))) == own
    plain = json.loads(json.dumps(fit_to_json(fit_match(own, own)), allow_nan=False))
    assert len(plain["residuals"]) == 24


def test_colours_of_the_scene_steady_a_chart_and_what_shines_there_is_set_aside():
    """Forty colours that both cameras saw beside the chart; four mirror something."""
    reference, own = reading(camera_a()), reading(camera_b())
    want, got = off_chart(camera_a(), count=40, seed=3), off_chart(camera_b(), count=40, seed=3)
    shown = got.copy()
    shown[:4] += 0.15
    spread = np.repeat(np.eye(3)[None] * 0.01**2, 40, axis=0)
    colours = Clusters(want, shown, spread, np.full(40, 30.0))
    plain, steadied = (
        fit_match(reference, own, FitOptions(scene=given)) for given in (None, colours)
    )
    assert plain.steadied is None
    assert steadied.steadied.count == 40
    assert 4 <= steadied.steadied.aside <= 6
    assert len(steadied.residuals) == 24
    assert steadied.pairs == ()

    def off(fit, seed):
        lin = [off_chart(c(), count=40, seed=seed) for c in (camera_b, camera_a)]
        return scene_delta_e(bring_to_reference(fit.match, lin[0]), lin[1], np.ones(3)).mean()

    assert off(steadied, 3) < 0.95 * off(plain, 3)
    # Colours that neither the chart nor the scene has are not paid for it with.
    assert off(steadied, 11) < 1.05 * off(plain, 11)
    # Four greys and the scene are enough for colour.
    few = FitOptions(scene=colours, leave_out=tuple(range(3, 19)))
    assert fit_match(reference, own, few).model == "averaged"
