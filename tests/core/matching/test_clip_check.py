"""What codes alone say: simulated clips, right and wrong declarations."""

import numpy as np
import pytest

from syntonos.core.encodings import encode, find_encoding, put_levels_on
from syntonos.core.matching.clip_check import check_clip, profile_of

CLIP = 7.0  # where the sensor ends, scene-linear


def clip(slug="s-log3/s-gamut3.cine", levels="full", *, seed=0, sensor=CLIP, bright=9.0):
    """A scene from flare to a clipped window, as codes of ten bits."""
    rng = np.random.default_rng(seed)
    light = np.exp(rng.uniform(np.log(0.006), np.log(1.5), (60, 80, 1)))
    light = light * rng.uniform(0.8, 1.25, (60, 80, 3)) + 0.004
    light[:6] = bright
    light = np.minimum(light + rng.normal(0, 0.0004, light.shape), sensor)
    code = put_levels_on(encode(light, find_encoding(slug).curve), levels)
    return np.round(np.clip(code, 0, 1) * 1023).astype(np.float32) / 1023


def found(frame, slug="s-log3/s-gamut3.cine", levels="full", **more):
    return check_clip(profile_of([frame]), slug, levels, **more)


@pytest.mark.parametrize(
    "slug", ["s-log3/s-gamut3.cine", "v-log/v-gamut", "logc3-ei800/awg3", "n-log/n-gamut", "rec709"]
)
@pytest.mark.parametrize("levels", ["full", "legal"])
def test_right_declarations_raise_no_alarm(slug, levels):
    others = [profile_of([clip(slug, levels, seed=i)]) for i in (1, 2)]
    assert found(clip(slug, levels), slug, levels, others=others) == ()


def test_codes_outside_of_legal_levels_are_told_with_the_levels_that_explain_them():
    bright = clip("logc4/awg4", "full", bright=400, sensor=450)
    (finding,) = [f for f in found(bright, "logc4/awg4", "legal") if f.kind == "levels"]
    assert (finding.encoding, finding.levels) == ("logc4/awg4", "full")


def test_black_under_the_curve_s_zero_is_told():
    # As if 82 codes had been taken off on the way.
    findings = found(clip("v-log/v-gamut") - np.float32(0.08), "v-log/v-gamut")
    assert [f.kind for f in findings] == ["black"]
    assert "under the curve's zero" in findings[0].text


def test_a_clip_point_elsewhere_than_the_camera_s_others_is_told_and_explained():
    others = [profile_of([clip(seed=i)]) for i in (1, 2, 3)]
    assert all(other.clip is not None for other in others)
    (finding,) = found(clip("s-log2/s-gamut3.cine"), others=others)
    assert finding.kind == "clip"
    assert finding.encoding.startswith("s-log2")
    # Without other clips, and where nothing clips, nothing is said.
    assert found(clip("s-log2/s-gamut3.cine")) == ()
    assert profile_of([clip(bright=0.9)]).clip is None


def test_what_the_files_name_counts_against_what_is_said():
    frame = clip()
    (finding,) = found(frame, facts={"curve": "V-Log"})
    assert (finding.kind, finding.encoding) == ("metadata", "v-log/v-gamut")
    assert found(frame, facts={"curve": "S-Log3", "gamut": "S-Gamut3.Cine"}) == ()


def test_noise_tells_a_display_curve_from_the_log_curve_it_is_taken_for():
    """Read and shot noise on a ramp of greys, as EMVA 1288 has it; simulated."""
    light = np.repeat(0.18 * 2.0 ** np.linspace(-4, 2.3, 12), 40)[None, :, None] * np.ones(
        (160, 1, 3)
    )

    def recorded(slug):
        rng = np.random.default_rng(4)
        noisy = (light + rng.standard_normal(light.shape) * 0.006 * np.sqrt(5 * light + 0.1)
                 for _ in range(2))  # fmt: skip
        codes = [encode(frame, find_encoding(slug).curve) for frame in noisy]
        return [np.round(np.clip(c, 0, 1) * 1023).astype(np.float32) / 1023 for c in codes]

    def spoken(slug, taken_as, kind="stills"):
        shot = recorded(slug)
        return [f for f in check_clip(profile_of(shot, shot), taken_as, "full", kind=kind)
                if f.kind == "noise"]  # fmt: skip

    (finding,) = spoken("rec709", "v-log/v-gamut")
    assert find_encoding(finding.encoding).curve.is_display
    assert spoken("rec709", "rec709") == spoken("v-log/v-gamut", "v-log/v-gamut") == []
    assert spoken("rec709", "v-log/v-gamut", kind="video") == []


def test_raw_and_linear_are_what_they_are_developed_to():
    frame = np.full((8, 8, 3), -0.5, np.float32)
    assert found(frame, "linear/ap1") == ()
    assert found(frame, kind="raw") == ()
