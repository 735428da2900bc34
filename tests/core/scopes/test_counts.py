import numpy as np
import pytest

from syntonos.core.scopes import count_scopes
from syntonos.core.scopes.counts import COLUMNS, LEVELS, SIDE, WHOLE

# 75 % bars: place in Cb/Cr of ITU-R BT.709-6, 10-bit codes 512 +- 448 for +-0.5.
BARS = {
    (0.75, 0, 0): (435, 848), (0.75, 0, 0.75): (771, 817), (0, 0, 0.75): (848, 481),
    (0, 0.75, 0.75): (589, 176), (0, 0.75, 0): (253, 207), (0.75, 0.75, 0): (176, 543),
}  # fmt: skip


@pytest.mark.parametrize("rgb", BARS)
def test_colour_bars_fall_where_bt709_puts_them(rgb):
    counts = count_scopes(np.full((4, 8, 3), rgb, np.float32))
    row, column = np.argwhere(counts.vector)[0]
    cb, cr = ((code - 512) / 896 for code in BARS[rgb])
    # A cell is 1/128 wide; the codes are rounded.
    assert column == pytest.approx((cb + 0.5) * SIDE, abs=1.1)
    assert row == pytest.approx((0.5 - cr) * SIDE, abs=1.1)
    assert counts.vector.sum() == 32


def test_a_ramp_climbs_through_the_parade():
    ramp = np.repeat(np.linspace(0, 1, COLUMNS, dtype=np.float32)[None, :, None], 3, axis=2)
    counts = count_scopes(ramp)
    for channel in range(3):
        level = counts.parade[channel].argmax(axis=1)
        value = WHOLE[0] + (level + 0.5) / LEVELS * (WHOLE[1] - WHOLE[0])
        np.testing.assert_allclose(value, ramp[0, :, 0], atol=(WHOLE[1] - WHOLE[0]) / LEVELS)


def test_what_lies_beyond_is_counted_at_the_ends():
    counts = count_scopes(np.float32([[[-9, 9, np.nan]]]))
    assert counts.parade[0, :, 0].sum() == 1
    assert counts.parade[1, :, -1].sum() == 1
    assert counts.parade.sum() == 3
    counts = count_scopes(
        np.float32([[[0, 0.5, 0.5], [0.5, 1, 0], [0.5, 0.5, 0.5], [2, 1, np.nan]]])
    )
    assert (counts.below, counts.above) == (0.5, 0.5)


def test_hdr_is_counted_with_the_weights_of_bt2100():
    """BT.2100-2, table 6: Cr = (R' - Y') / 1.4746 and Cb = (B' - Y') / 1.8814."""
    counts = count_scopes(np.full((4, 8, 3), (0.75, 0, 0), np.float32), "rec2100-pq-1000")
    row, column = np.argwhere(counts.vector)[0]
    luma = 0.2627 * 0.75
    assert column == pytest.approx((0.5 - luma / 1.8814) * SIDE, abs=1.1)
    assert row == pytest.approx((0.5 - (0.75 - luma) / 1.4746) * SIDE, abs=1.1)
