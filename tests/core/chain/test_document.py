import json
from dataclasses import replace
from pathlib import Path

import pytest

from syntonos.core.chain import (
    DISPLAYS,
    PLAIN,
    AcesOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    EncodingOutput,
    Highlights,
    Input,
    Look,
    LutStep,
    Match,
    Output,
    chain_hash,
    chain_to_json,
    read_chain,
)
from syntonos.core.chain.document import _canonical
from syntonos.core.errors import ChainError, EncodingError

DATA = Path(__file__).parents[2] / "data"
CHAIN = Chain(
    Decode("v-log/v-gamut", "legal"),
    EncodingOutput("logc3-ei800/awg3"),
    match=Match(angle_flare=(0.001, 0.002, 0.001), angle_white=(1.1, 1.0, 0.8), stops=-0.28,
                matrix=((1.1, -0.1, 0.0), (0.05, 0.9, 0.05), (0.0, -0.2, 1.2))),
)  # fmt: skip


RICH = replace(CHAIN, match=replace(
    CHAIN.match, clip=5.5, roots=tuple((0.01 * i, -0.02, 0.005 * i) for i in range(10)),
    smooth=((0.4, -0.3, 0.01, -0.02, 0.03), (-0.5, 0.2, -0.01, 0.0, 0.02)),
))  # fmt: skip


FULL = replace(
    RICH, input=Input(unit=(1.01, 1.0, 0.98)),
    balance=Balance(0.5, (1.1, 1.0, 0.9), Cdl(saturation=0.9)),
    look=Look((
        CdlStep(Cdl((1.1, 1, 0.9), (0.01, 0, 0), (1, 1.1, 1), 1.2, clamp=True), mix=0.7),
        LutStep("ab" * 32, "v-log/v-gamut", "legal", mix=0.5),
    )),
    output=Output("rec2100-pq-1000", DISPLAYS["rec2100-pq-1000"].tone, 0.4),
)  # fmt: skip


FILLED = replace(FULL, match=replace(FULL.match, highlights=Highlights(2.2, 0.875, 0.5)))


@pytest.mark.parametrize(("version", "chain"), [(1, CHAIN), (2, RICH), (3, FULL), (4, FILLED)])
def test_every_version_is_readable_for_ever(version, chain):
    assert read_chain(json.loads((DATA / f"chain_v{version}.json").read_text())) == chain


def test_a_document_survives_the_round_trip():
    for chain in (
        CHAIN,
        RICH,
        FULL,
        FILLED,
        Chain(Decode("srgb"), AcesOutput()),
        Chain(Decode("srgb"), PLAIN),
    ):
        assert read_chain(json.loads(json.dumps(chain_to_json(chain)))) == chain


def test_only_what_needs_the_newest_version_is_written_in_it():
    assert chain_to_json(FILLED)["version"] == 4
    assert chain_to_json(FULL)["version"] == 3
    assert "highlights" not in chain_to_json(FULL)["stages"][2]


def test_the_hash_knows_values_only():
    same = json.loads(json.dumps(chain_to_json(CHAIN), sort_keys=True))
    assert chain_hash(read_chain(same)) == chain_hash(CHAIN)
    assert chain_hash(replace(CHAIN, match=None)) != chain_hash(CHAIN)
    zero = replace(CHAIN, match=replace(CHAIN.match, stops=0.0))
    minus = replace(CHAIN, match=replace(CHAIN.match, stops=-0.0))
    assert chain_hash(zero) == chain_hash(minus)


# RFC 8785, section 3.2.4 and appendix B.
@pytest.mark.parametrize(
    ("value", "text"),
    [
        (333333333.33333329, "333333333.3333333"), (1e30, "1e+30"), (4.50, "4.5"), (2e-3, "0.002"),
        (1e-27, "1e-27"), (9007199254740992.0, "9007199254740992"), (1e-6, "0.000001"),
        (1.5e-5, "0.000015"), (1e-7, "1e-7"), (-0.0, "0"), (1e21, "1e+21"),
    ],
)  # fmt: skip
def test_numbers_are_written_as_rfc_8785_asks(value, text):
    assert _canonical(value) == text


def _with(**changes):
    return {**chain_to_json(CHAIN), **changes}


def _stage(index, **changes):
    document = chain_to_json(CHAIN)
    document["stages"][index] = {**document["stages"][index], **changes}
    return document


@pytest.mark.parametrize(
    ("document", "code"),
    [
        ([], "chain.invalid"),
        ({"syntonos": "look"}, "chain.invalid"),
        (_with(version=8), "chain.version"),
        (_with(stages="none"), "chain.invalid"),
        (_with(stages=chain_to_json(CHAIN)["stages"][::-1]), "chain.invalid"),
        (_stage(0, encoding="nope/nope"), "encoding.unknown"),
        (_stage(0, levels="video"), "chain.invalid"),
        (_stage(1, colour="red"), "chain.invalid"),
        (_stage(2, stops=float("nan")), "chain.invalid"),
        (_stage(2, matrix=[[1, 0], [0, 1]]), "chain.invalid"),
        (_stage(2, angle_white=[1, 0, 1]), "chain.invalid"),
        (_stage(2, clip=-1), "chain.invalid"),
        (_stage(2, highlights={"top": 1.0, "warm": 0.5}), "chain.invalid"),
        (_stage(2, highlights={"top": 0.0, "warm": 0.5, "cool": 0.5}), "chain.invalid"),
        (_stage(2, highlights={"top": 1.0, "warm": 3.0, "cool": 0.5}), "chain.invalid"),
        (_stage(3, kind="print"), "chain.invalid"),
    ],
)
def test_bad_documents_say_what_to_do(document, code):
    with pytest.raises((ChainError, EncodingError)) as caught:
        read_chain(document)
    assert caught.value.code == code
    assert caught.value.hint
