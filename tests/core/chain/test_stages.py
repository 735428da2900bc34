"""Kinds of stages: what they read, what they refuse, and what holds for any chain of them."""

import json
from dataclasses import asdict, replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from syntonos.core.chain import (
    AcesOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    EncodingOutput,
    Input,
    Look,
    Match,
    Output,
    Overrides,
    chain_hash,
    chain_to_json,
    compile_chain,
    compose,
    read_chain,
    run,
)
from syntonos.core.chain.compose import parts_of_chain
from syntonos.core.chain.packing import Node, Packer
from syntonos.core.chain.program import packed
from syntonos.core.chain.stages import KINDS, OPTIONAL_STAGES, STAGES, kind_of
from syntonos.core.encodings import CURVES, ENCODINGS, find_encoding
from syntonos.core.errors import ChainError

few = st.floats(-0.1, 0.1)
gain = st.floats(0.5, 2.0)
triples = st.tuples(gain, gain, gain)
offsets = st.tuples(few, few, few)
slugs = st.sampled_from(sorted(ENCODINGS))
levels = st.sampled_from(["full", "legal"])
cdls = st.builds(Cdl, triples, offsets, triples, st.floats(0, 2), st.booleans())
matches = st.builds(
    Match, angle_flare=offsets, angle_white=triples, stops=st.floats(-3, 3),
    reference_white=triples, reference_flare=offsets, mix=st.floats(0, 0.5),
    clip=st.none() | st.floats(1, 50),
)  # fmt: skip
looks = st.builds(
    lambda steps: Look(tuple(steps)),
    st.lists(st.builds(CdlStep, cdls, slugs, levels, st.floats(0, 1)), max_size=8),
)
outputs = st.one_of(
    st.builds(EncodingOutput, slugs, levels),
    st.builds(Output, st.sampled_from(["rec709", "srgb", "p3-d65"]), st.none(), st.floats(0, 1)),
    st.builds(AcesOutput, st.sampled_from(["rec709", "srgb"]), st.sampled_from(["1.3", "2.0"])),
)
chains = st.builds(
    Chain, st.builds(Decode, slugs, levels), outputs, st.builds(Input, unit=triples),
    match=st.none() | matches,
    balance=st.none() | st.builds(Balance, st.floats(-5, 5), triples, st.none() | cdls),
    look=st.none() | looks,
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(chains)
def test_any_chain_is_read_as_it_was_written_and_has_one_hash(chain):
    document = json.loads(json.dumps(chain_to_json(chain)))
    again = read_chain(document)
    assert again == chain
    assert chain_hash(again) == chain_hash(chain)
    kinds = [kind_of(stage).place for stage in again.stages]
    assert kinds == sorted(kinds, key=STAGES.index)


@settings(max_examples=60, deadline=None)
@given(chains, st.sets(st.sampled_from(OPTIONAL_STAGES)))
def test_composing_is_taking_apart_again_and_leaving_out_twice_is_once(chain, off):
    parts = parts_of_chain(chain)
    made = compose(parts)
    # The body's own correction counts only where no match does.
    unit = Input() if chain.match is not None else chain.input
    assert made == replace(chain, input=unit)
    without = compose(parts, Overrides(off=frozenset(off)))
    assert all(getattr(without, name) is None for name in off)
    assert compose(parts_of_chain(without), Overrides(off=frozenset(off))) == without
    assert compose(parts, Overrides(until="output")) == made


@settings(max_examples=30, deadline=None)
@given(matches, triples, st.floats(-2, 2))
def test_what_says_that_it_can_be_inverted_is_undone_by_its_inverse(match, gains, stops):
    for stage in (replace(match, clip=None), Balance(stops, gains)):
        assert kind_of(stage).is_invertible(stage)
        pack = Packer()
        kind_of(stage).pack(pack, stage, Chain(Decode("srgb"), Output()))
        (step,) = pack.steps  # one matrix with an offset
        rows = step.params.reshape(3, 4)
        assert np.linalg.matrix_rank(rows[:, :3]) == 3
        lin = np.random.default_rng(0).uniform(0, 4, (16, 3))
        there = lin @ rows[:, :3].T + rows[:, 3]
        back = np.linalg.solve(rows[:, :3], (there - rows[:, 3]).T).T
        np.testing.assert_allclose(back, lin, atol=1e-6)
    assert not kind_of(match).is_invertible(replace(match, clip=5.0))


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_kind_refuses_fields_that_it_does_not_have(name):
    usual = {"decode": Decode("srgb"), "output-encoding": EncodingOutput("srgb")}
    stage = usual.get(name) or KINDS[name].cls()
    plain = json.loads(json.dumps(asdict(stage)))
    assert KINDS[name].read(plain) == stage
    document = chain_to_json(Chain(Decode("srgb"), Output()))
    place = KINDS[name].place
    document["stages"] = [s for s in document["stages"] if s["kind"].split("-")[0] != place]
    document["stages"].append(plain | {"glow": 1})
    with pytest.raises(ChainError, match="unknown fields"):
        read_chain(document)


@pytest.mark.parametrize(
    "stage",
    [
        {"kind": "decode"},
        {"kind": "decode", "encoding": "srgb", "levels": "video"},
        {"kind": "input", "working": "xyz"},
        {"kind": "input", "unit": [1, 0, 1]},
        {"kind": "match", "stops": "much"},
        {"kind": "match", "angle_white": [1, 1]},
        {"kind": "match", "clip": 0},
        {"kind": "match", "mix": 1},
        {"kind": "match", "roots": [[1, 2, 3]]},
        {"kind": "balance", "gains": [1, -1, 1]},
        {"kind": "balance", "stops": 21},
        {"kind": "balance", "cdl": {"power": [1, 0, 1]}},
        {"kind": "look", "steps": [{"kind": "cdl"}] * 9},
        {"kind": "look", "steps": [{"kind": "cdl", "mix": 1.5}]},
        {"kind": "look", "steps": [{"kind": "lut"}]},
        {"kind": "look", "steps": [{"kind": "glow"}]},
        {"kind": "output", "compression": -0.1},
        {"kind": "output-aces", "version": "3.0"},
        {"kind": "output-encoding"},
    ],
    ids=lambda stage: ", ".join(f"{k} {v}"[:24] for k, v in stage.items()),
)
def test_a_number_that_is_none_or_out_of_range_is_refused_with_a_hint(stage):
    document = chain_to_json(Chain(Decode("srgb"), Output()))
    place = stage["kind"].split("-")[0]
    kept = [s for s in document["stages"] if s["kind"].split("-")[0] != place]
    document["stages"] = sorted([*kept, stage], key=lambda s: STAGES.index(s["kind"].split("-")[0]))
    with pytest.raises(ChainError) as caught:
        read_chain(document)
    assert caught.value.hint


def test_a_packer_knows_where_code_values_come_in_and_where_light_does():
    # Decode: code in. The input's matrix: light in. The CDL of a look in a log encoding: code in,
    # in linear light: light in. The output's curve: light in.
    for encoding, in_code in (("acescct/ap1", True), ("linear/ap1", False)):
        look = Look((CdlStep(Cdl(saturation=0.5), encoding),))
        pack = packed(Chain(Decode("srgb"), Output(), look=look))
        assert pack.steps[0].is_code
        (cdl,) = (step for step in pack.steps if step.node is Node.CDL)
        assert cdl.params[9] == 0.5
        assert cdl.is_code is in_code
        assert not pack.steps[-1].is_code


def test_places_that_stages_name_are_found_in_the_program():
    program = compile_chain(Chain(Decode("s-log3/s-gamut3"), Output(tone=None)))
    (at,) = program.where("display light")
    # Up to there it is linear light of BT.709: 18 % grey is 18 % of 100 cd/m2.
    curve = find_encoding("s-log3/s-gamut3").curve
    assert curve is CURVES["s-log3"]
    # 420/1023: "Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3", 18 % grey.
    grey = np.full((1, 3), 420 / 1023, np.float32)
    np.testing.assert_allclose(run(program.part(0, at), grey), 0.18, atol=1e-3)
