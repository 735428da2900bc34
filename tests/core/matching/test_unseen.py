import numpy as np

from syntonos.core.chain import Chain, Decode, Match, Output
from syntonos.core.encodings import AP1, encode, find_encoding, gamut_matrix
from syntonos.core.matching import fit_match
from syntonos.core.matching.fit import working
from syntonos.core.matching.unseen import hatch, unseen
from tests.simulated import camera_a, camera_b, reading


def test_the_chart_is_seen_and_what_is_far_from_it_is_not():
    own = reading(camera_b())
    fit = fit_match(reading(camera_a()), own)
    chain = Chain(Decode(own.encoding, own.levels), Output(), match=fit.match)
    encoding = find_encoding(own.encoding)
    # The chart's patches a stop up and down; then light of one colour, and black.
    lin = np.concatenate([working(own) * 2, working(own) / 2, [[0.9, 0.02, 0.02], [0, 0, 0]]])
    code = encode(lin @ gamut_matrix(AP1, encoding.gamut).T, encoding.curve).astype(np.float32)
    where = unseen(chain, code[None])[0]
    assert where.tolist() == [False] * 48 + [True, False]
    # Without a model's centres the published patches count; without a match there is nothing.
    plain = Chain(chain.decode, Output(), match=Match())
    assert unseen(plain, code[None])[0, -2]
    assert not unseen(Chain(chain.decode, Output()), code[None]).any()


def test_hatching_is_seen_on_light_and_dark_and_nowhere_else():
    disp = np.full((30, 40, 3), 50, np.uint8)
    disp[:, 20:] = 200
    where = np.zeros((30, 40), bool)
    where[10:20] = True
    out = hatch(disp, where)
    changed = (out != disp).any(axis=-1)
    assert not changed[~where].any()
    assert 0.1 < changed[where].mean() < 0.4
    assert set(np.unique(out[changed])) == {13, 230}
