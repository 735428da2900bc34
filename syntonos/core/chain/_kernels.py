"""Compiled loops of the engine: one interpreter over tiles of pixels.

A program is an array of opcodes with a row of parameters each. The tile is a structure of arrays
(three planes of 512 values), small enough to stay in the first-level cache and regular enough for
the compiler to use vector instructions.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core._math import exp2, log2
from syntonos.core.chain._lut_kernels import look_up_cube, look_up_curves
from syntonos.core.chain._rows import mix_corners_of_two, mix_rows_of_two, on_four_lines
from syntonos.core.chain.colour_model import CDL_LUMA, REACH
from syntonos.core.chain.tile import TILE, load, store
from syntonos.core.chain.tone import tone_scalar
from syntonos.core.encodings import loops, scalar

OP_LEVELS, OP_AFFINE, OP_CLAMP, OP_TONE, OP_AFFINE_TO_CLIP, OP_MODEL = 0, 1, 2, 3, 4, 5
OP_CDL, OP_KEEP, OP_BLEND, OP_LUT_3D, OP_LUT_1D, OP_COMPRESS, OP_SCENE_LIGHT = range(6, 13)
OP_CLAMPED_ROOT = 13
OP_HIGHLIGHTS = 15
OP_BY_LUMA, OP_CURVES, OP_RATIO, OP_HUES, OP_SHIFT = 16, 17, 18, 19, 60
OP_HOST = 14  # what the host library does; the kernels never see it
OP_DECODE, OP_ENCODE = 20, 40  # plus the curve family
ENC_POW = OP_ENCODE + scalar.POWER
DEC_TABLE, ENC_TABLE = OP_DECODE + scalar.TABLE, OP_ENCODE + scalar.TABLE
_F0, _F255, _HALF, _TOP = np.float32(0), np.float32(255), np.float32(0.5), np.float32(1)
_QUARTER, _THIRD, _SOFT = np.float32(0.25), np.float32(1 / 3), np.float32(0.05**2)
# The plane of hue and chroma: 1 / sqrt 6, 1 / sqrt 2, and 2 / sqrt 6 on the way back.
_U, _V, _BACK = np.float32(6**-0.5), np.float32(2**-0.5), np.float32(2 * 6**-0.5)
_EIGHTH, _LAST = np.float32(0.125), np.float32(1 - 1e-6)
_I2, _I4, _I6 = np.int32(2), np.int32(4), np.int32(6)
_SIX, _TEN, _FIFTEEN = np.float32(6), np.float32(10), np.float32(15)
_THREE, _LN2 = np.float32(3), np.float32(np.log(2))
_LUMA_R, _LUMA_G, _LUMA_B = (np.float32(weight) for weight in CDL_LUMA)
_REACH, _MILLI, _TINY = np.float32(REACH), np.float32(1e-3), np.float32(1e-9)


@jit
def _levels(x: Any, a: Any) -> None:
    s, o = a[0], a[1]
    for c in range(3):
        row = x[c]
        for i in range(TILE):
            row[i] = row[i] * s + o


@jit
def _affine(x: Any, a: Any) -> None:
    m00, m01, m02, t0 = a[0], a[1], a[2], a[3]
    m10, m11, m12, t1 = a[4], a[5], a[6], a[7]
    m20, m21, m22, t2 = a[8], a[9], a[10], a[11]
    rr, gg, bb = x[0], x[1], x[2]
    for i in range(TILE):
        r, g, b = rr[i], gg[i], bb[i]
        rr[i] = m00 * r + m01 * g + m02 * b + t0
        gg[i] = m10 * r + m11 * g + m12 * b + t1
        bb[i] = m20 * r + m21 * g + m22 * b + t2


@jit
def _affine_to_clip(x: Any, a: Any) -> None:
    """Do as `_affine`, and blend to neutral where the smallest channel nears the clip."""
    m00, m01, m02, t0 = a[0], a[1], a[2], a[3]
    m10, m11, m12, t1 = a[4], a[5], a[6], a[7]
    m20, m21, m22, t2 = a[8], a[9], a[10], a[11]
    start, slope, lr, lg, lb = a[12], a[13], a[14], a[15], a[16]
    rr, gg, bb = x[0], x[1], x[2]
    for i in range(TILE):
        r, g, b = rr[i], gg[i], bb[i]
        low = r if r < g else g
        low = low if low < b else b
        t = (low - start) * slope
        t = t if t > _F0 else _F0
        t = t if t < _TOP else _TOP
        w = t * t * (_THREE - t - t)
        p = m00 * r + m01 * g + m02 * b + t0
        q = m10 * r + m11 * g + m12 * b + t1
        s = m20 * r + m21 * g + m22 * b + t2
        grey = lr * p + lg * q + lb * s
        rr[i] = p + w * (grey - p)
        gg[i] = q + w * (grey - q)
        bb[i] = s + w * (grey - s)


@jit
def _model(x: Any, a: Any, tables: Any, floats: Any) -> None:
    """Run a match stage with roots and smooth residual, and its blend to a clip.

    Parameters: into x (12), matrix (9), out of y (12), clip start and slope, luminance (3), place
    and size of its table. First chromaticities for the whole tile, in vectors, then the lookups,
    one by one.
    """
    start, slope, lr, lg, lb = a[33], a[34], a[35], a[36], a[37]
    size = int(a[39])
    table = tables[int(a[38]) : int(a[38]) + 3 * size * size].reshape(size, size, 3)
    top = np.int32(size - 1)
    edge = np.float32(top)
    scale = edge / (_REACH + _REACH)
    rr, gg, bb = x[0], x[1], x[2]
    keep, light, us, vs = floats[0], floats[1], floats[2], floats[3]
    for i in range(TILE):
        r, g, b = rr[i], gg[i], bb[i]
        low = r if r < g else g
        keep[i] = low if low < b else b
        p = a[0] * r + a[1] * g + a[2] * b + a[3]
        q = a[4] * r + a[5] * g + a[6] * b + a[7]
        s = a[8] * r + a[9] * g + a[10] * b + a[11]
        most = p if p > q else q
        most = most if most > s else s
        floor = (most if most > _TINY else _TINY) * _MILLI
        over = _TOP / (q if q > floor else floor)
        u = (log2((p if p > floor else floor) * over) * _LN2 + _REACH) * scale
        v = (log2((s if s > floor else floor) * over) * _LN2 + _REACH) * scale
        u = u if u > _F0 else _F0
        v = v if v > _F0 else _F0
        us[i] = u if u < edge else edge
        vs[i] = v if v < edge else edge
        lum = lr * p + lg * q + lb * s
        light[i] = lum if lum > _F0 else _F0
        rr[i] = a[12] * p + a[13] * q + a[14] * s
        gg[i] = a[15] * p + a[16] * q + a[17] * s
        bb[i] = a[18] * p + a[19] * q + a[20] * s
    for i in range(TILE):
        iu, iv = min(np.int32(us[i]), top - 1), min(np.int32(vs[i]), top - 1)
        fu, fv = us[i] - np.float32(iu), vs[i] - np.float32(iv)
        w11 = light[i] * fu * fv
        w10, w01 = light[i] * fu - w11, light[i] * fv - w11
        w00 = light[i] - w10 - w01 - w11
        near, far = table[iu], table[iu + 1]
        rr[i] += (w00 * near[iv, 0] + w01 * near[iv + 1, 0]) + (
            w10 * far[iv, 0] + w11 * far[iv + 1, 0]
        )
        gg[i] += (w00 * near[iv, 1] + w01 * near[iv + 1, 1]) + (
            w10 * far[iv, 1] + w11 * far[iv + 1, 1]
        )
        bb[i] += (w00 * near[iv, 2] + w01 * near[iv + 1, 2]) + (
            w10 * far[iv, 2] + w11 * far[iv + 1, 2]
        )
    for i in range(TILE):
        p, q, s = rr[i], gg[i], bb[i]
        r = a[21] * p + a[22] * q + a[23] * s + a[24]
        g = a[25] * p + a[26] * q + a[27] * s + a[28]
        b = a[29] * p + a[30] * q + a[31] * s + a[32]
        t = (keep[i] - start) * slope
        t = t if t > _F0 else _F0
        t = t if t < _TOP else _TOP
        w = t * t * (_THREE - t - t)
        grey = lr * r + lg * g + lb * b
        rr[i] = r + w * (grey - r)
        gg[i] = g + w * (grey - g)
        bb[i] = b + w * (grey - b)


@jit
def _toward_light(x: Any, a: Any) -> None:
    """Give a clipped red or blue what green and the other end say; see `stages.match.Highlights`.

    Parameters: top, exponent of red, exponent of blue, where the blend begins, its slope, most.
    """
    top, warm, cool, start, slope, most = a[0], a[1], a[2], a[3], a[4], a[5]
    green = x[1]
    for side in range(2):
        ends, others = x[2 * side], x[2 - 2 * side]
        power = warm if side == 0 else cool
        for i in range(TILE):
            v = ends[i]
            if v > start:
                mid = green[i] if green[i] < top else top
                low = others[i] if others[i] < top else top
                if low < mid and mid > _TINY:
                    low = low if low > mid * _EIGHTH else mid * _EIGHTH
                    want = mid * exp2((log2(mid) - log2(low)) * power)
                    want = want if want < most else most
                    t = (v - start) * slope
                    t = t if t < _TOP else _TOP
                    if want > v:
                        ends[i] = v + t * t * (_THREE - t - t) * (want - v)


@jit
def _clamp(x: Any, a: Any) -> None:
    lo, hi = a[0], a[1]
    for c in range(3):
        row = x[c]
        for i in range(TILE):
            v = row[i]
            row[i] = lo if v < lo else (hi if v > hi else v)


@jit
def _tone(x: Any, a: Any) -> None:
    p = (a[0], a[1], a[2], a[3], a[4], a[5], a[6], a[7], a[8], a[9])
    for c in range(3):
        row = x[c]
        for i in range(TILE):
            row[i] = tone_scalar(row[i], p)


@jit
def _cdl(x: Any, a: Any) -> None:
    """ASC CDL: slopes, offsets, powers, saturation, whether it clamps, whether powers are one."""
    clamps, plain = a[10] > _F0, a[11] > _F0
    for c in range(3):
        s, o, p = a[c], a[3 + c], a[6 + c]
        row = x[c]
        for i in range(TILE):
            v = row[i] * s + o
            if clamps:
                v = v if v > _F0 else (v if v != v else _F0)
                v = v if v < _TOP else (v if v != v else _TOP)
            if not plain and p != _TOP:
                q = exp2(log2(v if v > _TINY else _TINY) * p)
                v = q if v > _TINY else v
            row[i] = v
    sat = a[9]
    rr, gg, bb = x[0], x[1], x[2]
    if sat != _TOP:
        for i in range(TILE):
            r, g, b = rr[i], gg[i], bb[i]
            luma = _LUMA_R * r + _LUMA_G * g + _LUMA_B * b
            rr[i] = luma + sat * (r - luma)
            gg[i] = luma + sat * (g - luma)
            bb[i] = luma + sat * (b - luma)
    if clamps:
        for c in range(3):
            row = x[c]
            for i in range(TILE):
                v = row[i]
                v = v if v > _F0 else (v if v != v else _F0)
                row[i] = v if v < _TOP else (v if v != v else _TOP)


@jit
def _compress(x: Any, a: Any) -> None:
    """ACES reference gamut compression: threshold, scale (3 each), power, 1/power, strength."""
    power, root, strength = a[6], a[7], a[8]
    rr, gg, bb = x[0], x[1], x[2]
    for i in range(TILE):
        r, g, b = rr[i], gg[i], bb[i]
        ach = r if r > g else g
        ach = ach if ach > b else b
        size = abs(ach)
        for c in range(3):
            v = x[c][i]
            off = ach - v
            over = off - a[c] * size
            if over > _F0 and size > _TINY:
                t = over / (size * a[3 + c])
                t = t * exp2(-log2(_TOP + exp2(log2(t if t > _TINY else _TINY) * power)) * root)
                x[c][i] = v + strength * (ach - size * (a[c] + a[3 + c] * t) - v)


@jit
def _scene_light(x: Any, a: Any) -> None:
    """Undo HLG's system gamma, display light (1 = 100 cd/m2) to signal light 0..3, or apply it.

    Parameters: peak, (1 - gamma) / gamma, three, BT.2020 luminance (3); to apply it three,
    gamma - 1, peak.
    """
    peak, power, three = a[0], a[1], a[2]
    rr, gg, bb = x[0], x[1], x[2]
    for i in range(TILE):
        r, g, b = rr[i] / peak, gg[i] / peak, bb[i] / peak
        y = a[3] * r + a[4] * g + a[5] * b
        k = three * exp2(log2(y if y > _TINY else _TINY) * power)
        rr[i], gg[i], bb[i] = r * k, g * k, b * k


@jit
def _table(x: Any, a: Any, tables: Any, inverse: bool) -> None:
    at = int(a[0])
    for c in range(3):
        row = x[c]
        for i in range(TILE):
            v = row[i]
            row[i] = (
                scalar.table_decode(v, tables, at)
                if inverse
                else scalar.table_encode(v, tables, at)
            )


@jit
def _clamped_root(x: Any, a: Any) -> None:
    p = (a[0], a[1], a[2], a[3], a[4], a[5], a[6], a[7])
    for c in range(3):
        loops.each(x[c], p, scalar.clamped_root)


# Where a table is looked up, arithmetic is done for the whole tile before and after it: only the
# lookups themselves go one by one.


@jit
def _by_luma(x: Any, a: Any) -> None:
    """Offsets and saturation by luminance, from darks over middle to lights by two smooth steps.

    Parameters: luminance (3); where each step begins, and one over how wide it is (4); offsets of
    R, G, B and the saturation of darks, and what middle and lights have more each (12).
    """
    lr, lg, lb = a[0], a[1], a[2]
    dark, rise, light, climb = a[3], a[4], a[5], a[6]
    or_, og, ob, os = a[7], a[8], a[9], a[10]
    mr, mg, mb, ms = a[11], a[12], a[13], a[14]
    hr, hg, hb, hs = a[15], a[16], a[17], a[18]
    rr, gg, bb = x[0], x[1], x[2]
    for i in range(TILE):
        r, g, b = rr[i], gg[i], bb[i]
        luma = lr * r + lg * g + lb * b
        t = (luma - dark) * rise
        t = t if t > _F0 else _F0
        t = t if t < _TOP else _TOP
        s = t * t * t * (t * (t * _SIX - _FIFTEEN) + _TEN)
        q = (luma - light) * climb
        q = q if q > _F0 else _F0
        q = q if q < _TOP else _TOP
        w = q * q * q * (q * (q * _SIX - _FIFTEEN) + _TEN)
        sat = os + s * ms + w * hs
        rr[i] = luma + sat * (r - luma) + (or_ + s * mr + w * hr)
        gg[i] = luma + sat * (g - luma) + (og + s * mg + w * hg)
        bb[i] = luma + sat * (b - luma) + (ob + s * mb + w * hb)


@jit
def _four_of(cells: Any, i: int) -> Any:
    return (
        np.int64(cells[i]), np.int64(cells[i + 1]), np.int64(cells[i + 2]), np.int64(cells[i + 3]),
    )  # fmt: skip


@jit
def _curves(x: Any, a: Any, tables: Any, floats: Any, ints: Any) -> None:
    """Three curves, straight beyond their ends: place, size, low, steps to one.

    The table holds a value and how far the next one is, for each channel.
    """
    at, top, low, scale = int(a[0]), int(a[1]) - 1, a[2], a[3]
    edge = np.float32(top - 1)
    places, cells = floats[0], ints[0]
    for c in range(3):
        row, first = x[c], np.int32(at + 2 * c)
        for i in range(TILE):
            p = (row[i] - low) * scale
            q = p if p > _F0 else _F0
            k = np.int32(q if q < edge else edge)
            cells[i] = np.int32(first + np.int32(_I6 * k))
            places[i] = p - np.float32(k)
        for h in range(TILE // 4):
            i = 4 * h
            on_four_lines(tables, _four_of(cells, i), places, row, i)


@jit
def _ratio(x: Any, a: Any, tables: Any, floats: Any, ints: Any) -> None:
    """A factor by luminance: place, size, low, steps to one (log2), luminance (3)."""
    at, top, low, scale = np.int32(a[0]), int(a[1]) - 1, a[2], a[3]
    lr, lg, lb = a[4], a[5], a[6]
    edge, last = np.float32(top), np.float32(top - 1)
    rr, gg, bb = x[0], x[1], x[2]
    places, cells = floats[0], ints[0]
    for i in range(TILE):
        y = lr * rr[i] + lg * gg[i] + lb * bb[i]
        p = (log2(y if y > _TINY else _TINY) - low) * scale
        p = p if p > _F0 else _F0
        p = p if p < edge else edge
        k = np.int32(p if p < last else last)
        cells[i] = np.int32(at + np.int32(_I2 * k))
        places[i] = p - np.float32(k)
    for h in range(TILE // 4):
        i = 4 * h
        on_four_lines(tables, _four_of(cells, i), places, places, i)
    for i in range(TILE):
        rr[i] *= places[i]
        gg[i] *= places[i]
        bb[i] *= places[i]


@jit
def _hues(x: Any, a: Any, tables: Any, floats: Any, ints: Any) -> None:
    """Turn and scale chroma by hue, and add stops where there is chroma; neutral stays.

    Parameters: place, size of the table over the angle, luminance (3), which is kept.
    """
    at, size = np.int32(a[0]), int(a[1])
    lr, lg, lb = a[2], a[3], a[4]
    scale = np.float32(size) * _QUARTER
    last = np.float32(size - 1)
    rr, gg, bb = x[0], x[1], x[2]
    us, vs, places, lifts, cs, ss = floats[0], floats[1], floats[2], floats[3], floats[4], floats[5]
    cells = ints[0]
    for i in range(TILE):
        r, g, b = rr[i], gg[i], bb[i]
        u = (r + r - g - b) * _U
        v = (g - b) * _V
        us[i], vs[i] = u, v
        most = abs(u) + abs(v)
        e = u / (most if most > _TINY else _TINY)
        t = (_TOP - e if v >= _F0 else _THREE + e) * scale
        k = np.int32(t if t < last else last)
        cells[i] = np.int32(at + np.int32(_I4 * k))
        places[i] = t - np.float32(k)
    rows = cs, ss, lifts
    for h in range(TILE // 2):
        i = 2 * h
        mix_rows_of_two(tables, (np.int64(cells[i]), np.int64(cells[i + 1])), places, rows, i)
    for i in range(TILE):
        r, g, b, u, v = rr[i], gg[i], bb[i], us[i], vs[i]
        # What changes is added: neutral stays to the last bit.
        p, q = (cs[i] - _TOP) * u - ss[i] * v, ss[i] * u + (cs[i] - _TOP) * v
        dr, dg, db = p * _BACK, q * _V - p * _U, -q * _V - p * _U
        c2 = u * u + v * v
        more = lifts[i] * c2 / (c2 + _SOFT) - (lr * dr + lg * dg + lb * db)
        rr[i] = r + dr + more
        gg[i] = g + dg + more
        bb[i] = b + db + more


@jit
def _shift(x: Any, a: Any, tables: Any, floats: Any, ints: Any) -> None:
    """Add a vector by mean and chroma: place; size, low, steps to one of the mean; of chroma.

    Between nodes by tetrahedra, which look at half of a cell's corners. That nothing moves in a
    cell is not asked for first: it takes as long as mixing nothing.
    """
    at, tall, low, rise = np.int32(a[0]), np.int32(a[1]), a[2], a[3]
    wide, edge, scale = np.int32(a[4]), a[5], a[6]
    # A hair below the last node, so that its cell is the one before.
    top_l, top_w = np.float32(tall - 1) * _LAST, np.float32(wide - 1) * _LAST
    rr, gg, bb = x[0], x[1], x[2]
    most, mid, least = floats[0], floats[1], floats[2]
    dr, dg, db = floats[3], floats[4], floats[5]
    cells, near, far = ints[0], ints[1], ints[2]
    row, layer = np.int32(_I4 * wide), np.int32(_I4 * np.int32(wide * wide))
    end = np.int32(np.int32(layer + row) + _I4)
    for i in range(TILE):
        r, g, b = rr[i], gg[i], bb[i]
        mean = ((r + g + b) * _THIRD - low) * rise
        u = ((r + r - g - b) * _U - edge) * scale
        v = ((g - b) * _V - edge) * scale
        mean = mean if mean > _F0 else _F0
        u = u if u > _F0 else _F0
        v = v if v > _F0 else _F0
        mean = mean if mean < top_l else top_l
        u = u if u < top_w else top_w
        v = v if v < top_w else top_w
        il, iu, iv = np.int32(mean), np.int32(u), np.int32(v)
        # Cast back, since a sum of numba's is 64 bit wide and costs half of the vectors.
        cells[i] = np.int32(
            at + np.int32(np.int32(il * layer) + np.int32(np.int32(iu * row) + np.int32(_I4 * iv)))
        )
        fl, fu, fv = mean - np.float32(il), u - np.float32(iu), v - np.float32(iv)
        # The longest step is taken first, the shortest last.
        by_u, by_v = (row if fu >= fv else _I4), (row if fu < fv else _I4)
        near[i] = layer if (fl >= fu) & (fl >= fv) else by_u
        far[i] = np.int32(end - (layer if (fl < fu) & (fl < fv) else by_v))
        high, small = (fu if fu > fv else fv), (fu if fu < fv else fv)
        most[i] = fl if fl > high else high
        least[i] = fl if fl < small else small
        mid[i] = (high if high < fl else fl) if fl > small else small
    shares, moved = (most, mid, least), (dr, dg, db)
    last = np.int64(end)
    for h in range(TILE // 2):
        i = 2 * h
        j, k = np.int64(cells[i]), np.int64(cells[i + 1])
        mix_corners_of_two(
            tables, (j, j + np.int64(near[i]), j + np.int64(far[i]), j + last),
            (k, k + np.int64(near[i + 1]), k + np.int64(far[i + 1]), k + last), shares, moved, i,
        )  # fmt: skip
    for i in range(TILE):
        rr[i] += dr[i]
        gg[i] += dg[i]
        bb[i] += db[i]


@jit
def _curve(x: Any, a: Any, op: int) -> None:
    inverse = op < OP_ENCODE
    for c in range(3):
        loops.run_curve(x[c], op - (OP_DECODE if inverse else OP_ENCODE), inverse, a)


@jit
def room_of_tile() -> Any:
    """Return what a tile is worked on with: for another tile, and for numbers on the way.

    Made once for many tiles: asking for memory costs as much as many an opcode.
    """
    return (
        np.zeros((3, TILE), np.float32),
        np.zeros((6, TILE), np.float32),
        np.zeros((3, TILE), np.int32),
    )


@jit
def run_tile(x: Any, room: Any, ops: Any, params: Any, tables: Any) -> None:
    """Run a program over one tile x (3, TILE) float32, in place, with a `room_of_tile`."""
    kept, floats, ints = room
    for k in range(ops.size):
        op, a = ops[k], params[k]
        if op == OP_AFFINE:
            _affine(x, a)
        elif op == OP_AFFINE_TO_CLIP:
            _affine_to_clip(x, a)
        elif op == OP_MODEL:
            _model(x, a, tables, floats)
        elif op == OP_HIGHLIGHTS:
            _toward_light(x, a)
        elif op == OP_LEVELS:
            _levels(x, a)
        elif op == OP_CLAMP:
            _clamp(x, a)
        elif op == OP_TONE:
            _tone(x, a)
        elif op == OP_CLAMPED_ROOT:
            _clamped_root(x, a)
        elif op == OP_CDL:
            _cdl(x, a)
        elif op == OP_COMPRESS:
            _compress(x, a)
        elif op == OP_LUT_3D:
            look_up_cube(x, a, tables)
        elif op == OP_LUT_1D:
            look_up_curves(x, a, tables)
        elif op == OP_SCENE_LIGHT:
            _scene_light(x, a)
        elif op == OP_BY_LUMA:
            _by_luma(x, a)
        elif op == OP_CURVES:
            _curves(x, a, tables, floats, ints)
        elif op == OP_RATIO:
            _ratio(x, a, tables, floats, ints)
        elif op == OP_HUES:
            _hues(x, a, tables, floats, ints)
        elif op == OP_SHIFT:
            _shift(x, a, tables, floats, ints)
        elif op == OP_KEEP:
            kept[:] = x
        elif op == OP_BLEND:
            mix = a[0]
            for c in range(3):
                for i in range(TILE):
                    x[c, i] = kept[c, i] + mix * (x[c, i] - kept[c, i])
        elif op == DEC_TABLE:
            _table(x, a, tables, True)
        elif op == ENC_TABLE:
            _table(x, a, tables, False)
        else:
            _curve(x, a, op)


@jit
def run_float(
    src: NDArray[np.float32],
    dst: NDArray[np.float32],
    ops: NDArray[np.int32],
    params: NDArray[np.float32],
    tables: NDArray[np.float32],
) -> None:
    """Run a program over pixels (n, 3) float32 into (n, 3) float32."""
    n = src.shape[0]
    x = np.zeros((3, TILE), np.float32)
    room = room_of_tile()
    for start in range(0, n, TILE):
        count = min(TILE, n - start)
        load(x, src[start : start + count])
        run_tile(x, room, ops, params, tables)
        store(x, dst[start : start + count])


@jit
def run_grid(
    axis: NDArray[np.float32],
    first: int,
    dst: NDArray[np.float32],
    ops: NDArray[np.int32],
    params: NDArray[np.float32],
    tables: NDArray[np.float32],
) -> None:
    """Run a program over all combinations of an axis's values, from number `first` on.

    axis (n, 3) float32; dst (count, 3) float32 of [r, g, b] in that order, b fastest. Each tile
    is made where it is used.
    """
    n, total = axis.shape[0], dst.shape[0]
    x = np.zeros((3, TILE), np.float32)
    room = room_of_tile()
    reds, greens, blues = axis[:, 0].copy(), axis[:, 1].copy(), axis[:, 2].copy()
    rr, gg, bb = x[0], x[1], x[2]
    # Where a matrix comes first, what red and green add is the same for a whole row of blues.
    m = np.zeros(12, np.float32)
    m[0], m[5], m[10] = _TOP, _TOP, _TOP
    rest = 0
    if ops.size > 0 and ops[0] == OP_AFFINE:
        m[:] = params[0, :12]
        rest = 1
    b = first % n
    g, r = (first // n) % n, first // (n * n)
    for start in range(0, total, TILE):
        count = min(TILE, total - start)
        at = 0
        while at < count:
            some = min(n - b, count - at)
            red, green = reds[r], greens[g]
            base_r = m[0] * red + m[1] * green + m[3]
            base_g = m[4] * red + m[5] * green + m[7]
            base_b = m[8] * red + m[9] * green + m[11]
            for i in range(some):
                blue = blues[b + i]
                rr[at + i] = base_r + m[2] * blue
                gg[at + i] = base_g + m[6] * blue
                bb[at + i] = base_b + m[10] * blue
            at += some
            b += some
            if b == n:
                b = 0
                g += 1
            if g == n:
                g = 0
                r += 1
        run_tile(x, room, ops[rest:], params[rest:], tables)
        store(x, dst[start : start + count])


@jit
def _byte(v: Any) -> Any:
    v = v if v > _F0 else _F0
    v = v if v < _TOP else _TOP
    return np.uint8(np.int32(v * _F255 + _HALF))


@jit
def to_bytes(src: NDArray[np.float32], dst: NDArray[np.uint8]) -> None:
    """Round display values (n,) float32, 0..1, to bytes; NaN becomes 0."""
    for i in range(src.size):
        dst[i] = _byte(src[i])


@jit
def store_bytes(x: Any, pixels: Any) -> None:
    """Round a tile's planes of display values to pixels (n, 3) of bytes; NaN becomes 0."""
    row, red, green, blue = pixels.reshape(pixels.size), x[0], x[1], x[2]
    for i in range(pixels.shape[0]):
        row[3 * i], row[3 * i + 1], row[3 * i + 2] = _byte(red[i]), _byte(green[i]), _byte(blue[i])
