"""Pictures as targets: profiles, scanned negatives, and outputs that are led back."""

import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.core.chain import (
    AcesOutput,
    Chain,
    Decode,
    EncodingOutput,
    Output,
    compile_chain,
    run,
)
from syntonos.core.encodings import AP1, GAMUTS, gamut_matrix
from syntonos.core.encodings.film import decode_density
from syntonos.core.errors import MediaError
from syntonos.core.matching.targets import FILM, GRADED, PROFILE, target_light
from syntonos.core.media.profiles import profile_light
from tests.icc import profile

RNG = np.random.default_rng(19)


@pytest.mark.parametrize(("slug", "most"), [("adx10", 0.9), ("adx16", 0.4)])
def test_a_scanned_negative_is_decoded_as_the_academy_does(slug, most):
    # Outside: OpenColorIO's own transform from densities to ACES2065-1.
    code = RNG.uniform(0.03, most, (5000, 3)).astype(np.float32)
    builtin = ocio.BuiltinTransform(f"{slug.upper()}_to_ACES2065-1")
    theirs = code.copy()
    ocio.Config.CreateRaw().getProcessor(builtin).getDefaultCPUProcessor().applyRGB(theirs)
    theirs = theirs @ gamut_matrix(GAMUTS["ap0"], AP1).T
    size = np.abs(theirs).max(axis=1, keepdims=True)
    assert (np.abs(decode_density(code, slug) - theirs) / size).max() < 2e-4


def test_a_profile_says_what_its_primaries_and_curve_show():
    # Outside: the published primaries of Display P3 and the curve of IEC 61966-2-1.
    code = RNG.uniform(0, 1, (4, 500, 3)).astype(np.float32)
    lin = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
    to_709 = [[1.2249401, -0.2249402, 0.0], [-0.0420569, 1.0420571, 0.0],
              [-0.0196376, -0.0786361, 1.0982735]]  # fmt: skip
    assert np.abs(profile_light(code, profile()) - lin @ np.transpose(to_709)).max() < 2e-4
    for wrong in (b"", b"no profile at all", profile()[:200]):
        with pytest.raises(MediaError, match="not understood"):
            profile_light(code, wrong)


@pytest.mark.parametrize("output", [Output(), Output("display-p3"), Output("rec2100-pq-1000"),
                                    Output(tone=None), EncodingOutput("rec709"), AcesOutput(),
                                    AcesOutput("p3-d65", compression=1.0),
                                    AcesOutput("rec2100-pq-1000")])  # fmt: skip
def test_what_an_output_shows_is_led_back_to_the_scene(output):
    lin = np.exp(RNG.uniform(np.log(0.01), np.log(0.7), (100, 100, 3))).astype(np.float32)
    lin = 0.3 * lin + 0.7 * lin.mean(axis=-1, keepdims=True)  # within every display's gamut
    shown = run(compile_chain(Chain(Decode("linear/ap1"), output)), lin)
    slug = {"rec2100-pq-1000": "rec2100-pq"}.get(getattr(output, "display", ""),
                                                 getattr(output, "display", "rec709"))  # fmt: skip
    target = target_light(shown, slug, "full", output)
    assert target.limit == GRADED
    assert target.usable.mean() > 0.9
    off = np.abs(np.log2(target.light / lin))[target.usable]
    assert off.max() < 2e-3


def test_what_cannot_be_a_target_is_said():
    grey = np.full((4, 4, 3), 0.4, np.float32)
    clipped = grey.copy()
    clipped[0, 0, 1] = 1.0
    target = target_light(clipped, PROFILE, "full", Output(), profile())
    assert (target.usable[0, 0], target.usable[1, 1]) == (False, True)
    assert target_light(grey, "cineon/bt709", "full", Output()).limit == FILM
    assert target_light(grey, "s-log3/s-gamut3", "full", Output()).limit == ""
