"""What a hand may turn is what a trim may be: neither less, nor more."""

import pytest

from syntonos.core.chain import read_trim
from syntonos.core.chain.controls import CONTROLS
from syntonos.core.chain.trim_maps import GREY
from syntonos.core.errors import ChainError

ROWS = {"levels": 3, "hues": 6}
TUPLES = {"flare_rgb": 3, "stops_rgb": 3, "detail": 3}


def _with(name, value):
    """Return a trim as plain values with a number at a value, in all its channels or bands."""
    first, _, last = name.partition(".")
    if first in ROWS:
        plain = {first: [{last: value}] * ROWS[first]}
    elif first == "pairs":
        colour = [GREY, GREY, GREY]
        plain = {"pairs": [{"angle": colour, "reference": colour, last: value}]}
    elif first == "cdl":
        plain = {"cdl": {last: value}}
    elif first == "borders":
        plain = {"borders": [value, 8.0] if value < 0 else [-8.0, value]}
    else:
        plain = {first: [value] * TUPLES[first] if first in TUPLES else value}
    return {"kind": "trim"} | plain


@pytest.mark.parametrize("name", CONTROLS)
def test_the_ends_of_a_control_are_taken_and_what_is_beyond_is_refused(name):
    control = CONTROLS[name]
    for end, beyond in ((control.low, -1e-3), (control.high, 1e-3)):
        read_trim(_with(name, end))
        if name == "cdl.saturation" and beyond > 0:
            continue  # ASC CDL 1.2 has no upper end
        with pytest.raises(ChainError):
            read_trim(_with(name, end + beyond))
    low, high = control.reach
    assert control.low <= low < high <= control.high
    usual, fine, coarse = control.steps
    assert 0 < fine < usual < coarse < high - low
