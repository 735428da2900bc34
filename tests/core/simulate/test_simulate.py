from dataclasses import replace

import cv2
import numpy as np
import pytest

from syntonos.core.encodings import decode, find_encoding
from syntonos.core.media import read_frame
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.foundry import VIEWS, build_scene, render_lights
from syntonos.core.simulate.foundry.cast import CLIPS, demo_cameras
from syntonos.core.simulate.foundry.footage import clip_files, develop
from syntonos.core.simulate.foundry.materials import (
    NAMES,
    lamp_sets,
    reflectances,
    yellowed_reflectances,
)
from syntonos.core.simulate.foundry.plates import (
    PLATES,
    SWINGS,
    YELLOWED,
    bell_box,
    fire_boxes,
    swing_of,
)
from syntonos.core.simulate.foundry.scene import project, slate_corners
from syntonos.core.simulate.sensors import measured_sensor, random_sensor
from syntonos.core.simulate.spectra import (
    CMF,
    NM,
    chart_reflectances,
    daylight,
    library,
    planck,
    random_reflectances,
    to_xyz,
)


@pytest.mark.parametrize("kelvin", [2000, 2856, 4300, 6500])
def test_black_bodies_have_the_chromaticity_of_the_locus(kelvin):
    xyz = to_xyz(planck(kelvin))
    with np.errstate(divide="ignore"):
        uv = library().temperature.CCT_to_uv_Planck1900(kelvin)
    x, y, z = xyz
    got = np.array([4 * x, 6 * y]) / (x + 15 * y + 3 * z)
    # 10 nm steps to 730 nm only: a thousandth in uv.
    np.testing.assert_allclose(got, uv, atol=1.2e-3)


def test_daylight_has_the_published_chromaticity():
    xyz = to_xyz(daylight(6504))
    # CIE 15:2018: D65 is x .31272, y .32903; 10 nm steps.
    np.testing.assert_allclose(xyz[:2] / xyz.sum(), [0.31272, 0.32903], atol=5e-4)


def test_the_chart_s_spectra_give_its_measured_colours():
    white = to_xyz(daylight(5003))
    lab = library().XYZ_to_Lab(to_xyz(chart_reflectances() * daylight(5003)) / white[1],
                               white[:2] / white.sum())  # fmt: skip
    # Published values of the 2005 chart (colour-science): spectra and table differ by up to 1.2.
    table = library().CCS_COLOURCHECKERS["ColorChecker24 - Before November 2014"].data.values()
    theirs = library().XYZ_to_Lab(
        np.array([library().xyY_to_XYZ(v) for v in table]), (0.3457, 0.3585)
    )
    assert library().delta_E(lab, theirs, method="CIE 2000").max() < 2.5


@pytest.mark.parametrize("seed", range(8))
def test_random_sensors_are_plausible(seed):
    sensor = random_sensor(np.random.default_rng(seed))
    assert sensor.shape == (36, 3)
    np.testing.assert_allclose(sensor.max(axis=0), 1)
    assert sensor.min() >= 0
    peaks = NM[sensor.argmax(axis=0)]
    assert peaks[0] > peaks[1] > peaks[2]
    # A least-squares matrix to the observer leaves a good deal, but not everything.
    left = CMF - sensor @ np.linalg.lstsq(sensor, CMF, rcond=None)[0]
    assert 0.02 < np.linalg.norm(left) / np.linalg.norm(CMF) < 0.5


def test_random_reflectances_are_physical_and_various():
    many = random_reflectances(np.random.default_rng(0), 500)
    assert many.min() >= 0.02
    assert many.max() <= 0.95
    xyz = to_xyz(many * daylight(6504))
    xy = xyz[:, :2] / xyz.sum(axis=1, keepdims=True)
    assert (xy.std(axis=0) > 0.03).all()


CAMERA = SimulatedCamera(measured_sensor(0), "s-log3/s-gamut3", daylight(5600), bits=None)


def _lin(camera, code):
    return decode(np.asarray(code, np.float64), find_encoding(camera.encoding).curve)


def test_grey_in_the_camera_s_own_light_is_neutral_and_exposed():
    grey = CAMERA.expose(0.18 * daylight(5600))
    lin = _lin(CAMERA, CAMERA.record(grey[None]))
    np.testing.assert_allclose(lin, 0.18, rtol=1e-4)
    brighter = replace(CAMERA, stops=1.5)
    np.testing.assert_allclose(_lin(brighter, brighter.record(grey[None])), 0.18 * 2**1.5,
                               rtol=1e-4)  # fmt: skip


def test_flare_lifts_black_and_clip_stops_white():
    camera = replace(CAMERA, flare=0.01, clip=4.0)
    lin = _lin(camera, camera.record(np.array([[0.0, 0, 0], [9.0, 9, 9]])))
    np.testing.assert_allclose(lin[0], 0.01, rtol=1e-3)
    np.testing.assert_allclose(lin[1], 4.0, rtol=1e-4)


def test_noise_is_what_was_asked_for_at_grey_and_grows_with_light():
    camera = replace(CAMERA, noise=0.02, taste=tuple(map(tuple, np.eye(3))))
    rng = np.random.default_rng(0)
    to_raw = np.linalg.inv(camera.raw_matrix()).T
    spread = {}
    for level in (0.0, 0.18, 1.6):
        code = camera.record(np.full((20000, 3), level), rng)
        spread[level] = (_lin(camera, code) @ to_raw).std(axis=0).mean()
    assert spread[0.18] == pytest.approx(0.02 * 0.18, rel=0.05)
    assert spread[1.6] == pytest.approx(spread[0.18] * (1.6 / 0.18) ** 0.5, rel=0.07)
    assert spread[0.0] == pytest.approx(spread[0.18] * 0.2, rel=0.1)


def test_levels_and_bits_are_the_file_s():
    camera = replace(CAMERA, levels="legal", bits=10)
    code = camera.record(np.random.default_rng(0).uniform(0, 1, (500, 3))) * 1023
    np.testing.assert_allclose(code, np.round(code), atol=1e-3)
    full = replace(CAMERA, bits=None).record(np.full((1, 3), 0.18))
    legal = replace(CAMERA, bits=None, levels="legal").record(np.full((1, 3), 0.18))
    np.testing.assert_allclose(legal * 1023, 64 + 876 * full, rtol=1e-5)


def test_materials_are_physical_and_the_chart_s_are_measured():
    table = reflectances()
    assert table.shape == (len(NAMES), 36)
    assert table.min() > 0
    assert table.max() < 1
    np.testing.assert_array_equal(table[-24:], chart_reflectances())


def _agrees(tile, plate):
    """Both are sampled at random: compared in blocks of 6x6 pixels, in stops."""
    small = plate.reshape(54, 10, 96, 10, 3).mean(axis=(1, 3))
    a, b = (np.log2(v.reshape(9, 6, 16, 6, 3).mean(axis=(1, 3)) + 0.02) for v in (tile, small))
    assert np.median(np.abs(a - b)) < 0.05
    assert np.corrcoef(a.ravel(), b.ravel())[0, 1] > 0.99


@pytest.mark.parametrize(("camera", "shot"), [(3, "scene"), (4, "chart")])
def test_a_small_tile_rendered_again_is_the_plate(camera, shot):
    demo = demo_cameras()[camera]
    sensor = replace(demo.camera, white_light=daylight(5700))
    name, scene = f"{demo.letter.lower()}-{shot}", build_scene(with_chart=shot == "chart")
    sets = lamp_sets()
    size = {"width": 96, "height": 54, "side": 5}
    again = render_lights(scene, VIEWS[name], sensor.sensor, sensor.white_gains(),
                          np.stack(list(sets.values())), **size)  # fmt: skip
    tiles = dict(zip(sets, again[:, 0], strict=True)) | {"furnace": again[0, 1]}
    if shot == "chart":
        tiles[YELLOWED] = render_lights(
            scene, VIEWS[name], sensor.sensor, sensor.white_gains(), sets["led"][None],
            reflect=yellowed_reflectances(), **size,
        )[0, 0]  # fmt: skip
    for layer, tile in tiles.items():
        _agrees(tile, read_frame(PLATES / f"{name}-{layer}.exr").code_rgb)


def test_what_moves_is_a_position_of_the_scene_rendered_again():
    """A place on the swinging bell's rim, where the position and rest differ most."""
    demo, step, size = demo_cameras()[1], 5, 40
    left, top, right, bottom = bell_box("b-scene")
    steps = read_frame(PLATES / "b-scene-bell-lamps.exr").code_rgb
    moved = steps.reshape(SWINGS, bottom - top, right - left, 3)[step - 1]
    rest = read_frame(PLATES / "b-scene-lamps.exr").code_rgb[top:bottom, left:right]
    change = np.abs(np.log2(moved + 0.02) - np.log2(rest + 0.02)).mean(axis=-1)
    y, x = np.unravel_index(cv2.blur(change, (size, size)).argmax(), change.shape)
    y, x = (int(np.clip(v - size // 2, 0, n - size))
            for v, n in zip((y, x), change.shape, strict=True))  # fmt: skip
    sensor = replace(demo.camera, white_light=daylight(5700))
    again = render_lights(
        build_scene(with_chart=False, swing=step / SWINGS), VIEWS["b-scene"], sensor.sensor,
        sensor.white_gains(), lamp_sets()["lamps"][None], width=960, height=540, side=4,
        box=(left + x, top + y, left + x + size, top + y + size),
    )[0, 0]  # fmt: skip

    def blocks(picture):
        return np.log2(picture.reshape(10, 4, 10, 4, 3).mean(axis=(1, 3)) + 0.02)

    there = np.s_[y : y + size, x : x + size]
    off = np.median(np.abs(blocks(again) - blocks(moved[there])))
    assert off < 0.06
    assert off < 0.5 * np.median(np.abs(blocks(again) - blocks(rest[there])))


def test_a_scene_moves_flickers_and_its_noise_is_new_in_every_frame():
    demo = demo_cameras()[2]
    clip = next(c for c in CLIPS if (c.letter, c.kind, c.day) == (demo.letter, "scene", 1))
    frames = develop(demo, clip)
    names = clip_files(demo, clip)
    assert len(frames) == len(names) == clip.frames
    assert all(name.startswith(clip.reel) for name in names)
    assert np.abs(frames[0] - frames[1]).mean() > 1e-4
    assert frames[0].shape == (540, 960, 3)
    # 10 bit at legal levels: nothing below 64 but noise, nothing above 940.
    assert frames[0].max() <= 941 / 1023
    # The bell is pushed and comes back within a second; beside it nothing moves but the light.
    assert [swing_of(n) for n in (0, 6, 12, 18, 24)] == [0, 6, SWINGS, 6, 0]
    left, top, right, bottom = bell_box("c-scene")
    apart = cv2.GaussianBlur(np.abs(frames[9] - frames[0]), (0, 0), 3).mean(axis=-1)
    moving = np.zeros(apart.shape, bool)
    for x0, y0, x1, y1 in [(left, top, right, bottom), *fire_boxes("c-scene")]:
        moving[max(y0 - 10, 0) : y1 + 10, max(x0 - 10, 0) : x1 + 10] = True
    assert apart[moving].max() > 4 * apart[~moving].max()


def test_the_slate_says_what_the_file_says_and_only_charts_have_one():
    demo = demo_cameras()[3]
    chart = next(c for c in CLIPS if (c.letter, c.kind, c.day) == ("D", "chart", 3))
    seen = project(VIEWS["d-chart"], slate_corners(), 960, 540)
    (left, top), (right, bottom) = seen.min(axis=0).astype(int), seen.max(axis=0).astype(int)
    board = develop(demo, replace(chart, frames=1))[0]
    other = develop(demo, replace(chart, frames=1, lens="50 mm"))[0]
    inked = board[top:bottom, left:right].mean(axis=-1)
    assert 0.05 < (inked < 0.5 * np.median(inked)).mean() < 0.4
    # Another lens: another writing, and the chart above is what it was.
    change = np.abs(board - other).mean(axis=-1)
    assert change[top:bottom, left:right].max() > 0.1 * np.median(inked)
    assert change[top - 90 : top - 20, left:right].max() < 0.01 * np.median(inked)
