"""What a delta E means for the work: one place for the words and their thresholds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

State = Literal["in_tune", "close", "off"]
MOST_CLIPPED: Final = 0.005  # share of a picture; more takes the best verdict away
LEAST_TOLD: Final = 0.0005  # share of a picture; less is worth neither a fill nor a word
MOST_LUT_COST: Final = 0.03  # delta E that a LUT may add to its match's mean
MOST_LUT_ERROR: Final = 1.0  # delta E of a LUT to its chain at the 99.9th percentile
_MOST_LEFT_OUT: Final = 1 / 6  # share of the patches; likewise
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
    lowered_by: tuple[str, ...] = ()  # why it is not better than the figure alone says
    is_clipped: bool = False  # whether a clipped picture is among the reasons


def judge_match(
    expected: float,
    tolerance: float = USUAL_TOLERANCE,
    *,
    left_out: float = 0.0,
    clipped: float = 0.0,
) -> Verdict:
    """Judge a match by the delta E to be expected off the chart, and by what that cannot see.

    Parameters
    ----------
    expected : float
        Mean delta E.
    tolerance : float
        In tune up to it, close up to twice it, off beyond.
    left_out : float
        Share of the chart's patches that took no part; with more than a sixth it is close at best.
    clipped : float
        Share of the picture that is clipped in a channel; with more than MOST_CLIPPED likewise.
    """
    lowered = []
    if left_out > _MOST_LEFT_OUT:
        lowered.append(f"{100 * left_out:.0f} % of the patches are left out")
    if clipped > MOST_CLIPPED:
        lowered.append(f"{100 * clipped:.1f} % of the picture is clipped")
    state: State = "off"
    if expected <= tolerance:
        state = "in_tune"
    elif expected <= _CLOSE * tolerance:
        state = "close"
    if state == "in_tune" and lowered:
        state = "close"
    return Verdict(state, _WORDS[state], tuple(lowered), clipped > MOST_CLIPPED)
