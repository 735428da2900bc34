"""Charts in real photographs: those that colour-checker-detection 0.2.3 (BSD-3) carries.

They stand as outputs in its example notebooks, 8 bit, display-referred.
"""

import base64
import json
from importlib.util import find_spec
from pathlib import Path

import cv2
import numpy as np
import pytest

from syntonos.core.charts import find_chart, read_chart
from syntonos.core.encodings import find_encoding


def _photograph(notebook, cell, output):
    # Found, not imported: its code is not needed.
    package = Path(find_spec("colour_checker_detection").submodule_search_locations[0])
    book = package / "examples" / f"examples_detection_{notebook}.ipynb"
    png = json.loads(book.read_text("utf-8"))["cells"][cell]["outputs"][output]["data"]["image/png"]
    stored = cv2.imdecode(np.frombuffer(base64.b64decode(png), np.uint8), cv2.IMREAD_COLOR)
    return np.ascontiguousarray(stored[..., ::-1].astype(np.float32) / 255)


# Centres of patches 1, 6, 24, 19 as placed by hand on the pictures.
@pytest.mark.parametrize(
    ("place", "corners"),
    [
        (("segmentation", 4, 1), [(328, 218), (741, 231), (731, 472), (321, 461)]),
        (("inference", 4, 0), [(333, 313), (621, 313), (632, 468), (323, 473)]),
        (("inference", 4, 1), [(532, 306), (852, 320), (842, 515), (523, 490)]),
    ],
    ids=["on a chair", "on a patterned cloth, tungsten", "on a wall, tungsten"],
)
def test_a_chart_in_a_photograph_is_found_the_right_way_up(place, corners):
    found = find_chart(_photograph(*place))
    assert found.orientation_certain
    # The hand that placed them was good to about two pixels.
    assert np.hypot(*(found.corners - np.array(corners)).T).max() < 3.5


def test_a_small_chart_stands_on_its_side():
    found = find_chart(_photograph("segmentation", 4, 0))
    assert found.orientation_certain
    side = found.corners[1] - found.corners[0]
    assert side[1] < -200  # from dark skin to bluish green it goes up
    assert abs(side[0]) < 10


def test_what_a_photograph_clips_is_marked():
    """Its red is at the top on white and yellow, its blue at zero on orange and yellow."""
    photograph = _photograph("inference", 4, 0)
    reading = read_chart([photograph], find_chart(photograph).corners, find_encoding("srgb"))
    assert "clipped" in reading.patches[18].flags
    assert "clipped" in reading.patches[15].flags
    assert {i + 1 for i, p in enumerate(reading.patches) if "crushed" in p.flags} >= {7, 12, 16}
    assert reading.patches[21].is_usable
