"""Where a sensor clips, from scenes that show no chart."""

from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.chain import Chain, Decode, EncodingOutput, compile_chain, run
from syntonos.core.charts.clipping import clip_of_scenes
from syntonos.core.encodings import find_encoding
from syntonos.core.matching import FitOptions, fit_match
from tests.simulated import background, camera_a, camera_b, reading

SKY = np.s_[20:160, 500:900]


OVERCAST = np.linspace(4.2, 5.4, 140)[:, None, None] * np.ones((1, 400, 3))


def scene(camera, sky, seed=4):
    """A frame with a sky of one balanced raw colour, or of a soft gradient between two."""
    picture = background()
    picture[SKY] = sky
    return camera.record(picture, np.random.default_rng(seed))


def clip_in(camera, *skies):
    encoding = find_encoding(camera.encoding)
    frames = [scene(camera, sky, seed) for seed, sky in enumerate(skies)]
    return clip_of_scenes(frames, encoding, camera.levels, 0.9)


@pytest.mark.parametrize("bits", [10, 16])
@pytest.mark.parametrize("clip", [3.5, 7.0, 14.0])
def test_a_clipped_sky_tells_where_the_sensor_ends(clip, bits):
    camera = camera_b(clip=clip, bits=bits, noise=0.01)
    assert clip_in(camera, (30.0, 34.0, 40.0)) == pytest.approx(clip, rel=0.03)
    assert clip_in(camera, (30.0, 34.0, 40.0), (0.4, 0.4, 0.4)) == pytest.approx(clip, rel=0.03)
    # Another scene ends lower, on a white that only looks like a clip: the brightest counts.
    sky = (30.0, 34.0, 40.0)
    frames = [scene(replace(camera, clip=3.0), sky), scene(camera, sky)]
    both = clip_of_scenes(frames, find_encoding(camera.encoding), camera.levels, 0.9)
    assert both == pytest.approx(clip, rel=0.03)


@pytest.mark.parametrize(
    ("sky", "why"),
    [((3.0, 4.0, 5.5), "an even sky is blue"), (OVERCAST, "an overcast one fades"),
     ((1.2, 1.2, 1.2), "white paper is no brighter than the chart's white")],
)  # fmt: skip
def test_what_is_bright_and_even_only_is_no_clip(sky, why):
    assert clip_in(camera_b(clip=14.0, bits=10, noise=0.02), sky) is None, why


def test_a_clip_that_only_the_scene_shows_keeps_the_match_from_tinting_it():
    """The chart clips show no clip; the sky of the scene went through the match tinted."""
    angle = camera_b(clip=7.0)
    both = reading(camera_a()), reading(angle)
    assert both[1].clip is None
    clip = clip_in(angle, (30.0, 34.0, 40.0))
    code = scene(angle, (30.0, 34.0, 40.0))[SKY]
    spread = {}
    for known in (None, clip):
        match = fit_match(*both, FitOptions(clip=known)).match
        assert match.clip == known
        chain = Chain(Decode(angle.encoding, angle.levels), EncodingOutput("linear/ap1"),
                      match=match)  # fmt: skip
        light = np.median(run(compile_chain(chain), code).reshape(-1, 3), axis=0)
        spread[known] = np.ptp(light) / light.mean()
    assert spread[None] > 0.1
    assert spread[clip] < 0.01
