from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.chain import Match
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.matching import fit_match
from syntonos.core.matching.menu import NAMES, camera_menu
from tests.simulated import DAY, camera_a, camera_b, reading


def _own_matrix(angle, matrix):
    """Return a match whose colour part is a matrix in the camera's own gamut."""
    to_own = gamut_matrix(AP1, find_encoding(angle.encoding).gamut)
    core = np.linalg.inv(to_own) @ np.array(matrix) @ to_own
    return Match(matrix=tuple(map(tuple, core)), mix=0.0)


def test_a_matrix_of_the_camera_is_given_back_as_its_coefficients():
    angle = reading(camera_a(white_light=DAY))
    # R' = R + 0.05 (R-G) - 0.1 (R-B); G' = G + 0.02 (G-R); B' = B + 0.2 (B-G)
    matrix = [[0.95, -0.05, 0.1], [-0.02, 1.02, 0.0], [0.0, -0.2, 1.2]]
    menu = camera_menu(angle, _own_matrix(angle, matrix))
    # The chart's greys, as the sensor sees them, are not exactly neutral: a trace remains.
    want = {"R-G": 0.05, "R-B": -0.1, "G-R": 0.02, "G-B": 0, "B-R": 0, "B-G": 0.2}
    assert dict(menu.exact) == pytest.approx(want, abs=0.006)
    assert menu.settings["B-G"] == 20
    assert menu.left < 0.3


def test_steps_signs_and_the_menu_s_range_are_kept_and_rounding_is_told():
    angle = reading(camera_b())
    match = fit_match(reading(camera_a()), angle).match
    fine, coarse = (camera_menu(angle, match, step=s, most=9999) for s in (0.001, 0.08))
    assert fine.rounding < 0.05 < coarse.rounding
    turned = camera_menu(angle, match, step=0.001, most=9999, sign=-1)
    assert [turned.settings[n] for n in NAMES] == [-fine.settings[n] for n in NAMES]
    short = camera_menu(angle, match, step=0.001, most=20)
    assert max(abs(v) for v in short.settings.values()) == 20
    # What six numbers can do is less than the full match, but most of it.
    assert fine.left < 2.5


def test_what_cannot_be_used_is_refused():
    angle = reading(camera_a())
    with pytest.raises(FitError) as caught:
        camera_menu(angle, Match(), step=0)
    assert caught.value.code == "menu.step"
    lost = replace(angle, patches=tuple(replace(p, flags=("clipped",)) for p in angle.patches))
    with pytest.raises(FitError) as caught:
        camera_menu(lost, Match())
    assert caught.value.code == "menu.patches"


def test_level_and_phase_take_what_all_colours_have_in_common():
    angle = reading(camera_a(white_light=DAY))
    # A quarter more colour, turned by eight degrees: no coefficient is left to dial.
    axis = np.ones((3, 3)) / 3
    cross = np.array([[0, -1, 1], [1, 0, -1], [-1, 1, 0]]) / np.sqrt(3)
    t = np.radians(8)
    turn = axis + 1.25 * (np.cos(t) * (np.eye(3) - axis) + np.sin(t) * cross)
    match = _own_matrix(angle, turn)
    plain = camera_menu(angle, match)
    overall = camera_menu(angle, match, overall=True)
    assert (plain.level, plain.phase) == (100, 0)
    assert abs(overall.level - 125) <= 1
    assert abs(overall.phase - 8) <= 1
    assert max(map(abs, overall.exact.values())) < 0.02 < max(map(abs, plain.exact.values()))
    assert overall.left < plain.left + 0.1
