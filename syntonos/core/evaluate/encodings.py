"""Every encoding against the libraries that have it: `syntonos encodings --check`."""

from __future__ import annotations

import warnings
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import ENCODINGS, GAMUTS, Encoding, decode, encode, gamut_matrix
from syntonos.core.encodings.scalar import LOG_LIN
from syntonos.core.library_keys import COLOUR_LOG, COLOUR_OTHER, OCIO_CURVES, OCIO_TO_AP0
from syntonos.core.simulate.spectra import library

A = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Compared:
    """The largest differences of one encoding; None where a library does not have it."""

    slug: str
    name: str
    colour_science: float | None  # of the code, over light from 0 to what code 1 stands for
    opencolorio: float | None  # of light in ACES2065-1 (or of the curve alone), as a share
    round_trip: float  # of light, as a share, over codes 0..1


def compare_all() -> list[Compared]:
    """Compare all listed encodings with colour-science and OpenColorIO, in float64 and float32."""
    return [_compare(encoding) for encoding in ENCODINGS.values()]


def _compare(encoding: Encoding) -> Compared:
    code = np.linspace(0.0, 1.0, 2001)
    light = decode(code, encoding.curve)
    again = decode(encode(light, encoding.curve), encoding.curve)
    miss = np.abs(again - light) / np.maximum(np.abs(light), 1e-2)
    # Not at a break itself, where published constants leave a step: which side a code falls on
    # there is rounding's.
    breaks = [encoding.curve.params[7]] if encoding.curve.family == LOG_LIN else []
    trip = float(miss[~np.isclose(code[:, None], breaks, rtol=0, atol=1e-9).any(axis=1)].max())
    return Compared(
        encoding.slug, encoding.name, _colour(encoding, np.maximum(light, 0.0)),
        _ocio(encoding, code), trip,
    )  # fmt: skip


def _colour(encoding: Encoding, light: A) -> float | None:
    slug = encoding.curve.slug
    ours = encode(light, encoding.curve)
    with warnings.catch_warnings(), np.errstate(all="ignore"):
        warnings.simplefilter("ignore")
        models = library().models
        if slug in COLOUR_LOG:
            name, more = COLOUR_LOG[slug]
            theirs = getattr(models, name)(light, **more)
        elif slug in COLOUR_OTHER:
            name, more, scale = COLOUR_OTHER[slug]
            theirs = getattr(models, name)(light * scale, **more)
        else:
            return None
    return float(np.nanmax(np.abs(ours - theirs)))


def _ocio(encoding: Encoding, code: A) -> float | None:
    import PyOpenColorIO as ocio

    key = OCIO_TO_AP0.get(encoding.slug)
    curve = OCIO_CURVES.get(encoding.curve.slug)
    if key is None and curve is None:
        return None
    cpu = ocio.Config.CreateRaw().getProcessor(
        ocio.BuiltinTransform(key or curve)
    ).getOptimizedCPUProcessor(
        ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS
    )  # fmt: skip
    rng = np.random.default_rng(0)
    grey = rng.uniform(0.05, 0.9, (len(code), 1))
    pixels = np.clip(grey + rng.normal(0, 0.04, (len(code), 3)), 0, 1)
    out = pixels.astype(np.float32)
    cpu.applyRGB(out.reshape(-1))
    ours = decode(pixels, encoding.curve)
    if key is not None:
        ours = ours @ gamut_matrix(encoding.gamut, GAMUTS["ap0"]).T
    off = np.abs(out - ours) / np.maximum(np.abs(ours).max(axis=1, keepdims=True), 1e-2)
    return float(off.max())
