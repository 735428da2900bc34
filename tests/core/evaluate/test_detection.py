import numpy as np
import pytest

from syntonos.core.evaluate.detection import CLASSES, Found, picture_of, search, table


@pytest.mark.parametrize("kind", CLASSES)
def test_a_chart_is_found_in_every_class_of_picture(kind):
    found = search((kind, 77))
    assert found.certain
    assert found.right
    assert found.miss < 2


def test_pictures_are_various_and_the_same_seed_gives_the_same():
    code, centres = picture_of("small", 5)
    again, _ = picture_of("small", 5)
    np.testing.assert_array_equal(code, again)
    assert centres.shape == (24, 2)
    # The whole chart, its border too, is 6 % of the width.
    assert np.ptp(centres[:, 0]) < 0.06 * code.shape[1]
    other, _ = picture_of("small", 6)
    assert other.shape != code.shape or np.abs(other - code).mean() > 0.01


def test_the_table_tells_wrong_from_asked_and_missed():
    rows = [
        Found("plain", 1, True, True, True, 0.5, 1.0),
        Found("plain", 2, True, False, True, 3.0, 1.0),
        Found("plain", 3, True, True, False, 90.0, 1.0),
        Found("plain", 4, False, False, False, np.inf, 1.0),
    ]
    (first, everything) = table(rows)
    assert first[1:] == everything[1:]
    assert first == ("plain", "4", "0.250", "0.250", "0.250", "1.75", "0.250", "1.00")
