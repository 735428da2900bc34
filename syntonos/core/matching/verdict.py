"""What a delta E means for the work: one place for the words and their thresholds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

State = Literal["in_tune", "close", "off"]
USUAL_TOLERANCE: Final = 1.2  # delta E off the chart; a production may set its own
_CLOSE: Final = 2.0  # times the tolerance

_WORDS: Final[dict[State, str]] = {
    "in_tune": "Trust it", "close": "Usable, look at it", "off": "Doubtful",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Verdict:
    """A state and what to make of it, in words."""

    state: State
    words: str


def judge_expected(expected: float, tolerance: float = USUAL_TOLERANCE) -> Verdict:
    """Judge the delta E that is to be expected off the chart.

    Parameters
    ----------
    expected : float
        Mean delta E.
    tolerance : float
        In tune up to it, close up to twice it, off beyond.
    """
    state: State = "off"
    if expected <= tolerance:
        state = "in_tune"
    elif expected <= _CLOSE * tolerance:
        state = "close"
    return Verdict(state, _WORDS[state])
