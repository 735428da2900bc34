from dataclasses import replace

import numpy as np
import pytest

from syntonos.core.encodings import find_encoding
from syntonos.core.matching.encoding_check import as_encoded, check_encoding
from tests.simulated import camera_a, camera_b, reading


@pytest.fixture(scope="module")
def reference():
    return reading(camera_a())


@pytest.mark.parametrize(
    ("slug", "levels"), [("v-log/v-gamut", "legal"), ("logc4/awg4", "full")], ids=["v-log", "logc4"]
)
def test_a_right_declaration_raises_no_alarm(reference, slug, levels):
    check = check_encoding(reference, reading(camera_b(encoding=slug, levels=levels)))
    assert check.verdict == "agrees"
    assert check.stated in check.alike
    assert check.causes == ()


@pytest.mark.parametrize(
    ("slug", "levels", "cause"),
    [("logc4/awg4", "legal", "curve: V-Log"), ("v-log/v-gamut", "full", "levels: legal")],
    ids=["curve", "levels"],
)
def test_a_wrong_one_is_doubted_and_the_right_one_named(reference, slug, levels, cause):
    true = reading(camera_b(encoding="v-log/v-gamut", levels="legal"))
    check = check_encoding(reference, as_encoded(true, find_encoding(slug), levels))
    assert check.verdict == "doubtful"
    assert ("v-log/v-gamut", "legal") in [(c.encoding, c.levels) for c in check.alike]
    assert check.causes[0].startswith(cause)


def test_what_cannot_be_told_apart_is_named_with_its_cost(reference):
    """One curve with two gamuts: the sensor's own matrix hides which one was meant."""
    check = check_encoding(reference, reading(camera_b()))
    alike = {c.encoding: c for c in check.alike}
    assert "s-log3/s-gamut3" in alike
    assert 0 < alike["s-log3/s-gamut3"].cost < 1
    assert abs(alike["s-log3/s-gamut3"].cost_dark) < 0.1


def test_a_bracket_tells_more(reference):
    base = camera_b(encoding="v-log/v-gamut")
    bracket = [(reading(replace(base, stops=base.stops + s)), s) for s in (-2.0, 2.0)]

    def gap(more):
        check = check_encoding(reference, reading(base), more)
        assert (check.candidates[0].encoding, check.verdict) == ("v-log/v-gamut", "agrees")
        return min(-c.log_odds for c in check.candidates if c.encoding != "v-log/v-gamut")

    assert gap(bracket) > gap([]) + 3


def test_another_meaning_carries_the_noise_along():
    own = reading(camera_b(noise=0.002))
    back = as_encoded(as_encoded(own, find_encoding("logc3"), "legal"),
                      find_encoding(own.encoding), own.levels)  # fmt: skip
    # A mean of decoded pixels and a decoded mean differ by the curve's bend over the noise.
    np.testing.assert_allclose(back.lin_rgb, own.lin_rgb, rtol=1e-3)
    spreads = [np.array([p.spread for p in r.patches]) for r in (own, back)]
    np.testing.assert_allclose(spreads[1], spreads[0], rtol=1e-6)
