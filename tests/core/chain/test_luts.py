import numpy as np
import pytest

from syntonos.core.chain import (
    Chain,
    Decode,
    EncodingOutput,
    LutLevels,
    Match,
    Output,
    apply_lut,
    bake_lut,
    compile_chain,
    read_back,
    run,
)
from syntonos.core.chain.readback import grid_in_gamut
from syntonos.core.encodings import CURVES, GAMUTS, decode, gamut_matrix
from syntonos.core.errors import ChainError

CHAIN = Chain(
    Decode("s-log3/s-gamut3.cine"),
    Output(),
    match=Match(stops=0.3, angle_white=(1.1, 1.0, 0.85),
                matrix=((1.1, -0.12, 0.02), (0.03, 0.94, 0.03), (-0.02, -0.05, 1.07))),
)  # fmt: skip


@pytest.mark.parametrize("size", [17, 33, 65])
def test_a_lut_holds_the_chain_on_its_points(size):
    table = bake_lut(CHAIN, size)
    assert table.shape == (size, size, size, 3)
    # In two bands, of which the second begins within a row.
    np.testing.assert_array_equal(bake_lut(CHAIN, size, threads=2), table)
    points = np.random.default_rng(0).integers(0, size, (200, 3))
    codes = (points / (size - 1)).astype(np.float32)
    exact = run(compile_chain(CHAIN), codes)
    np.testing.assert_allclose(table[tuple(points.T)], exact, atol=2e-6)
    for interpolation in ("tetrahedral", "trilinear"):
        seen = apply_lut(codes, table, interpolation=interpolation)
        np.testing.assert_allclose(seen, exact, atol=5e-4)


@pytest.mark.parametrize("size", [1, 32, 129, 0])
def test_other_sizes_are_refused(size):
    with pytest.raises(ChainError) as caught:
        bake_lut(CHAIN, size)
    assert caught.value.code == "lut.size"


def test_grey_keeps_its_order_through_a_lut():
    ramp = np.repeat(np.linspace(0, 1, 512, dtype=np.float32)[:, None], 3, axis=1)
    # Tetrahedra share the grey diagonal, so only its points count; cubes mix in colours beside it.
    seen = apply_lut(ramp, bake_lut(CHAIN, 33), interpolation="tetrahedral")
    assert (np.diff(seen, axis=0) >= -1e-6).all()


def test_the_read_back_tells_finer_luts_from_coarse_ones():
    codes = np.random.default_rng(1).uniform(0.1, 0.65, (5000, 3)).astype(np.float32)
    means = [read_back(bake_lut(CHAIN, n), CHAIN, codes).of("grid").mean for n in (17, 33, 65)]
    assert means[0] > 2 * means[1] > 4 * means[2]


def test_the_read_back_finds_a_wrong_table():
    chain = Chain(Decode("v-log/v-gamut"), EncodingOutput("logc3-ei800/awg3"))
    table = bake_lut(chain, 33)
    codes = np.random.default_rng(1).uniform(0.2, 0.6, (3000, 3)).astype(np.float32)
    right = read_back(table, chain, codes)
    # Red and blue exchanged, and a lift of two 10-bit codes.
    swapped = read_back(table.transpose(2, 1, 0, 3).copy(), chain, codes)
    lifted = read_back(table + np.float32(2 / 1023), chain, codes)
    assert right.of("picture").mean < 0.3
    assert swapped.of("picture").mean > 5
    assert lifted.of("picture").mean > right.of("picture").mean + 0.1
    assert len(right.differences) == 12
    assert right.of("grid", "trilinear", 10).mean >= right.of("grid", "trilinear").mean


def test_what_the_target_cannot_hold_is_counted():
    chain = Chain(Decode("logc4/awg4"), EncodingOutput("n-log/n-gamut"))
    bright = np.repeat(np.float32([[0.3], [0.5], [0.8], [0.9]]), 3, axis=1)
    # N-Log ends at 14.8 scene-linear; LogC4's 0.8 is 55.3, its 0.5 is 2.2.
    assert read_back(bake_lut(chain, 17), chain, bright).share_outside == pytest.approx(0.5)


def test_what_lies_beyond_a_luts_edge_is_counted():
    """Video's R'G'B' goes beyond 1: Y' 235 with Cr 240 is 1.787 in R' (BT.709-6, items 3.2-3.4)."""
    chain = Chain(Decode("v-log/v-gamut"), Output())
    codes = np.float32([[0.4, 0.4, 0.4], [1.787, 0.766, 1], [0.2, -0.01, 0.2], [1, 1, 0]])
    assert read_back(bake_lut(chain, 17), chain, codes).share_beyond == pytest.approx(0.5)
    # Expanded levels end at code 940: white at 1.0 lies beyond.
    table = bake_lut(chain, 17, levels=LutLevels("expanded", "expanded"))
    assert read_back(
        table, chain, codes, levels=LutLevels("expanded", "expanded")
    ).share_beyond == pytest.approx(0.75)


def test_the_grid_is_of_colours_that_a_display_and_the_file_hold():
    codes = grid_in_gamut(CHAIN)
    assert codes.min() >= 0
    assert codes.max() <= 1
    assert len(codes) > 8000
    lin = decode(codes.astype(np.float64), CURVES["s-log3"])
    to_ap1 = gamut_matrix(GAMUTS["s-gamut3.cine"], GAMUTS["ap1"])
    seen = lin @ to_ap1.T @ gamut_matrix(GAMUTS["ap1"], GAMUTS["bt709"]).T
    assert seen.min() > -1e-4
    assert seen.max() < 1 + 1e-4
