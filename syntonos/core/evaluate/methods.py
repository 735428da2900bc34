"""Plain methods that a fit is compared with, and the floor."""

from __future__ import annotations

import warnings
from collections.abc import Callable
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_place, neutral_free_kernel
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.charts import ChartLayout, ChartReading
from syntonos.core.evaluate.greys import fit_greys
from syntonos.core.evaluate.matrix import fit_neutral_matrix
from syntonos.core.matching.metric import MIX, linear_metric
from syntonos.core.matching.readings import working
from syntonos.core.simulate.spectra import library

A = NDArray[np.float64]
Mapping = Callable[[A], A]  # scene-linear AP1 of the angle to the reference's


def usable(reference: ChartReading, angle: ChartReading) -> list[int]:
    """Return the patches (from 0) that are clipped in neither reading."""
    return [
        i for i in range(len(reference.patches))
        if reference.patches[i].is_usable and angle.patches[i].is_usable
        and min(*reference.patches[i].lin_rgb, *angle.patches[i].lin_rgb) > -1
    ]  # fmt: skip


def least_squares(x: A, y: A) -> Mapping:
    """Fit a plain 3x3 to colours (n, 3)."""
    mat = np.linalg.lstsq(x, y, rcond=None)[0]
    return lambda lin: lin @ mat


def _library(method: str, **how: object) -> Callable[[A, A], Mapping]:
    def fit(x: A, y: A) -> Mapping:
        # Polynomials are not homogeneous: a chart white of about one suits them.
        scale = float(x.max())

        def correct(lin: A) -> A:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                out = library().characterisation.colour_correction(
                    lin / scale, x / scale, y / scale, method=method, **how
                )
            return np.asarray(out * scale, np.float64)

        return correct

    return fit


def white_and_exposure(x: A, y: A, used: list[int], layout: ChartLayout) -> Mapping:
    """Fit gains in mixed AP1 on the mid greys of colours (n, 3)."""
    mixing = mix_matrix(MIX)
    mids = [used.index(i) for i in layout.mid_greys if i in used]
    a, b = np.maximum(x @ mixing.T, 1e-9)[mids], np.maximum(y @ mixing.T, 1e-9)[mids]
    gain = np.exp(np.median(np.log(b / a), axis=0))
    mat = np.linalg.inv(mixing) @ (gain[:, None] * mixing)
    return lambda lin: lin @ mat.T


def robust_matrix_with_residual(x: A, y: A, used: list[int], layout: ChartLayout) -> Mapping:
    """Fit flare, white, a robust 3x3 that keeps neutral and a residual to colours (n, 3)."""
    mixing = mix_matrix(MIX)
    mx, my = x @ mixing.T, y @ mixing.T
    greys = [used.index(i) for i in layout.greys if i in used]
    mids = [greys.index(used.index(i)) for i in layout.mid_greys if i in used]
    grey = fit_greys(mx[greys], my[greys], np.full(len(greys), 1e-4), mids)
    a = (mx - grey.angle_flare) / grey.angle_white * 2.0**grey.stops
    b = (my - grey.reference_flare) / grey.reference_white
    jac = linear_metric(b, grey.reference_white)
    mat, robust = fit_neutral_matrix(a, b, jac, np.ones(len(used)))
    left = b - a @ mat.T
    light = np.maximum(a @ AP1_LUMINANCE, 1e-4)
    places = chroma_place(a)
    gram = 0.03**2 * neutral_free_kernel(places, places)
    noise = (0.012 / np.sqrt(np.maximum(robust, 0.02))) ** 2
    weight = np.linalg.solve(gram + np.diag(noise), left / light[:, None]) * 0.03**2

    def correct(lin: A) -> A:
        p = (lin @ mixing.T - grey.angle_flare) / grey.angle_white * 2.0**grey.stops
        bright = np.maximum(p @ AP1_LUMINANCE, 0)[:, None]
        out = p @ mat.T + bright * (neutral_free_kernel(chroma_place(p), places) @ weight)
        mixed = out * grey.reference_white + grey.reference_flare
        return np.asarray(mixed @ np.linalg.inv(mixing).T, np.float64)

    return correct


PLAIN: Final = (
    "white and exposure", "least squares 3x3", "Cheung 7", "Finlayson root 2", "Vandermonde 2",
    "robust matrix + residual",
)  # fmt: skip


def plain_methods(reference: ChartReading, angle: ChartReading) -> dict[str, Mapping]:
    """Fit all plain methods to two readings."""
    used = usable(reference, angle)
    x, y = working(angle)[used], working(reference)[used]
    return {
        PLAIN[0]: white_and_exposure(x, y, used, reference.layout),
        PLAIN[1]: least_squares(x, y),
        PLAIN[2]: _library("Cheung 2004", terms=7)(x, y),
        PLAIN[3]: _library("Finlayson 2015", degree=2)(x, y),
        PLAIN[4]: _library("Vandermonde", degree=2)(x, y),
        PLAIN[5]: robust_matrix_with_residual(x, y, used, reference.layout),
    }


def floor(x: A, y: A, white: A) -> A:
    """Return what a degree-2 root-polynomial with offset reaches when it is fitted on them.

    Parameters
    ----------
    x, y : (n, 3)
        Scene-linear AP1 of angle and reference.
    white : (3,)
        The reference's, Y = 1 at 100 %.

    Returns
    -------
    (n, 3)
        The fitted colours: least squares in the local metric of delta E.
    """
    mixing = mix_matrix(MIX)
    a, b = x @ mixing.T, y @ mixing.T
    scale = mixing @ white
    a, b = a / a.max(axis=0), b / scale
    r, g, bl = np.maximum(a, 0).T
    roots = [np.sqrt(r * g), np.sqrt(g * bl), np.sqrt(r * bl)]
    basis = np.column_stack([a, *roots, np.ones(len(a))])
    jac = linear_metric(b, scale)
    design = np.einsum("nk,nij->nikj", basis, jac).reshape(3 * len(a), -1)
    target = np.einsum("nij,nj->ni", jac, b).ravel()
    solved = np.linalg.lstsq(design, target, rcond=None)[0].reshape(-1, 3)
    return np.asarray((basis @ solved * scale) @ np.linalg.inv(mixing).T, np.float64)
