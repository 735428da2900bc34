"""Raw stills and DNG: developed to scene-linear light, then to any encoding.

LibRaw opens the files and fills in the colours that each photosite lacks; white, exposure and
colour are our own, by the file's matrices. A preview of half the size needs no filling in.
"""

from __future__ import annotations

import functools
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
import rawpy
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.colorimetry import adaptation_matrix, locus_white, white_to_cct_duv, xy_to_xyz
from syntonos.core.encodings import encode, find_encoding
from syntonos.core.errors import MediaError
from syntonos.core.files import MOST_STILL, parsing, see_file
from syntonos.core.media.facts import Recording, known_facts
from syntonos.core.media.raw_colour import D50, ILLUMINANT_KELVIN, RawColour
from syntonos.core.media.tags import plain_tags, rate_of, read_tags, timecode_of

# Endings under which LibRaw's formats are met; "dng" is read most fully.
ENDINGS: Final = (".dng", ".nef", ".cr2", ".cr3", ".arw", ".raf", ".rw2", ".orf", ".pef", ".iiq",
                  ".3fr", ".srw")  # fmt: skip
# How clipped highlights are shown: LibRaw's numbers.
HIGHLIGHTS: Final = {"clip": 0, "blend": 2, "rebuild": 5}
_MOST_PIXELS: Final = 200_000_000
_LARGEST_SIDE: Final = 32_768


@dataclass(frozen=True, slots=True)
class RawDevelopment:
    """How raw is developed.

    Attributes
    ----------
    white : str
        "as-shot", or "set" for kelvin and tint.
    kelvin, tint : float
        1700 to 25 000 K on the Planckian locus; tint is Duv x 1000, the light's, green positive.
    stops : float
        Beside the exposure that the file asks for, -8 to 8.
    exposure_index : int or None
        Developed as if exposed for this one, where the file says for which it was; 25 to 102 400.
    highlights : str
        "clip", "blend" or "rebuild".
    encoding : str
        What the developed values carry: scene-linear, or any encoding.
    """

    white: str = "as-shot"
    kelvin: float = 5600.0
    tint: float = 0.0
    stops: float = 0.0
    exposure_index: int | None = None
    highlights: str = "clip"
    encoding: str = "linear/ap1"

    def __post_init__(self) -> None:
        faults = [
            (self.white in ("as-shot", "set"), f"White is {self.white!r}", "as-shot or set"),
            (1700 <= self.kelvin <= 25_000, f"{self.kelvin} K", "1700 to 25000 K"),
            (-50 <= self.tint <= 50, f"Tint {self.tint}", "-50 to 50"),
            (-8 <= self.stops <= 8, f"{self.stops} stops", "-8 to 8 stops"),
            (self.exposure_index is None or 25 <= self.exposure_index <= 102_400,
             f"Exposure index {self.exposure_index}", "25 to 102400"),
            (self.highlights in HIGHLIGHTS, f"Highlights {self.highlights!r}",
             ", ".join(HIGHLIGHTS)),
        ]  # fmt: skip
        for is_right, found, wanted in faults:
            if not is_right:
                raise MediaError(f"{found}: {wanted} was needed.", hint="Correct it.",
                                 code="raw.settings")  # fmt: skip


AS_SHOT: Final = RawDevelopment()


@dataclass(frozen=True, eq=False)
class _Head:
    """What development needs of the file's own numbers."""

    colour: RawColour
    neutral: NDArray[np.float64]
    stops: float  # BaselineExposure
    exposure_index: float | None


def _matrix(value: Any) -> NDArray[np.float64] | None:
    """Return a tag's nine rationals as a matrix."""
    flat = np.asarray(value, np.float64).ravel()
    if flat.size == 18:  # numerators and denominators
        flat = flat[::2] / flat[1::2]
    return flat.reshape(3, 3) if flat.size == 9 and np.isfinite(flat).all() else None


def _ratios(value: Any) -> NDArray[np.float64]:
    flat = np.asarray(value, np.float64).ravel()
    return np.asarray(flat[::2] / flat[1::2], np.float64)


def _opened(path: Path) -> Any:
    see_file(path, most=MOST_STILL)
    try:
        raw = rawpy.imread(str(path))
    except (rawpy.LibRawError, OSError) as error:
        raise MediaError(f"{path.name} is no raw picture that can be read, or breaks off.",
                         hint="Copy it again from the card.") from error  # fmt: skip
    sizes = raw.sizes
    if max(sizes.width, sizes.height) > _LARGEST_SIDE or sizes.width * sizes.height > _MOST_PIXELS:
        raw.close()
        raise MediaError(f"{path.name} is {sizes.width} x {sizes.height}.",
                         hint=f"At most {_MOST_PIXELS // 10**6} megapixels are read.",
                         code="media.too_large")  # fmt: skip
    return raw


def _head(path: Path, raw: Any, tags: dict[str, Any]) -> _Head:
    color_1 = _matrix(tags.get("ColorMatrix1", ()))
    if color_1 is not None:
        second = _matrix(tags.get("ColorMatrix2", ()))
        colour = RawColour(
            color_1, ILLUMINANT_KELVIN.get(int(tags.get("CalibrationIlluminant1", 21)), 6504.0),
            second, ILLUMINANT_KELVIN.get(int(tags.get("CalibrationIlluminant2", 0)), 6504.0),
            _matrix(tags.get("ForwardMatrix1", ())), _matrix(tags.get("ForwardMatrix2", ())),
            _matrix(tags.get("CameraCalibration1", ())),
            _matrix(tags.get("CameraCalibration2", ())),
            tuple(_ratios(tags["AnalogBalance"])) if "AnalogBalance" in tags else (1.0, 1.0, 1.0),
        )  # fmt: skip
    else:
        matrix = np.asarray(raw.rgb_xyz_matrix, np.float64)[:3]
        if not np.abs(matrix).sum() > 0:
            raise MediaError(f"{path.name} brings no colour matrix, and none is known for it.",
                             hint="Convert it to DNG, which carries its own.",
                             code="raw.colour")  # fmt: skip
        colour = RawColour(matrix, 6504.0)
    if "AsShotNeutral" in tags:
        neutral = _ratios(tags["AsShotNeutral"])
    elif "AsShotWhiteXY" in tags:
        neutral = colour.neutral_of(_ratios(tags["AsShotWhiteXY"]))
    else:
        gains = np.asarray(raw.camera_whitebalance[:3], np.float64)
        gains = gains if (gains > 0).all() else np.asarray(raw.daylight_whitebalance[:3])
        if not (gains > 0).all():
            raise MediaError(f"{path.name} does not say its white.",
                             hint="Set the white by kelvin and tint.",
                             code="raw.white")  # fmt: skip
        neutral = 1 / gains
    if not (np.isfinite(neutral).all() and (neutral > 0).all() and len(neutral) == 3):
        raise MediaError(f"{path.name}: its white as shot is no neutral.",
                         hint="Set the white by kelvin and tint.", code="raw.white")  # fmt: skip
    stops = float(_ratios(tags["BaselineExposure"])[0]) if "BaselineExposure" in tags else 0.0
    speed = tags.get("ISOSpeedRatings", tags.get("PhotographicSensitivity"))
    speed = speed[0] if isinstance(speed, tuple | list) else speed
    return _Head(colour, neutral / neutral.max(), stops, float(speed) if speed else None)


@parsing("The raw file")
def read_raw_info(path: str | os.PathLike[str]) -> Recording:
    """Return what a raw file says of itself, as a recording of one frame.

    Raises
    ------
    MediaError
        When LibRaw cannot open it, it is too large, or has no colour or white that can be used.
    """
    path = Path(path)
    raw = _opened(path)
    try:
        tags = read_tags(path)
        head = _head(path, raw, tags)
        sizes = raw.sizes
        size = (sizes.width, sizes.height)[:: -1 if sizes.flip in (5, 6) else 1]
        bits = max(int(raw.white_level), 1).bit_length()
    finally:
        raw.close()
    kept = plain_tags(tags)
    facts = known_facts(kept)
    kelvin, duv = white_to_cct_duv(xy_to_xyz(head.colour.xy_of(head.neutral)))
    facts["white"] = f"{kelvin:.0f} K"
    facts["tint"] = f"{1000 * duv:+.1f}"
    if head.exposure_index:
        facts["exposure_index"] = f"{head.exposure_index:.0f}"
    if "ExposureTime" in tags:
        top, bottom = tags["ExposureTime"]
        facts["shutter"] = f"{top}/{bottom} s"
    return Recording(
        kind="raw", format="DNG" if path.suffix.lower() == ".dng" else "RAW", width=size[0],
        height=size[1], bits=bits, frame_count=1,
        rate=rate_of(tags), timecode=timecode_of(tags), facts=facts, metadata=kept,
    )  # fmt: skip


@jit
def _bin(mosaic: Any, colour_at: Any, black: Any, gains: Any, top: Any, mat: Any, out: Any) -> None:
    """Turn each 2 x 2 photosites into a pixel: balanced, clipped at `top`, through a matrix."""
    height, width, _ = out.shape
    half = np.float32(0.5)
    for y in range(height):
        for x in range(width):
            red = blue = green = np.float32(0)
            for j in range(2):
                for i in range(2):
                    k = colour_at[j, i]
                    v = (np.float32(mosaic[2 * y + j, 2 * x + i]) - black[k]) * gains[k]
                    v = min(v, top)
                    if k == 0:
                        red = v
                    elif k == 2:
                        blue = v
                    else:
                        green += half * v
            for c in range(3):
                out[y, x, c] = mat[c, 0] * red + mat[c, 1] * green + mat[c, 2] * blue


def _turned(picture: NDArray[np.float32], flip: int) -> NDArray[np.float32]:
    """Turn as LibRaw's flip says: 3 half, 5 a quarter left, 6 a quarter right."""
    turns = {3: 2, 5: 1, 6: 3}.get(flip, 0)
    return np.ascontiguousarray(np.rot90(picture, turns)) if turns else picture


@functools.cache
def _gamut_from_d50(encoding: str) -> NDArray[np.float64]:
    """Return the matrix (3, 3) from XYZ under D50 to an encoding's linear RGB."""
    gamut = find_encoding(encoding).gamut
    adapted = adaptation_matrix(D50, gamut.white, method="bradford")
    return np.asarray(np.linalg.solve(gamut.to_xyz, adapted), np.float64)


@parsing("The raw file")
def develop_raw(
    path: str | os.PathLike[str],
    development: RawDevelopment = AS_SHOT,
    *,
    preview: bool = False,
) -> NDArray[np.float32]:
    """Return a raw picture (h, w, 3) float32, developed and encoded.

    Parameters
    ----------
    path
        A DNG, or what LibRaw opens.
    development
        White, exposure, highlights and the encoding of the result.
    preview
        Half the size, each two by two photosites one pixel: fast, and free of invented detail.

    Returns
    -------
    ndarray
        Code values of `development.encoding`; scene-linear for "linear/...". A sensor value at its
        white level, balanced, is 1.0 before the file's BaselineExposure and the stops asked for.

    Raises
    ------
    MediaError
        As `read_raw_info`.

    Source: DNG Specification 1.7.1.0 chapter 6.
    """
    path = Path(path)
    raw = _opened(path)
    try:
        head = _head(path, raw, read_tags(path))
        neutral = head.neutral
        if development.white == "set":
            xyz = locus_white(1e6 / development.kelvin, development.tint / 1000)
            xy = xyz[:2] / xyz.sum()
            neutral = head.colour.neutral_of(xy)
        else:
            xy = head.colour.xy_of(neutral)
        gains = neutral.max() / neutral  # the smallest is 1
        stops = head.stops + development.stops
        if development.exposure_index and head.exposure_index:
            stops += float(np.log2(development.exposure_index / head.exposure_index))
        to_xyz = head.colour.camera_to_xyz(xy) @ np.diag(neutral)  # from balanced values
        matrix = 2.0**stops * _gamut_from_d50(development.encoding) @ to_xyz
        pattern = raw.raw_pattern
        is_bayer = (
            pattern is not None and pattern.shape == (2, 2) and raw.color_desc[:3] == b"RGB"
            and np.unique(pattern).size >= 3
        )  # fmt: skip
        if preview and is_bayer and development.highlights == "clip":
            mosaic = raw.raw_image_visible
            black = np.asarray(raw.black_level_per_channel, np.float32)
            per_code = gains[[0, 1, 2, 1]] / (raw.white_level - black.astype(np.float64))
            out = np.empty((mosaic.shape[0] // 2, mosaic.shape[1] // 2, 3), np.float32)
            _bin(mosaic, pattern.astype(np.int64), black, per_code.astype(np.float32),
                 np.float32(1), matrix.astype(np.float32), out)  # fmt: skip
            linear = _turned(out, raw.sizes.flip)
        else:
            mode = HIGHLIGHTS[development.highlights]
            # LibRaw divides every channel by the range above the smallest black.
            blacks = np.asarray(raw.black_level_per_channel, np.float64)
            ranges = (raw.white_level - blacks.min()) / (raw.white_level - blacks)
            balance = gains[[0, 1, 2, 1]] * ranges
            stored = raw.postprocess(
                output_color=rawpy.ColorSpace.raw, output_bps=16, gamma=(1, 1),
                no_auto_bright=True, adjust_maximum_thr=0.0, half_size=preview,
                user_wb=balance.tolist(),
                highlight_mode=rawpy.HighlightMode(mode),
            )  # fmt: skip
            # It makes the smallest gain 1, or where it does not clip, the largest.
            scale = float(balance.min() if mode == 0 else balance.max())
            linear = stored.astype(np.float32) * np.float32(scale / 65535)
            linear = linear @ matrix.T.astype(np.float32)
    except rawpy.LibRawError as error:
        raise MediaError(f"{path.name} breaks off or is damaged.",
                         hint="Copy it again from the card.",
                         code="media.truncated") from error  # fmt: skip
    finally:
        raw.close()
    encoding = find_encoding(development.encoding)
    return linear if encoding.kind == "linear" else encode(linear, encoding.curve)
