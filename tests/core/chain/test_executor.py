"""Frames through chains whose stages need more than a pixel: by frame, and by neighbourhood."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from syntonos.core.chain import (
    Balance,
    Chain,
    Decode,
    EncodingOutput,
    Output,
    bake_lut,
    compile_chain,
    run,
    write_clf,
)
from syntonos.core.chain import stages as registry
from syntonos.core.chain.executor import execute, plan
from syntonos.core.chain.stages import Locality, kind_of
from syntonos.core.errors import ChainError
from syntonos.core.scopes import draw

CHAIN = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), balance=Balance(stops=1.0))
FRAME = np.random.default_rng(3).uniform(0, 1, (24, 40, 3)).astype(np.float32)


def declare(monkeypatch, **changes):
    """Let the balance be of another locality, as a later kind of stage may be."""
    monkeypatch.setitem(registry.KINDS, "balance", replace(registry.KINDS["balance"], **changes))


@pytest.fixture
def soft(monkeypatch):
    """A balance that doubles and softens over five pixels each way."""
    declare(
        monkeypatch, locality=lambda stage: Locality.NEIGHBOURHOOD, margin=lambda stage, width: 5,
        pack=lambda pack, stage, chain: None,
        area=lambda stage, lin, width: np.asarray(2 * cv2.blur(lin, (11, 11)), np.float32),
    )  # fmt: skip


def test_what_is_pointwise_is_one_program_and_the_same_picture():
    planned = plan(CHAIN)
    assert (planned.before, planned.margin(40)) == ((), 0)
    np.testing.assert_array_equal(execute(CHAIN, FRAME), run(compile_chain(CHAIN), FRAME))
    cut = execute(CHAIN, FRAME, region=(7, 5, 11, 9))
    np.testing.assert_array_equal(cut, run(compile_chain(CHAIN), FRAME)[5:14, 7:18])


def test_a_stage_that_needs_neighbours_runs_between_programs(soft):
    # From outside: OpenCV's box over the frame, times two; the rest of the chain does nothing.
    want = 2 * cv2.blur(FRAME, (11, 11))
    np.testing.assert_allclose(execute(CHAIN, FRAME), want, atol=1e-6)
    assert plan(CHAIN).margin(40) == 5
    # A region is what it is in the whole frame, at its edges too.
    for left, top, wide, high in ((0, 0, 9, 8), (15, 9, 10, 6), (31, 15, 9, 9)):
        got = execute(CHAIN, FRAME, region=(left, top, wide, high))
        inside = want[top : top + high, left : left + wide]
        np.testing.assert_allclose(got, inside, atol=1e-6)


def test_drafts_have_it_and_tables_of_colours_refuse_it_with_the_reason(soft):
    shown = Chain(Decode("srgb"), Output(tone=None), balance=Balance())
    picture, _ = draw(shown, FRAME)
    plain, _ = draw(replace(shown, balance=None), FRAME)
    assert picture.std() < plain.std() / 2
    for refuse in (compile_chain, lambda chain: bake_lut(chain, 17), write_clf):
        with pytest.raises(ChainError) as caught:
            refuse(shown)
        assert caught.value.code == "chain.not_pointwise"
        assert "balance needs the pixels around" in caught.value.message


def test_a_stage_that_depends_on_the_frame_is_what_it_is_there(monkeypatch):
    declare(
        monkeypatch,
        locality=lambda stage: Locality.FRAME if stage.stops == 1.0 else Locality.POINTWISE,
        at=lambda stage, number: replace(stage, stops=-float(number)),
    )  # fmt: skip
    for number in (0, 1, 3):
        np.testing.assert_allclose(execute(CHAIN, FRAME, number=number), FRAME / 2**number,
                                   atol=1e-6)  # fmt: skip
    with pytest.raises(ChainError) as caught:
        bake_lut(replace(CHAIN, decode=Decode("srgb")), 17)
    assert "changes from frame to frame" in caught.value.message


@pytest.mark.parametrize("region", [(-1, 0, 4, 4), (0, 0, 0, 4), (38, 0, 4, 4), (0, 22, 4, 4)])
def test_a_region_outside_of_the_frame_is_refused(region):
    with pytest.raises(ChainError) as caught:
        execute(CHAIN, FRAME, region=region)
    assert caught.value.code == "region.outside"


def test_every_kind_declares_a_place_a_name_and_whether_it_can_be_undone():
    places = {name: kind.place for name, kind in registry.KINDS.items()}
    assert set(places.values()) == set(registry.STAGES)
    assert kind_of(Output()).is_invertible(Output()) is False
    assert kind_of(CHAIN.balance).is_invertible(CHAIN.balance)
