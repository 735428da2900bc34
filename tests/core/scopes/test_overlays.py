"""Marks over a picture, on pictures whose lines and casts are known."""

import numpy as np
import pytest

from syntonos.core.chain.white import white_shift
from syntonos.core.scopes import casts, stop_contours


def test_lines_of_equal_stops_lie_where_a_ramp_has_them():
    # From four stops under grey at the left edge to four over at the right.
    x = (np.arange(960) + 0.5) / 960
    ramp = np.repeat((0.18 * 2 ** (8 * x - 4))[None, :, None], 540, axis=0).repeat(3, axis=2)
    found = {c.stop: c.segments for c in stop_contours(ramp)}
    assert sorted(found) == list(range(-3, 4))
    for stop, segments in found.items():
        np.testing.assert_allclose(segments[:, [0, 2]], (stop + 4) / 8, atol=2e-3)
        # One unbroken line from the top to the bottom.
        assert np.abs(segments[:, 1] - segments[:, 3]).sum() == pytest.approx(1, abs=0.01)


def test_a_bright_disc_has_a_ring_round_it():
    y, x = np.mgrid[:270, :480]
    disc = np.where(np.hypot(x - 240, y - 135) < 80, 0.36 * 1.2, 0.36 / 1.2)
    (ring,) = stop_contours(np.repeat(disc[..., None], 3, axis=2), levels=[1])
    radius = np.hypot((ring.segments[:, 0] - 0.5) * 480, (ring.segments[:, 1] - 0.5) * 270)
    np.testing.assert_allclose(radius, 80, atol=2)


def test_casts_point_the_way_that_the_balance_turned_and_colours_have_none():
    picture = np.full((90, 160, 3), 0.2)
    picture[:, 80:] = picture[:, 80:] @ np.array(white_shift(12, -2)).T
    picture[:30] = [0.3, 0.05, 0.02]  # of its own colour
    picture[60:] *= 1e-4  # black
    found = casts(picture)
    right = [c for c in found if c.x > 0.55]
    left = [c for c in found if c.x < 0.45]
    assert np.mean([c.warmth for c in right]) == pytest.approx(12, abs=0.6)
    assert np.mean([c.tint for c in right]) == pytest.approx(-2, abs=0.3)
    assert all(abs(c.warmth) < 1e-6 and abs(c.tint) < 1e-6 for c in left)
    assert all(0.3 < c.y < 0.7 for c in found)
