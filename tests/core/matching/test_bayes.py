"""The regression against textbook formulas and against doing things the long way."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import multivariate_normal

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.stages.match import mix_matrix, through_match
from syntonos.core.matching import rounds
from syntonos.core.matching.bayes import Model, Problem, Setting
from syntonos.core.matching.metric import MIX, linear_metric
from syntonos.core.matching.models import AVERAGED, match_of, priors_for, settings_for
from syntonos.core.matching.prior import load_priors
from syntonos.core.matching.readings import readings_of
from syntonos.core.matching.rounds import corrected, run_rounds
from tests.simulated import camera_a, camera_b, off_chart, reading

SETTING = Setting("ordinary", 1.2, 0.004, 0.03)
TAU = 0.4


@pytest.fixture(scope="module")
def problem():
    rng = np.random.default_rng(0)
    x = np.exp(rng.normal(-1.2, 0.7, (24, 1)) + rng.normal(0, 0.35, (24, 3)))
    y = x * np.exp(rng.normal(0, 0.04, (24, 3)))
    white = np.array([1.1, 1.0, 0.8])
    return Problem(
        x, y, linear_metric(y, white), np.broadcast_to(1e-6 * np.eye(3), (24, 3, 3)),
        rng.uniform(-0.5, 0.5, (24, 2)), np.arange(24), np.zeros((24, 3, 3)), np.ones(24),
    )  # fmt: skip


def _solve(problem, setting=SETTING):
    return Model(problem, load_priors()).solve(setting, np.array([TAU]))[0]


def test_evidence_is_the_density_of_the_data(problem):
    """Two settings' difference in log evidence is that of two normal densities (scipy)."""
    other = replace(SETTING, scale=0.5)
    ours, theirs = [], []
    for setting in (SETTING, other):
        solved = _solve(problem, setting)
        cov = solved.lower @ solved.lower.T
        mean = problem.design @ solved.shared.mean
        ours.append(solved.log_evidence)
        theirs.append(multivariate_normal(mean, cov).logpdf(problem.target))
    assert ours[0] - ours[1] == pytest.approx(theirs[0] - theirs[1], rel=1e-6)


def test_the_posterior_is_the_one_of_weighted_least_squares(problem):
    """Without the smooth residual: (P^-1 + D^T N^-1 D)^-1 (P^-1 m + D^T N^-1 t)."""
    setting = replace(SETTING, smooth=0.0)
    solved = _solve(problem, setting)
    noise = problem.own_noise + TAU**2 * load_priors()["ordinary"].patch_cov
    d, prior = problem.design, solved.shared.prior_cov
    # The prior is nearly singular in directions that it is sure of: kept away from zero alike.
    inverse = np.linalg.pinv(prior, rcond=1e-12, hermitian=True)
    precision = inverse + d.T @ np.linalg.solve(noise, d)
    pull = inverse @ solved.shared.mean + d.T @ np.linalg.solve(noise, problem.target)
    long_way = np.linalg.solve(precision, pull)
    np.testing.assert_allclose(d @ solved.beta, d @ long_way, atol=2e-4)
    np.testing.assert_allclose(
        np.einsum("ij,jk,ik->i", d, solved.covariance(), d),
        np.einsum("ij,jk,ik->i", d, np.linalg.inv(precision), d), rtol=0.02, atol=1e-5,
    )  # fmt: skip


def test_cross_validation_is_fitting_without_the_patch(problem):
    """The closed form against 24 fits that have never seen the patch."""
    solved = _solve(problem)
    shortcut = solved.cross_validated()
    gram = solved.shared.signal.reshape(24, 3, 24, 3)
    for i in (0, 7, 23):
        rest = [k for k in range(24) if k != i]
        without = Problem(
            problem.x[rest], problem.y[rest], problem.jac[rest], problem.noise[rest],
            problem.place[rest], problem.patches[rest], problem.extra[rest], problem.weight[rest],
        )  # fmt: skip
        other = _solve(without)
        rows = slice(3 * i, 3 * i + 3)
        prior_mean = problem.design[rows] @ solved.shared.mean
        guess = prior_mean + gram[i][:, rest].reshape(3, -1) @ other.weighted
        np.testing.assert_allclose(problem.target[rows] - guess, shortcut[i], atol=1e-6)


def test_the_match_is_the_answer_exactly():
    """White, flare, roots and residual of the regression, as numbers of a chain document."""
    reference, own = reading(camera_a()), reading(camera_b())
    readings = readings_of(reference, own, range(24))
    answer = run_rounds(readings, priors_for(AVERAGED), settings_for(AVERAGED))
    lin = off_chart(camera_b())
    match = match_of(answer, AVERAGED)
    mixing = mix_matrix(MIX)
    want = corrected(answer, lin @ mixing.T) @ np.linalg.inv(mixing).T
    # The chain divides by the white once more where the residual is looked up: nearly nothing.
    np.testing.assert_allclose(through_match(match, lin), want, atol=2e-4 * want.max())
    # Neutral goes by whites and flares alone: no model of colour moves it.
    grey = 0.3 * np.array(match.angle_white) / 2**match.stops + np.array(match.angle_flare)
    goal = 0.3 * np.array(match.reference_white) + np.array(match.reference_flare)
    assert match.smooth
    np.testing.assert_allclose(through_match(match, np.linalg.solve(mixing, grey)),
                               np.linalg.solve(mixing, goal), rtol=1e-6)  # fmt: skip


def _flared(flare):
    """Readings of a chart that differ by flare and white alone, as shares of the angle's white."""
    readings = readings_of(reading(camera_a()), reading(camera_b()), range(24))
    white = np.array([1.3, 1.0, 0.7])
    angle = readings.reference * white
    return replace(readings, angle=angle + max(flare, 0.0) * white,
                   reference=readings.reference + max(-flare, 0.0))  # fmt: skip


@pytest.mark.parametrize("flare", [0.01, -0.01])
def test_flare_is_found_in_the_camera_that_has_it(flare):
    """What is added to one side alone becomes that side's flare, and nothing is left over."""
    readings = _flared(flare)
    answer = run_rounds(readings, priors_for(AVERAGED), settings_for(AVERAGED))
    level = answer.line.reference_white @ AP1_LUMINANCE
    angle = answer.line.angle_flare / answer.line.angle_white * level
    reference = answer.line.reference_flare / answer.line.reference_white * level
    found, other = (angle, reference) if flare > 0 else (reference, angle)
    np.testing.assert_allclose(found, abs(flare), rtol=0.25)
    np.testing.assert_allclose(other, 0, atol=0.1 * abs(flare))
    np.testing.assert_allclose(answer.offset * level, 0, atol=0.1 * abs(flare))
    # Flare made the first white wrong by some per cent; the rounds have put that right.
    assert np.abs(answer.white).max() < 0.005


def test_what_the_last_round_finds_of_flare_is_in_the_match(monkeypatch):
    """With one round nothing has been moved into the linearisation yet: all of it is offset."""
    monkeypatch.setattr(rounds, "_ROUNDS", 1)
    readings = _flared(-0.02)
    answer = run_rounds(readings, priors_for(AVERAGED), settings_for(AVERAGED))
    level = answer.line.reference_white @ AP1_LUMINANCE
    assert (answer.offset * level).min() > 0.01
    # Both in mixed AP1: through the match, and by hand for black, which no model of colour moves.
    out = through_match(match_of(answer, AVERAGED), np.zeros(3)) @ mix_matrix(MIX).T
    np.testing.assert_allclose(out, answer.offset * answer.line.reference_white, rtol=1e-6)


def test_a_weight_draws_the_fit_towards_a_patch(problem):
    heavy = replace(problem, weight=np.where(np.arange(24) == 5, 10.0, 1.0))

    def left(p):
        solved = _solve(p)
        fitted = problem.design @ solved.beta
        smooth = solved.setting.smooth**2 * problem.smooth_gram @ solved.weighted
        return np.linalg.norm((problem.target - fitted - smooth)[15:18])

    assert left(heavy) < 0.8 * left(problem)
    # Its reading counts as ten of it would: a tenth of the variance.
    own = slice(15, 18)
    np.testing.assert_allclose(10 * heavy.own_noise[own, own], problem.own_noise[own, own])
