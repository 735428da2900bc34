import cv2
import numpy as np
import pytest

from syntonos.core.charts import find_chart, patch_centres, turned
from syntonos.core.errors import ChartError
from tests.simulated import CORNERS, background, camera_a, camera_b, shoot

# Corners of the whole chart, clockwise from its top left.
PLACES = {
    "upright": CORNERS,
    "upside down": np.roll(CORNERS, 2, axis=0),
    "a quarter": np.array([[600, 100], [600, 440], [380, 440], [380, 100]], float),
    "tilted": np.array([[300, 250], [520, 60], [690, 260], [470, 450]], float),
    "steep": np.array([[250, 120], [620, 190], [620, 350], [250, 430]], float),
    "small": np.array([[420, 220], [540, 226], [538, 306], [418, 300]], float),
}


@pytest.mark.parametrize("place", PLACES)
def test_a_chart_is_found_to_a_pixel_and_the_right_way_up(place):
    shot = shoot(camera_a(), corners=PLACES[place], frames=1)
    found = find_chart(shot.frames[0])
    assert found.orientation_certain
    miss = np.hypot(*(patch_centres(found.corners) - shot.centres).T)
    assert miss.max() < 1.0


@pytest.mark.parametrize(
    "camera",
    [camera_b(), camera_b(stops=2.0), camera_b(stops=-2.5), camera_b(noise=0.05),
     camera_a(encoding="v-log/v-gamut", levels="legal", bits=10)],
    ids=["other sensor", "two over", "two and a half under", "noise", "legal levels"],
)  # fmt: skip
def test_neither_exposure_curve_nor_levels_need_be_known(camera):
    shot = shoot(camera, frames=1)
    found = find_chart(shot.frames[0])
    assert found.orientation_certain
    assert np.hypot(*(patch_centres(found.corners) - shot.centres).T).max() < 2.0


def test_light_that_falls_off_does_not_matter():
    shot = shoot(camera_a(), gradient=0.6)
    assert np.hypot(*(find_chart(shot.frames[0]).corners - shot.corners).T).max() < 1.0


def _bricks():
    picture = background()
    rng = np.random.default_rng(2)
    for row in range(18):
        for column in range(-1, 20):
            x, y = column * 52 + row % 2 * 26, row * 30
            cv2.rectangle(picture, (x + 2, y + 2), (x + 48, y + 26),
                          tuple(rng.uniform([0.1, 0.04, 0.03], [0.4, 0.2, 0.15])), -1)  # fmt: skip
    return picture


def _tiles():
    picture = background()
    rng = np.random.default_rng(4)
    for row in range(4):
        for column in range(6):
            x, y = 300 + column * 60, 150 + row * 60
            cv2.rectangle(picture, (x, y), (x + 48, y + 48), tuple(rng.uniform(0.05, 0.9, 3)), -1)
    return picture


@pytest.mark.parametrize("scene", [background, _bricks, _tiles])
def test_what_is_no_chart_is_not_taken_for_one(scene):
    frame = camera_a().record(scene(), np.random.default_rng(0))
    with pytest.raises(ChartError) as caught:
        find_chart(frame)
    assert caught.value.code == "chart.not_found"


def test_a_chart_half_outside_is_not_read():
    shot = shoot(camera_a(), corners=CORNERS - [430, 0], frames=1)
    with pytest.raises(ChartError):
        find_chart(shot.frames[0])


def test_turning_moves_the_reading_not_the_place():
    there = patch_centres(turned(CORNERS))
    np.testing.assert_allclose(there, patch_centres(CORNERS)[::-1], atol=1e-3)
