"""Raw development against the DNG Specification's arithmetic, LibRaw and a simulated truth."""

import numpy as np
import pytest
import rawpy

from syntonos.core.colorimetry import locus_white
from syntonos.core.encodings import encode, find_encoding
from syntonos.core.errors import MediaError
from syntonos.core.media import Development, RawDevelopment, RecordingReader, develop_raw
from syntonos.core.media.raw import read_raw_info
from syntonos.core.media.raw_colour import D50, RawColour
from syntonos.core.simulate.dng import mosaic, write_dng

# FACTS of this check: two colour matrices and a forward matrix, the weights at 5000 K, a white
# and its neutral, and the whole transform, computed with colour-hdri 0.2.6 (outside).
CM1 = np.array([[0.5309, -0.0229, -0.0336], [-0.6241, 1.3265, 0.3337], [-0.0817, 0.1215, 0.6664]])
CM2 = np.array([[0.4716, 0.0603, -0.0830], [-0.7798, 1.5474, 0.2480], [-0.1496, 0.1937, 0.6651]])
FM = np.array([[0.8924, -0.1041, 0.1760], [0.4351, 0.6621, -0.0972], [0.0505, -0.1562, 0.9308]])
XY, NEUTRAL = (0.32816244, 0.34698169), (0.413070, 1, 0.646465)
BLACK, WHITE, STOPS = 512, 16383, 2.0


def test_the_specifications_arithmetic():
    both = RawColour(CM1, 2850.0, CM2, 6500.0, FM, FM)
    np.testing.assert_allclose(both.neutral_of(XY), NEUTRAL, atol=5e-6)
    np.testing.assert_allclose(both.xy_of(NEUTRAL), XY, atol=2e-6)  # NEUTRAL has six digits
    # Its colour temperature by Robertson's table differs by 0.01 % from ours.
    expected = [[2.1604087, -0.1041, 0.2722498], [1.0533324, 0.6621, -0.1503561],
                [0.1222553, -0.1562, 1.4398304]]  # fmt: skip
    np.testing.assert_allclose(both.camera_to_xyz(XY), expected, atol=2e-5)
    at_5000 = RawColour(CM1, 2850.0, CM2, 6500.0)
    mix = [[0.4854908, 0.0408107, -0.0714282], [-0.7433278, 1.4956549, 0.2680749],
           [-0.1336947, 0.1767874, 0.6654045]]  # fmt: skip
    white = locus_white(200.0, 0.0)
    xy = white[:2] / white.sum()
    np.testing.assert_allclose(at_5000.xyz_to_camera(xy), mix, atol=1e-5)


def test_a_white_becomes_white_with_and_without_a_forward_matrix():
    white = np.array([D50[0] / D50[1], 1.0, (1 - sum(D50)) / D50[1]])
    for colour in (RawColour(CM1, 2850.0, CM2, 6500.0), RawColour(CM2, 6500.0)):
        for mired in (120, 180, 300):
            xyz = locus_white(mired, 0.003)
            xy = xyz[:2] / xyz.sum()
            np.testing.assert_allclose(
                colour.camera_to_xyz(xy) @ colour.neutral_of(xy), white, atol=1e-9
            )


def shoot(path, black):
    """Write a DNG of a smooth scene-linear picture (AP1); returns that picture."""
    y, x = np.mgrid[0:240, 0:320]
    linear = np.stack([0.1 + 0.6 * x / 320, 0.15 + 0.5 * y / 240, 0.2 + 0.3 * (x + y) / 560], -1)
    colour = RawColour(CM2, 6504.0)
    neutral = colour.neutral_of(XY)
    # From AP1 back to the sensor by the arithmetic that the test above checks.
    from syntonos.core.media.raw import _gamut_from_d50

    to_ap1 = _gamut_from_d50("linear/ap1") @ colour.camera_to_xyz(XY)
    camera = linear @ np.linalg.inv(to_ap1).T * 2.0**-STOPS
    write_dng(path, mosaic(camera, black=black, white=WHITE), model="Dogwood 4K", color_matrix=CM2,
              neutral=neutral, black=black, white=WHITE, baseline_stops=STOPS,
              timecode="10:20:30:12", reel="D001", exposure_index=400)  # fmt: skip
    return linear


@pytest.fixture(scope="module")
def shot(tmp_path_factory):
    """A DNG of a smooth scene-linear picture (AP1), and that picture."""
    path = tmp_path_factory.mktemp("raw") / "a 1.dng"
    return path, shoot(path, BLACK)


@pytest.mark.parametrize("black", [(512, 528, 540, 1100), (1100, 540, 528, 512)])
@pytest.mark.parametrize("highlights", ["clip", "blend"])
@pytest.mark.parametrize("preview", [True, False])
def test_blacks_that_differ_by_channel_are_each_taken_off(tmp_path, black, highlights, preview):
    path = tmp_path / "a.dng"
    linear = shoot(path, black)
    truth = (linear[::2, ::2] + linear[1::2, 1::2]) / 2 if preview else linear
    picture = develop_raw(path, RawDevelopment(highlights=highlights), preview=preview)
    assert np.abs(picture - truth)[6:-6, 6:-6].max() < 0.005


@pytest.mark.parametrize("highlights", ["clip", "blend", "rebuild"])
@pytest.mark.parametrize("preview", [True, False])
def test_what_the_scene_sent_comes_back(shot, highlights, preview):
    path, linear = shot
    truth = (linear[::2, ::2] + linear[1::2, 1::2]) / 2 if preview else linear
    picture = develop_raw(path, RawDevelopment(highlights=highlights), preview=preview)
    assert picture.shape == truth.shape
    # 14 bit, two stops down: a code is 0.00024 of scene light, filled in between on a ramp.
    assert np.abs(picture - truth)[6:-6, 6:-6].max() < 0.005


def test_full_development_is_libraws_own_numbers_times_the_matrix(shot):
    path, _ = shot
    gains = 1 / np.asarray(NEUTRAL)
    with rawpy.imread(str(path)) as raw:
        stored = raw.postprocess(
            output_color=rawpy.ColorSpace.raw, output_bps=16, gamma=(1, 1), no_auto_bright=True,
            adjust_maximum_thr=0.0, user_wb=[*gains, gains[1]],
        )  # fmt: skip
    balanced = stored / 65535
    colour = RawColour(CM2, 6504.0)
    to_ap1 = np.linalg.lstsq(
        (balanced * np.asarray(NEUTRAL)).reshape(-1, 3)[::50],
        develop_raw(path).reshape(-1, 3)[::50], rcond=None,
    )[0].T  # fmt: skip
    ours = develop_raw(path)
    # The neutral has six digits: where the filling-in decides by a hair, it may decide elsewise.
    np.testing.assert_allclose(ours, (balanced * NEUTRAL) @ to_ap1.T, atol=5e-4)
    np.testing.assert_allclose(to_ap1 @ colour.neutral_of(XY), [4, 4, 4], atol=2e-3)


def test_settings_are_followed(shot):
    path, _ = shot
    plain = develop_raw(path, preview=True)
    brighter = develop_raw(path, RawDevelopment(exposure_index=800, stops=0.5), preview=True)
    np.testing.assert_allclose(brighter, plain * 2**1.5, rtol=1e-4)
    log = develop_raw(path, RawDevelopment(encoding="s-log3/s-gamut3.cine"), preview=True)
    there = find_encoding("s-log3/s-gamut3.cine")
    wide = develop_raw(path, RawDevelopment(encoding="linear/s-gamut3.cine"), preview=True)
    np.testing.assert_allclose(log, encode(wide, there.curve), atol=1e-6)
    cool = develop_raw(path, RawDevelopment(white="set", kelvin=3200), preview=True)
    assert (cool[..., 2] / cool[..., 0]).mean() > 1.3 * (plain[..., 2] / plain[..., 0]).mean()
    reader = RecordingReader([path])
    np.testing.assert_array_equal(reader.read(0, Development(), preview=True), plain)


def test_what_the_file_says_is_known(shot):
    said = read_raw_info(shot[0])
    assert (said.kind, said.format, said.width, said.height, said.bits) == (
        "raw", "DNG", 320, 240, 14,
    )  # fmt: skip
    assert (said.timecode, said.rate) == ("10:20:30:12", 24)
    assert said.facts["reel"] == "D001"
    assert said.facts["exposure_index"] == "400"
    assert said.facts["white"] == "5686 K"


@pytest.mark.parametrize(
    "settings",
    [{"white": "auto"}, {"kelvin": 0}, {"tint": 90}, {"stops": 40}, {"highlights": "magic"},
     {"exposure_index": 3}],
)  # fmt: skip
def test_senseless_settings_are_refused(settings):
    with pytest.raises(MediaError) as caught:
        RawDevelopment(**settings)
    assert caught.value.code == "raw.settings"


def test_broken_files_are_said_so(tmp_path, shot):
    for name, data in (("text.dng", b"no raw"), ("cut.dng", shot[0].read_bytes()[:2000])):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(MediaError):
            develop_raw(tmp_path / name)
