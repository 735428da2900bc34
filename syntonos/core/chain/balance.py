"""What the dials of a balance do."""

from __future__ import annotations

import numpy as np

from syntonos.core.colorimetry import locus_white, white_to_cct_duv, xy_to_xyz
from syntonos.core.encodings import AP1
from syntonos.core.encodings.gamuts import ACES_WHITE
from syntonos.core.errors import ChainError

_MOST_WARMTH, _MOST_TINT = 400.0, 60.0


def balance_gains(warmth: float, tint: float) -> tuple[float, float, float]:
    """Return gains of scene-linear AP1 that move the white, its luminance kept.

    Parameters
    ----------
    warmth : float
        Mired; the picture becomes warmer by it. Within 400 either way.
    tint : float
        Duv x 1000; the picture becomes greener by it. Within 60 either way.

    Raises
    ------
    ChainError
        balance.range beyond these.
    """
    if not (abs(warmth) <= _MOST_WARMTH and abs(tint) <= _MOST_TINT):
        raise ChainError(
            f"A balance of {warmth:g} mired and a tint of {tint:g} was asked for.",
            hint=f"Up to {_MOST_WARMTH:g} mired and {_MOST_TINT:g} of tint are taken.",
            code="balance.range",
        )  # fmt: skip
    if warmth == 0 and tint == 0:
        return 1.0, 1.0, 1.0
    white = xy_to_xyz(ACES_WHITE)
    kelvin, duv = white_to_cct_duv(white)
    from_xyz = np.linalg.inv(AP1.to_xyz)
    here, there = (
        from_xyz @ locus_white(1e6 / kelvin + m, duv + t / 1000)
        for m, t in ((0.0, 0.0), (warmth, tint))
    )
    if min(there) <= 0:
        raise ChainError(
            "This white lies outside of the working space.", hint="Turn the dials less far.",
            code="balance.range",
        )  # fmt: skip
    r, g, b = (float(v) for v in there / here)
    return r, g, b
