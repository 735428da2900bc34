"""Encodings that a person enters."""

import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.core.chain import (
    PLAIN,
    Chain,
    Decode,
    EncodingOutput,
    chain_to_json,
    compile_chain,
    read_chain,
    run,
)
from syntonos.core.encodings import CURVES, decode, encode, find_encoding, keep_encoding
from syntonos.core.encodings import registry as registry_module
from syntonos.core.errors import EncodingError
from tests.opencolorio import processor, through

LOG = {
    "base": 10, "lin_side_slope": 5.555556, "lin_side_offset": 0.052272, "log_side_slope": 0.24719,
    "log_side_offset": 0.385537, "lin_side_break": 0.010591,
}  # fmt: skip
PRIMARIES = [[0.684, 0.313], [0.221, 0.848], [0.0861, -0.102]]


def own(**changes):
    plain = {"name": "Foundry log", "gamut": PRIMARIES, "log": LOG} | changes
    return {k: v for k, v in plain.items() if v is not None}


def test_log_parameters_mean_what_clf_means_by_them():
    """OpenColorIO's LogCamera transform (CLF's Log, cameraLinToLog) as the other side."""
    theirs = processor(
        ocio.LogCameraTransform(
            [LOG["lin_side_break"]] * 3, base=10, logSideSlope=[LOG["log_side_slope"]] * 3,
            logSideOffset=[LOG["log_side_offset"]] * 3, linSideSlope=[LOG["lin_side_slope"]] * 3,
            linSideOffset=[LOG["lin_side_offset"]] * 3,
        )
    )  # fmt: skip
    curve = keep_encoding(own()).curve
    lin = np.repeat(np.concatenate([np.linspace(-0.02, 0.03, 60), np.geomspace(0.03, 50, 60)])
                    .astype(np.float32)[:, None], 3, axis=1)  # fmt: skip
    np.testing.assert_allclose(encode(lin, curve), through(theirs, lin), atol=2e-6)


def test_the_parameters_of_a_published_curve_are_that_curve():
    entered = keep_encoding(own(log=LOG | {"linear_slope": 5.367655}))
    known = find_encoding("logc3-ei800/awg3")
    code = np.linspace(0.02, 1, 500)
    theirs = decode(code, known.curve)
    np.testing.assert_allclose(decode(code, entered.curve), theirs, rtol=2e-5, atol=1e-7)
    chains = [Chain(Decode(e.slug), PLAIN) for e in (entered, known)]
    pixels = np.random.default_rng(1).uniform(0.1, 0.7, (500, 3)).astype(np.float32)
    both = [run(compile_chain(c), pixels) for c in chains]
    np.testing.assert_allclose(*both, atol=2e-4)


def test_a_table_is_followed_by_the_engine_and_undone():
    lin = decode(np.linspace(0, 1, 1024), CURVES["v-log"])
    entered = keep_encoding(own(log=None, table=lin.tolist(), gamut="v-gamut"))
    pixels = np.random.default_rng(2).uniform(-0.02, 1.02, (800, 3)).astype(np.float32)
    to_linear = compile_chain(Chain(Decode(entered.slug), EncodingOutput("linear/v-gamut")))
    # Straight pieces of a log, 1024 of them: a thousandth of the value.
    inside = (pixels >= 0) & (pixels <= 1)
    got, want = run(to_linear, pixels), decode(pixels, CURVES["v-log"])
    np.testing.assert_allclose(got[inside], want[inside], rtol=1e-3, atol=1e-4)
    back = compile_chain(Chain(Decode(entered.slug), EncodingOutput(entered.slug)))
    np.testing.assert_allclose(run(back, pixels), pixels, atol=1e-4)
    assert np.isnan(run(to_linear, np.full((1, 3), np.nan, np.float32))).all()


def test_a_chain_carries_the_definition_with_it(monkeypatch):
    slug = keep_encoding(own()).slug
    document = chain_to_json(Chain(Decode(slug), PLAIN))
    # Another machine that has never seen it.
    monkeypatch.setattr(registry_module, "_own", {})
    monkeypatch.setattr(registry_module, "_ask", lambda slug: None)
    with pytest.raises(EncodingError, match="not here"):
        find_encoding(slug)
    assert read_chain(document).decode.encoding == slug
    assert find_encoding(slug).name == "Foundry log"
    document["encodings"][slug]["log"]["base"] = 2
    with pytest.raises(Exception, match="not what its name says"):
        read_chain(document)


def test_the_name_is_not_part_of_what_it_is():
    assert keep_encoding(own()).slug == keep_encoding(own(name="Other")).slug
    assert keep_encoding(own()).slug != keep_encoding(own(white=[0.3457, 0.3585])).slug


FALLING = [0.0, 0.1, 0.2, 0.3, 0.25, 0.5, 0.6, 0.7]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"name": " "}, "no name"),
        ({"log": None}, "either log parameters or a table"),
        ({"table": FALLING}, "either log parameters or a table"),
        ({"log": None, "table": FALLING}, "does not rise from value 4 to 5"),
        ({"log": None, "table": [0, 1]}, "2 values"),
        ({"log": None, "table": [*range(8)], "first": 1, "last": 0}, "not above its first"),
        ({"log": LOG | {"base": 1}}, "base is 1"),
        ({"log": LOG | {"lin_side_break": -0.02}}, "logarithm is of -"),
        ({"log": LOG | {"log_side_slope": -0.2}}, "falls at code"),
        ({"log": LOG | {"log_side_offset": float("nan")}}, "log.log_side_offset is nan"),
        ({"log": LOG | {"knee": 2}}, "not understood"),
        ({"gamut": "nowhere"}, "no gamut"),
        ({"gamut": PRIMARIES[:2]}, "three primaries"),
        ({"gamut": PRIMARIES[::-1]}, "order is turned"),
        ({"gamut": [[0.3, 0.3], [0.31, 0.33], [0.29, 0.32]]}, "span no gamut"),
        ({"white": [0.7, 0.2]}, "outside of the primaries"),
        ({"adaptation": "none"}, "adaptation"),
        ({"colour": 1}, "Unknown fields: colour"),
    ],
)
def test_what_is_no_encoding_is_refused_in_words(changes, words):
    with pytest.raises(EncodingError) as caught:
        keep_encoding(own(**changes))
    assert words in caught.value.message
    assert caught.value.hint
    assert caught.value.code == "encoding.invalid"


def test_any_curve_goes_with_any_gamut():
    found = find_encoding("V-Log/bt2020")
    assert (found.curve.slug, found.gamut.slug) == ("v-log", "bt2020")
