"""How two cameras drift apart within their clips, on pictures that are made to."""

import numpy as np
import pytest

from syntonos.core.chain import Match
from syntonos.core.matching.drift import drift_over, drift_words
from syntonos.core.matching.places import Places
from syntonos.core.matching.scene_check import MOST

RNG = np.random.default_rng(8)
TILES = np.exp(RNG.uniform(np.log(0.03), np.log(0.8), (9, 16, 3)))
SCENE = np.repeat(np.repeat(TILES, 60, 0), 60, 1).astype(np.float32)


def places():
    """The middles of the tiles, the same in both pictures."""
    at = np.stack(np.meshgrid((np.arange(16) + 0.5) / 16, (np.arange(9) + 0.5) / 9), -1)
    at = at.reshape(-1, 2)
    lin = TILES.reshape(-1, 3)
    return Places(lin, lin, at, at, 99, 1.0, 1.0)


def followed(change):
    """Twelve frames of which the angle is `change`d by their share of the clip."""
    frames = ((10 * k, SCENE, (SCENE * change(k / 11)).astype(np.float32)) for k in range(12))
    return drift_over(Match(), places(), frames)


def test_an_iris_that_closes_is_followed_and_named():
    points = followed(lambda share: 2.0 ** (-0.6 * share))
    assert [p.frame for p in points] == list(range(0, 120, 10))
    for k, point in enumerate(points):
        assert point.exposure == pytest.approx(-0.6 * k / 11, abs=0.01)
        assert point.warmth == pytest.approx(0, abs=0.5)
        assert (point.reference, point.angle) == pytest.approx((0, -0.6 * k / 11), abs=0.01)
    words = drift_words(points, MOST)
    assert words.startswith("Within the clip the two drift apart by 0.")
    assert words.endswith("the angle changes, the reference does not.")


def test_a_light_that_both_see_is_no_drift_and_fire_is_a_flicker():
    both = drift_over(Match(), places(), ((k, SCENE * 2.0**-k, SCENE * 2.0**-k) for k in range(4)))
    assert [p.angle for p in both] == pytest.approx([0, -1, -2, -3], abs=0.01)
    assert drift_words(both, MOST) == ""
    fire = followed(lambda share: 2.0 ** (0.3 * (round(11 * share) % 2)))
    assert "flickers" in drift_words(fire, MOST)


def test_what_moves_drops_out_and_a_camera_that_moves_gives_nothing():
    def walks(share):
        changed = np.ones_like(SCENE)
        left = int(share * 500)
        changed[:, left : left + 240 * (share > 0)] = 6.0
        return changed

    points = followed(walks)
    assert max(abs(p.exposure) for p in points) < 0.02
    assert points[5].still < 0.9
    turned = np.roll(SCENE, 90, axis=1)
    moved = drift_over(Match(), places(), [(0, SCENE, SCENE), (1, turned, turned)])
    assert [p.frame for p in moved] == [0]
