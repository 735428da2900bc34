"""Pictures as targets: an imported still, a graded one, a film scan, as scene-linear light."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import AcesOutput, EncodingOutput, Output
from syntonos.core.chain.displays import find_display
from syntonos.core.chain.engine import behind_aces
from syntonos.core.chain.stages.output import AnyOutput
from syntonos.core.encodings import (
    AP1,
    GAMUTS,
    Gamut,
    decode,
    find_encoding,
    gamut_matrix,
    take_levels_off,
)
from syntonos.core.encodings.film import DENSITIES, DENSITY_NAMES, decode_density
from syntonos.core.matching.highlights import clipped_channels, top_of
from syntonos.core.media.profiles import profile_light

PROFILE: Final = "profile"  # taken as the picture's own ICC profile says
_LEAST_CODE, _MOST_CODE = 0.004, 0.996  # of a display's range: beyond, nothing is told
_AP0: Final = GAMUTS["ap0"]
# The ACES reference gamut compression leaves alone what is less saturated than that: least over
# largest channel, 1 less its lowest threshold (S-2020-001: 0.803 for magenta).
_LEAST_OF_MOST: Final = 0.2
_MOST_OF_PEAK: Final = 0.97  # display light, beyond which a tone scale squeezes all together
GRADED: Final = (
    "It stands on a picture as it is shown: what is clipped or crushed in that tells nothing, and "
    "contrast that was graded into it is not the camera's."
)
FILM: Final = (
    "It stands on a scanned negative, taken through the characteristic of a general one: "
    "what that stock does otherwise is in the match."
)


@dataclass(frozen=True, slots=True)
class TargetLight:
    """A picture as a target.

    light : (h, w, 3) float32, scene-linear AP1
    usable : (h, w), where it says what the scene was
    limit : what it cannot tell, in words; "" where it is light of a scene
    """

    light: NDArray[np.float32]
    usable: NDArray[np.bool_]
    limit: str = ""


def is_film(taken_as: str) -> bool:
    """Say whether a picture is taken as a scanned negative."""
    return taken_as in DENSITIES or taken_as.startswith("cineon/")


def is_picture(taken_as: str) -> bool:
    """Say whether only pictures are taken as that: a scanned negative, or by a profile."""
    return taken_as in DENSITIES or taken_as == PROFILE


def is_shown(taken_as: str) -> bool:
    """Say whether what a picture is taken as is no encoding of scene-linear light."""
    return is_picture(taken_as) or find_encoding(taken_as).kind == "display"


def taken_name(taken_as: str) -> str:
    """Return what a picture is taken as, in words; an error where it is nothing known."""
    if taken_as == PROFILE:
        return "its own ICC profile"
    return DENSITY_NAMES.get(taken_as) or find_encoding(taken_as).name


def target_light(
    code_rgb: NDArray[np.float32], taken_as: str, levels: str, output: AnyOutput,
    profile: bytes = b"",
) -> TargetLight:  # fmt: skip
    """Return the light of a scene that a picture stands for.

    What is recorded in an encoding of cameras or film is decoded. A picture that was made for
    looking at is led back through the output: then a match to it looks as the picture does.

    Parameters
    ----------
    code_rgb : (h, w, 3)
        Stored values as shares of full scale.
    taken_as : str
        An encoding's slug, "adx10" or "adx16", or "profile" for the picture's own.
    levels : str
        "full" or "legal".
    output : output stage
        Through which the angle is looked at.
    profile : bytes
        The picture's ICC profile, where it is taken as that.

    Returns
    -------
    TargetLight

    Raises
    ------
    EncodingError, MediaError
        For an unknown encoding, or a profile that is not understood.
    """
    if taken_as in DENSITIES:
        light = decode_density(take_levels_off(code_rgb, levels), taken_as)
        clear = (code_rgb > 0).all(axis=-1) & (code_rgb < 1).all(axis=-1)
        return TargetLight(np.asarray(light, np.float32), np.asarray(clear, np.bool_), FILM)
    if taken_as == PROFILE:
        return _undone(profile_light(code_rgb, profile), GAMUTS["bt709"], code_rgb, output)
    space = find_encoding(taken_as)
    code = take_levels_off(code_rgb, levels)
    if space.kind == "display":
        signal = decode(np.asarray(code, np.float64), space.curve)
        return _undone(_shown_light(signal, taken_as), space.gamut, code, output)
    lin = decode(np.asarray(code, np.float64), space.curve) @ gamut_matrix(space.gamut, AP1).T
    clipped = clipped_channels(code_rgb, space, levels, top=top_of(space, [code])).any(axis=-1)
    clear = np.asarray(~clipped, np.bool_)
    return TargetLight(np.asarray(lin, np.float32), clear, FILM if is_film(taken_as) else "")


def _shown_light(signal: NDArray[np.float64], slug: str) -> NDArray[np.float64]:
    """Return display light, 1 at 100 cd/m2, of what a display's curve decodes to."""
    return find_display(slug).light_of(signal) if slug == "rec2100-hlg" else signal


def _undone(
    shown: NDArray[np.float64], gamut: Gamut, code: NDArray[np.float32], output: AnyOutput
) -> TargetLight:
    """Return what scene an output shows as some display light of a gamut."""
    clear = ((code > _LEAST_CODE) & (code < _MOST_CODE)).all(axis=-1)
    tone = output.tone if isinstance(output, Output) else None
    if isinstance(output, Output) and tone is not None:
        display = find_display(output.display)
        there = shown @ gamut_matrix(gamut, display.gamut).T
        low, high = tone.black, _MOST_OF_PEAK * display.peak
        clear = clear & ((there > low) & (there < high)).all(axis=-1)
        scene = tone.invert(np.clip(there, low, high), display.peak)
        lin = scene @ gamut_matrix(display.gamut, AP1).T
    elif isinstance(output, AcesOutput):
        display = find_display(output.display)
        there = shown @ gamut_matrix(gamut, display.gamut).T
        clear = clear & ((there > 0) & (there < _MOST_OF_PEAK * display.peak)).all(axis=-1)
        held = np.clip(there, 0, _MOST_OF_PEAK * display.peak) @ display.gamut.to_xyz.T
        lin = behind_aces(held, output.display, output.version) @ gamut_matrix(_AP0, AP1).T
    else:
        lin = shown @ gamut_matrix(gamut, AP1).T
    if not isinstance(output, EncodingOutput) and output.compression:
        # What the gamut compression has moved is not led back.
        clear = clear & (lin.min(axis=-1) > _LEAST_OF_MOST * lin.max(axis=-1))
    return TargetLight(np.asarray(lin, np.float32), np.asarray(clear, np.bool_), GRADED)
