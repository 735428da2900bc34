"""Noise against level: made by the model of EMVA Standard 1288, found again through a curve."""

import numpy as np
import pytest

from syntonos.core.charts.noise import noise_by_level, noise_misfit, temporal_noise
from syntonos.core.encodings import decode, encode, find_encoding

LIGHTS = 0.18 * 2.0 ** np.linspace(-4, 2.3, 12)


def frames(slug, seed=1, flicker=0.0):
    """Two frames of twelve flat greys with read and shot noise, at ten bits."""
    rng = np.random.default_rng(seed)
    curve = find_encoding(slug).curve
    light = np.repeat(LIGHTS, 40)[None, :, None] * np.ones((160, 1, 3))
    out = []
    for gain in (1.0, 1.0 + flicker):
        sigma = 0.006 * np.sqrt(0.9 * light / 0.18 + 0.1)
        code = encode(light * gain + rng.standard_normal(light.shape) * sigma, curve)
        out.append((np.round(np.clip(code, 0, 1) * 1023) / 1023).astype(np.float32))
    return out


def test_what_a_frame_changed_by_as_a_whole_is_no_noise_nor_is_a_hand():
    still = np.zeros((4000, 3), np.float32)
    noisy = np.random.default_rng(3).normal(0.1, 0.01, still.shape).astype(np.float32)
    noisy[:80] += 0.5
    np.testing.assert_allclose(temporal_noise(still, noisy), 0.01 / np.sqrt(2), rtol=0.04)


@pytest.mark.parametrize("slug", ["s-log3/s-gamut3", "logc4/awg4", "n-log/n-gamut"])
def test_noise_is_shot_noise_through_the_right_curve_and_not_through_a_display_s(slug):
    code, noise = noise_by_level(*frames(slug, flicker=0.01))
    assert len(code) >= 6

    def misfit(as_slug):
        return noise_misfit(code, noise, find_encoding(as_slug), "full", 1 / 1023)

    assert misfit(slug) < 0.06
    assert misfit("rec709") > misfit(slug) + 0.08


def test_a_display_curve_is_far_from_any_log_curve():
    code, noise = noise_by_level(*frames("rec709"))
    rec709, log = (
        noise_misfit(code, noise, find_encoding(s), "full", 1 / 1023)
        for s in ("rec709", "v-log/v-gamut")
    )
    assert rec709 < 0.06
    assert log > 0.5


def test_the_noise_itself_is_found_and_few_levels_say_nothing():
    slug = "s-log3/s-gamut3"
    code, noise = noise_by_level(*frames(slug))
    curve = find_encoding(slug).curve
    lin = decode(code, curve)
    sigma = 0.006 * np.sqrt(0.9 * lin / 0.18 + 0.1)
    wanted = (encode(lin + sigma, curve) - encode(lin - sigma, curve)) / 2
    np.testing.assert_allclose(noise, wanted, rtol=0.1)
    encoding = find_encoding(slug)
    assert noise_misfit(code[:3], noise[:3], encoding, "full") is None
