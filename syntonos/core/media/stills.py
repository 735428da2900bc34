"""Still frames: PNG 16, TIFF 16, EXR (half, float), DPX of 10, 12 and 16 bit, and JPEG.

Values are *stored code values*: float32, 1.0 = full scale of the file. No curve, no levels and no
colour management is applied. EXR values are taken as they are. A JPEG is a display picture of
8 bit: for looking, and for charts in it.
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.errors import MediaError
from syntonos.core.files import MOST_STILL, parsing, see_file

FORMATS: Final = {
    ".png": "PNG", ".tif": "TIFF", ".tiff": "TIFF", ".exr": "EXR", ".dpx": "DPX", ".jpg": "JPEG",
    ".jpeg": "JPEG",
}  # fmt: skip
# What is written: nothing that loses.
_WRITTEN: Final = frozenset({"PNG", "TIFF", "EXR", "DPX"})
_LARGEST_SIDE: Final = 16_384
_MOST_PIXELS: Final = 96_000_000
_EXPORT_HINT = "Export the frame as RGB: PNG 16, TIFF 16, EXR or DPX."


@dataclass(frozen=True, slots=True)
class FrameInfo:
    """What the head of a file says."""

    width: int
    height: int
    format: str
    bits: int  # 8, 10, 12, 16 or 32
    metadata: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ShownPicture:
    """A picture made for looking at: stored values (h, w, 3) float32, and its ICC profile."""

    code_rgb: NDArray[np.float32]
    info: FrameInfo
    icc: bytes = b""  # its profile; none where it has none
    icc_name: str = ""


@dataclass(frozen=True, slots=True)
class Frame:
    """Stored code values (h, w, 3) float32, with what the head of the file says."""

    code_rgb: NDArray[np.float32]
    info: FrameInfo


def _open(path: Path) -> Any:
    import OpenImageIO as oiio

    kind = FORMATS.get(path.suffix.lower())
    if kind is None:
        raise MediaError(
            f"{path.name} has the ending {path.suffix!r}.",
            hint="Pictures may be .png, .tif, .tiff, .exr, .dpx or .jpg.",
            code="media.format",
        )
    see_file(path, most=MOST_STILL)
    picture = oiio.ImageInput.open(str(path))
    if picture is None:
        error = str(oiio.geterror())
        if "claims a" in error:  # the reader weighs the head against the file's length
            raise MediaError(
                f"{path.name}: the {error.split(';')[0]}.",
                hint="The head does not belong to this file: copy or export it again.",
                code="media.too_large",
            )
        raise MediaError(
            f"{path.name} is no {kind} picture, or is damaged.",
            hint=_EXPORT_HINT,
        )
    return picture


def _check(path: Path, spec: Any, *, is_shown: bool = False) -> FrameInfo:
    """Return what a head says; `is_shown` takes what pictures for looking at may be, too."""
    kind = FORMATS[path.suffix.lower()]
    base = str(spec.format)
    bits = int(spec.get_int_attribute("oiio:BitsPerSample", 0))
    bits = bits or {"uint8": 8, "uint16": 16, "half": 16, "float": 32}.get(base, 0)
    width, height = int(spec.full_width or spec.width), int(spec.full_height or spec.height)
    stored = int(spec.width) * int(spec.height)
    if max(width, height) > _LARGEST_SIDE or max(width * height, stored) > _MOST_PIXELS:
        raise MediaError(
            f"{path.name} says it is {width} x {height}; at most {_LARGEST_SIDE} a side and "
            f"{_MOST_PIXELS // 10**6} megapixels are read.",
            hint="Export a smaller frame.",
            code="media.too_large",
        )
    if kind == "EXR" and spec.nchannels > 3 and {"R", "G", "B"} <= set(spec.channelnames):
        pass  # alpha and layers beside the picture are left where they are
    elif is_shown and spec.nchannels in (1, 2, 4):
        pass
    elif spec.nchannels != 3:
        found = {1: "one channel (grey)", 2: "grey with alpha", 4: "RGB with alpha"}
        raise MediaError(
            f"{path.name} has {found.get(spec.nchannels, f'{spec.nchannels} channels')}, "
            "three were needed.",
            hint="Export it as RGB without alpha.",
            code="media.channels",
        )
    allowed = {"PNG": (16,), "TIFF": (16,), "EXR": (16, 32), "DPX": (10, 12, 16), "JPEG": (8,)}[
        kind
    ]
    if is_shown and kind in ("PNG", "TIFF"):
        allowed = (8, 16)
    if bits not in allowed or (kind == "EXR") != (base in ("half", "float")):
        raise MediaError(
            f"{path.name} is {kind} with {bits} bit ({base}), needed "
            f"{' or '.join(map(str, allowed))} bit.",
            hint="Eight bits are too coarse for log footage. " + _EXPORT_HINT
            if bits == 8
            else _EXPORT_HINT,
            code="media.depth",
        )
    metadata = {str(p.name): str(p.value)[:200] for p in spec.extra_attribs}
    if timecode := spec.get_string_attribute("smpte:TimeCode"):
        metadata["smpte:TimeCode"] = str(timecode)
    if spec.get_int_attribute("Orientation", 1) in (5, 6, 7, 8):
        width, height = height, width
    return FrameInfo(width, height, kind, bits, metadata)


def _in_display_window(pixels: NDArray[Any], spec: Any) -> NDArray[Any]:
    """Return the pixels inside of the display window, black where the data window has none."""
    full_w, full_h = int(spec.full_width), int(spec.full_height)
    left, top = int(spec.x) - int(spec.full_x), int(spec.y) - int(spec.full_y)
    height, width = pixels.shape[:2]
    if (left, top, width, height) == (0, 0, full_w, full_h) or not (full_w and full_h):
        return pixels
    window = np.zeros((full_h, full_w, pixels.shape[2]), pixels.dtype)
    x0, y0 = max(left, 0), max(top, 0)
    x1, y1 = min(left + width, full_w), min(top + height, full_h)
    if x1 > x0 and y1 > y0:
        window[y0:y1, x0:x1] = pixels[y0 - top : y1 - top, x0 - left : x1 - left]
    return window


def _upright(pixels: NDArray[np.float32], orientation: int) -> NDArray[np.float32]:
    """Turn and mirror as TIFF's Orientation says (TIFF 6.0, tag 274)."""
    if orientation in (2, 4, 5, 7):
        pixels = pixels[:, ::-1]
    turns = {3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    return np.ascontiguousarray(np.rot90(pixels, turns)) if orientation > 1 else pixels


def read_info(path: str | os.PathLike[str]) -> FrameInfo:
    """Read and check the head of a picture file, without its pixels.

    Raises
    ------
    MediaError
        As `read_frame`.
    """
    path = Path(path)
    with parsing(path.name):
        picture = _open(path)
        try:
            return _check(path, picture.spec())
        finally:
            picture.close()


def read_frame(path: str | os.PathLike[str]) -> Frame:
    """Read a picture to stored code values.

    Returns
    -------
    Frame
        (h, w, 3) float32; integers are divided by the full scale of their depth.

    Raises
    ------
    MediaError
        When the file is missing or damaged, is 8 bit, grey or with alpha, larger than the limits
        (asked of the head, before pixels are read), or holds NaN or infinite values.
    """
    with parsing(Path(path).name):
        return _read(Path(path))


def read_shown(path: str | os.PathLike[str]) -> ShownPicture:
    """Read a picture as it is brought in for its look: 8 bit, grey and alpha are taken, too.

    Alpha is left out; grey is repeated. The profile is given as it is stored and not applied.

    Raises
    ------
    MediaError
        As `read_frame`, but for depth and channels.
    """
    with parsing(Path(path).name):
        return _shown(Path(path))


def _shown(path: Path) -> ShownPicture:
    import OpenImageIO as oiio

    picture = _open(path)
    try:
        spec = picture.spec()
        info = _check(path, spec, is_shown=True)
        found = spec.getattribute("ICCProfile")
        name = spec.get_string_attribute("ICCProfile:profile_description")
        is_plain = info.format in ("EXR", "DPX") or (spec.nchannels == 3 and info.bits > 8)
    finally:
        picture.close()
    profile = b"" if found is None else np.asarray(found, np.uint8).tobytes()
    if is_plain:
        return ShownPicture(_read(path).code_rgb, info, profile, name)
    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)
    picture = oiio.ImageInput.open(str(path), config)
    assert picture is not None  # noqa: S101 - it was open a moment ago
    try:
        stored = picture.read_image(oiio.UINT8 if info.bits == 8 else oiio.UINT16)
        error = picture.geterror()
    finally:
        picture.close()
    if stored is None or error:
        raise MediaError(f"{path.name} breaks off or is damaged.", hint="Copy or export it again.",
                         code="media.truncated")  # fmt: skip
    colour = stored[..., :3] if stored.shape[2] > 2 else stored[..., :1].repeat(3, axis=2)
    code = colour.astype(np.float32) / np.float32(2**info.bits - 1)
    code = _upright(code, spec.get_int_attribute("Orientation", 1))
    return ShownPicture(np.ascontiguousarray(code), info, profile, name)


def _read(path: Path) -> Frame:
    import OpenImageIO as oiio

    picture = _open(path)
    try:
        spec = picture.spec()
        info = _check(path, spec)
        stored = picture.read_image(oiio.FLOAT if info.format == "EXR" else oiio.UINT16)
        error = picture.geterror()
    finally:
        picture.close()
    if stored is None or error:
        raise MediaError(f"{path.name} breaks off or is damaged.", hint="Copy or export it again.",
                         code="media.truncated")  # fmt: skip
    orientation = spec.get_int_attribute("Orientation", 1)
    if info.format == "EXR":
        names = list(spec.channelnames)
        if names != ["R", "G", "B"] and {"R", "G", "B"} <= set(names):
            stored = stored[..., [names.index(c) for c in "RGB"]]
        code = np.ascontiguousarray(_in_display_window(np.asarray(stored, np.float32), spec))
        if not (finite := np.isfinite(code)).all():
            y, x = np.argwhere(~finite.all(axis=-1))[0]
            raise MediaError(
                f"{path.name} holds {int((~finite).any(axis=-1).sum())} pixels that are NaN or "
                f"infinite, the first at x {x}, y {y}.",
                hint="Render or export the frame again.",
                code="media.not_finite",
            )
        return Frame(_upright(code, orientation), info)
    code = stored.astype(np.float32) / np.float32(65535)
    if info.bits < 16:  # the reader widens 10 and 12 bit to 16 by repeating the top bits
        top = np.float32(2**info.bits - 1)
        code = np.round(code * top) / top
    return Frame(_upright(code, orientation), info)


def _packed_timecode(timecode: str) -> int:
    """Return the 32 bits of SMPTE ST 12-1 in which EXR and DPX keep a timecode."""
    hours, minutes, seconds, frames = (int(timecode[i : i + 2]) for i in (0, 3, 6, 9))
    packed = [part // 10 << 4 | part % 10 for part in (frames, seconds, minutes, hours)]
    drops = 0x40 if timecode[8] in ";," else 0
    return packed[0] | drops | packed[1] << 8 | packed[2] << 16 | packed[3] << 24


def write_frame(
    path: str | os.PathLike[str],
    code_rgb: NDArray[np.float32],
    *,
    metadata: Mapping[str, str] | None = None,
    half: bool = True,
    bits: int = 10,
    compression: str = "zip",
) -> None:
    """Write stored code values (h, w, 3) to a picture file, by the ending of its name.

    Integer formats are rounded and clamped to their range; `bits` are those of DPX: 10, 12 or 16.
    `compression` is EXR's, as "zip", "piz" or "dwaa:15".
    The file appears under its name only when it is complete.

    Raises
    ------
    MediaError
        For an unknown ending, or when the disc refuses.
    """
    import OpenImageIO as oiio

    path = Path(path)
    kind = FORMATS.get(path.suffix.lower())
    if kind not in _WRITTEN:
        raise MediaError(f"{path.name} has the ending {path.suffix!r}.", hint=_EXPORT_HINT,
                         code="media.format")  # fmt: skip
    height, width, _ = code_rgb.shape
    if kind == "EXR":
        pixels: NDArray[Any] = np.ascontiguousarray(code_rgb, np.float32)
        spec = oiio.ImageSpec(width, height, 3, oiio.HALF if half else oiio.FLOAT)
        spec.attribute("compression", compression)
    else:
        clean = np.clip(np.asarray(code_rgb, np.float64), 0, 1)
        if kind == "DPX" and bits < 16:
            few = np.rint(clean * (2**bits - 1)).astype(np.uint16)
            pixels = (few << (16 - bits)) | (few >> (2 * bits - 16))
        else:
            pixels = np.rint(clean * 65535).astype(np.uint16)
        spec = oiio.ImageSpec(width, height, 3, oiio.UINT16)
        if kind == "DPX":
            spec.attribute("oiio:BitsPerSample", bits)
        if kind == "TIFF":
            spec.attribute("compression", "zip")
        if kind == "PNG":
            spec.attribute("png:compressionLevel", 3)
    for name, value in (metadata or {}).items():
        if name == "smpte:TimeCode":
            spec.attribute(name, oiio.TypeTimeCode, [_packed_timecode(value), 0])
        else:
            spec.attribute(name, value)
    partial = path.with_name(f".{path.stem}.part{path.suffix}")
    out = oiio.ImageOutput.create(str(partial))
    done = out is not None and out.open(str(partial), spec) and out.write_image(pixels)
    if out is not None:
        done = out.close() and done
    if not done:
        partial.unlink(missing_ok=True)
        raise MediaError(f"{path.name} could not be written.", hint="Check space and rights.",
                         code="media.write")  # fmt: skip
    partial.replace(path)
