"""The steps of a fit, each by itself."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.evaluate.greys import fit_greys
from syntonos.core.evaluate.matrix import fit_neutral_matrix, to_matrix

GREYS = np.array([0.88, 0.59, 0.365, 0.191, 0.088, 0.0315])
MIDS = [1, 2, 3, 4]
NOISE = np.full(6, 2e-4)


def _greys(white=(1.0, 1.0, 1.0), stops=0.0, flare=0.0, sigma=0.0, seed=0):
    light = GREYS[:, None] * np.array(white) * 2.0**stops + flare
    return light * (1 + np.random.default_rng(seed).normal(0, sigma, (6, 3)))


@settings(max_examples=60, deadline=None)
@given(
    st.floats(-3, 3), st.lists(st.floats(0.5, 1.7), min_size=3, max_size=3),
    st.lists(st.floats(0.5, 1.7), min_size=3, max_size=3),
)  # fmt: skip
def test_exposure_and_white_are_found_exactly_without_noise(stops, own, reference):
    fit = fit_greys(_greys(own, -stops), _greys(reference), NOISE, MIDS)
    assert AP1_LUMINANCE @ fit.angle_white == pytest.approx(1)
    got = _greys(own, -stops) / fit.angle_white * 2.0**fit.stops * fit.reference_white
    np.testing.assert_allclose(got, _greys(reference), rtol=1e-9)
    assert not fit.angle_flare.any()
    assert not fit.reference_flare.any()
    assert fit.slope == pytest.approx(1, abs=1e-6)


@pytest.mark.parametrize("flare", [0.004, 0.01, 0.02])
def test_flare_is_found_on_the_side_that_has_it(flare):
    clean, veiled = _greys(sigma=0.002), _greys(flare=flare, sigma=0.002, seed=1)
    of_angle = fit_greys(veiled, clean, NOISE, MIDS)
    np.testing.assert_allclose(of_angle.angle_flare, flare, atol=0.15 * flare + 0.0006)
    assert not of_angle.reference_flare.any()
    of_reference = fit_greys(clean, veiled, NOISE, MIDS)
    np.testing.assert_allclose(of_reference.reference_flare, flare, atol=0.15 * flare + 0.0006)
    assert not of_reference.angle_flare.any()


def test_noise_alone_is_not_taken_for_flare():
    found = [
        fit_greys(_greys(sigma=0.006, seed=s), _greys(sigma=0.006, seed=99 + s), NOISE * 5, MIDS)
        for s in range(200)
    ]
    wrong = sum(bool(f.angle_flare.any() or f.reference_flare.any()) for f in found)
    # Three standard errors: seldom.
    assert wrong <= 6


def test_flare_is_bounded():
    fit = fit_greys(_greys(flare=0.2), _greys(), NOISE, MIDS)
    assert fit.angle_flare.max() <= 0.031


def test_a_white_patch_that_absorbs_near_uv_does_not_turn_the_white():
    reference = _greys()
    own = _greys()
    own[0] *= [1.0, 1.0, 0.93]
    fit = fit_greys(own, reference, NOISE, MIDS)
    np.testing.assert_allclose(fit.angle_white, 1.0, atol=0.004)


def _colours(count=24, seed=0):
    return np.random.default_rng(seed).uniform(0.03, 0.9, (count, 3))


IDENTITY = np.repeat(np.eye(3)[None] * 40, 24, axis=0)  # one per cent is about half a delta E


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(-0.25, 0.25), min_size=6, max_size=6))
def test_a_neutral_matrix_is_found_again(theta):
    true = to_matrix(np.array(theta))
    np.testing.assert_allclose(true.sum(axis=1), 1, atol=1e-12)
    x = _colours()
    found, _ = fit_neutral_matrix(x, x @ true.T, IDENTITY, np.ones(24))
    np.testing.assert_allclose(found.sum(axis=1), 1, atol=1e-12)
    # The weak pull to identity is worth a two-hundredth.
    np.testing.assert_allclose(found, true, atol=0.006)


def test_one_wild_patch_is_left_alone():
    true = to_matrix(np.array([-0.1, 0.02, 0.05, 0.03, -0.02, -0.1]))
    x = _colours()
    y = x @ true.T + np.random.default_rng(1).normal(0, 0.003, (24, 3))
    clean, _ = fit_neutral_matrix(x, y, IDENTITY, np.ones(24))
    y[7] += 0.3
    found, weight = fit_neutral_matrix(x, y, IDENTITY, np.ones(24))
    assert np.abs(found - clean).max() < 0.02
    assert weight[7] < 0.2 * np.median(weight)


def test_few_colours_stay_near_identity():
    x = np.repeat(_colours(3), 2, axis=0)
    noise = np.random.default_rng(2).normal(0, 0.02, (6, 3))
    found, _ = fit_neutral_matrix(x, x + noise, IDENTITY[:6] / 20, np.ones(6))
    assert np.abs(found - np.eye(3)).max() < 0.25
