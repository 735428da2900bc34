"""The light that reaches a camera: direct light from five lamps, one bounce, mirrors.

Everything is linear in light, so a camera's colour of each pair (material, lamp) and each chain
(material, second material, lamp) is computed spectrally beforehand; the tracer only weighs them.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.simulate.foundry.materials import INDEX, reflectances
from syntonos.core.simulate.foundry.scene import Scene, View
from syntonos.core.simulate.foundry.surfaces import glow as glow_of
from syntonos.core.simulate.foundry.surfaces import scatter, sky, surface

_LAMPS: Final = 5
_FURNACE: Final = 3
_BRONZE, _BRONZE_PALE = INDEX["bronze"], INDEX["bronze_pale"]
_GLASS_A, _GLASS_B = INDEX["bottle_blue"], INDEX["bottle_green"]


@jit
def _hit(rows: Any, groups: Any, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float,
         far: float) -> Any:  # fmt: skip
    """Return (distance, row) of the nearest hit; row -1 where there is none."""
    best, found = far, -1
    ix, iy, iz = 1 / (dx + 1e-12), 1 / (dy + 1e-12), 1 / (dz + 1e-12)
    for g in range(groups.shape[0]):
        t1, t2 = (groups[g, 2] - ox) * ix, (groups[g, 5] - ox) * ix
        lo, hi = min(t1, t2), max(t1, t2)
        t1, t2 = (groups[g, 3] - oy) * iy, (groups[g, 6] - oy) * iy
        lo, hi = max(lo, min(t1, t2)), min(hi, max(t1, t2))
        t1, t2 = (groups[g, 4] - oz) * iz, (groups[g, 7] - oz) * iz
        lo, hi = max(lo, min(t1, t2)), min(hi, max(t1, t2))
        if hi < max(lo, 0.0) or lo > best:
            continue
        for i in range(int(groups[g, 0]), int(groups[g, 1])):
            q = rows[i]
            px = q[2] * ox + q[3] * oy + q[4] * oz + q[5]
            py = q[6] * ox + q[7] * oy + q[8] * oz + q[9]
            pz = q[10] * ox + q[11] * oy + q[12] * oz + q[13]
            ux = q[2] * dx + q[3] * dy + q[4] * dz
            uy = q[6] * dx + q[7] * dy + q[8] * dz
            uz = q[10] * dx + q[11] * dy + q[12] * dz
            if q[0] == 1.0:  # box
                jx, jy, jz = 1 / (ux + 1e-12), 1 / (uy + 1e-12), 1 / (uz + 1e-12)
                a, b = (-1 - px) * jx, (1 - px) * jx
                near, away = min(a, b), max(a, b)
                a, b = (-1 - py) * jy, (1 - py) * jy
                near, away = max(near, min(a, b)), min(away, max(a, b))
                a, b = (-1 - pz) * jz, (1 - pz) * jz
                near, away = max(near, min(a, b)), min(away, max(a, b))
                if near <= away:
                    t = near if near > 1e-4 else away
                    if 1e-4 < t < best:
                        best, found = t, i
                continue
            if q[0] == 0.0:  # ball
                qa = ux * ux + uy * uy + uz * uz
                qb = px * ux + py * uy + pz * uz
                qc = px * px + py * py + pz * pz - 1
            else:  # tapered tube
                r = q[14] + q[15] * py
                qa = ux * ux + uz * uz - q[15] * q[15] * uy * uy
                qb = px * ux + pz * uz - q[15] * uy * r
                qc = px * px + pz * pz - r * r
            root = qb * qb - qa * qc
            if root < 0 or abs(qa) < 1e-14:
                continue
            root = math.sqrt(root)
            for sign in (-1.0, 1.0):
                t = (-qb + sign * root) / qa
                if 1e-4 < t < best and (q[0] == 0.0 or abs(py + t * uy) <= 1.0):
                    best, found = t, i
    return best, found


@jit
def _normal(q: Any, x: float, y: float, z: float, dx: float, dy: float, dz: float) -> Any:
    px = q[2] * x + q[3] * y + q[4] * z + q[5]
    py = q[6] * x + q[7] * y + q[8] * z + q[9]
    pz = q[10] * x + q[11] * y + q[12] * z + q[13]
    lx, ly, lz = px, py, pz
    if q[0] == 1.0:
        ax, ay, az = abs(px), abs(py), abs(pz)
        lx = math.copysign(1.0, px) if ax >= ay and ax >= az else 0.0
        ly = math.copysign(1.0, py) if ay > ax and ay >= az else 0.0
        lz = math.copysign(1.0, pz) if az > ax and az > ay else 0.0
    elif q[0] == 2.0:
        # The slope blends between the tube's ends, so that a profile of many tubes looks smooth;
        # it is in world units, hence the length of the half axis.
        half = 1 / math.sqrt(q[6] * q[6] + q[7] * q[7] + q[8] * q[8])
        slope = q[16] + (q[17] - q[16]) * (py * 0.5 + 0.5)
        ly = -slope * half * math.sqrt(px * px + pz * pz)
    nx = q[2] * lx + q[6] * ly + q[10] * lz
    ny = q[3] * lx + q[7] * ly + q[11] * lz
    nz = q[4] * lx + q[8] * ly + q[12] * lz
    n = 1 / math.sqrt(nx * nx + ny * ny + nz * nz + 1e-30)
    if nx * dx + ny * dy + nz * dz > 0:
        n = -n
    return nx * n, ny * n, nz * n


@jit
def _in_window(y: float, z: float) -> bool:
    return 1.0 < y < 2.75 and -2.1 < z < 0.5


@jit
def _lit(rows: Any, groups: Any, x: float, y: float, z: float, nx: float, ny: float, nz: float,
         u1: float, u2: float, light: Any, shadows: bool) -> None:  # fmt: skip
    """Fill light[5] with the irradiance of each lamp over pi, one shadow ray a lamp."""
    x, y, z = x + nx * 2e-3, y + ny * 2e-3, z + nz * 2e-3
    for k in range(5):
        light[k] = 0.0
        area, ax, ay, az = 1.0, 1.0, 0.0, 0.0
        if k == 0:  # sky through the window
            tx, ty, tz = -3.6, 1.0 + 1.75 * u1, -2.1 + 2.6 * u2
            area = 1.75 * 2.6
        elif k == 1:  # sun: parallel, through the window
            dx, dy, dz = -0.80 + 0.012 * (u1 - 0.5), 0.30 + 0.012 * (u2 - 0.5), 0.13
            reach = (x + 3.6) / -dx
            if reach <= 0 or not _in_window(y + reach * dy, z + reach * dz):
                continue
            tx, ty, tz = x + reach * dx, y + reach * dy, z + reach * dz
        elif k == 2:  # lamp over the bench
            tx, ty, tz = -0.75 + 0.12 * (u1 - 0.5), 2.5 + 0.05 * (u2 - 0.5), -0.55 + 0.1 * u1
        elif k == 3:  # furnace mouth and crucible
            tx, ty, tz = 2.1, 0.55 + 0.75 * u1, -2.3 + 0.9 * u2
        else:  # roof light
            tx, ty, tz = -2.0 + 3.6 * u1, 3.4, 0.9 + 1.7 * u2
            area, ax, ay = 3.6 * 1.7, 0.0, -1.0
        dx, dy, dz = tx - x, ty - y, tz - z
        d2 = dx * dx + dy * dy + dz * dz
        d = math.sqrt(d2)
        dx, dy, dz = dx / d, dy / d, dz / d
        facing = nx * dx + ny * dy + nz * dz
        if facing <= 0:
            continue
        if shadows:
            _, other = _hit(rows, groups, x, y, z, dx, dy, dz, d - 0.05)
            if other >= 0:
                continue
        if k == 1:
            light[k] = facing
        elif k == 2:
            light[k] = facing / (d2 + 0.02)
        elif k == 3:
            light[k] = facing * max(dx * 0.9 + 0.1, 0.05) * 0.9 / (d2 + 0.05)
        else:
            light[k] = (
                facing * max(-(dx * ax + dy * ay + dz * az), 0.0) * area / (3.14159 * (d2 + 0.05))
            )


@jit
def _trace(rows: Any, groups: Any, chart_row: int, t0: Any, t1: Any, t2: Any, ox: float, oy: float,
           oz: float, dx: float, dy: float, dz: float, rnd: Any, light: Any, other: Any, out: Any
           ) -> None:  # fmt: skip
    """Add one path's colour to out (2, c): all lamps but the furnace, and the furnace."""
    channels = out.shape[1]
    t, row = _hit(rows, groups, ox, oy, oz, dx, dy, dz, 40.0)
    if row < 0:
        x = ox + dx * t
        if dx < 0:
            reach = (-3.6 - ox) / dx
            y, z = oy + dy * reach, oz + dz * reach
            if _in_window(y, z):
                for c in range(channels):
                    out[0, c] += t0[0, c] * sky(y, z)
                return
        for c in range(channels):
            out[0, c] += t0[4, c] * 0.9  # the roof light itself
        return
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    q = rows[row]
    nx, ny, nz = _normal(q, x, y, z, dx, dy, dz)
    m, tone = surface(rows, row, chart_row, x, y, z)
    glow = glow_of(q, m, x, y, z, ny)
    if glow > 0.0:
        for c in range(channels):
            out[1, c] += t0[3, c] * glow
        return
    metal = m == _BRONZE or m == _BRONZE_PALE
    glass = m == _GLASS_A or m == _GLASS_B
    diffuse = 0.10 if metal else 1.0
    _lit(rows, groups, x, y, z, nx, ny, nz, rnd[0], rnd[1], light, True)
    for k in range(5):
        w = light[k] * tone * diffuse
        if w > 0.0:
            layer = 1 if k == 3 else 0
            for c in range(channels):
                out[layer, c] += w * t1[m, k, c]
    # One more ray: a mirror for metal and glass, else a bounce over the hemisphere.
    if metal or glass:
        rough = 0.05 if metal else 0.01
        if m == _BRONZE_PALE:
            rough = 0.12
        s = 2 * (nx * dx + ny * dy + nz * dz)
        ex = dx - s * nx + rough * (rnd[2] - 0.5)
        ey = dy - s * ny + rough * (rnd[3] - 0.5)
        ez = dz - s * nz + rough * (rnd[4] - 0.5)
        share = 0.9 if metal else 0.06 + 0.5 * (1 + min(s * 0.5, 0.0)) ** 5
    else:
        a, r = 6.2831853 * rnd[2], math.sqrt(rnd[3])
        sx, sy = (0.0, 1.0) if abs(nx) > 0.7 else (1.0, 0.0)
        bx, by, bz = ny * 0 - nz * sy, nz * sx - nx * 0, nx * sy - ny * sx
        n = 1 / math.sqrt(bx * bx + by * by + bz * bz)
        bx, by, bz = bx * n, by * n, bz * n
        cx, cy, cz = ny * bz - nz * by, nz * bx - nx * bz, nx * by - ny * bx
        h = math.sqrt(max(0.0, 1 - rnd[3]))
        ca, sa = r * math.cos(a), r * math.sin(a)
        ex, ey, ez = (
            bx * ca + cx * sa + nx * h,
            by * ca + cy * sa + ny * h,
            bz * ca + cz * sa + nz * h,
        )
        share = tone
    n = 1 / math.sqrt(ex * ex + ey * ey + ez * ez)
    ex, ey, ez = ex * n, ey * n, ez * n
    ox, oy, oz = x + nx * 2e-3, y + ny * 2e-3, z + nz * 2e-3
    t, row2 = _hit(rows, groups, ox, oy, oz, ex, ey, ez, 40.0)
    if row2 < 0:
        if metal or glass:
            reach = (-3.6 - ox) / ex if ex < 0 else -1.0
            if reach > 0 and _in_window(oy + ey * reach, oz + ez * reach):
                w = share * sky(oy + ey * reach, oz + ez * reach)
                for c in range(channels):
                    out[0, c] += w * (t1[m, 0, c] if metal else t0[0, c])
            else:
                for c in range(channels):
                    out[0, c] += share * 0.9 * (t1[m, 4, c] if metal else t0[4, c])
        return  # the window's light on matt things is counted as a lamp
    x2, y2, z2 = ox + ex * t, oy + ey * t, oz + ez * t
    mx, my, mz = _normal(rows[row2], x2, y2, z2, ex, ey, ez)
    m2, tone2 = surface(rows, row2, chart_row, x2, y2, z2)
    glow = glow_of(rows[row2], m2, x2, y2, z2, my)
    if metal and glow > 0.0:  # on matt things the furnace is counted as a lamp
        for c in range(channels):
            out[1, c] += share * glow * t1[m, 3, c]
        return
    _lit(rows, groups, x2, y2, z2, mx, my, mz, rnd[5], rnd[4], other, True)
    for k in range(5):
        # What is lit at the second place, and a little of everything for all further bounces.
        ambient = 0.05 if k == 4 else (0.035 if k == 0 else 0.0)
        w = share * tone2 * (other[k] + ambient)
        layer = 1 if k == 3 else 0
        for c in range(channels):
            if metal or not glass:
                out[layer, c] += w * t2[m, m2, k, c]
            else:
                out[layer, c] += w * t1[m2, k, c]


@jit
def _render_rows(rows: Any, groups: Any, chart_row: int, t0: Any, t1: Any, t2: Any, cam: Any,
                 first: int, last: int, left: int, right: int, width: int, height: int, side: int,
                 out: Any) -> None:  # fmt: skip
    light, other, rnd = np.zeros(5), np.zeros(5), np.zeros(6)
    acc = np.zeros((2, out.shape[3]))
    # An R-sequence in six dimensions, turned per pixel.
    step = np.array([0.8566749, 0.7338919, 0.6287067, 0.5385973, 0.4614028, 0.3952716])
    for y in range(first, last):
        for x in range(left, right):
            acc[:] = 0.0
            for s in range(side * side):
                for k in range(6):
                    v = scatter(x * 7 + k * 131, y * 13 + k * 17) + step[k] * (s + 1)
                    rnd[k] = v - math.floor(v)
                jx = (s % side + scatter(x + s * 7919, y)) / side
                jy = (s // side + scatter(y + s * 104729, x)) / side
                px = (x + jx) / width - 0.5
                py = (0.5 - (y + jy) / height) * height / width
                dx = cam[3] * px + cam[6] * py + cam[9]
                dy = cam[4] * px + cam[7] * py + cam[10]
                dz = cam[5] * px + cam[8] * py + cam[11]
                n = 1 / math.sqrt(dx * dx + dy * dy + dz * dz)
                _trace(rows, groups, chart_row, t0, t1, t2, cam[0], cam[1], cam[2], dx * n, dy * n,
                       dz * n, rnd, light, other, acc)  # fmt: skip
            for i in range(2):
                for c in range(out.shape[3]):
                    out[i, y, x, c] = acc[i, c] / (side * side)


def render_lights(
    scene: Scene,
    view: View,
    sensor: NDArray[np.float64],
    gains: NDArray[np.float64],
    lamps: NDArray[np.float64],
    *,
    width: int,
    height: int,
    side: int,
    threads: int = 2,
    reflect: NDArray[np.float64] | None = None,
    box: tuple[int, int, int, int] | None = None,
) -> NDArray[np.float64]:
    """Render what a sensor receives under several lightings; rays are followed once for all.

    Parameters
    ----------
    sensor : (36, 3) float64
        Sensitivities.
    gains : (3,) float64
        White gains; a 100 % white in the camera's own light gives about 1.
    lamps : (n, 5, 36) float64
        Of each lighting the spectra of window, sun, lamp, furnace and roof light, times strength.
    side : int
        Samples per pixel and axis.
    reflect : (materials, 36) float64, optional
        In place of the materials' usual reflectances.
    box : (left, top, right, bottom), optional
        The part of the picture that is wanted, in pixels.

    Returns
    -------
    (n, 2, height, width, 3) float64
        Of the box's height and width where one is given. Balanced raw: first all lamps but the
        furnace, then the furnace alone (it flickers).
    """
    reflect = reflectances() if reflect is None else reflect
    seen = sensor * gains
    count = len(lamps)
    t0 = np.concatenate([one @ seen for one in lamps], axis=-1)
    t1 = np.concatenate(
        [np.einsum("mw,kw,wc->mkc", reflect, one, seen, optimize=True) for one in lamps], axis=-1
    )
    t2 = np.concatenate(
        [np.einsum("mw,nw,kw,wc->mnkc", reflect, reflect, one, seen, optimize=True)
         for one in lamps], axis=-1,
    )  # fmt: skip
    eye, target = np.array(view.eye), np.array(view.target)
    ahead = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross(ahead, [0, 1, 0])
    right /= np.linalg.norm(right)
    up = np.cross(right, ahead)
    cam = np.concatenate([eye, right, up, ahead * view.focal / 36])
    out = np.zeros((2, height, width, 3 * count))
    left, top, far, bottom = box or (0, 0, width, height)

    def work(band: tuple[int, int]) -> None:
        _render_rows(scene.rows, scene.groups, scene.chart_row, t0, t1, t2, cam, *band, left,
                     far, width, height, side, out)  # fmt: skip

    edges = np.linspace(top, bottom, min(bottom - top, 16) + 1).astype(int)
    with ThreadPoolExecutor(threads) as pool:
        list(pool.map(work, zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True)))
    parts: NDArray[np.float64] = np.moveaxis(out.reshape(2, height, width, count, 3), 3, 0)
    return parts[:, :, top:bottom, left:far]
