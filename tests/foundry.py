"""Which pixels of two cameras of the demo show the same place: traced, not guessed."""

import numpy as np

from syntonos.core.simulate.foundry.materials import NAMES
from syntonos.core.simulate.foundry.scene import VIEWS, build_scene, project
from syntonos.core.simulate.foundry.tracing import _hit

# What mirrors or glows looks otherwise from every side: no place of it is the same in two views.
MIRRORS = ("bronze", "bottle", "melt", "mouth")
WIDTH, HEIGHT = 960, 540


def _rays(view, points):
    """Directions (n, 3) from a view's eye through pixels (n, 2) of 960 x 540."""
    eye, target = np.array(view.eye), np.array(view.target)
    ahead = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross(ahead, [0, 1, 0])
    right /= np.linalg.norm(right)
    x = points[:, :1] / WIDTH - 0.5
    y = (0.5 - points[:, 1:] / HEIGHT) * HEIGHT / WIDTH
    out = x * right + y * np.cross(right, ahead) + ahead * view.focal / 36
    return out / np.linalg.norm(out, axis=1, keepdims=True)


def same_places(first, second, step=12):
    """Return pixels (n, 2) of two views, x and y of 960 x 540, that show the same places."""
    scene = build_scene(with_chart=False)
    one, two = VIEWS[first], VIEWS[second]
    grid = np.stack(np.meshgrid(np.arange(step / 2, WIDTH, step),
                                np.arange(step / 2, HEIGHT, step)), -1).reshape(-1, 2)  # fmt: skip
    found = []
    for pixel, ray in zip(grid, _rays(one, grid), strict=True):
        far, row = _hit(scene.rows, scene.groups, *one.eye, *ray, 1e3)
        if row < 0 or any(word in NAMES[int(scene.rows[row, 1])] for word in MIRRORS):
            continue
        point = np.array(one.eye) + far * ray
        to = point - np.array(two.eye)
        away = float(np.linalg.norm(to))
        there = project(two, point, WIDTH, HEIGHT)
        if not (8 < there[0] < WIDTH - 8 and 8 < there[1] < HEIGHT - 8):
            continue
        seen, other = _hit(scene.rows, scene.groups, *two.eye, *(to / away), 1e3)
        if other == row and abs(seen - away) < 0.02:
            found.append((*pixel, *there))
    both = np.array(found)
    return both[:, :2], both[:, 2:]
