"""How the numbers of a trim are turned: ranges, the hand's reach, steps, tolerances.

Decided here once; the page gets it as a document (`server/api/decided.py`).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from syntonos.core.chain.stages.trim import INNER_RANGES, LEAST_REACH, MOST_REACH, RANGES
from syntonos.core.chain.trim_maps import OF_A_STOP

# How far an arrow turns: usual, with Shift, with Ctrl.
Steps = tuple[float, float, float]
STOPS: Final[Steps] = (0.02, 0.005, 0.1)
MIRED: Final[Steps] = (2.0, 0.5, 10.0)
TINT: Final[Steps] = (0.2, 0.05, 1.0)
SLOPE: Final[Steps] = (0.01, 0.002, 0.05)


@dataclass(frozen=True, slots=True)
class Control:
    """How one number is turned, in its own unit.

    `low` and `high` are what it may be; `reach` where a dial ends, beyond which it is typed;
    `steps` those of an arrow; `tolerance` what nobody sees beside the reference, None where that
    has no meaning.
    """

    low: float
    high: float
    reach: tuple[float, float]
    steps: Steps
    tolerance: float | None = None


def _usual(step: float) -> Steps:
    """Return the steps of a number that has none of its own unit: a fifth and five times."""
    return step, 0.2 * step, 5 * step


def _of(
    name: str, steps: Steps, reach: tuple[float, float] | None = None,
    tolerance: float | None = None,
) -> Control:  # fmt: skip
    low, high = RANGES[name][:2] if name in RANGES else INNER_RANGES[name.split(".")[-1]]
    return Control(low, high, reach or (low, high), steps, tolerance)


# By the name of the number, without the channel, the level or the band that it is of.
CONTROLS: Final[dict[str, Control]] = {
    "stops": _of("stops", STOPS, (-4.0, 4.0), 0.05),
    "warmth": _of("warmth", MIRED, tolerance=5.0),
    "tint": _of("tint", TINT, tolerance=0.8),
    "flare": _of("flare", _usual(0.0005), (-0.05, 0.05)),
    "flare_rgb": _of("flare_rgb", _usual(0.0005)),
    "stops_rgb": _of("stops_rgb", _usual(0.01), (-2.0, 2.0)),
    "contrast": _of("contrast", SLOPE, (0.5, 2.0), 0.015),
    "pivot": _of("pivot", _usual(0.1)),
    "borders": _of("borders", _usual(0.1)),
    "levels.warmth": _of("levels.warmth", MIRED),
    "levels.tint": _of("levels.tint", TINT),
    "levels.saturation": _of("levels.saturation", _usual(0.02)),
    # ASC CDL 1.2 has no upper end; beyond four no colour is left to turn.
    "cdl.saturation": Control(0.0, 4.0, (0.0, 2.0), _usual(0.01), 0.03),
    "hues.turn": _of("hues.turn", _usual(0.5), (-36.0, 36.0)),
    "hues.saturation": _of("hues.saturation", _usual(0.01), (0.0, 2.0)),
    "hues.stops": _of("hues.stops", _usual(0.02), (-1.0, 1.0)),
    "pairs.reach": Control(
        LEAST_REACH, MOST_REACH, (LEAST_REACH, MOST_REACH), _usual(0.1 * OF_A_STOP)
    ),
    "pairs.strength": Control(0.0, 1.0, (0.0, 1.0), _usual(0.05)),
    "detail": _of("detail", _usual(0.02)),
}
