import json
import warnings
from pathlib import Path

import numpy as np
import pytest

from syntonos.core.charts import (
    CHART_24,
    LAYOUTS,
    find_chart,
    find_charts,
    find_layout,
    patch_centres,
    read_chart,
    read_layout,
)
from syntonos.core.charts.layout import chart_homography, place_on, places_of, project
from syntonos.core.charts.reading import with_neutrals
from syntonos.core.colorimetry import adaptation_matrix
from syntonos.core.encodings import AP1, find_encoding
from syntonos.core.errors import ChartError
from syntonos.core.evaluate.detection import layout_of, picture_of, search
from syntonos.core.simulate.chart import chart_image, place_chart, reflectances_of
from tests.simulated import DAY, background, camera_a, camera_b

OWN = """
name = "Foundry card"
rows = 3
columns = 5
sample = 0.4
neutrals = [11, 12, 13, 14]
skins = [2]
[gaps]
columns = { "2" = 1.5 }
rows = { "1" = 2 }
"""


@pytest.mark.parametrize(
    ("slug", "dataset"),
    [
        ("chart-24", "ColorChecker24 - After November 2014"),
        ("chart-24-before-2014", "ColorChecker24 - Before November 2014"),
        ("grid-140", "ColorCheckerSG - After November 2014"),
    ],
)
def test_published_values_are_the_reference_library_s(slug, dataset):
    # Source: colour-science 0.4.7, CCS_COLOURCHECKERS, from the maker's tables.
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour

        data = colour.CCS_COLOURCHECKERS[dataset]
        xyz = colour.xyY_to_XYZ(np.array(list(data.data.values())))
    white = tuple(map(float, data.illuminant))
    back = np.linalg.inv(AP1.to_xyz) @ adaptation_matrix(white, AP1.white, method="bradford")
    np.testing.assert_allclose(find_layout(slug).nominal, xyz @ back.T, atol=1.2e-3)


def test_every_ready_made_layout_reads_and_names_its_greys_from_light_to_dark():
    for slug in LAYOUTS:
        layout = find_layout(slug)
        assert len(layout.names) == layout.rows * layout.columns == len(places_of(layout))
        if layout.nominal is not None:
            light = np.array(layout.nominal)[list(layout.greys)] @ AP1.to_xyz[1]
            assert (np.diff(light) <= 2e-3).all()
            chroma = np.ptp(np.array(layout.nominal)[list(layout.greys)], axis=1)
            assert (chroma <= 0.06 * light + 0.004).all()
    assert find_layout("chart-24").mid_greys == CHART_24.mid_greys == (19, 20, 21, 22)


def test_a_layout_file_places_patches_with_gaps():
    layout = read_layout(OWN, "card")
    assert layout.columns_at == (0, 1, 2.5, 3.5, 4.5)
    assert layout.rows_at == (0, 2, 3)
    assert layout.corner_patches == (1, 5, 15, 11)
    assert layout.greys == (10, 11, 12, 13)
    assert place_on(layout)[0].tolist() == [-0.5, -0.5]
    assert place_on(layout)[-1].tolist() == [0.5, 0.5]
    corners = np.array([[10, 20], [100, 22], [98, 80], [12, 78]], float)
    np.testing.assert_allclose(patch_centres(corners, layout)[[0, 4, 14, 10]], corners, atol=1e-3)


def test_a_single_row_is_placed_by_the_edges_of_its_outer_patches():
    ramp = find_layout("ramp-11")
    corners = np.array([[100, 90], [300, 90], [300, 110], [100, 110]], float)
    centres = patch_centres(corners, ramp)
    np.testing.assert_allclose(centres[[0, 10]], [[100, 100], [300, 100]], atol=1e-3)
    np.testing.assert_allclose(project(chart_homography(corners, ramp), [[0, 0.5]])[0], [100, 110],
                               atol=1e-3)  # fmt: skip


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("rows = 3", "rows = 16"), "rows is 16"),
        (("columns = 5", "columns = 0"), "columns is 0"),
        (("rows = 3", "rows = 1"), "it has 5 patches"),
        (("sample = 0.4", "sample = 2"), "sample is 2"),
        (("[11, 12, 13, 14]", "[11, 11, 13]"), "neutrals is"),
        (("[11, 12, 13, 14]", "[11]"), "only 1 patches are neutral"),
        (("[2]", "[99]"), "skins is"),
        (('"2" = 1.5', '"5" = 1.5'), "gaps"),
        (('"2" = 1.5', '"2" = 0.1'), "gaps"),
        (("name =", "title ="), "title is not known"),
        (("[gaps]", "[values]\nlab = [[1, 2, 3]]\n[gaps]"), "values cannot be used"),
        (("[gaps]", '[values]\nilluminant = "D50"\nlab = [[1, 2, 3]]\n[gaps]'), "1 values"),
        (("rows = 3", "rows = ["), "not TOML"),
    ],
)
def test_what_is_wrong_in_a_layout_file_is_named(change, says):
    with pytest.raises(ChartError, match="card") as caught:
        read_layout(OWN.replace(*change), "card")
    assert says in caught.value.message
    assert caught.value.hint


def test_neutrals_are_found_where_a_layout_names_none():
    layout = find_layout("double-48")
    rng = np.random.default_rng(3)
    lin = rng.uniform(0.05, 0.8, (48, 3))
    tint = np.array([1.3, 1.0, 0.7])
    steps = np.geomspace(0.9, 0.04, 12)
    lin[36:] = steps[:, None] * tint
    found = with_neutrals(lin, layout)
    assert set(range(36, 48)) <= set(found.greys)
    assert len(found.greys) <= 15
    assert list(found.greys) == sorted(found.greys, key=lambda i: -lin[i].mean())


@pytest.mark.parametrize("kind", ["grid-140", "ramp-20", "own-96"])
def test_other_charts_are_found_the_right_way_up(kind):
    found = search((kind, 50_001))
    assert found.was_found
    assert found.certain
    assert found.right
    assert found.miss < 2


def test_a_grid_without_neutrals_is_found_and_asked_about():
    found = search(("double-48", 50_001))
    assert found.was_found
    assert found.right
    assert not found.certain


def test_a_grid_reads_like_the_camera_sees_it():
    layout = layout_of("grid-140")
    camera = camera_b()
    code, centres = picture_of("grid-140", 50_002)
    assert code.shape[2] == 3
    raw = camera.expose(reflectances_of(layout, np.random.default_rng(1)) * DAY) * 0.95
    picture, centres = chart_image(raw, 24, layout)
    frames = [camera.record(picture, np.random.default_rng(k)) for k in range(3)]
    corners = centres[[i - 1 for i in layout.corner_patches]]
    reading = read_chart(frames, corners, find_encoding(camera.encoding), layout=layout)
    stray = camera.flare * np.ones(3)
    want = camera.develop((raw + stray) * 2.0**camera.stops)
    np.testing.assert_allclose(reading.lin_rgb, want, atol=2e-3, rtol=0.01)


def test_all_charts_of_a_frame_are_found_the_largest_first():
    camera = camera_a()
    raw = camera.expose(reflectances_of(CHART_24, np.random.default_rng(1)) * DAY) * 0.95
    picture = background()
    places = []
    for corners in ([[60, 60], [460, 80], [440, 350], [70, 330]],
                    [[620, 300], [860, 290], [870, 450], [625, 460]]):  # fmt: skip
        picture, centres = place_chart(picture, *chart_image(raw, 60), np.array(corners, float))
        places.append(centres)
    found = find_charts(camera.record(picture, np.random.default_rng(2)))
    assert len(found) == 2
    for detection, centres in zip(found, places, strict=True):
        assert np.hypot(*(patch_centres(detection.corners) - centres).T).max() < 2


@pytest.mark.parametrize("seed", [50_003, 50_004])
def test_a_ramp_of_a_single_row_is_found_light_end_first(seed):
    """Turned, and in perspective, among other things; both ways round in the picture."""
    code, centres = picture_of("ramp-11", seed)
    ramp = find_layout("ramp-11")
    for turned in (code, code[::-1, ::-1].copy()):
        found = find_chart(turned, ramp)
        got = patch_centres(found.corners, ramp)
        if turned is not code:
            got = np.array(code.shape[1::-1]) - 1 - got
        assert np.hypot(*(got - centres).T).max() < 2.5
        assert found.orientation_certain


def test_a_column_is_a_row_that_stands_upright():
    code, centres = picture_of("ramp-11", 50_004)
    greys = ", ".join(str(i) for i in range(1, 12))
    column = read_layout(f"rows = 11\ncolumns = 1\nneutrals = [{greys}]", "column")
    upright = np.ascontiguousarray(np.rot90(code, -1))
    found = patch_centres(find_chart(upright, column).corners, column)
    # A quarter turn clockwise takes (x, y) to (height - 1 - y, x).
    wanted = np.column_stack([code.shape[0] - 1 - centres[:, 1], centres[:, 0]])
    assert np.hypot(*(found - wanted).T).max() < 2.5


def test_no_ramp_is_seen_where_there_is_none():
    code, _ = picture_of("lookalike", 70_000)
    with pytest.raises(ChartError, match="No chart"):
        find_chart(code, find_layout("ramp-11"))


@pytest.mark.parametrize(
    "case", json.loads((Path(__file__).parents[2] / "data/chart_geometry.json").read_text()),
    ids=lambda case: f"{case['layout']}, {case['name']}",
)  # fmt: skip
def test_patches_are_placed_as_opencv_places_them(case):
    # The front end's grid is tested on the same cases.
    layout = find_layout(case["layout"])
    assert [list(layout.columns_at), list(layout.rows_at)] == [case["columns_at"], case["rows_at"]]
    centres = patch_centres(case["corners"], layout)
    for number, place in case["centres"].items():
        np.testing.assert_allclose(centres[int(number) - 1], place, atol=1e-3)
