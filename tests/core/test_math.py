"""The fast logarithm and power in float32, against numpy in float64."""

import numpy as np
import pytest

from syntonos.core._jit import jit
from syntonos.core._math import exp2, log2


@jit
def _log2(x, out):
    for i in range(x.size):
        out[i] = log2(x[i])


@jit
def _exp2(x, out):
    for i in range(x.size):
        out[i] = exp2(x[i])


def fast(function, x):
    x = np.asarray(x, np.float32)
    out = np.empty_like(x)
    function(x, out)
    return out


def test_logarithms_are_right_over_all_magnitudes():
    rng = np.random.default_rng(0)
    x = np.concatenate([np.exp2(rng.uniform(-100, 100, 200_000)), np.linspace(0.5, 2, 100_000)])
    x = x.astype(np.float32)
    want = np.log2(x.astype(np.float64))
    error = np.abs(fast(_log2, x) - want)
    # A step of float32 at the size of the result.
    assert (error <= 1.2e-7 * np.maximum(1, np.abs(want)) + 1e-7).all()


def test_powers_are_right_up_to_the_ends_and_stop_there():
    x = np.random.default_rng(0).uniform(-125, 127.9, 300_000).astype(np.float32)
    want = np.exp2(x.astype(np.float64))
    assert np.abs(fast(_exp2, x) / want - 1).max() < 3e-7
    whole = np.arange(-125, 128, dtype=np.float32)
    np.testing.assert_array_equal(fast(_exp2, whole[:-1]), np.exp2(whole[:-1]))
    low, high = fast(_exp2, [-1000, 1000])
    assert 0 < low < 1e-37
    assert 1e38 < high < np.inf


def test_a_nan_stays_one():
    assert np.isnan(fast(_exp2, [np.nan])).all()


@pytest.mark.parametrize("value", [0.25, 1.0, 1.5, 3.7])
def test_fits_run_exactly(value):
    out = np.empty(1)
    _log2(np.array([value]), out)
    assert out[0] == np.log2(value)
    _exp2(np.array([value]), out)
    assert out[0] == 2.0**value
