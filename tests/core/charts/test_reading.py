import numpy as np
import pytest

from syntonos.core.charts import read_chart
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ChartError
from syntonos.core.simulate.spectra import chart_reflectances
from tests.simulated import DAY, camera_a, reading, shoot

ENCODING = find_encoding("logc3-ei800/awg3")


def _truth(camera):
    raw = camera.expose(chart_reflectances() * DAY) * 0.95
    return (raw + camera.flare) @ camera.raw_matrix().T


def test_patches_are_read_in_scene_linear_without_bias():
    camera = camera_a(noise=0.03)
    got = reading(camera, frames=4)
    want = _truth(camera)
    # Four frames of some 400 pixels a patch; what is left is noise and 16-bit steps.
    np.testing.assert_allclose(got.lin_rgb, want, rtol=0.01, atol=0.0015)
    errors = np.abs(got.lin_rgb - want).mean(axis=1)
    stated = np.array([p.error for p in got.patches]) * want[18].mean()
    assert 0.4 < np.median(errors / stated) < 2.5


def test_a_hand_in_one_of_three_frames_does_not_count():
    shot = shoot(camera_a(), frames=3)
    clean = read_chart(shot.frames, shot.corners, ENCODING)
    shot.frames[1] = np.full_like(shot.frames[1], 0.35)
    covered = read_chart(shot.frames, shot.corners, ENCODING)
    np.testing.assert_allclose(covered.lin_rgb, clean.lin_rgb, rtol=0.01, atol=5e-4)


def test_what_a_mean_of_frames_misses_is_what_its_covariance_says():
    """A median over frames misses an eighth more; 288 patches are certain to 3 per cent."""
    camera = camera_a(noise=0.1)
    truth = _truth(camera)
    off = [
        np.sum((np.array(p.lin_rgb) - want) ** 2 / np.diag(p.mean_cov))
        for seed in range(4)
        for p, want in zip(reading(camera, frames=6, seed=seed).patches, truth, strict=True)
    ]
    assert np.sqrt(np.mean(off) / 3) == pytest.approx(1, abs=0.08)


def test_clipped_patches_are_flagged_even_below_the_file_s_ceiling():
    # The sensor clips at 90 % of its light; the curve's own top is 55 times higher.
    got = reading(camera_a(clip=0.7, stops=0.3))
    flagged = {p.index for p in got.patches if "clipped" in p.flags}
    assert 19 in flagged
    assert not flagged & {1, 3, 5, 8, 13, 21, 22, 23, 24}


def test_a_well_exposed_chart_has_no_flags():
    assert [p.flags for p in reading(camera_a()).patches] == [()] * 24


def test_noise_is_read_with_its_correlation():
    """A camera's matrix mixes the noise of its channels; the mean's error has to know it."""
    camera = camera_a(noise=0.05)
    shot = shoot(camera, frames=12)
    one = [read_chart([frame], shot.corners, ENCODING).lin_rgb for frame in shot.frames]
    grey = read_chart(shot.frames[:1], shot.corners, ENCODING).patches[21]
    seen = np.cov(np.array(one)[:, 21].T)
    # Twelve frames tell a variance to about a third.
    np.testing.assert_allclose(np.diag(grey.mean_cov), np.diag(seen), rtol=1.5)
    matrix = camera.raw_matrix()
    want = matrix @ matrix.T
    want /= np.sqrt(np.outer(np.diag(want), np.diag(want)))
    got = grey.correlation
    np.testing.assert_allclose(got, [want[0, 1], want[1, 2], want[0, 2]], atol=0.15)


def test_a_patch_at_the_file_s_floor_is_crushed_and_a_dark_one_is_not_biased():
    camera = camera_a(noise=0.25, encoding="d-log/d-gamut", stops=-1.0)
    encoding = find_encoding(camera.encoding)
    shot = shoot(camera, frames=8)
    got = read_chart(shot.frames, shot.corners, encoding)
    clean = read_chart(shoot(camera_a(encoding="d-log/d-gamut", stops=-1.0)).frames, shot.corners,
                       encoding)  # fmt: skip
    at_floor = (np.stack(shot.frames) <= 0.0005).mean()
    assert at_floor > 0.001
    kept = [i for i, p in enumerate(got.patches) if p.is_usable]
    errors = np.array([np.sqrt(np.diag(got.patches[i].mean_cov)) for i in kept])
    off = (got.lin_rgb - clean.lin_rgb)[kept] / errors
    # Means of decoded pixels would be off by ten times their own error here.
    assert np.sqrt((off**2).mean()) < 2.5
    black = shoot(camera_a(noise=4.0, encoding="d-log/d-gamut", stops=-6.0))
    crushed = read_chart(black.frames, black.corners, encoding)
    assert any("crushed" in p.flags and not p.is_usable for p in crushed.patches)


def test_noise_below_a_code_step_is_neither_a_clip_nor_taken_for_certainty():
    still = reading(camera_a(noise=0.0008, bits=10))
    assert not [p.index for p in still.patches if p.flags]
    fine = reading(camera_a(noise=0.0008, bits=16))
    assert max(max(p.rounding) for p in fine.patches) < 1e-5
    assert max(max(p.rounding) for p in still.patches) > 1e-4
    miss = np.abs(still.lin_rgb - fine.lin_rgb)
    stated = np.array([np.sqrt(np.diag(p.mean_cov)) for p in still.patches])
    # Right within a factor of two and a half: rounding is no Gaussian. Noise alone would be 30 off.
    assert 0.4 < np.sqrt(((miss / stated) ** 2).mean()) < 2.5
    alone = np.array([np.array(p.spread) / np.sqrt(p.count) for p in still.patches]) + 1e-9
    assert np.sqrt(((miss / alone) ** 2).mean()) > 10


def test_glare_over_part_of_a_patch_is_suspected():
    shot = shoot(camera_a(), frames=2)
    x, y = shot.centres[12].astype(int)
    for frame in shot.frames:
        frame[y - 9 : y + 1, x - 9 : x + 1] += 0.15
    got = read_chart(shot.frames, shot.corners, ENCODING)
    assert got.patches[12].flags == ("glare",)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        (lambda c: c - [365, 0], "chart.outside"),
        (lambda c: c[[0, 2, 1, 3]], "chart.corners"),
        (lambda c: np.repeat(c[:1], 4, axis=0), "chart.corners"),
        (lambda c: c.mean(axis=0) + (c - c.mean(axis=0)) * 0.05, "chart.too_small"),
    ],
)
def test_corners_that_cannot_be_read_say_why(change, code):
    shot = shoot(camera_a(), frames=1)
    with pytest.raises(ChartError) as caught:
        read_chart(shot.frames, change(shot.corners), ENCODING)
    assert caught.value.code == code


def test_frames_of_two_sizes_are_refused():
    shot = shoot(camera_a(), frames=2)
    with pytest.raises(ChartError):
        read_chart([shot.frames[0], shot.frames[1][:-2]], shot.corners, ENCODING)


def test_the_clip_is_found_where_a_sky_is_clipped_and_only_there():
    camera = camera_a(clip=6.0)
    shot = shoot(camera, frames=1)
    assert read_chart(shot.frames, shot.corners, ENCODING).clip is None
    rng = np.random.default_rng(0)
    for light, want in ((40.0, 6.0), (4.0, None)):
        sky = camera.record(np.full((120, 200, 3), light) * rng.uniform(0.7, 1, (120, 200, 1)), rng)
        shot.frames[0][:120, :200] = sky
        found = read_chart(shot.frames, shot.corners, ENCODING).clip
        assert found == (pytest.approx(want, rel=0.02) if want else None)
