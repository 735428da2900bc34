from dataclasses import replace

import pytest

from syntonos.core.chain import Chain, Decode, EncodingOutput, bake_lut
from syntonos.core.charts import read_chart
from syntonos.core.encodings import LEVELS, find_encoding
from syntonos.core.matching import check_levels, choose_levels, fit_match
from syntonos.core.matching.carried import lut_cost
from syntonos.core.matching.verdict import MOST_LUT_COST
from tests.simulated import camera_a, camera_b, reading, shoot


def _both(camera):
    shot = shoot(camera)
    encoding = find_encoding(camera.encoding)
    return {k: read_chart(shot.frames, shot.corners, encoding, levels=k) for k in LEVELS}


@pytest.mark.parametrize("own", LEVELS)
@pytest.mark.parametrize("other", LEVELS)
def test_the_levels_of_both_clips_are_found_together(own, other):
    choice = choose_levels(_both(camera_a(levels=own)), _both(camera_b(levels=other)))
    assert (choice.reference, choice.angle) == (own, other)
    assert choice.is_certain


def test_flare_is_not_taken_for_wrong_levels():
    choice = choose_levels(_both(camera_a()), _both(camera_b(flare=0.03)))
    assert (choice.reference, choice.angle) == ("full", "full")


@pytest.mark.parametrize("own", LEVELS)
@pytest.mark.parametrize("gradient", [-0.9, 0.9])
def test_light_from_one_side_neither_looks_like_wrong_levels_nor_hides_them(own, gradient):
    """The grey row lies along the light's fall: nearly a stop from its one end to the other."""
    shot = shoot(camera_b(levels=own), gradient=gradient)
    encoding = find_encoding(camera_b().encoding)
    for stated in LEVELS:
        check = check_levels(read_chart(shot.frames, shot.corners, encoding, levels=stated))
        assert check.likely == own


def test_what_a_lut_costs_grows_as_it_gets_coarser_and_where_it_is_dark():
    reference = reading(camera_a())

    def cost(camera, size):
        own = reading(camera)
        fit = fit_match(reference, own)
        output = EncodingOutput(reference.encoding, reference.levels)
        chain = Chain(Decode(own.encoding, own.levels), output, match=fit.match)
        return lut_cost(chain, bake_lut(chain, size), fit.expected)

    sizes = [cost(camera_b(), size) for size in (17, 33, 65)]
    assert sizes[0] > sizes[1] > sizes[2]
    assert sizes[2] < MOST_LUT_COST
    dark = camera_b(stops=-3.0, flare=0.01)
    assert cost(dark, 65) > sizes[2]
    # Without a match, and for a display, read-back tells all there is to tell.
    plain = Chain(Decode("logc3-ei800/awg3"), EncodingOutput("logc3-ei800/awg3"))
    assert lut_cost(replace(plain, match=None), bake_lut(plain, 17), 1.0) == 0
