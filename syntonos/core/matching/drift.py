"""How far two cameras drift apart within their clips: the same places, frame by frame."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.stages.match import through_match
from syntonos.core.matching.places import Places
from syntonos.core.matching.scene_fit import luminance
from syntonos.core.matching.tuner import tuner_fitted

A = NDArray[np.float64]
_MOST_PLACES: Final = 600
_LEAST_STILL: Final = 0.3  # of the places; with fewer the camera itself moved
_STILL: Final = 0.12  # of light, in natural logarithms: what a place may differ by from the rest
_LEAST_POINTS: Final = 3
_CHANCES: Final = 4.0  # standard errors of a third's median, within which nothing drifts
_UNITS: Final = {"exposure": "{:.2f} stop", "warmth": "{:.0f} mired", "tint": "{:.1f} tint"}
_SPREAD: Final = 0.05  # of a place's light, in the working log


@dataclass(frozen=True, slots=True)
class DriftPoint:
    """How far the matched angle is from the reference in a frame, beyond where it began.

    It begins with the frame that the places were found in, which may lie within the clip.

    exposure, warmth, tint : as of the tuner: stops, mired, Duv x 1000
    reference, angle : by how many stops each camera's own picture is brighter than there
    still : share of the places that show the same thing as there
    """

    frame: int
    exposure: float
    warmth: float
    tint: float
    reference: float
    angle: float
    still: float


def drift_over(
    match: Match, places: Places, frames: Iterable[tuple[int, NDArray[Any], NDArray[Any]]]
) -> tuple[DriftPoint, ...]:
    """Follow the places of one moment through other frames of cameras that stand still.

    A place counts in a frame where neither camera's light there has changed otherwise than most:
    what moves through the picture drops out. Frames in which too few are left give no point.

    Parameters
    ----------
    match : Match
        That the angle goes through.
    places : Places
        Of the first frame.
    frames : iterable of (number, reference, angle)
        Pictures (h, w, 3), scene-linear AP1; the first is the one of the places.

    Returns
    -------
    tuple of DriftPoint
        By frame, as far as they could be followed; the first is 0.
    """
    some = np.unique(np.linspace(0, len(places.reference) - 1, _MOST_PLACES).astype(int))
    at = places.at_reference[some], places.at_angle[some]
    first: tuple[A, A] | None = None
    begin = np.zeros(3)
    out: list[DriftPoint] = []
    for number, *pictures in frames:
        want, got = (_light_at(p, where) for p, where in zip(pictures, at, strict=True))
        if first is None:
            first = want, got
        changes = [np.log(luminance(now) / luminance(then))
                   for now, then in zip((want, got), first, strict=True)]  # fmt: skip
        own = [float(np.median(change)) for change in changes]
        still = np.all([np.abs(c - m) < _STILL for c, m in zip(changes, own, strict=True)], axis=0)
        share = float(still.mean())
        if share < _LEAST_STILL:
            continue
        off = tuner_fitted(want[still], through_match(match, got[still]), _SPREAD, only_white=True)
        apart = np.array([off.exposure, off.warmth, off.tint])
        if not out:
            begin = apart
        exposure, warmth, tint = (apart - begin).tolist()
        base, angle = (m / float(np.log(2)) for m in own)
        out.append(DriftPoint(number, exposure, warmth, tint, base, angle, share))
    return tuple(out)


def drift_words(points: tuple[DriftPoint, ...], most: dict[str, float]) -> str:
    """Say how far the cameras drift apart over the clip, and which of them it is; "" within `most`.

    What changes from frame to frame and not over thirds of the clip is a flicker, as of fire.

    Parameters
    ----------
    points : tuple of DriftPoint
    most : dict
        Of exposure (stops), warmth (mired) and tint, from which it is worth a word.
    """
    if len(points) < _LEAST_POINTS:
        return ""
    values = {k: np.array([getattr(p, k) for p in points]) for k in (*most, "reference", "angle")}
    slow = {k: _over_thirds(v) for k, v in values.items()}
    drifting = [k for k in most if slow[k] > max(most[k], _chance(values[k]))]
    if drifting:
        who = ""
        if "exposure" in drifting and slow["angle"] > 2 * slow["reference"]:
            who = ": the angle changes, the reference does not"
        elif "exposure" in drifting and slow["reference"] > 2 * slow["angle"]:
            who = ": the reference changes, the angle does not"
        told = ", ".join(_UNITS[k].format(slow[k]) for k in drifting)
        return f"Within the clip the two drift apart by {told}{who}."
    quick = float(np.ptp(values["exposure"]))
    if quick > most["exposure"]:
        return f"The light flickers: frames of the two differ by up to {quick:.2f} stop."
    return ""


def _over_thirds(values: A) -> float:
    """Return by how much medians of the clip's thirds differ."""
    return float(np.ptp([np.median(part) for part in np.array_split(values, 3)]))


def _chance(values: A) -> float:
    """Return by how much those medians may differ by what changes from frame to frame alone."""
    parts = np.array_split(values, 3)
    off = np.concatenate([part - np.median(part) for part in parts])
    return _CHANCES * float(off.std()) / float(np.sqrt(len(values) / 3))


def _light_at(picture: NDArray[Any], where: A) -> A:
    """Return the mean of five pixels by five at places in shares of a picture, (n, 3)."""
    height, width = picture.shape[:2]
    mean = cv2.blur(np.asarray(picture, np.float32), (5, 5))
    spots = (where * [width, height] - 0.5).astype(np.float32)[:, None, :]
    return np.asarray(cv2.remap(mean, spots, None, cv2.INTER_LINEAR)[:, 0], np.float64)
