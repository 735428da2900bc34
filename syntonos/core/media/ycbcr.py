"""Y'CbCr of video to R'G'B', exactly: matrix, quantisation range and chroma siting as stated.

Host libraries round on the way (limited white becomes 65283 of 65535), so this is our own.

Source: ITU-R BT.709-6 items 3.2-3.5 and 5.6, BT.601-7 2.5, BT.2020-2 table 4 (luma weights,
quantisation: luma (219 E' + 16) D, chroma (224 E' + 128) D, D = 2^(n-8)); full range as in ITU-T
H.273 8.3: luma E' (2^n - 1), chroma E' (2^n - 1) + 2^(n-1). SMPTE 240M and FCC as in H.273 table 4.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.errors import MediaError

# Luma weights of red and blue.
MATRICES: Final = {
    "bt709": (0.2126, 0.0722),
    "bt601": (0.299, 0.114),
    "bt2020": (0.2627, 0.0593),
    "240m": (0.212, 0.087),
    "fcc": (0.30, 0.11),
}
RANGES: Final = ("full", "legal")
# How far a chroma sample lies from the first luma sample that it is for, in luma samples (x, y).
SITINGS: Final = {
    "left": (0.0, 0.5), "center": (0.5, 0.5), "topleft": (0.0, 0.0), "top": (0.5, 0.0),
    "bottomleft": (0.0, 1.0), "bottom": (0.5, 1.0),
}  # fmt: skip


def quantisation_scales(bits: int, quantisation: str) -> tuple[float, float, float, float]:
    """Return (luma scale, luma offset, chroma scale, chroma offset) of code to E'.

    E' = (code - offset) scale; luma reaches 0..1, chroma -0.5..0.5.

    Raises
    ------
    MediaError
        When the range is neither "full" nor "legal".
    """
    step = 2.0 ** (bits - 8)
    if quantisation == "legal":
        return 1 / (219 * step), 16 * step, 1 / (224 * step), 128 * step
    if quantisation == "full":
        top = 2.0**bits - 1
        return 1 / top, 0.0, 1 / top, 2.0 ** (bits - 1)
    raise MediaError(f"Quantisation range {quantisation!r} is not known.",
                     hint="Say 'full' or 'legal'.", code="media.range")  # fmt: skip


@jit
def _spread(line: Any, centred: Any, wide: Any) -> None:
    """Interpolate a line of chroma samples to twice as many luma places."""
    last = line.shape[0] - 1
    half, near, far = np.float32(0.5), np.float32(0.75), np.float32(0.25)
    if centred:
        wide[0] = line[0]
        for i in range(last):
            wide[2 * i + 1] = near * line[i] + far * line[i + 1]
            wide[2 * i + 2] = far * line[i] + near * line[i + 1]
    else:
        for i in range(last):
            wide[2 * i] = line[i]
            wide[2 * i + 1] = half * line[i] + half * line[i + 1]
        wide[2 * last] = line[last]
    wide[2 * last + 1] = line[last]


@jit
def _convert(luma: Any, cb: Any, cr: Any, across: Any, down: Any, p: Any, out: Any) -> None:
    """Fill out (h, w, 3); `across`, `down`: luma samples per chroma sample, 1 or 2."""
    height, width = luma.shape
    rows, columns = cb.shape
    y_scale, y_off, c_scale, c_off = p[0], p[1], p[2], p[3]
    r_cr, g_cb, g_cr, b_cb = p[4], p[5], p[6], p[7]
    half, quarter, three = np.float32(0.5), np.float32(0.25), np.float32(0.75)
    line_b, line_r = np.empty(columns, np.float32), np.empty(columns, np.float32)
    wide_b, wide_r = np.empty(2 * columns, np.float32), np.empty(2 * columns, np.float32)
    for y in range(height):
        first, second = y // down, y // down
        near, far = half, half
        if down == 2:  # the row lies between two rows of chroma samples, or on one
            if p[9] == 0:
                second = min(first + y % 2, rows - 1)
            elif p[9] == 1:
                second = max(first - 1 + y % 2, 0)
            else:
                second = min(max(first - 1 + 2 * (y % 2), 0), rows - 1)
                near, far = three, quarter
        b1, b2, r1, r2 = cb[first], cb[second], cr[first], cr[second]
        if first == second:
            for i in range(columns):
                line_b[i] = (np.float32(b1[i]) - c_off) * c_scale
                line_r[i] = (np.float32(r1[i]) - c_off) * c_scale
        else:
            for i in range(columns):
                line_b[i] = (near * np.float32(b1[i]) + far * np.float32(b2[i]) - c_off) * c_scale
                line_r[i] = (near * np.float32(r1[i]) + far * np.float32(r2[i]) - c_off) * c_scale
        if across == 1:
            use_b, use_r = line_b, line_r
        else:
            _spread(line_b, p[8] != 0, wide_b)
            _spread(line_r, p[8] != 0, wide_r)
            use_b, use_r = wide_b, wide_r
        source, row = luma[y], out[y]
        for x in range(width):
            e = (np.float32(source[x]) - y_off) * y_scale
            b, r = use_b[x], use_r[x]
            row[x, 0] = e + r_cr * r
            row[x, 1] = e - g_cb * b - g_cr * r
            row[x, 2] = e + b_cb * b


def ycbcr_to_rgb(
    luma: NDArray[Any],
    cb: NDArray[Any],
    cr: NDArray[Any],
    *,
    bits: int,
    quantisation: str,
    matrix: str = "bt709",
    siting: str = "left",
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Return R'G'B' (h, w, 3) float32 from planes of codes, unclamped.

    Parameters
    ----------
    luma
        (h, w) uint8 or uint16 codes of `bits` bits.
    cb, cr
        (h, w), (h, ceil(w/2)) or (ceil(h/2), ceil(w/2)) codes: 4:4:4, 4:2:2 or 4:2:0. Between its
        samples chroma is interpolated linearly.
    bits
        8 to 16.
    quantisation
        "legal": black 16, white 235 in 8 bits; "full": 0 to 255.
    out
        (h, w, 3) float32 to fill, where one is at hand.
    matrix, siting
        Keys of MATRICES and SITINGS; the siting counts where chroma is sampled coarser.

    Returns
    -------
    ndarray
        1.0 = white of the quantisation range. Legal signals beyond it are kept (down to about
        -0.07, up to 1.09).

    Raises
    ------
    MediaError
        When range, matrix or siting are not known, or the planes do not fit each other.

    Source: ITU-R BT.709-6, BT.601-7, BT.2020-2; ITU-T H.273 8.3.
    """
    if matrix not in MATRICES or siting not in SITINGS:
        raise MediaError(f"Matrix {matrix!r} or siting {siting!r} is not known.",
                         hint=f"Matrices: {', '.join(MATRICES)}; sitings: {', '.join(SITINGS)}.",
                         code="media.matrix")  # fmt: skip
    height, width = luma.shape
    across = 1 if cb.shape[1] == width else 2
    down = 1 if cb.shape[0] == height else 2
    fits = cb.shape == cr.shape == (-(-height // down), -(-width // across))
    if not fits:
        raise MediaError(f"Chroma planes {cb.shape} do not belong to a picture of {luma.shape}.",
                         hint="4:4:4, 4:2:2 and 4:2:0 are read.", code="media.planes")  # fmt: skip
    red, blue = MATRICES[matrix]
    green = 1 - red - blue
    shift = SITINGS[siting]
    numbers = np.array(
        [*quantisation_scales(bits, quantisation), 2 * (1 - red), 2 * blue * (1 - blue) / green,
         2 * red * (1 - red) / green, 2 * (1 - blue), *shift],
        np.float32,
    )  # fmt: skip
    if out is None:
        out = np.empty((height, width, 3), np.float32)
    _convert(luma, cb, cr, across, down, numbers, out)
    return out


def rgb_to_ycbcr(
    code_rgb: NDArray[Any], *, bits: int, quantisation: str, matrix: str = "bt709"
) -> NDArray[np.uint16]:
    """Return Y'CbCr codes (h, w, 3) uint16 at 4:4:4 of R'G'B' (h, w, 3); rounded and clamped.

    Raises
    ------
    MediaError
        As `ycbcr_to_rgb`.

    Source: as `ycbcr_to_rgb`.
    """
    if matrix not in MATRICES:
        raise MediaError(f"Matrix {matrix!r} is not known.",
                         hint=f"Matrices: {', '.join(MATRICES)}.", code="media.matrix")  # fmt: skip
    red, blue = MATRICES[matrix]
    rgb = np.asarray(code_rgb, np.float64)
    y = rgb @ np.array([red, 1 - red - blue, blue])
    cb, cr = (rgb[..., 2] - y) / (2 * (1 - blue)), (rgb[..., 0] - y) / (2 * (1 - red))
    y_scale, y_off, c_scale, c_off = quantisation_scales(bits, quantisation)
    codes = np.stack([y / y_scale + y_off, cb / c_scale + c_off, cr / c_scale + c_off], axis=-1)
    rounded: NDArray[np.uint16] = np.rint(np.clip(codes, 0, 2**bits - 1)).astype(np.uint16)
    return rounded
