"""Looking at a source that is no clip: a simulated live one, against the chain done by hand."""

from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
import pytest

from syntonos.core.chain import Chain, Decode, Output, Overrides, Parts, Trim
from syntonos.core.chain.engine import to_bytes
from syntonos.core.chain.executor import execute
from syntonos.core.chain.marks import on_screen
from syntonos.core.chain.stages.trim import KeyTrack
from syntonos.core.media.source import About
from syntonos.core.scopes import count_scopes
from syntonos.core.viewing import SCOPES, Asked, Subject, colours_of, view

LINEAR = Decode("linear/ap1")


@dataclass
class Feed:
    """A live source: frames by serial number, some of them in its ring, no end."""

    session: str = "a"

    @property
    def about(self):
        return About(f"feed-{self.session}", "C live", 96, 54, None, Fraction(25), "10:00:00:00")

    def read(self, frame, width):
        rng = np.random.default_rng(frame)
        light = np.exp(rng.normal(-1.5, 0.9, (54, 96, 3))).astype(np.float32)
        return light[:, :width]

    def clipped(self, code_rgb, encoding, levels):
        return code_rgb > 1.0


SOFT = Trim(stops=0.3, detail=(0.5, 0.5, 0.5))
KEYED = Trim(keys=(KeyTrack("stops", ((0, 0.0), (40, 2.0))),))
PQ = Output("rec2100-pq-1000")
CASES = [
    pytest.param(Parts(LINEAR, trim=SOFT), id="softened"),
    pytest.param(Parts(LINEAR, trim=KEYED), id="keyed"),
    pytest.param(Parts(LINEAR, PQ), id="HDR"),
    pytest.param(Parts(LINEAR, PQ, trim=SOFT, clip_trim=KEYED), id="all"),
]


def by_hand(parts, frame):
    """The output's values of a frame, by the executor alone."""
    both = {"trim": parts.trim}
    if parts.clip_trim is not None:  # only keys come from the clip here
        both["trim"] = replace(parts.trim, keys=parts.clip_trim.keys)
    chain = Chain(LINEAR, parts.output, **both)
    return execute(chain, Feed().read(frame, 96), number=frame)


@pytest.mark.parametrize("parts", CASES)
def test_one_request_answers_all_that_is_named_with_the_same_numbers(parts):
    asked = Asked(20, 96, scopes=SCOPES, light=("input", "trim"), display=True)
    seen = view(Subject(Feed(), parts), asked)
    want = by_hand(parts, 20)
    np.testing.assert_array_equal(seen.display, want)
    # The picture is for an SDR screen; scopes read the display's own values.
    on = to_bytes(on_screen(want, parts.output.display))
    assert np.abs(seen.picture.astype(int) - on).max() <= 1
    np.testing.assert_array_equal(seen.counts.parade,
                                  count_scopes(want, parts.output.display).parade)  # fmt: skip
    np.testing.assert_allclose(seen.light["input"], Feed().read(20, 96), rtol=1e-6)
    assert set(seen.light) == {"input", "trim"}
    # Nothing comes that was not named.
    alone = view(Subject(Feed(), parts), Asked(20, 96))
    assert (alone.counts, alone.display, alone.light) == (None, None, {})
    # A region is what it is in the whole frame, its scopes are its own.
    part = view(Subject(Feed(), parts), replace(asked, region=(0.25, 0.5, 0.5, 0.25)))
    assert part.region == (24, 27, 48, 14)
    cut = want[27:41, 24:72]
    np.testing.assert_allclose(part.display, cut, atol=2e-5)
    assert part.counts.parade.sum() == 3 * 48 * 14
    scoped = view(Subject(Feed(), parts), replace(asked, scoped=(0.25, 0.5, 0.5, 0.25)))
    assert np.abs(scoped.counts.parade.astype(int) - part.counts.parade).sum() <= 0.02 * 3 * 48 * 14
    assert scoped.picture.shape == (54, 96, 3)


@pytest.mark.parametrize("parts", CASES)
@pytest.mark.parametrize("mark", ["gamut", "clipped", "unseen"])
def test_every_mark_is_told_of_every_subject(parts, mark):
    whole = view(Subject(Feed(), parts), Asked(20, 96, mark=mark)).marked
    if mark == "clipped":
        want = (Feed().read(20, 96) > 1.0).mean(axis=(0, 1))
        np.testing.assert_allclose(whole.recorded, want, rtol=1e-6)
    elif mark == "gamut":
        # Above white as the display shows it: BT.1886's full signal, or PQ's peak of 1000 cd/m2.
        top = 1.0 if parts.output is not PQ else 0.7518
        shown = (by_hand(parts, 20) >= top - 2e-3).any(axis=-1).mean()
        assert whole.clipped == pytest.approx(shown, abs=0.02)
    else:
        assert whole.unseen == 0  # there is no match that has seen anything
    others = {"gamut": whole.recorded, "clipped": whole.outside, "unseen": whole.clipped}
    assert others[mark] is None


def test_colours_by_themselves_leave_out_what_needs_their_surroundings():
    code = np.array([[[0.2, 0.3, 0.4], [5.0, 0.1, 0.1]]], np.float32)
    light, shown = colours_of(Parts(LINEAR, trim=SOFT), Overrides(), code, ("match", "trim"))
    np.testing.assert_allclose(light["match"], code, rtol=1e-6)
    np.testing.assert_allclose(light["trim"], code * 2**0.3, rtol=1e-5)
    want = execute(Chain(LINEAR, Output(), trim=Trim(stops=0.3)), code)
    np.testing.assert_array_equal(shown, want)


def test_two_sessions_of_a_feed_are_two_sources():
    assert Feed("a").about.key != Feed("b").about.key
