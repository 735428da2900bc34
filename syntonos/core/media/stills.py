"""Still frames: PNG 16, TIFF 16, EXR (half, float) and DPX 10 bit.

Values are *stored code values*: float32, 1.0 = full scale of the file. No curve, no levels and no
colour management is applied. EXR values are taken as they are.
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

FORMATS: Final = {".png": "PNG", ".tif": "TIFF", ".tiff": "TIFF", ".exr": "EXR", ".dpx": "DPX"}
_LARGEST_SIDE: Final = 16_384
_MOST_PIXELS: Final = 96_000_000
_EXPORT_HINT = "Export the frame as RGB: PNG 16, TIFF 16, EXR or DPX 10 bit."


@dataclass(frozen=True, slots=True)
class FrameInfo:
    """What the head of a file says."""

    width: int
    height: int
    format: str
    bits: int  # 10, 16 or 32
    metadata: Mapping[str, str] = field(default_factory=dict)


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
            hint="Pictures may be .png, .tif, .tiff, .exr or .dpx.",
            code="media.format",
        )
    if not path.is_file():
        raise MediaError(f"There is no file {path.name}.", hint="Check the path.",
                         code="media.missing")  # fmt: skip
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


def _check(path: Path, spec: Any) -> FrameInfo:
    kind = FORMATS[path.suffix.lower()]
    base = str(spec.format)
    bits = int(spec.get_int_attribute("oiio:BitsPerSample", 0))
    bits = bits or {"uint8": 8, "uint16": 16, "half": 16, "float": 32}.get(base, 0)
    width, height = int(spec.width), int(spec.height)
    if max(width, height) > _LARGEST_SIDE or width * height > _MOST_PIXELS:
        raise MediaError(
            f"{path.name} says it is {width} x {height}; at most {_LARGEST_SIDE} a side and "
            f"{_MOST_PIXELS // 10**6} megapixels are read.",
            hint="Export a smaller frame.",
            code="media.too_large",
        )
    if spec.nchannels != 3:
        found = {1: "one channel (grey)", 2: "grey with alpha", 4: "RGB with alpha"}
        raise MediaError(
            f"{path.name} has {found.get(spec.nchannels, f'{spec.nchannels} channels')}, "
            "three were needed.",
            hint="Export it as RGB without alpha.",
            code="media.channels",
        )
    allowed = {"PNG": (16,), "TIFF": (16,), "EXR": (16, 32), "DPX": (10,)}[kind]
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
    return FrameInfo(width, height, kind, bits, metadata)


def read_info(path: str | os.PathLike[str]) -> FrameInfo:
    """Read and check the head of a picture file, without its pixels.

    Raises
    ------
    MediaError
        As `read_frame`.
    """
    picture = _open(Path(path))
    try:
        return _check(Path(path), picture.spec())
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
    import OpenImageIO as oiio

    path = Path(path)
    picture = _open(path)
    try:
        info = _check(path, picture.spec())
        stored = picture.read_image(oiio.FLOAT if info.format == "EXR" else oiio.UINT16)
        error = picture.geterror()
    finally:
        picture.close()
    if stored is None or error:
        raise MediaError(f"{path.name} breaks off or is damaged.", hint="Copy or export it again.",
                         code="media.truncated")  # fmt: skip
    if info.format == "EXR":
        code = np.asarray(stored, np.float32)
        if not (finite := np.isfinite(code)).all():
            y, x = np.argwhere(~finite.all(axis=-1))[0]
            raise MediaError(
                f"{path.name} holds {int((~finite).any(axis=-1).sum())} pixels that are NaN or "
                f"infinite, the first at x {x}, y {y}.",
                hint="Render or export the frame again.",
                code="media.not_finite",
            )
        return Frame(code, info)
    code = stored.astype(np.float32) / np.float32(65535)
    if info.bits == 10:  # the reader widens 10 bit to 16 by repeating the top bits
        code = np.round(code * np.float32(1023)) / np.float32(1023)
    return Frame(code, info)


def write_frame(
    path: str | os.PathLike[str],
    code_rgb: NDArray[np.float32],
    *,
    metadata: Mapping[str, str] | None = None,
    half: bool = True,
) -> None:
    """Write stored code values (h, w, 3) to a picture file, by the ending of its name.

    Integer formats are rounded and clamped to their range. The file appears under its name only
    when it is complete.

    Raises
    ------
    MediaError
        For an unknown ending, or when the disc refuses.
    """
    import OpenImageIO as oiio

    path = Path(path)
    kind = FORMATS.get(path.suffix.lower())
    if kind is None:
        raise MediaError(f"{path.name} has the ending {path.suffix!r}.", hint=_EXPORT_HINT,
                         code="media.format")  # fmt: skip
    height, width, _ = code_rgb.shape
    if kind == "EXR":
        pixels: NDArray[Any] = np.ascontiguousarray(code_rgb, np.float32)
        spec = oiio.ImageSpec(width, height, 3, oiio.HALF if half else oiio.FLOAT)
        spec.attribute("compression", "zip")
    else:
        clean = np.clip(np.asarray(code_rgb, np.float64), 0, 1)
        if kind == "DPX":
            ten = np.rint(clean * 1023).astype(np.uint16)
            pixels = (ten << 6) | (ten >> 4)
        else:
            pixels = np.rint(clean * 65535).astype(np.uint16)
        spec = oiio.ImageSpec(width, height, 3, oiio.UINT16)
        if kind == "DPX":
            spec.attribute("oiio:BitsPerSample", 10)
        if kind == "TIFF":
            spec.attribute("compression", "zip")
        if kind == "PNG":
            spec.attribute("png:compressionLevel", 3)
    for name, value in (metadata or {}).items():
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
