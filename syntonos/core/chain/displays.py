"""The displays that an output may be for: primaries, curve, and how bright they get."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.tone import TONE, ToneScale
from syntonos.core.encodings import CURVES, GAMUTS, Curve, Gamut, encode
from syntonos.core.errors import ChainError

_HLG_ONE: Final = 3.0  # scene light of a signal of 1, in what our curve for HLG takes


@dataclass(frozen=True, slots=True)
class Display:
    """A display; light is 1 at 100 cd/m2, the white of SDR."""

    slug: str
    name: str
    gamut: Gamut
    curve: Curve
    source: str
    peak: float = 1.0
    # HLG carries scene light: its system gamma is undone before its curve. Else 0.
    system_gamma: float = 0.0
    tone: ToneScale = TONE
    # OpenColorIO's names for ACES outputs to it: transform of ACES 1.3 and of 2.0, and display.
    aces_1: str = ""
    aces_2: str = ""
    view: str = ""

    @property
    def is_hdr(self) -> bool:
        """Whether it goes beyond the white of SDR."""
        return self.peak > 1.0

    # HLG's system gamma stands here and nowhere else. Source: ITU-R BT.2100-2, table 5, the OOTF:
    # display light = peak Y^(gamma - 1) E, with E the scene light from 0 to 1 and Y its luminance.
    # What our curve for HLG takes is three times E.

    @property
    def signal_peak(self) -> float:
        """What the curve's value decodes to at the display's peak."""
        return _HLG_ONE if self.system_gamma else self.peak

    def neutral_signal(self, light: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return what the curve codes for neutral display light (any shape, 1 = 100 cd/m2)."""
        if not self.system_gamma:
            return light
        return np.asarray(_HLG_ONE * (light / self.peak) ** (1 / self.system_gamma), np.float64)

    def light_of(self, signal: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return the display light (..., 3) of what its curve decodes to."""
        if not self.system_gamma:
            return signal
        scene = signal / _HLG_ONE
        y = np.maximum(scene @ self.gamut.to_xyz[1], 1e-9)[..., None]
        return np.asarray(self.peak * scene * y ** (self.system_gamma - 1), np.float64)

    @property
    def to_signal(self) -> tuple[float, ...]:
        """Parameters of the opcode that takes display light to scene light; () where none is."""
        g = self.system_gamma
        return (self.peak, (1 - g) / g, _HLG_ONE, *self.gamut.to_xyz[1]) if g else ()

    @property
    def to_light(self) -> tuple[float, ...]:
        """Parameters of the opcode that takes scene light to display light; () where none is."""
        g = self.system_gamma
        return (_HLG_ONE, g - 1, self.peak, *self.gamut.to_xyz[1]) if g else ()


# BT.2408-7, 2.2: 18 % grey lies at 26 cd/m2 in HDR.
_HDR = ToneScale(contrast=1.1, grey=0.26, start=1.0, stops_to_white=7.0)
_SDR_1 = "ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - SDR-VIDEO_1.0"
_SDR_2 = "ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - SDR-100nit-REC709_2.0"
_HDR_1 = "ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - HDR-VIDEO-{}nit-15nit-REC2020lim_1.1"
_HDR_2 = "ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - HDR-{}nit-REC2020_2.0"
_HDR_2_P3 = "ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - HDR-{}nit-P3-D65_2.0"
_TO = "DISPLAY - CIE-XYZ-D65_to_"

DISPLAYS: dict[str, Display] = {
    d.slug: d
    for d in (
        Display("rec709", "Rec.709, BT.1886", GAMUTS["bt709"], CURVES["bt1886"],
                "ITU-R BT.709-6, BT.1886", aces_1=_SDR_1, aces_2=_SDR_2,
                view=f"{_TO}REC.1886-REC.709"),
        Display("rec709-2.2", "Rec.709, gamma 2.2", GAMUTS["bt709"], CURVES["gamma2.2"],
                "BT.709 primaries, pure power 2.2", aces_1=_SDR_1, aces_2=_SDR_2,
                view=f"{_TO}G2.2-REC.709"),
        Display("srgb", "sRGB", GAMUTS["bt709"], CURVES["srgb"], "IEC 61966-2-1:1999",
                aces_1=_SDR_1, aces_2=_SDR_2, view=f"{_TO}sRGB"),
        Display("p3-d65", "P3-D65, gamma 2.6", GAMUTS["p3-d65"], CURVES["gamma2.6"],
                "SMPTE EG 432-1, RP 431-2 with the white of D65",
                aces_1="ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - SDR-CINEMA_1.0",
                aces_2="ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - SDR-100nit-P3-D65_2.0",
                view=f"{_TO}G2.6-P3-D65"),
        Display("display-p3", "Display P3", GAMUTS["p3-d65"], CURVES["srgb"],
                "P3 primaries, D65, the curve of IEC 61966-2-1",
                aces_1=_SDR_1,
                aces_2="ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - SDR-100nit-P3-D65_2.0",
                view=f"{_TO}DisplayP3"),
        Display("rec2100-pq-1000", "Rec.2100 PQ, 1000 nit", GAMUTS["bt2020"], CURVES["pq"],
                "ITU-R BT.2100-2", peak=10.0, tone=_HDR, aces_1=_HDR_1.format(1000),
                aces_2=_HDR_2.format(1000), view=f"{_TO}REC.2100-PQ"),
        Display("rec2100-pq-4000", "Rec.2100 PQ, 4000 nit", GAMUTS["bt2020"], CURVES["pq"],
                "ITU-R BT.2100-2", peak=40.0,
                tone=ToneScale(contrast=1.15, grey=0.26, start=1.5, stops_to_white=9.0),
                aces_1=_HDR_1.format(4000), aces_2=_HDR_2.format(4000),
                view=f"{_TO}REC.2100-PQ"),
        Display("rec2100-hlg", "Rec.2100 HLG, 1000 nit", GAMUTS["bt2020"], CURVES["hlg"],
                "ITU-R BT.2100-2, system gamma 1.2 at 1000 cd/m2", peak=10.0, system_gamma=1.2,
                tone=_HDR, aces_1=_HDR_1.format(1000), aces_2=_HDR_2_P3.format(1000),
                view=f"{_TO}REC.2100-HLG-1000nit"),
    )
}  # fmt: skip


HDR_WHITE = 2.03  # BT.2408: reference white of HDR, 203 cd/m2, in units of 100
_MARKED_NITS = (1, 10, 100, 203, 400, 1000, 4000)


def light_marks(slug: str) -> tuple[tuple[float, int], ...]:
    """Return pairs of a signal (0 to 1) and the light of a neutral there in cd/m2, for HDR.

    Empty for SDR, whose light depends on the screen. Source: ITU-R BT.2100-2.
    """
    display = find_display(slug)
    if not display.is_hdr:
        return ()
    nits = [n for n in _MARKED_NITS if n <= 100 * display.peak]
    signal = encode(display.neutral_signal(np.array(nits, np.float64) / 100), display.curve)
    return tuple((float(s), n) for s, n in zip(signal, nits, strict=True))


def find_display(slug: str) -> Display:
    """Return a display by slug.

    Raises
    ------
    ChainError
        display.unknown.
    """
    if slug in DISPLAYS:
        return DISPLAYS[slug]
    raise ChainError(
        f"There is no display {slug!r}.", hint=f"Known: {', '.join(DISPLAYS)}.",
        code="display.unknown",
    )  # fmt: skip
