"""Gamuts: primaries and white, and the matrices into the working space."""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from syntonos.core.colorimetry import adaptation_matrix, xy_to_xyz

D65 = (0.3127, 0.3290)
ACES_WHITE = (0.32168, 0.33767)


@dataclass(frozen=True, slots=True)
class Gamut:
    """Three primaries and a white, with the adaptation its publisher uses towards ACES."""

    slug: str
    name: str
    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float]
    adaptation: Literal["cat02", "bradford"]
    source: str

    @property
    def to_xyz(self) -> NDArray[np.float64]:
        """(3, 3) matrix to XYZ under the gamut's own white (SMPTE RP 177-1993)."""
        columns = xy_to_xyz([self.red, self.green, self.blue]).T
        gains = np.linalg.solve(columns, xy_to_xyz(self.white))
        return np.asarray(columns * gains, np.float64)


_2020 = ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046))

GAMUTS: dict[str, Gamut] = {
    g.slug: g
    for g in (
        Gamut("s-gamut3", "S-Gamut3", (0.730, 0.280), (0.140, 0.855), (0.100, -0.050), D65,
              "cat02", "Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3"),
        Gamut("s-gamut", "S-Gamut", (0.730, 0.280), (0.140, 0.855), (0.100, -0.050), D65,
              "cat02", "S-Log technical paper (2009)"),
        Gamut("s-gamut3.cine", "S-Gamut3.Cine", (0.766, 0.275), (0.225, 0.800), (0.089, -0.087),
              D65, "cat02", "Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3"),
        Gamut("awg3", "Wide Gamut 3", (0.6840, 0.3130), (0.2210, 0.8480), (0.0861, -0.1020), D65,
              "cat02", "Log C Curve: Usage in VFX (2012)"),
        Gamut("awg4", "Wide Gamut 4", (0.7347, 0.2653), (0.1424, 0.8576), (0.0991, -0.0308), D65,
              "cat02", "LogC4 Logarithmic Color Space Specification (2022)"),
        Gamut("v-gamut", "V-Gamut", (0.730, 0.280), (0.165, 0.840), (0.100, -0.030), D65,
              "bradford", "V-Log/V-Gamut reference manual (2014)"),
        Gamut("rwg", "wide gamut of Log3G10", (0.780308, 0.304253), (0.121595, 1.493994),
              (0.095612, -0.084589), D65, "bradford",
              "White Paper on the wide gamut RGB and Log3G10"),
        Gamut("f-gamut", "F-Gamut", *_2020, D65, "cat02", "F-Log2 Data Sheet 1.0"),
        Gamut("n-gamut", "N-Gamut", *_2020, D65, "cat02", "N-Log Specification 1.0.0 (2018)"),
        Gamut("f-gamut-c", "F-Gamut C", (0.7347, 0.2653), (0.0263, 0.9737), (0.1173, -0.0224),
              D65, "cat02", "F-Gamut C Data Sheet 1.0"),
        Gamut("cinema-gamut", "Cinema Gamut", (0.740, 0.270), (0.170, 1.140), (0.080, -0.100),
              D65, "cat02", "Cinema Gamut, as in Log Gamma Curves 1.2 (2020)"),
        Gamut("protune-native", "Protune Native", (0.698480461, 0.193026445),
              (0.329555378, 1.024596625), (0.108442631, -0.034678570), D65, "cat02",
              "Protune primaries, as in colour-science (2016)"),
        Gamut("d-gamut", "D-Gamut", (0.71, 0.31), (0.21, 0.88), (0.09, -0.08), D65, "cat02",
              "White Paper on D-Log and D-Gamut (2017)"),
        Gamut("ap0", "AP0", (0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.0770), ACES_WHITE,
              "cat02", "SMPTE ST 2065-1:2021"),
        Gamut("ap1", "AP1", (0.713, 0.293), (0.165, 0.830), (0.128, 0.044), ACES_WHITE,
              "cat02", "Academy S-2014-004"),
        Gamut("bt709", "BT.709", (0.64, 0.33), (0.30, 0.60), (0.15, 0.06), D65, "bradford",
              "ITU-R BT.709-6"),
        Gamut("bt2020", "BT.2020", *_2020, D65, "bradford", "ITU-R BT.2020-2"),
        Gamut("p3-d65", "P3-D65", (0.680, 0.320), (0.265, 0.690), (0.150, 0.060), D65,
              "bradford", "SMPTE EG 432-1:2010"),
    )
}  # fmt: skip

AP1 = GAMUTS["ap1"]


@functools.lru_cache(maxsize=1024)
def _matrix(a: Gamut, b: Gamut) -> NDArray[np.float64]:
    # One of the two is an ACES space in all our chains: the other one names the adaptation.
    method = b.adaptation if a.white == ACES_WHITE else a.adaptation
    to_white = adaptation_matrix(a.white, b.white, method=method)
    mat = np.linalg.solve(b.to_xyz, to_white @ a.to_xyz)
    mat.setflags(write=False)
    return np.asarray(mat, np.float64)


def gamut_matrix(src: Gamut, dst: Gamut) -> NDArray[np.float64]:
    """Return the matrix from linear RGB of one gamut to linear RGB of another.

    Returns
    -------
    (3, 3) float64, read-only
        Applied as ``lin_rgb @ mat.T``; each row sums to one, so neutral stays neutral.

    Source: SMPTE RP 177-1993 for the primaries; the adaptation is the one each gamut states.
    """
    return _matrix(src, dst)
