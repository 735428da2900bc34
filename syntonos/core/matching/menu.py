"""A match as values for a camera's own colour menu: six coefficients."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.document import Match
from syntonos.core.chain.stages.match import through_match
from syntonos.core.charts import ChartReading
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.readings import working

A = NDArray[np.float64]
# Rows of R, G, B: what is added is coefficient x difference, so that neutral stays neutral.
NAMES: Final = ("R-G", "R-B", "G-R", "G-B", "B-R", "B-G")
_PAIRS: Final = ((0, 1), (0, 2), (1, 0), (1, 2), (2, 0), (2, 1))


@dataclass(frozen=True, slots=True)
class MenuValues:
    """Six coefficients between balanced whites, in the camera's own linear gamut.

    R' = R + (R-G) (R - G) + (R-B) (R - B), and so on; before that, level and phase scale and turn
    all colours about neutral.
    """

    exact: Mapping[str, float]
    settings: Mapping[str, int]  # what to dial in
    rounding: float  # mean delta E on the chart that rounding to the menu's steps costs
    left: float  # mean delta E on the chart between the menu's match and the full one
    level: int = 100  # per cent
    phase: int = 0  # degrees, from red towards green


def camera_menu(
    angle: ChartReading, match: Match, *, step: float = 0.01, most: int = 99, sign: int = 1,
    overall: bool = False,
) -> MenuValues:  # fmt: skip
    """Return a match's colour part as values that the camera itself can take.

    Parameters
    ----------
    angle : ChartReading
        Of the camera as it is set now; its white and exposure are to be set in the camera first.
    match : Match
    step : float
        How much one step of the menu adds to a coefficient.
    most : int
        The menu's largest setting either way.
    sign : {1, -1}
        -1 where the menu subtracts.
    overall : bool
        Whether the menu has an overall level (in per cent) and phase (in degrees) as well: they
        take what all colours have in common, and the coefficients become smaller.

    Raises
    ------
    FitError
        menu.step for a step that is not above zero, menu.patches with fewer than 12 patches.
    """
    if not step > 0 or sign not in (1, -1) or most < 1:
        raise FitError(
            f"A menu step of {step} with sign {sign} and range {most} cannot be used.",
            hint="Give a step above zero, a sign of 1 or -1, a range of 1 or more.",
            code="menu.step",
        )
    used = [i for i, patch in enumerate(angle.patches) if patch.is_usable]
    greys = [i for i in angle.layout.mid_greys if i in used]
    if len(used) < 12 or not greys:
        raise FitError(
            f"Only {len(used)} patches can be used, 12 and a mid grey are needed.",
            hint="Read a frame with the chart below clipping.", code="menu.patches",
        )  # fmt: skip
    to_own = gamut_matrix(AP1, find_encoding(angle.encoding).gamut)
    lin = working(angle)
    full = through_match(match, lin)
    x, y = lin @ to_own.T, full @ to_own.T
    x = x / np.median(x[greys] / (x[greys] @ np.ones(3) / 3)[:, None], axis=0)
    white_y = np.median(y[greys] / (y[greys] @ np.ones(3) / 3)[:, None], axis=0)
    y = y / white_y
    y = y * float(np.median(x[greys].mean(axis=1) / y[greys].mean(axis=1)))
    weight = 1 / (0.05 + x[used].mean(axis=1))
    level, phase = _overall(x[used], y[used], weight) if overall else (100, 0)
    x = _turned(x, level, phase)
    exact = np.zeros(6)
    for row in range(3):
        pair = [k for k, (own, _) in enumerate(_PAIRS) if own == row]
        basis = np.stack([x[used, row] - x[used, _PAIRS[k][1]] for k in pair], axis=-1)
        target = y[used, row] - x[used, row]
        exact[pair] = np.linalg.lstsq(basis * weight[:, None], target * weight, rcond=None)[0]
    dialled = np.clip(np.round(sign * exact / step), -most, most).astype(int)
    back = np.linalg.inv(to_own)

    def seen(coefficients: A) -> A:
        out = x.copy()
        for k, (row, other) in enumerate(_PAIRS):
            out[:, row] += coefficients[k] * (x[:, row] - x[:, other])
        return np.asarray((out * white_y) @ back.T, np.float64)

    white = white_y @ back.T
    white = white / float(white @ AP1_LUMINANCE)
    ideal, rounded = seen(exact), seen(sign * dialled * step)
    goal = (y * white_y) @ back.T
    rounding = float(scene_delta_e(rounded[used], ideal[used], white).mean())
    left = float(scene_delta_e(rounded[used], goal[used], white).mean())
    return MenuValues(
        dict(zip(NAMES, map(float, exact), strict=True)),
        dict(zip(NAMES, map(int, dialled), strict=True)), rounding, left, level, phase,
    )  # fmt: skip


def _turned(x: A, level: int, phase: int) -> A:
    """Scale and turn colours (n, 3) about the neutral axis."""
    off = x - x.mean(axis=1, keepdims=True)
    angle = np.radians(phase)
    turned = off * np.cos(angle) + _across(off) * np.sin(angle)
    return np.asarray(x - off + level / 100 * turned, np.float64)


def _across(off: A) -> A:
    """Return colours turned by 90 degrees about neutral, from red towards green."""
    return np.asarray((np.roll(off, 1, axis=1) - np.roll(off, -1, axis=1)) / np.sqrt(3), np.float64)


def _overall(x: A, y: A, weight: A) -> tuple[int, int]:
    """Return the level in per cent and the phase in degrees that bring x nearest to y."""
    off = x - x.mean(axis=1, keepdims=True)
    want = y - y.mean(axis=1, keepdims=True)
    basis = np.stack([off, _across(off)], axis=-1) * weight[:, None, None]
    a, b = np.linalg.lstsq(basis.reshape(-1, 2), (want * weight[:, None]).ravel(), rcond=None)[0]
    return round(100 * float(np.hypot(a, b))), round(float(np.degrees(np.arctan2(b, a))))
