"""Curves of cameras that no list has, from brackets."""

from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.encodings import decode, find_encoding, keep_encoding
from syntonos.core.errors import FitError
from syntonos.core.matching import fit_match
from syntonos.core.matching.curve_fit import fit_curve
from syntonos.core.matching.encoding_check import as_encoded
from tests.simulated import camera_a, camera_b, reading


def phone_curve():
    """A display-like curve with a shoulder of its own, in no list."""
    code = np.linspace(0, 1, 512)
    lin = 0.9 * code**2.1 + 0.0008 * code + 1.1 * np.maximum(code - 0.6, 0) ** 2.4
    return keep_encoding({"name": "phone", "gamut": "bt709", "table": lin.tolist()})


def bracket(slug, stops=(0.0, 1.6, -1.6), **changes):
    camera = camera_b(encoding=slug, bits=10, flare=0.0, **changes)
    return [reading(replace(camera, stops=s), seed=5 + k) for k, s in enumerate(stops)]


@pytest.mark.parametrize("slug", ["phone", "logc4/awg4", "n-log/n-gamut"])
def test_a_curve_is_found_that_nobody_named(slug):
    true = phone_curve() if slug == "phone" else find_encoding(slug)
    parts = bracket(true.slug)
    reference = reading(camera_a(flare=0.0))
    # What was declared does not matter: only stored codes are used.
    declared = [as_encoded(r, find_encoding("srgb"), "full") for r in parts]
    # The shutter was a sixth of a stop off what was said of it.
    found = fit_curve(reference, declared[0], [(declared[1], 1.45), (declared[2], -1.6)],
                      name="found")  # fmt: skip
    assert found.stops == pytest.approx((1.6, -1.6), abs=0.12)
    assert found.error < 0.03
    code = np.linspace(found.low + 0.02, found.high - 0.02, 60)
    light = decode(code, true.curve)
    lit = light > 0.004  # noise reaches below black, where a log says nothing
    got = decode(code, keep_encoding(found.definition.to_json()).curve)
    off = np.log2(got[lit]) - np.log2(light[lit])
    # An exposure between the two remains; the shape agrees.
    off -= np.median(off)
    assert np.sqrt((off**2).mean()) < 0.06
    assert np.abs(off).max() < 0.25


def test_a_match_through_the_found_curve_is_as_good_as_through_the_true_one():
    true = phone_curve()
    parts = bracket(true.slug)
    reference = reading(camera_a(flare=0.0))
    found = fit_curve(reference, parts[0], [(parts[1], 1.6), (parts[2], -1.6)], name="found")
    encoding = keep_encoding(found.definition.to_json())
    through = fit_match(reference, as_encoded(parts[0], encoding, "full"))
    wrong = fit_match(reference, as_encoded(parts[0], find_encoding("srgb"), "full"))
    right = fit_match(reference, parts[0])
    assert through.slope == pytest.approx(1, abs=0.03)
    assert through.left_one_out < 1.15 * right.left_one_out + 0.1
    assert through.left_one_out < 0.8 * wrong.left_one_out


def test_what_is_no_bracket_is_refused_in_words():
    parts = bracket("logc4/awg4")
    reference = reading(camera_a())
    with pytest.raises(FitError, match="more than one exposure"):
        fit_curve(reference, parts[0], [], name="x")
    few = replace(parts[1], patches=tuple(replace(p, flags=("clipped",)) for p in parts[1].patches))
    with pytest.raises(FitError, match="0 patches in common"):
        fit_curve(reference, parts[0], [(few, 2.0)], name="x")
    blind = replace(reference, patches=tuple(replace(p, flags=("crushed",))
                                             for p in reference.patches))  # fmt: skip
    with pytest.raises(FitError, match="greys"):
        fit_curve(blind, parts[0], [(parts[1], 1.6)], name="x")
