"""Delta E of scene-linear colours under the reference's white, and its local metric."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.colorimetry import delta_e_2000, xyz_to_lab
from syntonos.core.encodings import AP1

A = NDArray[np.float64]
MIX: Final = 0.2  # of a match's mixed AP1, in which the data of real cameras are positive


def scene_lab(lin_ap1: A, white_ap1: A) -> A:
    """Return L*a*b* of scene-linear AP1 (..., 3) under a white (3,) with Y = 1 at 100 %."""
    return xyz_to_lab(lin_ap1 @ AP1.to_xyz.T, white_ap1 @ AP1.to_xyz.T)


def scene_delta_e(lin_a: A, lin_b: A, white_ap1: A) -> A:
    """Return CIEDE2000 of scene-linear AP1 colours (..., 3), both under one white."""
    return delta_e_2000(scene_lab(lin_a, white_ap1), scene_lab(lin_b, white_ap1))


def difference_jacobian(lin_ap1: A, white_ap1: A) -> A:
    """Return J (n, 3, 3) with |J d| close to CIEDE2000 for a small change d of a colour (n, 3).

    The weights S_L, S_C, S_H and the rotation R_T are those of the colour itself.
    Source: Sharma, Wu, Dalal (2005), equations 2 to 22, linearised.
    """
    step = 1e-5
    lab = scene_lab(lin_ap1, white_ap1)
    to_lab = np.stack(
        [
            (scene_lab(lin_ap1 + step * axis, white_ap1) - lab) / step
            for axis in np.eye(3)
        ],
        axis=-1,
    )  # fmt: skip
    light, a, b = lab.T
    chroma = np.hypot(a, b)
    g = 0.5 * (1 - np.sqrt(chroma**7 / (chroma**7 + 25.0**7)))
    a = (1 + g) * a
    chroma = np.hypot(a, b)
    hue = np.degrees(np.arctan2(b, a)) % 360
    t = (
        1
        - 0.17 * np.cos(np.radians(hue - 30))
        + 0.24 * np.cos(np.radians(2 * hue))
        + 0.32 * np.cos(np.radians(3 * hue + 6))
        - 0.20 * np.cos(np.radians(4 * hue - 63))
    )
    l50 = (light - 50) ** 2
    s_l = 1 + 0.015 * l50 / np.sqrt(20 + l50)
    s_c, s_h = 1 + 0.045 * chroma, 1 + 0.015 * chroma * t
    theta = 30 * np.exp(-(((hue - 275) / 25) ** 2))
    r_t = -2 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7)) * np.sin(np.radians(2 * theta))
    cos, sin = np.cos(np.radians(hue)), np.sin(np.radians(hue))
    n = len(lab)
    turn = np.zeros((n, 3, 3))
    turn[:, 0, 0] = 1 / s_l
    turn[:, 1, 1], turn[:, 1, 2] = (1 + g) * cos / s_c, sin / s_c
    turn[:, 2, 1], turn[:, 2, 2] = -(1 + g) * sin / s_h, cos / s_h
    # x^2 + r x y + y^2 = |L^T (x, y)|^2 with the Cholesky factor of [[1, r/2], [r/2, 1]].
    root = np.zeros((n, 3, 3))
    root[:, 0, 0] = root[:, 1, 1] = 1
    root[:, 1, 2] = r_t / 2
    root[:, 2, 2] = np.sqrt(1 - (r_t / 2) ** 2)
    return np.asarray(root @ turn @ to_lab, np.float64)


def linear_metric(y: A, white: A) -> A:
    """Return the metric (n, 3, 3) at white-balanced reference colours (n, 3) in mixed AP1."""
    inverse = np.linalg.inv(mix_matrix(MIX))
    level = float(white @ AP1_LUMINANCE)
    scale = white / level
    jac = difference_jacobian((y * scale) @ inverse.T, inverse @ scale)
    return np.asarray(jac @ (inverse * scale), np.float64)
