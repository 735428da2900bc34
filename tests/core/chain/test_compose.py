"""Composing chains, and the match stage, against cases worked by hand."""

from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.chain import (
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    EncodingOutput,
    Look,
    LutStep,
    Match,
    Output,
    Overrides,
    Parts,
    Trim,
    compile_chain,
    compose,
    run,
)
from syntonos.core.errors import ChainError

LINEAR = EncodingOutput("linear/ap1")
# mix 0: the match works on AP1 itself, so that it can be followed with a pencil.
BY_HAND = Match(
    angle_flare=(0.02, 0.02, 0.02), angle_white=(1.25, 1.0, 0.8), stops=1.0,
    matrix=((0.9, 0.1, 0.0), (0.05, 0.9, 0.05), (0.0, 0.2, 0.8)),
    reference_white=(1.1, 1.0, 0.9), reference_flare=(0.01, 0.01, 0.01), mix=0.0,
)  # fmt: skip
PARTS = Parts(
    Decode("linear/ap1"), LINEAR, unit=(2.0, 2.0, 2.0), match=BY_HAND, balance=Balance(stops=1.0),
    look=Look((CdlStep(Cdl(slope=(0.5, 0.5, 0.5)), "linear/ap1"),)),
)  # fmt: skip


def light(chain, *rgb):
    return run(compile_chain(chain), np.array([rgb], np.float32))[0].tolist()


@pytest.mark.parametrize(
    ("lin", "out"),
    [
        # neutral under the angle's white: minus flare .25 .20 .16, two times .5 .4 .32, over the
        # white .4 .4 .4, the rows sum to one .4 .4 .4, times the white .44 .40 .36, plus flare
        ((0.27, 0.22, 0.18), (0.45, 0.41, 0.37)),
        # .5 .2 .08, 1 .4 .16, .8 .4 .2; rows .76 .41 .24; .836 .41 .216
        ((0.52, 0.22, 0.10), (0.846, 0.42, 0.226)),
    ],
)
def test_a_match_does_what_its_formula_says_worked_by_hand(lin, out):
    chain = compose(replace(PARTS, balance=None, look=None))
    assert light(chain, *lin) == pytest.approx(out, abs=2e-6)


def test_with_a_mix_the_match_works_between_a_colour_and_its_luminance():
    # P moves AP1 half-way to luminance; luminance weights of AP1 are 0.2722287, 0.6740818,
    # 0.0536895 (S-2014-004, ACEScg). With no flare, white or matrix it must come back to itself.
    same = replace(Match(), stops=1.0, mix=0.5)
    chain = compose(Parts(Decode("linear/ap1"), LINEAR, match=same))
    assert light(chain, 0.3, 0.2, 0.1) == pytest.approx((0.6, 0.4, 0.2), abs=2e-6)
    # A red of .4 through P is .25444574 .05444574 .05444574; red doubled .50889148; its luminance
    # .17815892, and P undone is two times each less that.
    white = replace(Match(), reference_white=(2.0, 1.0, 1.0), mix=0.5)
    chain = compose(Parts(Decode("linear/ap1"), LINEAR, match=white))
    assert light(chain, 0.4, 0.0, 0.0) == pytest.approx(
        (0.83962404, -0.06926744, -0.06926744), abs=2e-6)  # fmt: skip
    # Red of one half on black, seen through P: (.5 .5 + .5 * 0.2722287 * .5) and twice the other;
    # flare .1 in P is a grey of .1 in AP1, since P keeps greys.
    flared = replace(Match(), angle_flare=(0.1, 0.1, 0.1), mix=0.5)
    chain = compose(Parts(Decode("linear/ap1"), LINEAR, match=flared))
    assert light(chain, 0.5, 0.0, 0.0) == pytest.approx((0.4, -0.1, -0.1), abs=2e-6)


def test_the_bodys_own_correction_counts_where_no_match_does():
    plain = replace(PARTS, balance=None, look=None)
    off = Overrides(off=frozenset({"match"}))
    assert light(compose(plain, off), 0.2, 0.2, 0.2) == pytest.approx((0.4, 0.4, 0.4))
    assert compose(plain).input.unit == (1.0, 1.0, 1.0)


def test_stages_are_left_out_stopped_after_or_put_in_their_place():
    # .27 .22 .18 is .45 .41 .37 after the match, twice that after the balance, half after the look.
    grey = (0.27, 0.22, 0.18)
    assert light(compose(PARTS), *grey) == pytest.approx((0.45, 0.41, 0.37), abs=2e-6)
    until = {s: light(compose(PARTS, Overrides(until=s)), *grey)[0]
             for s in ("input", "match", "balance", "look")}  # fmt: skip
    assert until == pytest.approx({"input": 0.54, "match": 0.45, "balance": 0.9, "look": 0.45})
    off = Overrides(off=frozenset({"balance", "look"}))
    assert light(compose(PARTS, off), *grey)[1] == pytest.approx(0.41, abs=2e-6)
    drafts = Overrides(match=Match(), balance=Balance(stops=2.0), look=Look(), output=Output())
    chain = compose(PARTS, drafts)
    assert (chain.match, chain.balance.stops, chain.look, chain.output) == (
        Match(), 2.0, Look(), Output(),
    )  # fmt: skip


def test_trims_of_light_and_clip_add_and_stand_between_match_and_balance():
    # After the match .45 .41 .37; flare .01 and .02, and two times .5 stop: twice .48 .44 .40; the
    # balance doubles: 1.92 1.76 1.60. After the balance the flare would come to less.
    parts = replace(PARTS, look=None, trim=Trim(flare=0.01, stops=0.5),
                    clip_trim=Trim(flare=0.02, stops=0.5))  # fmt: skip
    grey = (0.27, 0.22, 0.18)
    assert light(compose(parts), *grey) == pytest.approx((1.92, 1.76, 1.60), rel=1e-5)
    # Without the clip's: .46 times 2^.5, times two.
    assert light(compose(replace(parts, clip_trim=None)), *grey)[0] == pytest.approx(
        0.46 * 2**0.5 * 2, rel=1e-5)  # fmt: skip
    # A draft of the clip's stands in its place: .48 times 2^1.5, times two.
    draft = Overrides(clip_trim=Trim(flare=0.02, stops=1.0))
    assert light(compose(parts, draft), *grey)[0] == pytest.approx(0.48 * 2**1.5 * 2, rel=1e-5)


def test_a_match_of_another_encoding_falls_away_with_a_candidate():
    chain = compose(PARTS, Overrides(decode=Decode("srgb")))
    assert (chain.match, chain.input.unit) == (None, (2.0, 2.0, 2.0))
    assert compose(PARTS, Overrides(decode=Decode("srgb"), match=BY_HAND)).match == BY_HAND
    assert compose(PARTS, Overrides(decode=PARTS.decode)).match == BY_HAND


def test_without_colour_every_step_of_a_full_look_stays_and_a_lut_to_a_display_ends_it():
    eight = Look(tuple(CdlStep(Cdl(slope=(s, s, s))) for s in (2, 1, 1, 1, 1, 1, 1, 1)))
    chain = compose(replace(PARTS, look=eight), Overrides(grey=True))
    assert chain.look.steps[:8] == eight.steps
    assert len({round(v, 2) for v in light(chain, 0.27, 0.10, 0.18)}) == 1
    to_display = LutStep("0" * 64, to="rec709")
    look = compose(replace(PARTS, look=Look((to_display,))), Overrides(grey=True)).look
    assert look.steps[-1] == to_display
    assert len(look.steps) == 2


def test_a_pinned_chain_stands_in_for_what_is_in_force():
    pinned = Chain(Decode("srgb"), Output(), match=BY_HAND)
    assert compose(PARTS, Overrides(pinned=pinned)) == pinned
    assert compose(PARTS, Overrides(pinned=pinned, off=frozenset({"match"}))).match is None
    # Its trim has in it what a clip added: another one takes its place, nothing is added twice.
    trimmed = replace(pinned, trim=Trim(stops=0.5))
    other = compose(PARTS, Overrides(pinned=trimmed, trim=Trim(stops=0.75)))
    assert other.trim == Trim(stops=0.75)
    with pytest.raises(ChainError) as caught:
        compose(PARTS, Overrides(pinned=trimmed, clip_trim=Trim(stops=0.25)))
    assert caught.value.code == "compose.pinned"


@pytest.mark.parametrize("overrides", [Overrides(off=frozenset({"decode"})),
                                       Overrides(until="sharpen")])  # fmt: skip
def test_a_stage_that_cannot_be_left_out_or_is_not_known_is_refused(overrides):
    with pytest.raises(ChainError) as caught:
        compose(PARTS, overrides)
    assert caught.value.code == "compose.stage"
