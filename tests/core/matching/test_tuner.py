"""The tuner reads what was turned, and turning it back once leaves nothing."""

from dataclasses import astuple, replace

import numpy as np
import pytest

from syntonos.core.chain import (
    Balance,
    Cdl,
    Chain,
    Decode,
    EncodingOutput,
    Match,
    Trim,
    compile_chain,
    run,
)
from syntonos.core.chain.stages.trim import ColourPair
from syntonos.core.chain.trimming import through_trim
from syntonos.core.colorimetry import delta_e_2000, xyz_to_lab
from syntonos.core.encodings import AP1, CURVES, encode
from syntonos.core.matching.pair_effect import effect_of_pairs
from syntonos.core.matching.readings import working
from syntonos.core.matching.tuner import (
    Tuner,
    left_over,
    taken_off,
    tuner_fitted,
    tuner_of,
    tuner_of_pictures,
)
from tests.simulated import camera_a, reading

NEAR = np.array([0.01, 2, 0.3, 0.012, 1.2])  # a third of the Board's bands or less
GREY = float(encode(np.array([0.18]), CURVES["acescct"])[0])


def turned(own, stops=0.0, warmth=0.0, tint=0.0, contrast=0.0, strength=0.0):
    """The reading of a picture whose balance is turned so, through the chain itself.

    Contrast and strength go in by their own CDLs, the one turned last first.
    """
    seen = own
    for balance in (
        Balance(cdl=Cdl(saturation=1 + strength)),
        Balance(cdl=Cdl((1 + contrast,) * 3, (-GREY * contrast,) * 3)),
        Balance(stops, warmth=warmth, tint=tint),
    ):
        output = EncodingOutput("linear/ap1")
        chain = Chain(Decode("linear/ap1"), output, balance=balance)
        lin = run(compile_chain(chain), working(seen).astype(np.float32)).astype(float)
        seen = holding(seen, lin)
    return seen


def holding(own, lin_ap1):
    """A reading that holds light of AP1 instead."""
    patches = [replace(p, lin_rgb=tuple(v)) for p, v in zip(own.patches, lin_ap1, strict=True)]
    return replace(own, encoding="linear/ap1", levels="full", patches=tuple(patches))


@pytest.mark.parametrize(
    "turns",
    [
        {"stops": 0.4}, {"warmth": 100.0}, {"warmth": -60.0, "tint": 8.0}, {"contrast": 0.1},
        {"contrast": -0.08}, {"strength": 0.12},
        {"stops": -0.3, "warmth": 45.0, "tint": -5.0, "contrast": 0.07, "strength": -0.1},
    ],
    ids=str,
)  # fmt: skip
def test_each_figure_is_what_was_turned(turns):
    shot = reading(camera_a(noise=0.0, bits=None))
    own = holding(shot, working(shot))
    wanted = np.array([
        turns.get("stops", 0), turns.get("warmth", 0), turns.get("tint", 0),
        turns.get("contrast", 0), 100 * turns.get("strength", 0),
    ])  # fmt: skip
    found = np.array(astuple(tuner_of(own, turned(own, **turns), None)))
    assert (np.abs(found - wanted) < NEAR).all(), found
    off = taken_off(Trim(), Tuner(*found))
    again = turned(turned(own, **turns), off.stops, off.warmth, off.tint)
    again = turned(again, contrast=1 / (1 + found[3]) - 1)
    again = turned(again, strength=1 / (1 + found[4] / 100) - 1)
    rest = np.array(astuple(tuner_of(own, again, None)))
    assert (np.abs(rest) < NEAR).all(), rest


TURNED = Trim(stops=0.25, warmth=15.0, tint=-2.5, contrast=1.06, cdl=Cdl(saturation=0.9))
SCENE = np.exp(np.random.default_rng(6).normal(np.log(0.15), 1.0, (400, 1))
               + np.random.default_rng(7).normal(0, 0.35, (400, 3)))  # fmt: skip


def test_colours_none_of_which_is_neutral_tell_all_five():
    told = tuner_fitted(SCENE, through_trim(TURNED, SCENE), 0.004)
    want = np.array([0.25, 15, -2.5, 0.06, -10])
    assert (np.abs(np.array(astuple(told)) - want) < 2 * NEAR).all()
    # What is taken off into the trim leaves nothing to take off.
    trim = taken_off(Trim(), told)
    left = tuner_fitted(SCENE, through_trim(trim, through_trim(TURNED, SCENE)), 0.004)
    assert (np.abs(astuple(left)) < NEAR).all()


def test_one_place_tells_exposure_and_white_and_leaves_the_rest():
    one = SCENE[:1]
    told = tuner_fitted(one, through_trim(Trim(stops=0.3, warmth=12), one), 0.004, only_white=True)
    assert told.exposure == pytest.approx(0.3, abs=0.02)
    assert told.warmth == pytest.approx(12, abs=1.5)
    assert (abs(told.contrast), abs(told.strength)) < (1e-4, 1e-2)


def test_pictures_are_told_apart_by_what_they_hold_wherever_it_lies():
    rng = np.random.default_rng(9)
    other = through_trim(TURNED, SCENE)[rng.permutation(len(SCENE))]
    told = tuner_of_pictures(SCENE, other)
    assert told.exposure == pytest.approx(0.25, abs=0.08)
    assert told.warmth == pytest.approx(15, abs=6)
    assert told.strength == pytest.approx(-10, abs=5)


def test_what_a_trim_still_has_to_do_over_another_match():
    before = Match((0, 0, 0), (1, 1, 1), 0.0, ((1, 0, 0), (0, 1, 0), (0, 0, 1)), (1, 1, 1),
                   (0, 0, 0))  # fmt: skip
    trim = Trim(stops=0.3, warmth=10, contrast=1.05, detail=(0.2, 0, 0))
    # The new match is brighter by 0.2 of the 0.3 stop already.
    left = left_over(trim, before, replace(before, stops=0.2))
    assert left.stops == pytest.approx(0.1, abs=0.02)
    assert left.warmth == pytest.approx(10, abs=1)
    assert left.contrast == pytest.approx(1.05, abs=0.005)
    assert left.detail == trim.detail
    same = left_over(trim, before, before)
    assert (same.stops, same.contrast) == pytest.approx((0.3, 1.05), abs=0.01)


def test_what_pairs_do_to_greys_and_skins_is_said():
    assert effect_of_pairs(Trim(stops=1)) is None
    blue = ColourPair((0.05, 0.09, 0.30), (0.06, 0.09, 0.27))
    told = effect_of_pairs(Trim(pairs=(blue,)))
    assert told.greys < 0.01
    assert told.skins < 0.01
    # A pair at a grey moves greys by as much as its two colours are apart.
    grey = ColourPair((0.18, 0.18, 0.18), (0.19, 0.18, 0.17))
    lab = [xyz_to_lab(AP1.to_xyz @ np.array(side), AP1.to_xyz @ np.ones(3))
           for side in (grey.angle, grey.reference)]  # fmt: skip
    told = effect_of_pairs(Trim(pairs=(grey,)))
    assert told.greys == pytest.approx(float(delta_e_2000(*lab)), rel=0.05)
    assert told.skins > 0
    assert effect_of_pairs(Trim(pairs=(grey,), off=("pairs",))) is None
