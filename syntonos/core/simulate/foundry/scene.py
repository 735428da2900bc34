"""The room as primitives: each is a unit shape with an affine map from world to its own space."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.simulate.foundry.materials import INDEX

BALL, BOX, CONE = 0.0, 1.0, 2.0
# A primitive's row: shape, material, world-to-local 3x4 (12), cone: a, b, normals at both ends;
# of what glows the first of these is how far the fire has moved on.
ROW: Final = 18
Vec = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class View:
    """A camera position: eye and target in metres (y up), focal length on a 36 mm gate."""

    eye: tuple[float, float, float]
    target: tuple[float, float, float]
    focal: float


VIEWS: Final[dict[str, View]] = {
    "a-scene": View((1.20, 1.56, 2.25), (0.10, 1.30, -1.4), 27.0),
    "b-scene": View((0.35, 1.50, 1.95), (0.12, 1.34, -1.2), 31.0),
    "c-scene": View((1.75, 1.62, 1.75), (-0.02, 1.30, -1.2), 33.0),
    "a-chart": View((0.75, 1.52, 1.90), (-0.62, 1.26, -0.9), 34.0),
    "b-chart": View((0.10, 1.50, 1.70), (-0.72, 1.24, -0.8), 36.0),
    "d-scene": View((-0.55, 1.58, 2.05), (0.22, 1.28, -1.2), 29.0),
    "e-scene": View((0.95, 1.72, 1.55), (0.02, 1.36, -1.1), 26.0),
    "d-chart": View((-0.62, 1.52, 1.75), (-0.86, 1.26, -0.8), 37.0),
    "e-chart": View((0.42, 1.66, 1.20), (-0.74, 1.28, -0.8), 28.0),
    "c-chart": View((1.05, 1.58, 1.45), (-0.60, 1.22, -0.8), 33.0),
}


def _up(height: float) -> Vec:
    return np.array([0.0, height, 0.0])


class _Builder:
    def __init__(self) -> None:
        self.rows: list[Vec] = []
        self.groups: list[tuple[int, int]] = []
        self._start = 0

    def close_group(self) -> None:
        if len(self.rows) > self._start:
            self.groups.append((self._start, len(self.rows)))
            self._start = len(self.rows)

    def _add(self, shape: float, material: str, mat: Vec, centre: ArrayLike,
             extra: tuple[float, ...] = ()) -> None:  # fmt: skip
        inverse = np.linalg.inv(mat)
        row = np.zeros(ROW)
        row[0], row[1] = shape, INDEX[material]
        row[2:14] = np.column_stack([inverse, -inverse @ np.asarray(centre, float)]).ravel()
        row[14 : 14 + len(extra)] = extra
        self.rows.append(row)

    def ball(self, material: str, centre: ArrayLike, radii: ArrayLike, turn: Vec | None = None
             ) -> None:  # fmt: skip
        mat = (np.eye(3) if turn is None else turn) @ np.diag(np.broadcast_to(radii, 3))
        self._add(BALL, material, mat, centre)

    def box(self, material: str, centre: ArrayLike, half: ArrayLike, yaw: float = 0.0,
            tilt: float = 0.0) -> None:  # fmt: skip
        self._add(BOX, material, yaw_matrix(yaw) @ tilt_matrix(tilt) @ np.diag(half), centre)

    def cone(self, material: str, low: ArrayLike, high: ArrayLike, r_low: float, r_high: float,
             slopes: tuple[float, float] | None = None, squash: float = 1.0) -> None:  # fmt: skip
        """Add a tapered tube between two points, with balls to close it where it has no slopes."""
        a, b = np.asarray(low, float), np.asarray(high, float)
        axis = b - a
        length = float(np.linalg.norm(axis))
        up = axis / length
        side = np.cross(up, [0.0, 0.0, 1.0])
        side = np.array([1.0, 0, 0]) if np.linalg.norm(side) < 1e-6 else side
        side = side / np.linalg.norm(side)
        mat = np.column_stack([side, up * length / 2, np.cross(side, up) * squash])
        mean, change = (r_low + r_high) / 2, (r_high - r_low) / 2
        s0, s1 = slopes if slopes else (change * 2 / length, change * 2 / length)
        self._add(CONE, material, mat, (a + b) / 2, (mean, change, s0, s1))
        if slopes is None:
            self.ball(material, a, (r_low, r_low, r_low * squash))
            self.ball(material, b, (r_high, r_high, r_high * squash))

    def revolve(self, material: str, base: ArrayLike, profile: ArrayLike) -> None:
        """Add a body of revolution about a vertical axis, with smooth normals."""
        p = np.asarray(profile, float)
        slope = np.gradient(p[:, 0], p[:, 1])
        foot = np.asarray(base, float)
        for i in range(len(p) - 1):
            low, high = foot + _up(p[i, 1]), foot + _up(p[i + 1, 1])
            self.cone(material, low, high, p[i, 0], p[i + 1, 0],
                      (float(slope[i]), float(slope[i + 1])))  # fmt: skip


def yaw_matrix(degrees: float) -> Vec:
    """Turn about the vertical."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])


def tilt_matrix(degrees: float) -> Vec:
    """Turn about the horizontal across."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([[1, 0, 0], [0, c, -s], [0, s, c]])


_BELL: Final = np.array(
    [(0.595, 0), (0.60, 0.02), (0.585, 0.05), (0.56, 0.09), (0.53, 0.13), (0.49, 0.185),
     (0.45, 0.24), (0.415, 0.31), (0.385, 0.38), (0.363, 0.46), (0.345, 0.54), (0.334, 0.62),
     (0.325, 0.70), (0.317, 0.755), (0.305, 0.80), (0.285, 0.845), (0.25, 0.875), (0.2, 0.9),
     (0.13, 0.915), (0.02, 0.92)]
)  # fmt: skip


def _bell(b: _Builder, base: tuple[float, float, float], scale: float, material: str) -> None:
    profile = _BELL * scale
    b.revolve(material, base, profile)
    for height in (0.07, 0.16, 0.18, 0.62, 0.74, 0.76):
        radius = float(np.interp(height * scale, profile[:, 1], profile[:, 0]))
        ring = [(radius, -0.013), (radius + 0.011, -0.004), (radius + 0.011, 0.004),
                (radius, 0.013)]  # fmt: skip
        b.revolve(material, (base[0], base[1] + height * scale, base[2]),
                  np.array(ring) * [1, scale])  # fmt: skip
    b.close_group()


def _worker(b: _Builder, push: Vec) -> None:
    """A founder, turned towards the bell; his right hand is on it and goes with it by `push`."""
    turn = yaw_matrix(34)
    foot = np.array([-0.22, 0.0, -0.95])

    def at(x: float, y: float, z: float, share: float = 0.0) -> Vec:
        return np.asarray(foot + turn @ np.array([x, y, z]) + share * push, float)

    for side in (-1, 1):
        b.cone("overalls", at(0.11 * side, 0.1, 0), at(0.10 * side, 0.86, 0), 0.085, 0.115)
        b.ball("leather", at(0.11 * side, 0.05, 0.06), (0.06, 0.05, 0.13), turn)
    b.ball("overalls", at(0, 0.92, 0), (0.2, 0.17, 0.125), turn)
    b.ball("overalls", at(0, 1.08, 0.0), (0.19, 0.22, 0.128), turn)
    b.ball("shirt", at(0, 1.25, 0), (0.205, 0.24, 0.128), turn)
    b.box("overalls", at(0, 1.21, 0.108), (0.115, 0.13, 0.028), 34, -4)
    for side in (-1, 1):
        b.cone("overalls", at(0.1 * side, 1.3, 0.13), at(0.115 * side, 1.46, 0.045), 0.021, 0.021)
        b.cone("overalls", at(0.115 * side, 1.46, 0.045), at(0.07 * side, 1.33, -0.12), 0.02, 0.02)
        b.ball("bronze", at(0.1 * side, 1.31, 0.142), 0.017)
    b.ball("shirt", at(0, 1.455, 0.01), (0.085, 0.05, 0.075), turn)
    b.box("leather", at(0, 0.78, 0.152), (0.165, 0.27, 0.014), 34, -3)
    b.close_group()
    # Right arm reaches to the bell, left arm rests a hammer on the hip.
    elbow, wrist = at(0.33, 1.2, 0.14, 0.5), at(0.42, 1.27, 0.3, 0.8)
    b.cone("shirt", at(0.2, 1.39, 0.0), elbow, 0.068, 0.058)
    b.cone("shirt", elbow, wrist, 0.057, 0.047)
    b.cone("skin", wrist, at(0.47, 1.33, 0.42, 1), 0.036, 0.03)
    b.ball("skin", at(0.485, 1.355, 0.46, 1), (0.042, 0.05, 0.03), turn)
    for i in range(4):
        x = 0.455 + 0.022 * i
        b.cone("skin", at(x, 1.385, 0.47, 1), at(x + 0.006, 1.45, 0.485, 1), 0.0115, 0.01)
    b.cone("skin", at(0.45, 1.35, 0.45, 1), at(0.425, 1.385, 0.47, 1), 0.013, 0.011)
    b.close_group()
    b.cone("shirt", at(-0.2, 1.39, 0.0), at(-0.29, 1.14, 0.02), 0.068, 0.057)
    b.cone("shirt", at(-0.29, 1.14, 0.02), at(-0.21, 1.0, 0.16), 0.055, 0.045)
    b.cone("skin", at(-0.21, 1.0, 0.16), at(-0.15, 0.98, 0.2), 0.034, 0.03)
    b.ball("skin", at(-0.125, 0.975, 0.215), (0.045, 0.04, 0.04), turn)
    b.cone("plank", at(-0.16, 0.86, 0.26), at(-0.1, 1.17, 0.24), 0.014, 0.014)
    b.box("iron", at(-0.095, 1.2, 0.24), (0.06, 0.03, 0.03), 20)
    b.close_group()
    b.cone("skin", at(0, 1.46, 0.01), at(0, 1.55, 0.02), 0.056, 0.055)
    b.ball("skin", at(0, 1.645, 0.03), (0.079, 0.105, 0.096), turn)
    b.ball("skin", at(0, 1.575, 0.062), (0.055, 0.055, 0.055), turn)
    b.cone("skin", at(0, 1.655, 0.122), at(0, 1.622, 0.138), 0.011, 0.017)
    for side in (-1, 1):
        b.ball("skin", at(0.079 * side, 1.638, 0.02), (0.012, 0.03, 0.02), turn)
        b.ball("shirt", at(0.031 * side, 1.662, 0.114), 0.0115)
        b.ball("iron", at(0.031 * side, 1.661, 0.122), 0.0075)
        b.cone("hair", at(0.016 * side, 1.683, 0.123), at(0.048 * side, 1.681, 0.112), 0.007, 0.005)
        b.cone("hair", at(0.006 * side, 1.603, 0.126), at(0.035 * side, 1.596, 0.112), 0.011, 0.008)
    b.ball("hair", at(0, 1.555, 0.075), (0.055, 0.046, 0.056), turn)
    b.ball("hair", at(0, 1.665, -0.005), (0.083, 0.085, 0.09), turn)
    b.ball("cap", at(0, 1.725, 0.018), (0.093, 0.048, 0.108), turn)
    b.ball("cap", at(0, 1.712, 0.1), (0.072, 0.012, 0.065), turn)
    b.close_group()


def _room(b: _Builder) -> None:
    b.box("brick", (0, 1.7, -3.1), (3.7, 1.75, 0.1))
    b.box("plank", (0, -0.1, 1), (3.7, 0.1, 4.3))
    b.box("plaster", (-3.7, 0.5, 1), (0.1, 0.5, 4.3))
    b.box("plaster", (-3.7, 3.1, 1), (0.1, 0.35, 4.3))
    b.box("plaster", (-3.7, 1.9, 2.9), (0.1, 0.9, 2.4))
    b.box("plaster", (-3.7, 1.9, -2.6), (0.1, 0.9, 0.5))
    b.box("plaster", (3.7, 1.7, 1), (0.1, 1.8, 4.3))
    b.box("plaster", (0, 1.7, 5.3), (3.7, 1.8, 0.1))
    b.box("plaster", (0, 3.5, -1.4), (3.7, 0.1, 1.9))
    b.close_group()
    for z in (-2.1, -1.45, -0.8, -0.15, 0.5):
        b.box("frame", (-3.58, 1.875, z), (0.04, 0.9, 0.03))
    for y in (1.0, 1.58, 2.17, 2.75):
        b.box("frame", (-3.58, y, -0.8), (0.04, 0.028, 1.3))
    b.box("frame", (-3.45, 0.97, -0.8), (0.18, 0.03, 1.45))
    b.close_group()
    for x in (-2.4, -0.4, 1.6):
        b.box("plank_dark", (x, 3.25, 0), (0.1, 0.14, 3.0))
    b.close_group()


def _plant(b: _Builder, x: float, z: float, seed: int, leaves: int) -> None:
    rng = np.random.default_rng(seed)
    b.revolve("terracotta", (x, 1.0, z), [(0.085, 0), (0.105, 0.14), (0.122, 0.145),
                                          (0.122, 0.19), (0.105, 0.195)])  # fmt: skip
    b.ball("hair", (x, 1.17, z), (0.1, 0.02, 0.1))
    for _ in range(leaves):
        angle, height, reach = rng.uniform(0, 360), rng.uniform(0.05, 0.5), rng.uniform(0.06, 0.2)
        out = yaw_matrix(angle) @ np.array([reach, 0, 0])
        turn = yaw_matrix(angle) @ tilt_matrix(rng.uniform(-35, 35)) @ _lean(rng.uniform(-50, 10))
        kind = "leaf" if rng.random() < 0.55 else "leaf_young"
        b.ball(kind, np.array([x, 1.2 + height, z]) + out, (0.085, 0.007, 0.042), turn)
    b.close_group()


def _lean(degrees: float) -> Vec:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])


_BOTTLE: Final = [(0.05, 0), (0.052, 0.01), (0.052, 0.13), (0.04, 0.165), (0.018, 0.19),
                  (0.017, 0.235), (0.021, 0.24), (0.02, 0.255), (0.001, 0.256)]  # fmt: skip
_POT: Final = [(0.07, 0), (0.1, 0.16), (0.112, 0.165), (0.112, 0.2), (0.09, 0.205)]


def _furnishing(b: _Builder) -> None:
    # Bench along the back wall, a shelf above it, a board with a chalked bell between.
    b.box("plank", (-1.15, 0.86, -2.6), (1.35, 0.035, 0.34))
    for x in (-2.4, -1.15, 0.1):
        b.box("plank_dark", (x, 0.42, -2.5), (0.04, 0.41, 0.2))
    b.box("plank", (-1.15, 0.3, -2.55), (1.3, 0.02, 0.28))
    b.box("plank", (-1.6, 1.92, -2.85), (0.95, 0.022, 0.14))
    b.close_group()
    b.box("board", (0.42, 1.92, -2.97), (0.78, 0.5, 0.025))
    for y, half in ((1.395, 0.84), (2.445, 0.84)):
        b.box("plank", (0.42, y, -2.95), (half, 0.03, 0.035))
    for x in (-0.39, 1.23):
        b.box("plank", (x, 1.92, -2.95), (0.03, 0.53, 0.035))
    b.close_group()
    for x, kind in ((-2.2, "bottle_blue"), (-1.98, "bottle_green"), (-1.38, "bottle_blue"),
                    (-0.9, "bottle_green")):  # fmt: skip
        b.revolve(kind, (x, 1.94, -2.85), _BOTTLE)
    b.revolve("terracotta", (-1.68, 1.94, -2.85), _POT)
    b.close_group()
    b.revolve("bucket", (0.02, 0.89, -2.5), [(0.1, 0), (0.13, 0.22), (0.138, 0.225), (0.13, 0.23)])
    b.revolve("terracotta", (-0.6, 0.32, -2.5), _POT)
    b.ball("cloth_ochre", (-0.42, 0.93, -2.45), (0.2, 0.055, 0.13), yaw_matrix(15))
    b.ball("cloth_ochre", (-0.35, 0.97, -2.5), (0.12, 0.05, 0.1), yaw_matrix(-35))
    b.close_group()
    _bell(b, (-0.95, 0.895, -2.5), 0.24, "bronze")
    _bell(b, (-1.33, 0.895, -2.55), 0.33, "bronze_pale")
    _bell(b, (-1.8, 0.895, -2.5), 0.27, "verdigris")
    _bell(b, (-2.15, 0.0, -1.55), 0.72, "bronze_pale")
    # Crates and rope on the right, furnace behind.
    b.box("plank", (2.0, 0.22, -0.5), (0.3, 0.22, 0.26), 12)
    b.box("plank", (2.05, 0.6, -0.55), (0.22, 0.16, 0.2), -14)
    for i in range(5):
        b.revolve("rope", (1.55, 0.03 + 0.045 * i, 0.1), [(0.15, -0.022), (0.17, 0), (0.15, 0.022)])
    b.close_group()
    b.box("brick_dark", (2.75, 0.9, -2.2), (0.6, 0.95, 0.75))
    b.box("brick_pale", (2.75, 2.4, -2.2), (0.34, 0.7, 0.4))
    b.box("iron", (2.14, 0.47, -1.95), (0.05, 0.025, 0.52))
    b.close_group()


def _fire(b: _Builder, moved: float) -> None:
    """The furnace's mouth, and a crucible of bronze before it."""
    b.box("mouth", (2.149, 0.87, -1.95), (0.003, 0.38, 0.46))
    b.rows[-1][14] = moved
    b.close_group()
    x, z = CRUCIBLE
    b.revolve(
        "clay",
        (x, 0.06, z),
        [
            (0.12, 0),
            (0.165, 0.05),
            (0.2, 0.2),
            (0.215, 0.36),
            (0.212, 0.40),
            (0.2, 0.41),
            (0.183, 0.412),
        ],
    )
    b.box("iron", (x, 0.03, z), (0.2, 0.03, 0.2), 20)
    b.ball("melt", (x, 0.06 + 0.408, z), (0.184, 0.004, 0.184))
    b.rows[-1][14] = moved
    b.close_group()


BELL: Final = (0.78, -1.15)  # x and z at rest
CRUCIBLE: Final = (1.58, -1.5)
_ROD: Final = 1.1  # from the beam to the headstock
SWAY: Final = 0.07  # how far the founder's push moves the bell, in metres


def bell_shift(swing: float) -> Vec:
    """Return where the bell hangs (3,), in metres from rest; swing -1 to 1.

    It hangs on two equal rods, so it stays upright.
    """
    x = SWAY * swing
    return np.array([x, _ROD - math.sqrt(_ROD * _ROD - x * x), 0.0])


def _hanging_bell(b: _Builder, shift: Vec) -> None:
    x, y, z = np.array([BELL[0], 0.0, BELL[1]]) + shift
    _bell(b, (x, 1.1 + y, z), 1.06, "bronze")
    b.box("plank_dark", (x, 2.24 + y, z), (0.5, 0.1, 0.1))
    b.cone("iron", (x, 2.05 + y, z), (x, 2.2 + y, z), 0.06, 0.06)
    for side in (-0.36, 0.36):
        b.cone("iron", (x + side, 2.3 + y, z), (BELL[0] + side, 3.4, z), 0.022, 0.022)
    # The clapper stays behind a little.
    hang = x - 0.35 * shift[0]
    b.cone("iron", (hang, 0.98, z), (x, 1.9 + y, z), 0.045, 0.02)
    b.ball("iron", (hang, 1.0, z), 0.085)
    b.close_group()


CHART_CENTRE: Final = (-1.0, 1.3, -0.45)
CHART_HALF: Final = (0.30, 0.205)
CHART_YAW, CHART_TILT = 27.0, -10.0
SLATE_CENTRE: Final = (
    -0.93,
    0.93,
    -0.36,
)  # hung below the chart; what is written on it comes later
SLATE_HALF: Final = (0.19, 0.125)


def slate_corners() -> Vec:
    """Return the corners of the slate's writing side, (4, 3) in metres, clockwise from top left."""
    turn = yaw_matrix(CHART_YAW) @ tilt_matrix(CHART_TILT)
    x, y = SLATE_HALF
    corners = np.array([[-x, y, 0.008], [x, y, 0.008], [x, -y, 0.008], [-x, -y, 0.008]])
    return np.asarray(np.array(SLATE_CENTRE) + corners @ turn.T, float)


def _chart(b: _Builder) -> None:
    b.box("chart_body", CHART_CENTRE, (*CHART_HALF, 0.012), CHART_YAW, CHART_TILT)
    b.box("plank", (-1.0, 1.075, -0.44), (0.3, 0.014, 0.05), CHART_YAW)
    for x, z in ((-0.24, 0.0), (0.24, 0.0), (0.0, -0.35)):
        foot = np.array(CHART_CENTRE) * [1, 0, 1] + yaw_matrix(CHART_YAW) @ [x * 1.5, 0, z]
        head = np.array(CHART_CENTRE) + yaw_matrix(CHART_YAW) @ [x * 0.45, -0.2, -0.03]
        b.cone("plank_dark", foot, head, 0.018, 0.015)
    b.box("slate", SLATE_CENTRE, (*SLATE_HALF, 0.008), CHART_YAW, CHART_TILT)
    b.close_group()


@dataclass(frozen=True, slots=True)
class Scene:
    """Primitives (n, ROW), groups as (start, stop, box low 3, box high 3), the chart's index."""

    rows: Vec
    groups: Vec
    chart_row: int


def _bounds(rows: Vec) -> Vec:
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for row in rows:
        inverse = row[2:14].reshape(3, 4)
        mat = np.linalg.inv(inverse[:, :3])
        centre = -mat @ inverse[:, 3]
        scale = mat.copy()
        if row[0] == CONE:
            radius = abs(row[14]) + abs(row[15])
            scale[:, 0] *= radius
            scale[:, 2] *= radius
        ball = row[0] == BALL
        reach = np.sqrt((scale**2).sum(axis=1)) if ball else np.abs(scale).sum(axis=1)
        low, high = np.minimum(low, centre - reach), np.maximum(high, centre + reach)
    return np.concatenate([low - 1e-4, high + 1e-4])


def project(view: View, points: ArrayLike, width: int, height: int) -> Vec:
    """Return where points (..., 3) in metres are seen: (..., 2) x and y in pixels."""
    eye, target = np.array(view.eye), np.array(view.target)
    ahead = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross(ahead, [0, 1, 0])
    right /= np.linalg.norm(right)
    to = np.asarray(points, float) - eye
    scale = view.focal / 36 * width / (to @ ahead)
    return np.stack(
        [width / 2 + (to @ right) * scale, height / 2 - (to @ np.cross(right, ahead)) * scale], -1
    )


def build_scene(*, with_chart: bool, swing: float = 0.0, fire: float = 0.0) -> Scene:
    """Build the room, with the chart on its easel or without.

    Parameters
    ----------
    swing : float
        Where the bell swings, -1 to 1; the founder's hand goes with it.
    fire : float
        How far the fire has moved on, 0 to 1; it comes round.
    """
    b = _Builder()
    shift = bell_shift(swing)
    _room(b)
    _hanging_bell(b, shift)
    _worker(b, shift)
    _furnishing(b)
    _fire(b, fire)
    _plant(b, -3.3, -1.7, 3, 46)
    _plant(b, -3.32, -0.45, 5, 38)
    chart_row = -1
    if with_chart:
        chart_row = len(b.rows)
        _chart(b)
    rows = np.stack(b.rows)
    groups = np.stack(
        [np.concatenate([[start, stop], _bounds(rows[start:stop])]) for start, stop in b.groups]
    )
    return Scene(rows, groups, chart_row)
