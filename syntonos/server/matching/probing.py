"""What probes say: the same few pixels after every stage of their clip's chain, and compared."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import EncodingOutput, Overrides, Parts, compose
from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.controls import CONTROLS
from syntonos.core.chain.displays import find_display
from syntonos.core.chain.stages import OPTIONAL_STAGES
from syntonos.core.chain.stages.trim import (
    MOST_REACH,
    USUAL_REACH,
    ColourPair,
)
from syntonos.core.chain.trim_maps import least_reach
from syntonos.core.charts.reading import triple
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import CURVES, decode, encode
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.tuner import cast_of, white_apart
from syntonos.core.scopes.counts import luma_weights
from syntonos.core.viewing import colours_of
from syntonos.server.footage.clipping import mask_of
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.matching.probes import ProbePlace

A = NDArray[np.float64]
FRAMES: Final = 4  # that a probe is the mean of
SPREAD: Final = 0.004  # of a place's mean, code values of the working log
SCENE_STAGES: Final = ("input", *OPTIONAL_STAGES)
LIGHT: Final = EncodingOutput("linear/ap1")
_LOG: Final = CURVES["acescct"]
_MOST_WARMTH, _MOST_TINT = CONTROLS["warmth"].high, CONTROLS["tint"].high
_TEN_BITS: Final = 1023
_MOST_KEPT: Final = 2048


@dataclass(frozen=True, slots=True)
class Sample:
    """The stored code values of a place.

    code : (n, 1, 3)
        Of all its pixels, in one frame after the other.
    clipped : float
        Share of the pixels with a clipped channel.
    """

    code: NDArray[np.float32]
    clipped: float


class _Samples:
    """Samples by their clip's content and place; the least recently used go first."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[Any, ...], Sample] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, clip: Clip, place: ProbePlace, frames: int) -> Sample:
        key = (clip.checksum, clip.development_key, clip.taken_as, place, frames)
        with self._lock:
            if (found := self._kept.get(key)) is not None:
                self._kept.move_to_end(key)
                return found
        found = _sample(clip, place, frames)
        with self._lock:
            self._kept[key] = found
            while len(self._kept) > _MOST_KEPT:
                self._kept.popitem(last=False)
        return found


_samples = _Samples()


def sample(clip: Clip, place: ProbePlace, frames: int = FRAMES) -> Sample:
    """Return a place's code values, in its frame and the next few.

    Raises
    ------
    MediaError
        When a frame cannot be read.
    """
    return _samples.get(clip, place, frames)


def _sample(clip: Clip, place: ProbePlace, frames: int) -> Sample:
    # Raw at full size takes a second a frame: half the size has the same means.
    width = max(1, clip.width // 2) if clip.media == "raw" else clip.width
    first = max(0, min(place.frame, clip.frame_count - frames))
    pixels, clipped = [], []
    for number in range(first, min(first + frames, clip.frame_count)):
        patch = _cut(frame_of(clip, number, width), place)
        pixels.append(patch)
        mask = mask_of(clip, patch, clip.encoding, clip.levels)
        clipped.append(float(mask.any(axis=-1).mean()))
    return Sample(np.concatenate(pixels), float(np.mean(clipped)))


def _cut(picture: NDArray[np.float32], place: ProbePlace) -> NDArray[np.float32]:
    """Return the pixels (n, 1, 3) of a round area; at least the one under its middle."""
    height, width = picture.shape[:2]
    x, y, half = place.x * width, place.y * height, place.size * width / 2
    left, right = max(0, int(x - half)), min(width, int(x + half) + 1)
    top, bottom = max(0, int(y - half)), min(height, int(y + half) + 1)
    rows, columns = np.ogrid[top:bottom, left:right]
    inside = (columns + 0.5 - x) ** 2 + (rows + 0.5 - y) ** 2 <= half**2
    inside[min(int(y), height - 1) - top, min(int(x), width - 1) - left] = True
    return np.ascontiguousarray(picture[top:bottom, left:right][inside][:, None], np.float32)


@dataclass(frozen=True, slots=True)
class Values:
    """A colour after a stage, in the units that mean something there.

    code : 0 to 1023: stored code values, ACEScct between, the display's signal at the end
    percent : of the signal; of scene light, 100 is a white of 100 %
    stops : about middle grey
    nit : cd/m2 of the display
    linear : scene light; of the display, 1 is 100 cd/m2
    """

    stage: str
    code: list[float]
    percent: list[float]
    stops: list[float] | None = None
    nit: list[float] | None = None
    linear: list[float] | None = None


@dataclass(frozen=True, slots=True)
class Side:
    """What a probe says of one clip.

    light : scene-linear AP1 after match and trim
    cast : how far it is from neutral after the balance, mired and Duv x 1000; None where it has a
        colour of its own
    spread : standard deviation of its pixels, stops of luminance
    vector : Cb and Cr of the output
    """

    clip_id: int
    clip: str
    place: ProbePlace
    stages: list[Values]
    light: list[float]
    stops: float  # of its luminance after match and trim, about middle grey
    cast: tuple[float, float] | None
    spread: float
    clipped: float
    pixels: int
    vector: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Apart:
    """How far the angle is off at a thing, and what a colour pair would be of.

    pair : the angle's and the reference's AP1 where the trim's pairs begin
    """

    delta_e: float
    stops: float
    warmth: float  # mired
    tint: float  # Duv x 1000
    pair: list[list[float]]
    reach: float  # that such a pair takes: what it needs, and not less than usual


class ClipProbed:
    """A clip's places, looked at all at once after each stage of its chain."""

    def __init__(
        self, clip: Clip, parts: Parts, overrides: Overrides,
        places: Sequence[ProbePlace], frames: int = FRAMES,
    ) -> None:  # fmt: skip
        self.clip, self.places = clip, list(places)
        self._parts, self._overrides = parts, overrides
        self.samples = [sample(clip, place, frames) for place in places]
        self._ends = np.cumsum([0, *(len(s.code) for s in self.samples)])
        self._code = (
            np.concatenate([s.code for s in self.samples]) if places
            else np.zeros((0, 1, 3), np.float32)
        )  # fmt: skip
        self._rows = [_middle(s.code) for s in self.samples]

    def means(self, picture: NDArray[Any]) -> A:
        """Return the mean (k, 3) of each place, without what lies far from its middle value."""
        flat = np.asarray(picture, np.float64).reshape(-1, 3)
        return np.array([
            flat[start:][rows].mean(axis=0)
            for start, rows in zip(self._ends[:-1], self._rows, strict=True)
        ]).reshape(-1, 3)  # fmt: skip

    def pixels(self, i: int, picture: NDArray[Any]) -> A:
        """Return all pixels (n, 3) of a place."""
        flat = np.asarray(picture, np.float64).reshape(-1, 3)
        return flat[self._ends[i] : self._ends[i + 1]]

    def light_after(self, stage: str, *, bare: bool = False) -> NDArray[np.float32]:
        """Return scene-linear AP1 after a stage; `bare`: without the trim's pairs."""
        light, _ = self._looked((stage,), bare=bare)
        return light[stage]

    def _looked(
        self, stages: tuple[str, ...], *, bare: bool = False
    ) -> tuple[dict[str, NDArray[np.float32]], NDArray[np.float32]]:
        frame = self.places[0].frame if self.places else 0
        return colours_of(
            self._parts, self._overrides, self._code, stages, frame=frame, bare=bare
        )  # fmt: skip

    def sides(self) -> list[Side]:
        """Say all there is to say of each place."""
        light, output = self._looked(SCENE_STAGES)
        means = {stage: self.means(picture) for stage, picture in light.items()}
        chain = compose(self._parts, self._overrides)
        shown = self.means(output)
        recorded = self.means(self._code)
        display = getattr(chain.output, "display", None)
        red, blue = luma_weights(display or "rec709")
        out = []
        for i, place in enumerate(self.places):
            after = means["trim"][i]
            r, g, b = shown[i]
            luma = red * r + (1 - red - blue) * g + blue * b
            vector = (b - luma) / (2 * (1 - blue)), (r - luma) / (2 * (1 - red))
            out.append(Side(
                self.clip.pk, self.clip.name, place,
                [Values("recorded", _scaled(recorded[i], _TEN_BITS), _scaled(recorded[i], 100)),
                 *(_scene_values(stage, means[stage][i]) for stage in SCENE_STAGES),
                 _shown_values(shown[i], display)],
                after.tolist(), _stops_of(after), _cast(means["balance"][i]),
                _spread(self.pixels(i, light["trim"])), self.samples[i].clipped,
                len(self.samples[i].code), vector,
            ))  # fmt: skip
        return out


def apart(reference: A, angle: A, bare: A) -> Apart:
    """Compare what both pictures show of one thing.

    Parameters
    ----------
    reference, angle : (3,)
        Scene-linear AP1 after match and trim.
    bare : (3,)
        The angle's where the trim's pairs begin.
    """
    off = white_apart(reference, angle, SPREAD)
    # Light of 1 is a white of 100 %: both are seen under the reference's own white.
    distance = float(scene_delta_e(angle[None], reference[None], np.ones(3))[0])
    pair = [bare.tolist(), reference.tolist()]
    least = least_reach(ColourPair(triple(pair[0]), triple(pair[1])))
    reach = min(max(USUAL_REACH, round(least + 0.005, 4)), MOST_REACH)
    return Apart(distance, off.exposure, off.warmth, off.tint, pair, reach)


def _cast(lin: A) -> tuple[float, float] | None:
    try:
        warmth, tint = cast_of(lin)
    except (ArithmeticError, ValueError):
        return None
    near = abs(warmth) <= _MOST_WARMTH and abs(tint) <= _MOST_TINT
    return (warmth, tint) if near else None


def _middle(code: NDArray[np.float32]) -> NDArray[np.intp]:
    """Return the rows of the middle three fifths in brightness."""
    order = np.argsort(code.reshape(-1, 3).sum(axis=1))
    cut = len(order) // 5
    return order[cut : len(order) - cut]


def _scaled(rgb: A, by: float) -> list[float]:
    return [float(v) for v in rgb * by]


def _stops(lin: A) -> A:
    return np.asarray(np.log2(np.maximum(lin, 1e-5) / MIDDLE_GREY), np.float64)


def _stops_of(lin: A) -> float:
    return float(_stops(np.array(lin @ AP1_LUMINANCE)))


def _spread(lin: A) -> float:
    return float(np.std(_stops(lin @ AP1_LUMINANCE)))


def _scene_values(stage: str, lin: A) -> Values:
    return Values(
        stage, _scaled(encode(lin, _LOG), _TEN_BITS), _scaled(lin, 100), _stops(lin).tolist(),
        None, lin.tolist(),
    )  # fmt: skip


def _shown_values(signal: A, display: str | None) -> Values:
    code, percent = _scaled(signal, _TEN_BITS), _scaled(signal, 100)
    if display is None:  # an encoding: it has no light of its own
        return Values("output", code, percent)
    found = find_display(display)
    light = found.light_of(decode(np.clip(signal, 0, 1), found.curve)[None])[0]
    return Values("output", code, percent, None, _scaled(light, 100), light.tolist())
