"""Places that two cameras of the demo see, against the traced scene, and a match from them."""

import cv2
import numpy as np
import pytest

from syntonos.core.chain import Chain, Decode, EncodingOutput, compile_chain, run
from syntonos.core.chain.stages.match import through_match
from syntonos.core.errors import FitError
from syntonos.core.matching.by_places import fit_places, joined
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.places import find_places
from syntonos.core.media import RecordingReader
from tests.foundry import HEIGHT, WIDTH, same_places

CODED = {"Alder": "logc3-ei800/awg3", "Birch": "s-log3/s-gamut3.cine"}


@pytest.fixture(scope="module")
def pair(media):
    """A and B in the Tuning room: scene-linear AP1, of one moment."""
    out = []
    for name, encoding in CODED.items():
        reader = RecordingReader(sorted(str(p) for p in (media / name).glob(f"{name[0]}004_02*")))
        code = reader.read(0)
        reader.close()
        chain = Chain(Decode(encoding), EncodingOutput("linear/ap1"))
        out.append(run(compile_chain(chain), code))
    return out


@pytest.fixture(scope="module")
def found(pair):
    return find_places(*pair)


@pytest.fixture(scope="module")
def truth():
    """Pixels of 960 x 540 that show the same places, traced through the scene."""
    return same_places("a-scene", "b-scene", step=9)


def test_places_lie_where_the_scene_says(found, truth):
    size = np.array([WIDTH, HEIGHT])
    ours, theirs = found.at_reference * size, found.at_angle * size
    distance = np.linalg.norm(ours[:, None] - truth[0][None], axis=2)
    near = distance.argmin(axis=1)
    close = distance.min(axis=1) < 3
    assert close.sum() > 60
    # Pixels apart, less how far the traced place is from ours.
    off = (theirs - truth[1][near]) - (ours - truth[0][near])
    assert np.median(np.linalg.norm(off[close], axis=1)) < 2
    assert 0.15 < found.overlap < 0.6
    assert found.agreement > 0.8


def test_a_match_from_places_holds_at_the_true_ones(pair, found, truth):
    fit = fit_places(found)
    soft = [cv2.blur(p, (5, 5)) for p in pair]
    want, got = (
        cv2.remap(p, (at - 0.5).astype(np.float32)[:, None], None, cv2.INTER_LINEAR)[:, 0]
        for p, at in zip(soft, truth, strict=True)
    )
    even = np.ones(len(want), bool)
    for picture, at in zip(pair, truth, strict=True):
        log = np.log(np.maximum(picture.mean(axis=2), 1e-4))
        spread = cv2.blur(log * log, (7, 7)) - cv2.blur(log, (7, 7)) ** 2
        x, y = at.astype(int).T
        even &= (spread[y, x] < 0.06**2) & (picture[y, x].max(axis=-1) < 4)
    even &= np.minimum(want, got).min(axis=1) > 2e-3
    assert even.sum() > 60
    want, got = want[even].astype(float), got[even].astype(float)

    def off(lin):
        return float(scene_delta_e(lin, want, np.ones(3)).mean())

    gain = np.exp(np.median(np.log(want / got), axis=0))
    after = off(through_match(fit.match, got))
    # The affine map that fits the true places best is what no match from places can count on.
    plain = np.column_stack([got, np.ones(len(got))])
    best = off(plain @ np.linalg.lstsq(plain, want, rcond=None)[0])
    assert after < 0.25 * off(got)
    assert after < 0.7 * off(got * gain)
    assert after < 1.25 * best
    # What is expected of the scene's own colours is right, as it says.
    assert fit.seen.low < after < fit.seen.high
    assert fit.expected.low < after < fit.expected.high


def test_pairs_of_frames_add_up(found):
    both = fit_places(joined([found, found]))
    assert both.left_out == pytest.approx(fit_places(found).left_out, rel=0.5)


def test_pictures_of_something_else_are_refused(pair):
    # The same wall in a mirror: the features are alike, the geometry is not.
    rng = np.random.default_rng(2)
    noise = cv2.GaussianBlur(rng.uniform(0.02, 0.6, pair[0].shape).astype(np.float32), (0, 0), 3)
    for other in (pair[1][:, ::-1], noise):
        with pytest.raises(FitError, match="same scene") as caught:
            find_places(pair[0], other)
        assert caught.value.code == "places.scene"
