"""The steps of detection, each by itself."""

import cv2
import numpy as np
import pytest

from syntonos.core.charts.blobs import find_blobs
from syntonos.core.charts.identity import score_patches
from syntonos.core.charts.lattice import find_lattices
from syntonos.core.charts.layout import (
    CHART_24,
    chart_homography,
    patch_centres,
    project,
    reference_lin,
    turned,
)
from syntonos.core.charts.refine import refine_corners
from syntonos.core.colorimetry import adaptation_matrix, delta_e_2000, xy_to_xyz, xyz_to_lab
from syntonos.core.encodings import AP1, CURVES, encode
from syntonos.core.simulate.spectra import library
from tests.simulated import CORNERS, camera_a, shoot


def _squares(angle=0.0, shear=0.0, rows=4, columns=6, pitch=50, edge=38):
    """Draw a grid of light squares on dark, mapped by an affine; returns picture and centres."""
    c, s = np.cos(angle), np.sin(angle)
    mat = np.array([[c, -s], [s, c]]) @ np.array([[1, shear], [0, 1]])
    picture = np.full((600, 800, 3), 0.2, np.float32)
    centres = []
    for row in range(rows):
        for column in range(columns):
            place = np.array([column - columns / 2 + 0.5, row - rows / 2 + 0.5]) * pitch
            corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * edge / 2 + place
            points = corners @ mat.T + [400, 300]
            level = 0.35 + 0.02 * (row * columns + column)
            fixed = np.round(points * 16).astype(np.int32)
            cv2.fillPoly(picture, [fixed], (level,) * 3, lineType=cv2.LINE_AA, shift=4)
            centres.append(points.mean(axis=0))
    return picture, np.array(centres)


@pytest.mark.parametrize(("angle", "shear"), [(0, 0), (0.4, 0), (0.9, 0.3), (0, -0.4)])
def test_every_square_is_a_blob_with_its_centre_and_area(angle, shear):
    picture, centres = _squares(angle, shear)
    blobs = find_blobs(picture)
    distance = np.hypot(*(blobs[:, None, :2] - centres).transpose(2, 0, 1))
    nearest = distance.argmin(axis=0)
    assert distance.min(axis=0).max() < 0.6
    np.testing.assert_allclose(blobs[nearest, 2], 38 * 38, rtol=0.1)


def test_discs_rings_and_noise_are_no_patches():
    picture = np.random.default_rng(0).uniform(0.2, 0.25, (400, 600, 3)).astype(np.float32)
    cv2.ellipse(picture, (300, 200), (120, 6), 20, 0, 360, (0.8,) * 3, -1)
    cv2.polylines(picture, [np.array([[50, 50], [90, 300], [60, 310], [20, 60]])], True,
                  (0.9,) * 3, 2)  # fmt: skip
    star = np.array([[450, 80], [470, 140], [530, 150], [480, 190], [500, 250], [450, 210]])
    cv2.fillPoly(picture, [star], (0.7,) * 3)
    big = find_blobs(picture)
    assert not len(big) or not ((big[:, 2] > 2000) & (big[:, 0] > 440)).any()


@pytest.mark.parametrize(("angle", "shear"), [(0, 0), (0.5, 0.2), (-0.8, 0)])
def test_a_grid_of_squares_grows_into_one_lattice(angle, shear):
    picture, centres = _squares(angle, shear)
    lattices = sorted(find_lattices(find_blobs(picture)), key=lambda found: -len(found.places))
    assert lattices
    best = lattices[0]
    assert len(best.places) >= 22
    # The map holds for every square: each centre lies near a whole place.
    inverse = np.linalg.inv(best.homography)
    places = project(inverse, centres)
    assert np.abs(places - np.rint(places)).max() < 0.06


def test_few_scattered_blobs_make_no_lattice():
    rng = np.random.default_rng(3)
    blobs = np.column_stack([rng.uniform(0, 900, (40, 2)), rng.uniform(200, 900, 40),
                             np.full((40, 3), [60.0, 0.0, 60.0])])  # fmt: skip
    assert all(len(lattice.places) < 12 for lattice in find_lattices(blobs))
    assert list(find_lattices(blobs[:5])) == []


@pytest.mark.parametrize("curve", ["s-log3", "logc4", "v-log", "n-log", "bt1886"])
def test_the_chart_explains_itself_under_any_curve_light_and_fall_off(curve):
    rng = np.random.default_rng(1)
    lin = np.maximum(reference_lin(), 0.004) * [1.4, 1.0, 0.5] * 2.0**-1
    lin = lin * (1 + 0.3 * np.array([i % 6 / 5 - 0.5 for i in range(24)]))[:, None]
    code = encode(lin, CURVES[curve]) + rng.normal(0, 0.002, (24, 3))
    score, spread = score_patches(code)
    assert score > 0.95
    assert spread > 0.03
    # Turned by 180 degrees, shuffled or flat it does not.
    assert score_patches(code[::-1])[0] < 0.7
    assert score_patches(rng.permutation(code))[0] < 0.75
    assert score_patches(np.full((24, 3), 0.4) + rng.normal(0, 1e-4, (24, 3)))[0] < 0.1


def test_refinement_comes_back_from_a_third_of_a_patch():
    shot = shoot(camera_a(noise=0.004), frames=1)
    pitch = np.hypot(*(shot.corners[1] - shot.corners[0])) / 5
    rng = np.random.default_rng(0)
    for _ in range(3):
        start = shot.corners + rng.uniform(-0.25, 0.25, (4, 2)) * pitch
        corners, agreement = refine_corners(shot.frames[0], start)
        assert np.abs(corners - shot.corners).max() < 0.35
        assert agreement > 0.9


def test_refinement_says_when_there_is_no_chart_to_agree_with():
    frame = np.random.default_rng(0).uniform(0.3, 0.5, (540, 960, 3)).astype(np.float32)
    _, agreement = refine_corners(frame, CORNERS)
    assert agreement < 0.6


def test_corners_patches_and_turns_belong_together():
    centres = patch_centres(CORNERS)
    np.testing.assert_allclose(centres[[0, 5, 23, 18]], CORNERS, atol=1e-3)
    np.testing.assert_allclose(project(chart_homography(CORNERS), [[5, 3]])[0], CORNERS[2],
                               atol=1e-3)  # fmt: skip
    np.testing.assert_array_equal(turned(turned(CORNERS, 1), 3), CORNERS)
    assert [CHART_24.names[i] for i in (0, 18, 23)] == ["dark skin", "white", "black"]


def test_nominal_values_are_the_published_table_under_d50():
    # colour-science's xyY of the charts after November 2014, its own adaptation left out.
    chart = library().CCS_COLOURCHECKERS["ColorChecker24 - After November 2014"]
    theirs = np.array([library().xyY_to_XYZ(v) for v in chart.data.values()])
    white = xy_to_xyz((0.34570, 0.35854))
    back = adaptation_matrix(AP1.white, (0.34570, 0.35854), method="bradford")
    ours = reference_lin() @ AP1.to_xyz.T @ back.T
    # The table has two decimals of L*a*b*.
    assert delta_e_2000(xyz_to_lab(ours, white), xyz_to_lab(theirs, white)).max() < 0.05
