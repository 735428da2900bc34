"""Charts of one frame and of another: which is which."""

from itertools import permutations

import numpy as np
import pytest

from syntonos.core.errors import ChartError
from syntonos.core.matching.pairing import pair_charts
from tests.simulated import DAY, TUNGSTEN, camera_a, camera_b, reading

LIGHTS = (DAY, 0.4 * DAY + 0.02 * TUNGSTEN, 0.5 * TUNGSTEN)


def charts(camera, lights):
    return [reading(camera, light=light, seed=k + 2) for k, light in enumerate(lights)]


@pytest.mark.parametrize("order", list(permutations(range(3))))
def test_charts_in_different_lights_are_paired_wherever_they_stand(order):
    reference = charts(camera_a(), LIGHTS)
    angle = [charts(camera_b(), LIGHTS)[k] for k in order]
    free = pair_charts(reference, angle, first_is_given=False)
    assert [order[k] for k in free.order] == [0, 1, 2]
    assert not free.crossed
    assert free.apart < 0.2
    # A person's first chart stays first; where it cannot be the same one, that is said.
    given = pair_charts(reference, angle)
    assert given.order[0] == 0
    assert given.crossed == (order[0] != 0)


def test_charts_in_one_light_stay_as_they_stand():
    reference, angle = charts(camera_a(), [DAY] * 3), charts(camera_b(), [DAY] * 3)
    for k in range(3):
        turned = angle[k:] + angle[:k]
        pairing = pair_charts(reference, turned, first_is_given=False)
        assert (pairing.order, pairing.crossed) == ((0, 1, 2), False)
    assert pairing.apart < 0.02


def test_exposure_and_white_of_the_cameras_do_not_matter():
    reference = charts(camera_a(), LIGHTS)
    plain = pair_charts(reference, charts(camera_b(), LIGHTS))
    other = pair_charts(reference, charts(camera_b(stops=-2.0, bits=None), LIGHTS))
    assert plain.order == other.order == (0, 1, 2)
    np.testing.assert_allclose(plain.apart, other.apart, atol=0.03)


def test_frames_with_different_numbers_of_charts_are_refused():
    one = charts(camera_a(), LIGHTS)
    with pytest.raises(ChartError, match="reference's frame: 3, in the angle's: 2"):
        pair_charts(one, one[:2])
