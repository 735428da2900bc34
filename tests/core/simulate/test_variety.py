"""Lights, objects and sensors that fits are judged on: physical, and as various as they claim."""

import numpy as np
import pytest

from syntonos.core.colorimetry import white_to_cct_duv, xyz_to_lab
from syntonos.core.simulate.lights import ODD, ORDINARY, random_light
from syntonos.core.simulate.objects import measured_objects, other_objects, random_objects
from syntonos.core.simulate.sensors import FAMILIES, random_sensor
from syntonos.core.simulate.spectra import daylight, library, to_xyz

KINDS = ("smooth", "saturated", "skin", "foliage", "fabric", "metal", "grey")


def _lights(kind, count=40):
    return np.array([random_light(np.random.default_rng(i), kind) for i in range(count)])


@pytest.mark.parametrize("kind", [*ORDINARY, *ODD])
def test_lights_are_physical(kind):
    rows = _lights(kind)
    assert np.isfinite(rows).all()
    assert rows.min() >= 0
    assert (rows.max(axis=1) > 0).all()
    # No two are the same.
    assert np.std(rows / rows.sum(axis=1, keepdims=True), axis=0).max() > 0


def test_ordinary_lights_are_near_the_locus_and_stage_lights_are_not():
    def away(kind):
        return np.median([abs(white_to_cct_duv(to_xyz(row))[1]) for row in _lights(kind)])

    assert max(away(kind) for kind in ORDINARY) < 0.012
    white = to_xyz(daylight(6500))
    chroma = [
        np.hypot(*xyz_to_lab(to_xyz(row) / to_xyz(row)[1] * white[1], white)[1:])
        for row in _lights("stage")
    ]
    assert np.median(chroma) > 40


def test_line_spectra_have_lines():
    """Half of the light within a quarter of the bands; daylight has it spread."""

    def share(row):
        return np.sort(row)[::-1][: len(row) // 4].sum() / row.sum()

    assert np.median([share(row) for row in _lights("lines")]) > 0.5
    assert share(daylight(5600)) < 0.35


@pytest.mark.parametrize("kind", KINDS)
def test_objects_are_reflectances(kind):
    rows = random_objects(np.random.default_rng(3), kind, 60)
    assert rows.shape == (60, 36)
    assert rows.min() >= 0.0
    assert rows.max() <= 1.0


def test_kinds_of_objects_look_like_what_they_are_called():
    white = to_xyz(daylight(6500))

    def lab(kind, draw=random_objects):
        rows = draw(np.random.default_rng(3), kind, 80)
        assert 0 < rows.min() <= rows.max() < 1
        return xyz_to_lab(np.array([to_xyz(r * daylight(6500)) for r in rows]), white)

    for draw in (random_objects, other_objects):
        skin, foliage = (
            np.median(np.degrees(np.arctan2(*lab(k, draw)[:, 2:0:-1].T)) % 360)
            for k in ("skin", "foliage")
        )
        # Skin lies about 40 to 80 degrees, leaves about 100 to 150: common practice, no source.
        assert 35 < skin < 85
        assert 95 < foliage < 155
        assert np.median(np.hypot(*lab("saturated", draw)[:, 1:].T)) > 35
    assert np.hypot(*lab("grey")[:, 1:].T).max() < 1


def test_measured_objects_are_those_of_cie_224():
    rows = measured_objects()
    assert rows.shape == (99, 36)
    # Their mean over the visible range as colour-science's fidelity data give it.
    data = library().quality.cfi2017.load_TCS_CIE2017(library().SpectralShape(380, 780, 5)).values.T
    nm = np.arange(380, 781, 5)
    inside = (nm >= 400) & (nm <= 700)
    np.testing.assert_allclose(rows[:, 2:33].mean(axis=1), data[:, inside].mean(axis=1), atol=0.02)


@pytest.mark.parametrize("family", FAMILIES)
def test_sensor_families_are_positive_and_have_three_channels_in_order(family):
    for seed in range(12):
        sensor = random_sensor(np.random.default_rng(seed), family)
        assert sensor.shape == (36, 3)
        assert sensor.min() >= -1e-9
        centre = (np.arange(36)[:, None] * sensor).sum(axis=0) / sensor.sum(axis=0)
        assert centre[0] > centre[1] > centre[2]
