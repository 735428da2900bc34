"""Places that two cameras of the demo see, against the traced scene, and a match from them."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from syntonos.core.chain import Chain, Decode, EncodingOutput, compile_chain, run
from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.stages.match import through_match
from syntonos.core.errors import FitError
from syntonos.core.matching.by_places import clusters_of, fit_places, joined
from syntonos.core.matching.drift import DriftPoint
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.places import Places, find_places, only
from syntonos.core.matching.scene_check import check_by_scene
from syntonos.core.matching.scene_fit import missing_words, part_of
from syntonos.core.media import RecordingReader
from tests.foundry import HEIGHT, WIDTH, same_places

CODED = {"Alder": "logc3-ei800/awg3", "Birch": "s-log3/s-gamut3.cine"}


@pytest.fixture(scope="module")
def pair(media):
    """A and B in the Tuning room: scene-linear AP1, of one moment."""
    out = []
    for name, encoding in CODED.items():
        reader = RecordingReader(sorted(str(p) for p in (media / name).glob(f"{name[0]}004_02*")))
        code = reader.read(0)
        reader.close()
        chain = Chain(Decode(encoding), EncodingOutput("linear/ap1"))
        out.append(run(compile_chain(chain), code))
    return out


@pytest.fixture(scope="module")
def found(pair):
    return find_places(*pair)


@pytest.fixture(scope="module")
def truth():
    """Pixels of 960 x 540 that show the same places, traced through the scene."""
    return same_places("a-scene", "b-scene", step=9)


def test_places_lie_where_the_scene_says(found, truth):
    size = np.array([WIDTH, HEIGHT])
    ours, theirs = found.at_reference * size, found.at_angle * size
    distance = np.linalg.norm(ours[:, None] - truth[0][None], axis=2)
    near = distance.argmin(axis=1)
    close = distance.min(axis=1) < 3
    assert close.sum() > 60
    # Pixels apart, less how far the traced place is from ours.
    off = (theirs - truth[1][near]) - (ours - truth[0][near])
    off = np.linalg.norm(off[close], axis=1)
    assert np.median(off) < 2
    # What only one of them sees is led nowhere: few places are far off, and no more is in common
    # than the scene has.
    assert np.percentile(off, 95) < 10
    in_common = len(truth[0]) * 9**2 / (WIDTH * HEIGHT)
    assert 0.15 < found.overlap < in_common
    assert found.agreement > 0.8


def test_a_match_from_places_holds_at_the_true_ones(pair, found, truth):
    fit = fit_places(found)
    soft = [cv2.blur(p, (5, 5)) for p in pair]
    want, got = (
        cv2.remap(p, (at - 0.5).astype(np.float32)[:, None], None, cv2.INTER_LINEAR)[:, 0]
        for p, at in zip(soft, truth, strict=True)
    )
    even = np.ones(len(want), bool)
    for picture, at in zip(pair, truth, strict=True):
        log = np.log(np.maximum(picture.mean(axis=2), 1e-4))
        spread = cv2.blur(log * log, (7, 7)) - cv2.blur(log, (7, 7)) ** 2
        x, y = at.astype(int).T
        even &= (spread[y, x] < 0.06**2) & (picture[y, x].max(axis=-1) < 4)
    even &= np.minimum(want, got).min(axis=1) > 2e-3
    assert even.sum() > 60
    want, got = want[even].astype(float), got[even].astype(float)

    def off(lin):
        return float(scene_delta_e(lin, want, np.ones(3)).mean())

    gain = np.exp(np.median(np.log(want / got), axis=0))
    after = off(through_match(fit.match, got))
    # The affine map that fits the true places best is what no match from places can count on.
    plain = np.column_stack([got, np.ones(len(got))])
    best = off(plain @ np.linalg.lstsq(plain, want, rcond=None)[0])
    assert after < 0.25 * off(got)
    assert after < 0.7 * off(got * gain)
    assert after < 1.25 * best
    # What is expected of the scene's own colours is right, as it says.
    assert fit.seen.low < after < fit.seen.high
    assert fit.expected.low < after < fit.expected.high


def test_pairs_of_frames_add_up(found):
    both = fit_places(joined([found, found]))
    assert both.left_out == pytest.approx(fit_places(found).left_out, rel=0.5)


def test_pictures_of_something_else_are_refused(pair):
    # The same wall in a mirror: the features are alike, the geometry is not.
    rng = np.random.default_rng(2)
    noise = cv2.GaussianBlur(rng.uniform(0.02, 0.6, pair[0].shape).astype(np.float32), (0, 0), 3)
    for other in (pair[1][:, ::-1], noise):
        with pytest.raises(FitError, match="same scene") as caught:
            find_places(pair[0], other)
        assert caught.value.code == "places.scene"


@pytest.mark.parametrize("count", [1, 2, 20])
def test_a_few_places_are_too_few_and_what_would_help_is_said(found, count):
    some = only(found, np.arange(len(found.reference)) < count)
    with pytest.raises(FitError, match="in common, 12 are needed") as caught:
        fit_places(some)
    assert caught.value.code == "places.few"
    assert "add frames or areas" in caught.value.hint.lower()


def test_fall_off_of_either_lens_is_found_and_not_taken_for_colour():
    """The reference is the angle times a matrix, and both are darker at their sides."""
    rng = np.random.default_rng(8)
    n = 6000
    lin = np.exp(rng.normal(-2, 0.8, (n, 1)) + rng.normal(0, 0.35, (n, 3)))
    mat = np.array([[0.93, 0.06, 0.01], [0.03, 0.95, 0.02], [0.0, 0.08, 0.92]])
    at = rng.uniform(0, 1, (2, n, 2))
    radius = [((2 * (p - 0.5)) ** 2) @ [1, (9 / 16) ** 2] for p in at]
    lost = (0.18, 0.08)
    sides = [v * (1 - f * r)[:, None] * rng.normal(1, 0.01, (n, 1))
             for v, f, r in zip((lin @ mat.T, lin), lost, radius, strict=True)]  # fmt: skip
    fit = fit_places(Places(*sides, at[0], at[1], 100, 0.9, 0.8))
    np.testing.assert_allclose(fit.fall_off, lost, atol=0.02)
    # One of the two, or both, may differ in exposure by what the middle of the places loses.
    after = through_match(fit.match, lin)
    assert np.median(scene_delta_e(after, lin @ mat.T, np.ones(3))) < 0.35
    assert fit.advice == ()


def _scene(spread=0.01, n=6000, of_one=8):
    """Places of two cameras, reference and angle, each with noise of its own; and their true light.

    The reference is the angle times two. Of each thing some places lie side by side.
    """
    rng = np.random.default_rng(8)
    lin = np.exp(rng.normal(-2, 0.8, (n, 1)) + rng.normal(0, 0.35, (n, 3)))
    lin = np.repeat(lin[: n // of_one], of_one, axis=0)
    noise = [rng.normal(0, spread, lin.shape) for _ in range(2)]
    return 2 * lin * np.exp(noise[0]), lin * np.exp(noise[1]), lin, rng


def test_what_moved_or_shines_into_one_camera_is_set_aside():
    want, got, lin, rng = _scene()
    n = len(want)
    shines = rng.permutation(n)[: n // 8]
    # Light that only the reference sees: a quarter to once its own, warm.
    want[shines] *= 1 + rng.uniform(0.25, 1.0, (len(shines), 1)) * [1.0, 0.7, 0.4]
    middle = np.full((n, 2), 0.5)
    fit = fit_places(Places(want, got, middle, middle, 100, 0.9, 0.8))
    assert fit.used[shines].mean() < 0.2
    assert np.delete(fit.used, shines).mean() > 0.85
    assert np.median(scene_delta_e(through_match(fit.match, lin), 2 * lin, np.ones(3))) < 0.3


@pytest.mark.parametrize("noisy", [0, 1])
def test_places_are_gathered_by_the_camera_with_less_noise(noisy):
    # A quarter of a stop of noise in the blue of one. Gathered by its colours, places would be
    # gathered by their noise, and what is bluer would seem to differ more.
    *sides, _, rng = _scene(spread=0.004)
    sides[noisy][:, 2] *= np.exp(rng.normal(0, 0.17, len(sides[noisy])))
    groups = clusters_of(*sides)
    colours = groups.reference, groups.angle
    noise = np.log(colours[noisy][:, 2] / colours[1 - noisy][:, 2])
    blue = np.log(colours[noisy][:, 2] / colours[noisy][:, 1])
    slope = np.polyfit(blue, noise, 1, w=np.sqrt(groups.count))[0]
    assert abs(slope) < 0.04


def test_a_colour_is_the_mean_of_the_places_that_agree():
    want, got, _, rng = _scene()
    moved = rng.permutation(len(want))[: len(want) // 6]
    want[moved] *= 2.5  # into another light, which only the reference saw
    groups = clusters_of(want, got)
    ratio = np.log(groups.reference / groups.angle).mean(axis=1)
    assert np.median(ratio) == pytest.approx(np.log(2), abs=0.03)


def test_a_picture_that_is_shifted_is_found_to_a_part_of_a_pixel(pair):
    # The same picture, 24 pixels further left and 10 higher.
    one, other = pair[0][:500, :900], pair[0][10:510, 24:924]
    found = find_places(one, other)
    size = np.array([one.shape[1], one.shape[0]])
    shift = np.median((found.at_angle - found.at_reference) * size, axis=0)
    np.testing.assert_allclose(shift, (-24, -10), atol=0.2)
    np.testing.assert_allclose(np.median(found.reference / found.angle), 1, atol=5e-3)


def test_a_colour_of_many_places_is_surer_than_one_of_few():
    groups = clusters_of(*_scene(spread=0.1)[:2])
    few = groups.count < 200  # above, what is counted has an end
    variance = np.trace(groups.spread, axis1=1, axis2=2)[few]
    # The variance of a mean goes with one over its number.
    slope = np.polyfit(np.log(groups.count[few]), np.log(variance), 1)[0]
    assert few.sum() > 40
    assert slope == pytest.approx(-1, abs=0.25)


def test_a_scene_says_whether_a_match_from_charts_holds_in_it(found):
    match = fit_places(found).match
    same = check_by_scene(match, [(0, found)])
    assert same.agrees
    filtered = check_by_scene(replace(match, stops=match.stops + 0.3), [(0, found)])
    assert not filtered.agrees
    assert filtered.moments[0].exposure == pytest.approx(0.3, abs=0.05)
    assert "+0.3" in filtered.words
    # How the two drift apart is said with it; of a match from the scene itself nothing else is.
    turned = tuple(DriftPoint(k, -0.1 * k, 0, 0, 0, -0.1 * k, 1) for k in range(5))
    drifting = check_by_scene(match, [(0, found)], turned)
    assert drifting.agrees
    assert "drift apart by 0.3" in drifting.words
    own = check_by_scene(match, [(0, found)], turned, by_chart=False)
    assert own.words.startswith("Within the clip the two drift apart")


def test_colours_that_neither_saw_are_named():
    fit = np.array([[0.3, 0.1, 0.08], [0.2, 0.2, 0.2]])
    assert missing_words(fit) == (
        "Both see no yellow or green and no blue: add frames or areas that have some.",
    )
    assert "greys only" in missing_words(np.full((3, 3), 0.2))[0]


def test_a_part_of_a_match_goes_a_part_of_the_way(found):
    match = fit_places(found).match
    lin = found.angle[::50]
    lin = lin[lin @ AP1_LUMINANCE > 0.02]  # flare is added, and rules what is darker
    assert part_of(match, 1.0) is match
    np.testing.assert_allclose(through_match(part_of(match, 0.0), lin), lin, rtol=1e-6, atol=1e-7)
    half = np.log2(through_match(part_of(match, 0.5), lin) @ AP1_LUMINANCE)
    ends = [np.log2(through_match(part_of(match, s), lin) @ AP1_LUMINANCE) for s in (0, 1)]
    np.testing.assert_allclose(half, (ends[0] + ends[1]) / 2, atol=0.06)
