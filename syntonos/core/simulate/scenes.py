"""Simulated sets that two cameras see from two places: walls, floor, cards, balls, sheen, motion.

A set is a room of patterned surfaces under one light. Each surface mixes three reflectances by
patterns, is shaded by where the lamp stands, and some shine: their sheen depends on where the
camera stands, so that it tells nothing of the cameras' colour. Rays are followed to their first
surface only, which is what tells where two pictures show the same.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.objects import measured_objects, random_objects
from syntonos.core.simulate.spectra import Spectrum

A = NDArray[np.float64]
F = NDArray[np.float32]
WIDTH: Final = 960
HEIGHT: Final = 540
_OVER = 2  # samples per pixel and axis
_TEXELS = 512
_DEPTH_ALIKE = 0.02  # metres that two cameras' ways to one place may differ


@dataclass(frozen=True, slots=True)
class Surface:
    """A flat rectangle, or a ball where `radius` is given; metres, x right, y up, z away.

    `colours` are rows of the set's reflectances; `patterns` name two of its patterns, `scale` is
    how many metres one of them covers, `contrast` how far the first goes. `sheen` is mirrored
    light as a share of the lamp's, in a lobe of power `gloss`.
    """

    centre: A
    across: A  # unit vectors
    up: A
    size: tuple[float, float]
    colours: tuple[int, int, int]
    patterns: tuple[int, int]
    scale: float
    contrast: float
    radius: float = 0.0
    sheen: float = 0.0
    gloss: float = 20.0
    moves: A = field(default_factory=lambda: np.zeros(3))  # metres, until the other frame


@dataclass(frozen=True, slots=True)
class Set:
    """Surfaces, what they are made of, and the lamp."""

    surfaces: tuple[Surface, ...]
    reflectances: A  # (n, 36)
    patterns: tuple[F, ...]
    lamp_at: A
    ambient: float


@dataclass(frozen=True, slots=True)
class View:
    """Where a camera stands and what its lens does.

    `focal` is in half widths of the picture; `bend` is radial distortion, the share by which a
    place at the left edge is drawn in; `fall_off` the light lost there; `blur` is in pixels.
    """

    eye: A
    to: A  # what it looks at
    focal: float
    bend: float = 0.0
    fall_off: float = 0.0
    blur: float = 0.0
    roll: float = 0.0  # radians
    moved: float = 0.0  # 0..1: when, between the two ends of what moves


@dataclass(frozen=True, slots=True)
class Seen:
    """What a view shows: balanced raw, with and without sheen, and which place of which surface."""

    raw: F  # (h, w, 3) as the lens gives it
    matte: F  # (h, w, 3) without sheen and fall-off
    surface: NDArray[np.int32]  # (h, w) -1: nothing
    depth: F  # (h, w) metres from the eye


def random_set(rng: np.random.Generator, *, patches: int = 30) -> Set:
    """Draw a set: back wall, floor, a side wall, and ten to eighteen things before them."""
    kinds = ("smooth", "saturated", "skin", "foliage", "fabric", "metal", "grey")
    share = rng.dirichlet(np.array([6.0, 2.0, 1.0, 1.5, 5.0, 1.5, 2.0]) / 3)
    rows = [random_objects(rng, str(rng.choice(kinds, p=share)), 1)[0] for _ in range(patches)]
    rows += [measured_objects()[i] for i in rng.integers(99, size=10)]
    reflectances = np.asarray(rows)
    patterns = tuple(_pattern(rng, i % 4) for i in range(8))

    def material(scale: float) -> tuple[tuple[int, int, int], tuple[int, int], float, float]:
        colours = tuple(int(i) for i in rng.choice(len(rows), 3, replace=False))
        which = tuple(int(i) for i in rng.choice(len(patterns), 2, replace=False))
        scale *= float(rng.uniform(0.6, 1.3))
        return colours, which, scale, float(rng.uniform(0.15, 1))  # type: ignore[return-value]

    x, y, z = np.eye(3)
    far = float(rng.uniform(5, 8))
    out = [
        Surface(np.array([0, 1.5, far]), x, y, (12, 6), *material(3.0)),
        Surface(np.array([0, -1.2, far / 2]), x, z, (12, 14), *material(2.5),
                sheen=float(rng.uniform(0, 0.2))),
    ]  # fmt: skip
    if rng.random() < 0.6:
        side = float(rng.choice([-1, 1]) * rng.uniform(2.5, 3.5))
        out.append(Surface(np.array([side, 1.5, far / 2]), z, y, (14, 6), *material(2.5)))
    for _ in range(int(rng.integers(10, 19))):
        place = np.array([rng.uniform(-2.4, 2.4), rng.uniform(-1.0, 1.6),
                          rng.uniform(0.5, 0.95) * far])  # fmt: skip
        shine = float(rng.uniform(0.05, 0.5)) if rng.random() < 0.35 else 0.0
        gloss = float(rng.uniform(6, 60))
        moves = rng.normal(0, 0.12, 3) if rng.random() < 0.12 else np.zeros(3)
        if rng.random() < 0.3:
            out.append(Surface(place, x, y, (0, 0), *material(1.2), radius=rng.uniform(0.15, 0.5),
                               sheen=shine, gloss=gloss, moves=moves))  # fmt: skip
            continue
        turn, lean = rng.uniform(-0.9, 0.9), rng.normal(0, 0.2)
        across = np.array([np.cos(turn), 0, np.sin(turn)])
        up = np.array([-np.sin(turn) * np.sin(lean), np.cos(lean), np.cos(turn) * np.sin(lean)])
        size = tuple(float(v) for v in rng.uniform(0.3, 1.3, 2))
        out.append(Surface(place, across, up, size, *material(1.4),  # type: ignore[arg-type]
                           sheen=shine, gloss=gloss, moves=moves))  # fmt: skip
    lamp = np.array([rng.uniform(-4, 4), rng.uniform(2.5, 5), rng.uniform(-3, 2)])
    return Set(tuple(out), reflectances, patterns, lamp, float(rng.uniform(0.15, 0.5)))


def _pattern(rng: np.random.Generator, kind: int) -> F:
    """Return a pattern 0..1: grain of all sizes, blots, tiles, or stripes and marks."""
    n = _TEXELS

    def grain(levels: range, fall: float = 0.6) -> F:
        total = np.zeros((n, n), np.float32)
        for k in levels:
            size = 2**k
            rough = rng.random((size, size)).astype(np.float32)
            total += fall**k * cv2.resize(rough, (n, n), interpolation=cv2.INTER_CUBIC)
        low, high = np.percentile(total, [5, 95])
        return np.asarray(np.clip((total - low) / (high - low), 0, 1), np.float32)

    if kind == 0:
        return grain(range(2, 8), 0.8)
    if kind == 1:
        soft = grain(range(3, 7), 0.7)
        return np.asarray(np.clip((soft - 0.5) * 12 + 0.5, 0, 1), np.float32)
    if kind == 2:
        count = int(rng.integers(5, 14))
        tiles = np.kron(rng.random((count, count)), np.ones((n // count + 1,) * 2))[:n, :n]
        return np.asarray(0.85 * tiles + 0.15 * grain(range(4, 7)), np.float32)
    marks = np.zeros((n, n), np.float32)
    for _ in range(int(rng.integers(40, 120))):
        at, size = rng.integers(0, n, 2), rng.integers(4, 60, 2)
        cv2.rectangle(marks, at.tolist(), (at + size).tolist(), float(rng.random()), -1)
    return np.asarray(0.9 * marks + 0.1 * grain(range(4, 8)), np.float32)


def look(scene: Set, view: View, camera: SimulatedCamera, lamp: Spectrum) -> Seen:
    """Render a set under a lamp (36,) as balanced raw at 960 x 540, without flare or noise."""
    eye = view.eye.astype(np.float32)
    rays = _rays(view, _grid(_OVER))
    depth, which = _first_hits(scene, view, eye, rays)
    raw = np.zeros((*depth.shape, 3), np.float32)
    shine = np.zeros_like(raw)
    colours = camera.expose(scene.reflectances * lamp).astype(np.float32) * 0.95
    own = camera.expose(lamp).astype(np.float32)
    for number, s in enumerate(scene.surfaces):
        mine = which == number
        if not mine.any():
            continue
        point = eye + rays[mine] * depth[mine][:, None]
        raw[mine], gleam = _shaded(scene, s, view, point, rays[mine], colours)
        shine[mine] = gleam[:, None] * own
    size = WIDTH, HEIGHT
    fall = _fall_off(view)
    matte, full = (
        _blurred(cv2.resize(p, size, interpolation=cv2.INTER_AREA), view.blur)
        for p in (raw, raw + shine)
    )
    middle = _rays(view, _grid(1))
    depth, which = _first_hits(scene, view, eye, middle)
    return Seen(full * fall[..., None], matte, which, depth)


def _grid(over: int) -> F:
    """Return places (h, w, 2) in half widths from the middle, y down."""
    x = (np.arange(WIDTH * over) + 0.5) / (WIDTH * over / 2) - 1
    y = ((np.arange(HEIGHT * over) + 0.5) / (HEIGHT * over / 2) - 1) * HEIGHT / WIDTH
    return np.stack(np.meshgrid(x, y), axis=-1).astype(np.float32)


def _axes(view: View) -> A:
    """Return right, up and forward as rows."""
    forward = (view.to - view.eye) / np.linalg.norm(view.to - view.eye)
    right = np.cross([0.0, 1.0, 0.0], forward)
    right /= np.linalg.norm(right)
    up = np.cross(forward, right)
    c, s = np.cos(view.roll), np.sin(view.roll)
    return np.stack([c * right + s * up, c * up - s * right, forward])


def _rays(view: View, places: F) -> F:
    """Return unit rays through places of the picture."""
    straight = places * (1 + view.bend * (places**2).sum(axis=-1, keepdims=True))
    axes = _axes(view).astype(np.float32)
    out = straight[..., :1] * axes[0] - straight[..., 1:] * axes[1] + view.focal * axes[2]
    return np.asarray(out / np.linalg.norm(out, axis=-1, keepdims=True), np.float32)


def _first_hits(scene: Set, view: View, eye: F, rays: F) -> tuple[F, NDArray[np.int32]]:
    depth = np.full(rays.shape[:2], np.inf, np.float32)
    which = np.full(rays.shape[:2], -1, np.int32)
    for number, s in enumerate(scene.surfaces):
        far = _distance(s, view, eye, rays)
        near = far < depth
        depth[near] = far[near]
        which[near] = number
    return depth, which


def _distance(s: Surface, view: View, eye: F, rays: F) -> F:
    centre = (s.centre + view.moved * s.moves).astype(np.float32)
    off = centre - eye
    if s.radius:
        along = rays @ off
        square = along**2 - (off @ off - s.radius**2)
        far = along - np.sqrt(np.maximum(square, 0))
        return np.asarray(np.where((square > 0) & (far > 0), far, np.inf), np.float32)
    across, up = s.across.astype(np.float32), s.up.astype(np.float32)
    normal = np.cross(across, up)
    slope = rays @ normal
    far = (off @ normal) / np.where(np.abs(slope) < 1e-6, 1e-6, slope)
    u = far * (rays @ across) - off @ across
    v = far * (rays @ up) - off @ up
    hit = (far > 0) & (np.abs(u) < s.size[0] / 2) & (np.abs(v) < s.size[1] / 2)
    return np.asarray(np.where(hit, far, np.inf), np.float32)


def _shaded(
    scene: Set, s: Surface, view: View, point: F, rays: F, colours: F
) -> tuple[F, F]:  # fmt: skip
    """Return what points of a surface send (n, 3), and their sheen (n,) as a share of the lamp."""
    centre = (s.centre + view.moved * s.moves).astype(np.float32)
    off = point - centre
    if s.radius:
        normal = off / s.radius
        u = np.arctan2(normal[:, 0], normal[:, 2]) * s.radius
        v = np.arcsin(np.clip(normal[:, 1], -1, 1)) * s.radius
    else:
        flat = np.cross(s.across, s.up).astype(np.float32)
        facing = np.where((rays @ flat) > 0, -1, 1).astype(np.float32)
        normal = flat * facing[:, None]
        u, v = off @ s.across.astype(np.float32), off @ s.up.astype(np.float32)
    to_lamp = scene.lamp_at.astype(np.float32) - point
    way = np.linalg.norm(to_lamp, axis=1)
    to_lamp /= way[:, None]
    facing = np.maximum((normal * to_lamp).sum(axis=1), 0)
    lit = scene.ambient + (1 - scene.ambient) * facing * (5 / np.maximum(way, 1)) ** 2
    a, b = (_drawn(scene.patterns[k], u, v, s.scale) for k in s.patterns)
    first, second, third = (colours[k] for k in s.colours)
    base = first + s.contrast * a[:, None] * (second - first)
    base = base + (b > 0.62)[:, None] * (b[:, None] - 0.62) / 0.38 * (third - base)
    half = to_lamp - rays
    half /= np.linalg.norm(half, axis=1, keepdims=True)
    gleam = s.sheen * np.maximum((half * normal).sum(axis=1), 0) ** s.gloss
    return base * lit[:, None], np.asarray(gleam, np.float32)


def _drawn(pattern: F, u: F, v: F, scale: float) -> F:
    at = [np.mod(w / scale, 1).astype(np.float32) * (_TEXELS - 1) for w in (u, v)]
    # remap takes at most 32767 rows.
    out = np.empty(len(u), np.float32)
    for start in range(0, len(u), 32_000):
        part = slice(start, start + 32_000)
        x, y = (w[part][:, None] for w in at)
        out[part] = cv2.remap(pattern, x, y, cv2.INTER_LINEAR)[:, 0]
    return out


def _fall_off(view: View) -> F:
    places = _grid(1)
    return np.asarray(1 - view.fall_off * (places**2).sum(axis=-1), np.float32)


def _blurred(picture: F, blur: float) -> F:
    return cv2.GaussianBlur(picture, (0, 0), blur) if blur > 0.1 else picture


def same_places(
    scene: Set, views: tuple[View, View], seen: tuple[Seen, Seen], step: int = 6
) -> tuple[A, A]:
    """Return pixels (n, 2), x and y, of a reference and an angle that show the same place.

    Every `step` pixels of the reference, where the angle sees the same surface, unhidden.
    """
    first, second = views
    y, x = np.mgrid[step // 2 : HEIGHT : step, step // 2 : WIDTH : step]
    rays = _rays(first, _grid(1))[y, x]
    which, depth = seen[0].surface[y, x], seen[0].depth[y, x]
    kept = which >= 0
    point = first.eye + rays[kept] * depth[kept][:, None]
    number = which[kept]
    moves = np.stack([s.moves for s in scene.surfaces])[number]
    point = point + (second.moved - first.moved) * moves
    off = (point - second.eye) @ _axes(second).T
    ahead = off[:, 2] > 0.05
    straight = off[:, :2] / np.where(ahead, off[:, 2], 1.0)[:, None] * second.focal * [1, -1]
    places = straight.copy()
    for _ in range(8):  # the lens' bend, undone by repeating
        places = straight / (1 + second.bend * (places**2).sum(axis=1, keepdims=True))
    column = (places[:, 0] + 1) * WIDTH / 2 - 0.5
    row = (places[:, 1] * WIDTH / HEIGHT + 1) * HEIGHT / 2 - 0.5
    inside = ahead & (column > 4) & (column < WIDTH - 5) & (row > 4) & (row < HEIGHT - 5)
    r, c = (np.where(inside, np.round(v), 0).astype(int) for v in (row, column))
    way = np.linalg.norm(point - second.eye, axis=1)
    same = inside & (seen[1].surface[r, c] == number)
    same &= np.abs(seen[1].depth[r, c] - way) < _DEPTH_ALIKE + 0.01 * way
    here = np.column_stack([x[kept], y[kept]])[same].astype(np.float64)
    return here, np.column_stack([column, row])[same]
