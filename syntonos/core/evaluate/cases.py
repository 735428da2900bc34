"""Cases that fits are judged on: two simulated cameras, a light, and what went wrong on the day."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts import CHART_24, ChartLayout, ChartReading, find_layout, read_chart
from syntonos.core.encodings import AP1, decode, find_encoding, gamut_matrix, take_levels_off
from syntonos.core.evaluate.pairs import balance_for, random_camera
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.chart import chart_image, reflectances_of
from syntonos.core.simulate.lights import random_light
from syntonos.core.simulate.objects import measured_objects, random_objects
from syntonos.core.simulate.sensors import measured_sensor, random_sensor
from syntonos.core.simulate.spectra import NM, Spectrum, chart_reflectances

A = NDArray[np.float64]
KNOWN_FAMILIES: Final = ("bumps", "warped", "dyes")


@dataclass(frozen=True, slots=True)
class Side:
    """One camera's side of a case."""

    camera: SimulatedCamera
    declared_levels: str
    gradient: tuple[float, float] = (0.0, 0.0)  # of light, edge to edge of the chart
    glare: tuple[tuple[int, float], ...] = ()  # patch from 0, share of white
    flare_light: tuple[float, float, float] = (1.0, 1.0, 1.0)


@dataclass(frozen=True, slots=True)
class Case:
    """Both sides, the light and the chart."""

    name: str
    seed: int
    reference: Side
    angle: Side
    lamp: Spectrum
    patches: A  # (n, 36) reflectances of the chart that was shot
    frames: int = 3
    pitch: int = 26
    layout: ChartLayout = CHART_24


@cache
def off_chart_objects() -> tuple[A, NDArray[np.str_]]:
    """Return the reflectances that fits are judged on, (n, 36), and their kinds."""
    rng = np.random.default_rng(1234)
    counts = {"smooth": 70, "saturated": 50, "skin": 40, "foliage": 40, "fabric": 50, "metal": 30}
    rows = [random_objects(rng, kind, n) for kind, n in counts.items()]
    kinds = [np.repeat(kind, n) for kind, n in counts.items()]
    rows += [measured_objects(), random_objects(rng, "grey", 12)]
    kinds += [np.repeat("measured", 99), np.repeat("grey", 12)]
    return np.concatenate(rows), np.concatenate(kinds)


def read_side(case: Case, side: Side, *, levels: str | None = None) -> ChartReading:
    """Render the chart as this camera stores it, and read it where it is known to be."""
    camera = side.camera
    raw = camera.expose(case.patches * case.lamp) * 0.95
    for patch, share in side.glare:
        raw[patch] += share
    picture, centres = chart_image(raw, case.pitch, case.layout)
    h, w = picture.shape[:2]
    across, down = np.linspace(-0.5, 0.5, w), np.linspace(-0.5, 0.5, h)
    lit = 1 + side.gradient[0] * across[None, :] + side.gradient[1] * down[:, None]
    rng = np.random.default_rng(case.seed * 2 + (side is case.angle))
    frames = [
        camera.record(picture * lit[..., None], rng, flare_light=side.flare_light)
        for _ in range(case.frames)
    ]
    return read_chart(
        frames, centres[[i - 1 for i in case.layout.corner_patches]],
        find_encoding(camera.encoding), levels=levels or side.declared_levels, layout=case.layout,
    )  # fmt: skip


def off_chart(
    case: Case, side: Side, levels: str | None = None, objects: A | None = None
) -> A:  # fmt: skip
    """Return what a camera records of the off-chart objects, noise-free scene-linear AP1.

    It is decoded with the levels that the camera truly wrote, or with those given; `objects` are
    other reflectances (n, 36).
    """
    code = off_chart_codes(case, side, objects)
    encoding = find_encoding(side.camera.encoding)
    lin = decode(take_levels_off(code, levels or side.camera.levels), encoding.curve)
    return np.asarray(lin @ gamut_matrix(encoding.gamut, AP1).T, np.float64)


def off_chart_codes(case: Case, side: Side, objects: A | None = None) -> A:
    """Return the code values (n, 3) of the off-chart objects, noise-free and not rounded."""
    camera = replace(side.camera, noise=0.0, bits=None, clip=1e3)
    objects = off_chart_objects()[0] if objects is None else objects
    raw = camera.expose(objects * case.lamp) * 0.95
    return camera.record(raw, flare_light=side.flare_light).astype(np.float64)


_Draw = Callable[[np.random.Generator, int], Case]


def base_case(
    rng: np.random.Generator, seed: int, name: str, kind: str, families: tuple[str, ...],
    *, related: bool,
) -> Case:  # fmt: skip
    """Draw an ordinary case: two cameras, a light of a kind, the 24-patch chart."""
    light = random_light(rng, kind)
    first = (
        measured_sensor(int(rng.random() < 0.3))
        if rng.random() < 0.25
        else random_sensor(rng, str(rng.choice(families)))
    )
    second = random_sensor(rng, str(rng.choice(families)))
    if related:
        second = 0.72 * first + 0.28 * second
    sides = []
    for sensor in (first, second):
        camera = random_camera(rng, sensor, balance_for(rng, light), 0.04)
        levels = str(rng.choice(["full", "legal"]))
        camera = replace(camera, bits=10, noise=float(rng.uniform(0.005, 0.02)), levels=levels,
                         flare=0.0005, stops=float(rng.normal(0, 0.1)))  # fmt: skip
        sides.append(Side(camera, levels))
    return Case(name, seed, sides[0], sides[1], light, chart_reflectances())


def _set(side: Side, **changes: object) -> Side:
    return replace(side, camera=replace(side.camera, **changes))  # type: ignore[arg-type]


def _ordinary(rng: np.random.Generator, seed: int, name: str, *, related: bool) -> Case:
    kind = str(rng.choice(["daylight", "tungsten", "mixed", "led"]))
    return base_case(rng, seed, name, kind, KNOWN_FAMILIES, related=related)


def _related_daylight(rng: np.random.Generator, seed: int) -> Case:
    return base_case(rng, seed, "related-daylight", "daylight", KNOWN_FAMILIES, related=True)


def _related_tungsten(rng: np.random.Generator, seed: int) -> Case:
    return base_case(rng, seed, "related-tungsten", "tungsten", KNOWN_FAMILIES, related=True)


def _unseen(rng: np.random.Generator, seed: int) -> Case:
    kind = str(rng.choice(["daylight", "tungsten"]))
    return base_case(rng, seed, "unseen-family", kind, ("eye",), related=False)


def _off_together(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "off-together", related=True)
    other = random_light(rng, "tungsten" if rng.random() < 0.5 else "daylight")
    angle = _set(case.angle, stops=float(rng.uniform(-1.5, 1.2)),
                 white_light=0.5 * other + 0.5 * case.lamp)  # fmt: skip
    return replace(case, angle=angle)


def _flare(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "tinted-flare", related=bool(rng.random() < 0.5))
    tint = tuple(float(v) for v in np.exp(rng.normal(0, 0.2, 3)))
    angle = replace(_set(case.angle, flare=0.02), flare_light=tint)  # type: ignore[arg-type]
    return replace(case, angle=angle)


def _glare(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "gradient-glare", related=bool(rng.random() < 0.5))
    start = int(rng.integers(0, 18))
    group = [start, start + 6, start + 1 if start % 6 < 5 else start - 1]
    glare = tuple((i, float(rng.uniform(0.03, 0.15))) for i in group)
    slopes = rng.uniform(-0.2, 0.2, (2, 2))
    reference = replace(case.reference, gradient=(float(slopes[0, 0]), float(slopes[0, 1])))
    angle = replace(case.angle, gradient=(float(slopes[1, 0]), float(slopes[1, 1])), glare=glare)
    return replace(case, reference=reference, angle=angle)


def _noise(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "strong-noise", related=bool(rng.random() < 0.5))
    return replace(case, angle=_set(case.angle, noise=0.2), frames=6, pitch=18,
                   reference=_set(case.reference, noise=0.12))  # fmt: skip


def _worn(rng: np.random.Generator, seed: int) -> Case:
    case = base_case(rng, seed, "worn-mixed", "mixed", KNOWN_FAMILIES, related=False)
    yellow = 1 - rng.uniform(0.1, 0.3) / (1 + np.exp((NM - 470) / 25))
    dirt = np.exp(rng.normal(0, 0.05, (24, 1))) * (1 - rng.uniform(0, 0.08, (24, 1)))
    return replace(case, patches=case.patches * yellow * dirt + rng.uniform(0, 0.004, (24, 1)))


def _under(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "under-tinted-black", related=bool(rng.random() < 0.5))
    tint = tuple(float(v) for v in np.exp(rng.normal(0, 0.3, 3)))
    angle = replace(_set(case.angle, stops=-3.0, flare=0.01), flare_light=tint)  # type: ignore[arg-type]
    return replace(case, angle=angle)


def _clipped(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "white-clipped", related=bool(rng.random() < 0.5))
    return replace(case, angle=_set(case.angle, stops=1.3, clip=float(rng.uniform(1.3, 1.9))))


def _led(rng: np.random.Generator, seed: int) -> Case:
    return base_case(rng, seed, "poor-led", "poor-led", (*KNOWN_FAMILIES, "eye"), related=False)


def _lines(rng: np.random.Generator, seed: int) -> Case:
    return base_case(rng, seed, "line-spectrum", "lines", (*KNOWN_FAMILIES, "eye"), related=False)


def _stage(rng: np.random.Generator, seed: int) -> Case:
    return base_case(rng, seed, "stage-light", "stage", KNOWN_FAMILIES, related=False)


def _twisted(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "no-matrix", related=bool(rng.random() < 0.5))
    return replace(case, angle=_set(case.angle, twist=float(rng.choice([-1, 1]) * 0.22)))


def _levels(rng: np.random.Generator, seed: int) -> Case:
    case = _ordinary(rng, seed, "wrong-levels", related=bool(rng.random() < 0.5))
    side = "angle" if rng.random() < 0.7 else "reference"
    true = getattr(case, side).camera.levels
    wrong = replace(getattr(case, side), declared_levels="legal" if true == "full" else "full")
    return replace(case, **{side: wrong})


def _of_chart(slug: str) -> _Draw:
    def draw(rng: np.random.Generator, seed: int) -> Case:
        case = _ordinary(rng, seed, slug, related=bool(rng.random() < 0.5))
        layout = find_layout(slug)
        return replace(case, patches=reflectances_of(layout, rng), layout=layout, pitch=20)

    return draw


CLASSES: Final[tuple[_Draw, ...]] = (
    _related_daylight, _related_tungsten, _unseen, _off_together, _flare, _glare, _noise, _worn,
    _under, _clipped, _led, _lines, _stage, _twisted, _levels,
)  # fmt: skip


# Other charts under ordinary conditions; apart from the classes that the targets speak of.
OTHERS: Final = (_of_chart("grid-140"), _of_chart("double-48"))


def draw_cases(per_class: int, seed: int, classes: Sequence[_Draw] = CLASSES) -> list[Case]:
    """Return cases of every class; the same seed gives the same cases."""
    out = []
    for index, draw in enumerate(classes):
        for k in range(per_class):
            number = seed + 1000 * index + k
            out.append(draw(np.random.default_rng(number), number))
    return out
