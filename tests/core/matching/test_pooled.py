"""What a camera pair showed in other lights, where this light's chart says little."""

from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.chain import Match
from syntonos.core.charts import find_layout, read_chart
from syntonos.core.encodings import AP1, decode, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.matching import FitOptions, fit_match
from syntonos.core.matching.fit import bring_to_reference
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.pooled import (
    carried_error,
    general_match,
    pooled_prior,
    scene_white,
    share_between,
)
from syntonos.core.matching.readings import ColourPair, where_lit
from syntonos.core.simulate.chart import chart_image, reflectances_of
from syntonos.core.simulate.spectra import daylight, planck, random_reflectances
from tests.simulated import DAY, camera_a, camera_b, off_chart, reading

LAMPS = [daylight(4800), daylight(6300), daylight(7600)]


@pytest.fixture(scope="module")
def pairs():
    """The charts of both cameras in three other lights."""
    return [(reading(camera_a(), light=lamp), reading(camera_b(), light=lamp)) for lamp in LAMPS]


def off(match):
    x, y = off_chart(camera_b()), off_chart(camera_a())
    white = np.median(reading(camera_a()).lin_rgb[18:22], axis=0)
    return float(scene_delta_e(bring_to_reference(match, x), y, white / white.mean()).mean())


def test_greys_alone_give_colour_where_other_lights_know_it(pairs):
    options = FitOptions(leave_out=tuple(range(1, 19)))
    here = reading(camera_a()), reading(camera_b())
    alone = fit_match(*here, options)
    pooled = fit_match(*here, replace(options, pool=pooled_prior(pairs)))
    assert alone.model == "white"
    assert pooled.model == "averaged"
    assert off(pooled.match) < 0.75 * off(alone.match)
    # It says that it does not know as well as with a chart, and how well it does.
    assert pooled.expected > fit_match(*here).expected
    assert off(pooled.match) / 1.75 < pooled.expected < 1.75 * off(pooled.match)


def test_a_good_chart_is_not_spoilt_by_other_lights(pairs):
    here = reading(camera_a()), reading(camera_b())
    pooled = fit_match(*here, FitOptions(pool=pooled_prior(pairs)))
    assert off(pooled.match) < off(fit_match(*here).match) + 0.05


def test_a_pool_of_another_pair_is_not_believed():
    strangers = [(reading(camera_b(9), light=LAMPS[0]), reading(camera_b(31), light=LAMPS[0]))]
    here = reading(camera_a()), reading(camera_b())
    pooled = fit_match(*here, FitOptions(pool=pooled_prior(strangers)))
    assert off(pooled.match) < off(fit_match(*here).match) + 0.15


def test_light_across_the_rows_is_not_taken_for_exposure_where_one_row_is_left(pairs):
    """Greys alone stand in one row: their exposure is theirs, however light falls elsewhere."""
    where = where_lit(find_layout("chart-24"), range(18, 24))
    np.testing.assert_allclose(where.mean(axis=0), 0, atol=1e-12)
    assert np.ptp(where[:, 1]) == 0
    whole = where_lit(find_layout("chart-24"), range(24))
    np.testing.assert_allclose(whole[18:].mean(axis=0), [0, 0.5])


def test_without_usable_pairs_there_is_no_pool():
    assert pooled_prior([]) is None


def test_a_light_without_a_chart_takes_a_neighbour_s_match(pairs):
    matches = [fit_match(*pair).match for pair in pairs]
    same = carried_error(matches[0], *pairs[0])
    other = carried_error(matches[0], *pairs[2])
    assert same < other < 12
    general = general_match(matches)
    assert np.sum(general.matrix, axis=1) == pytest.approx(1, abs=1e-9)
    assert min(m.stops for m in matches) <= general.stops <= max(m.stops for m in matches)
    assert carried_error(general, *pairs[1]) < carried_error(matches[0], *pairs[2]) + 2
    with pytest.raises(FitError, match="no match"):
        general_match([])


def of_layout(camera, slug):
    layout = find_layout(slug)
    raw = camera.expose(reflectances_of(layout, np.random.default_rng(1)) * DAY) * 0.95
    picture, centres = chart_image(raw, 26, layout)
    frames = [camera.record(picture, np.random.default_rng(k)) for k in range(3)]
    return read_chart(frames, centres[[i - 1 for i in layout.corner_patches]],
                      find_encoding(camera.encoding), layout=layout)  # fmt: skip


@pytest.mark.parametrize("slug", ["grid-140", "double-48"])
def test_other_charts_fit_as_well_as_the_usual_one(slug):
    fit = fit_match(of_layout(camera_a(), slug), of_layout(camera_b(), slug))
    assert off(fit.match) < 1.25 * off(fit_match(reading(camera_a()), reading(camera_b())).match)
    assert len(fit.residuals) == len(find_layout(slug).names)


def test_a_grey_ramp_gives_white_and_exposure_and_says_so():
    fit = fit_match(of_layout(camera_a(), "ramp-20"), of_layout(camera_b(), "ramp-20"))
    assert fit.model == "white"
    assert any("only greys" in text for text in fit.warnings)
    usual = fit_match(reading(camera_a()), reading(camera_b()))
    assert fit.match.stops == pytest.approx(usual.match.stops, abs=0.06)


def test_readings_of_different_charts_are_refused():
    with pytest.raises(FitError, match="The reference's chart is one of 24 patches"):
        fit_match(reading(camera_a()), of_layout(camera_b(), "grid-140"))


def test_an_area_that_is_another_thing_is_named():
    x, y = off_chart(camera_b(), count=8), off_chart(camera_a(), count=8)
    good = ColourPair(tuple(x[0]), tuple(y[0]))
    bad = ColourPair(tuple(x[1]), tuple(y[5]))
    fit = fit_match(reading(camera_a()), reading(camera_b()), FitOptions(pairs=(good, bad)))
    assert fit.pairs[0] < 4 < fit.pairs[1]
    assert any(text.startswith("Area 2 disagrees") for text in fit.warnings)
    assert not any(text.startswith("Area 1") for text in fit.warnings)


def test_a_light_between_two_others_is_found_by_white_and_its_match_lies_between():
    # Things of every colour under warm, middle and cold light: what a camera makes of the whole.
    camera = camera_b()
    things = random_reflectances(np.random.default_rng(3), 80)
    whites = []
    for light in (planck(3000), planck(4000), planck(5500)):
        code = camera.record(np.repeat(camera.expose(things * light)[:, None] * 0.4, 40, 1),
                             np.random.default_rng(1))  # fmt: skip
        space = find_encoding(camera.encoding)
        lin = decode(code.astype(float), space.curve) @ gamut_matrix(space.gamut, AP1).T
        whites.append(scene_white(lin))
    warm, middle, cold = whites
    assert warm[0] > middle[0] > cold[0]
    assert warm[1] < middle[1] < cold[1]
    share = share_between(warm, cold, middle)
    assert 0.3 < share < 0.7
    assert share_between(warm, cold, warm) == 0.0
    assert share_between(warm, warm, middle) == 0.5
    one = Match(stops=1.0, angle_white=(1.0, 1.0, 1.0))
    other = Match(stops=0.0, angle_white=(4.0, 1.0, 1.0))
    made = general_match([one, other], [0.75, 0.25])
    assert made.stops == pytest.approx(0.75)
    assert made.angle_white == pytest.approx((4**0.25, 1.0, 1.0))
