"""Areas that both cameras saw beside the chart."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from syntonos.core.encodings import AP1, decode, find_encoding, gamut_matrix, take_levels_off
from syntonos.core.errors import FitError
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.productions.models import Camera, Light

_LEAST_AREA = 16  # pixels


@dataclass(frozen=True, slots=True)
class Area:
    """A rectangle in a clip's first frame, in shares of its width and height."""

    clip_id: int
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class AreaPair:
    """One thing that both cameras saw."""

    reference: Area
    angle: Area
    weight: float = 1.0


def colour_of(light: Light, camera: Camera, area: Area) -> tuple[float, float, float]:
    """Return an area's mean in scene-linear AP1; what is far from its middle does not count."""
    clip = Clip.objects.filter(pk=area.clip_id, camera=camera, light=light).first()
    if clip is None:
        raise FitError(
            f"The area's clip is not one of {camera} in {light.name}.",
            hint="Mark the area in a clip of this light.", code="fit.area",
        )  # fmt: skip
    frame = frame_of(clip, 0)
    height, width = frame.shape[:2]
    rows = slice(int(area.y * height), int(np.ceil((area.y + area.height) * height)))
    columns = slice(int(area.x * width), int(np.ceil((area.x + area.width) * width)))
    part = frame[rows, columns].reshape(-1, 3)
    if len(part) < _LEAST_AREA:
        raise FitError(
            f"An area in {clip.name} has only {len(part)} pixels, {_LEAST_AREA} are needed.",
            hint="Draw it larger.", code="fit.area",
        )  # fmt: skip
    encoding = find_encoding(clip.encoding)
    lin = decode(take_levels_off(part.astype(np.float64), clip.levels), encoding.curve)
    lin = lin @ gamut_matrix(encoding.gamut, AP1).T
    middle = np.median(lin, axis=0)
    off = np.abs(lin - middle).sum(axis=1)
    mean = lin[off <= np.percentile(off, 75)].mean(axis=0)
    if part.max() >= 0.995 or mean.max() <= 0:
        raise FitError(
            f"An area in {clip.name} is clipped or black.", hint="Mark another one.",
            code="fit.area",
        )  # fmt: skip
    return float(mean[0]), float(mean[1]), float(mean[2])
