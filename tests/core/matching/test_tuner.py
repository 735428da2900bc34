"""The tuner reads what was turned, and turning it back once leaves nothing."""

from dataclasses import astuple, replace

import numpy as np
import pytest

from syntonos.core.chain import Balance, Cdl, Chain, Decode, EncodingOutput, compile_chain, run
from syntonos.core.chain.balance import balance_gains
from syntonos.core.encodings import CURVES, encode
from syntonos.core.matching.readings import working
from syntonos.core.matching.tuner import Tuner, tuner_of
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
        Balance(stops, balance_gains(warmth, tint)),
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
    if not (
        wanted[1] or wanted[2]
    ):  # dials of white count from their own middle: not even both ways
        assert (np.abs(found - wanted) < NEAR).all(), found
    assert np.abs(found[3:] - wanted[3:]).max() < NEAR[3:].max()
    assert (np.abs(found[1:3] - wanted[1:3]) <= 0.15 * np.abs(wanted[1:3]).max() + NEAR[1:3]).all()
    back = Tuner(*-found)
    again = turned(turned(own, **turns), back.exposure, back.warmth, back.tint)
    again = turned(again, contrast=1 / (1 + found[3]) - 1)
    again = turned(again, strength=1 / (1 + found[4] / 100) - 1)
    rest = np.array(astuple(tuner_of(own, again, None)))
    assert (np.abs(rest) < NEAR).all(), rest
