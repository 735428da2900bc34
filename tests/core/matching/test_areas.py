"""Areas that a person marks, and statistics of pictures, on simulated sets with known truth."""

from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.chain.stages.match import through_match
from syntonos.core.errors import FitError
from syntonos.core.evaluate.pictures import draw_case, render, rough_areas, true_places
from syntonos.core.matching.by_areas import Area, Shot, areas_from_json, fit_areas
from syntonos.core.matching.by_places import fit_places
from syntonos.core.matching.by_statistics import fit_statistics
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.places import find_places, only, within_areas
from syntonos.core.simulate.scenes import HEIGHT, WIDTH


@pytest.fixture(scope="module")
def case():
    return draw_case("daylight", 400_002)


@pytest.fixture(scope="module")
def rendered(case):
    seen, files = render(case)
    return seen, files, *true_places(case, seen, files)


def test_what_two_views_of_a_set_show_alike_is_the_same_place(case, rendered):
    """Colours without noise and sheen at traced places differ by one map of colours and no more."""
    _, files, places, want, got = rendered
    assert len(want) > 500
    plain = np.column_stack([got, np.ones(len(got))])
    best = plain @ np.linalg.lstsq(plain, want, rcond=None)[0]
    assert np.median(np.abs(best / want - 1)) < 0.02
    # At places led astray by ten pixels they do not.
    rows = np.clip((places.at_angle * [WIDTH, HEIGHT] + 10).astype(int), 0, [WIDTH - 1, HEIGHT - 1])
    astray = files[1][rows[:, 1], rows[:, 0]].astype(float)
    wrong = np.column_stack([astray, np.ones(len(astray))])
    off = wrong @ np.linalg.lstsq(wrong, want, rcond=None)[0]
    assert np.median(np.abs(off / want - 1)) > 3 * np.median(np.abs(best / want - 1))


def test_ways_are_as_good_as_they_are_ranked(case, rendered):
    _, files, places, want, got = rendered
    eight = rough_areas(case, places, want)

    def off(match):
        return float(scene_delta_e(through_match(match, got), want, np.ones(3)).mean())

    found = find_places(*files)
    picture, areas = fit_places(found), fit_areas([Shot(*files, eight)])
    rough, two = fit_areas([Shot(*files, eight[:4])]), fit_areas([Shot(*files, eight[:2])])
    estimate = fit_statistics(*files)
    before = float(scene_delta_e(got, want, np.ones(3)).mean())
    # The same fit made on the true places is the measure of what places can give.
    assert off(picture.match) < 1.3 * off(fit_places(places).match) + 0.05
    assert off(picture.match) < off(areas.match) < before
    assert off(rough.match) < before
    assert max(off(two.match), off(estimate.match)) < 0.8 * before
    assert len(areas.misses) == 8
    # What both pictures show as a whole tells what the lenses lose: areas alone hardly do.
    told = fit_areas([Shot(*files, eight, places=found)])
    assert off(told.match) < off(areas.match)
    true_loss = fit_places(places).fall_off
    assert np.abs(np.subtract(told.fall_off, true_loss)).max() < 0.05
    one = fit_areas([Shot(*files, eight[:1])])
    assert one.advice[0].startswith("One area gives white and exposure")
    assert one.expected.mean > areas.expected.mean
    assert picture.expected.mean < areas.expected.mean < estimate.expected.mean
    # Places inside of areas only, and without some of them, still say the same.
    shares = [
        ((a.reference[0] / WIDTH, a.reference[1] / HEIGHT, 0.3, 0.5),
         (a.angle[0] / WIDTH, a.angle[1] / HEIGHT, 0.3, 0.5)) for a in eight
    ]  # fmt: skip
    inside = within_areas(found, shares)
    assert 0 < len(inside.reference) < len(found.reference)
    some = [s for s in shares if len(within_areas(found, [s]).reference) < len(found.reference)]
    rest = within_areas(found, [], out=some[:1])
    only_those = within_areas(found, some[:1])
    assert len(rest.reference) + len(only_those.reference) <= len(found.reference)
    assert 0 < len(rest.reference) < len(found.reference)
    fewer = fit_places(only(found, np.arange(len(found.reference)) % 3 > 0))
    assert off(fewer.match) < 1.5 * off(picture.match) + 0.05


@pytest.mark.parametrize(("areas", "code"), [
    ([Area((2000, 10, 20, 20), (10, 10, 20, 20))], "areas.outside"),
    ([Area((10, 10, 20, 20), (10, -90, 20, 20))], "areas.outside"),
])  # fmt: skip
def test_areas_that_lie_outside_are_told(rendered, areas, code):
    with pytest.raises(FitError) as caught:
        fit_areas([Shot(*rendered[1], areas)])
    assert caught.value.code == code


def test_an_area_of_black_is_told(rendered):
    black = np.zeros_like(rendered[1][0])
    with pytest.raises(FitError, match="clipped or black"):
        fit_areas([Shot(black, rendered[1][1], [Area((10, 10, 20, 20), (10, 10, 20, 20))])])
    with pytest.raises(FitError, match="nearly all black"):
        fit_statistics(black, rendered[1][1])


@pytest.mark.parametrize("wrong", [
    {}, [], [1], [{"reference": [1, 2, 3, 4]}],
    [{"reference": [1, 2, 3, 4], "angle": [1, 2, 0, 4]}],
    [{"reference": [1, 2, 3, 4], "angle": [1, 2, float("nan"), 4]}],
    [{"reference": [1, 2, 3, True], "angle": [1, 2, 3, 4]}],
    [{"reference": [1, 2, 3, 4], "angle": [1, 2, 3, 4], "leave_out": 1}],
])  # fmt: skip
def test_lists_of_areas_are_read_strictly(wrong):
    with pytest.raises(FitError) as caught:
        areas_from_json(wrong)
    assert caught.value.code == "areas.form"


def test_a_list_of_areas_is_read():
    (area,) = areas_from_json([{"reference": [1, 2, 3, 4], "angle": [5, 6, 7.5, 8]}])
    assert area == Area((1, 2, 3, 4), (5, 6, 7.5, 8))


def test_an_area_that_is_not_the_same_thing_is_named(case, rendered):
    _, files, places, want, _ = rendered
    eight = rough_areas(case, places, want)
    light = [float(rendered[1][0][int(a.reference[1]) + 5, int(a.reference[0]) + 5].sum())
             for a in eight]  # fmt: skip
    dark, bright = int(np.argmin(light)), int(np.argmax(light))
    crossed = [replace(a, angle=eight[bright].angle) if k == dark else a
               for k, a in enumerate(eight)]  # fmt: skip
    told = fit_areas([Shot(*files, crossed)]).advice
    assert any(word.startswith(f"Area {dark + 1} disagrees") for word in told), told
    assert not any("disagrees" in word for word in fit_areas([Shot(*files, eight)]).advice)
