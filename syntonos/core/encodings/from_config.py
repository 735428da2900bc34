"""Encodings from an OpenColorIO config: its colour spaces under the config's own names.

A camera's colour space is a curve and a matrix. Both are measured through OpenColorIO itself and
kept as a definition of ours: light at 4096 codes, and primaries. What is not a curve and a matrix
(creative tables, channel mixing in code values) is refused.
"""

from __future__ import annotations

import shutil
import tempfile
import weakref
import zipfile
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np

from syntonos.core.colorimetry import adaptation_matrix
from syntonos.core.encodings.gamuts import ACES_WHITE, GAMUTS
from syntonos.core.encodings.own import Definition
from syntonos.core.errors import EncodingError

_POINTS = 4096
_MOST_BYTES = 64 * 2**20
_MOST_SPACES = 1000
_MATRIX_ERROR, _CURVE_ERROR = 2e-3, 2e-3
AP0 = "ACES2065-1"


@dataclass(frozen=True, slots=True, weakref_slot=True)
class Config:
    """An open config; an archive's files lie in a folder as long as somebody holds it."""

    ocio: Any


@dataclass(frozen=True, slots=True)
class ConfigSpace:
    """A colour space of a config."""

    name: str
    family: str
    is_scene: bool


def builtin_configs() -> list[str]:
    """Return the names of the configs that the library brings."""
    import PyOpenColorIO as ocio

    return [row[0] for row in ocio.BuiltinConfigRegistry().getBuiltinConfigs()]


def _errors() -> tuple[type[Exception], ...]:
    import PyOpenColorIO as ocio

    return (ocio.Exception, ocio.ExceptionMissingFile)


def open_config(name: str, data: bytes | None = None) -> Config:
    """Open a built-in config by name, or an .ocio or .ocioz file from its bytes.

    Raises
    ------
    EncodingError
        config.invalid, in OpenColorIO's words, for files that are missing, broken or too large.
    """
    import PyOpenColorIO as ocio

    bad: tuple[type[Exception], ...] = (*_errors(), UnicodeDecodeError, zipfile.BadZipFile)
    try:
        if data is None:
            return Config(ocio.Config.CreateFromBuiltinConfig(name))
        if len(data) > _MOST_BYTES:
            raise EncodingError(
                f"{name} has {len(data) / 2**20:.0f} MiB.",
                hint="Configs up to 64 MiB are taken.", code="config.invalid",
            )  # fmt: skip
        if name.lower().endswith(".ocioz"):
            return _from_archive(name, data)
        _see_spaces(name, data)
        config = ocio.Config.CreateFromStream(data.decode("utf-8"))
        config.validate()
    except bad as error:
        words = str(error).splitlines()[0]
        raise EncodingError(
            f"{name} cannot be used: {words}", code="config.invalid",
            hint="Check the config where it was made; files that it names belong in an .ocioz.",
        ) from None  # fmt: skip
    return Config(config)


def _see_spaces(name: str, text: bytes) -> None:
    """Refuse a config of more spaces than any has: reading it would hold everything else up."""
    count = text.count(b"<ColorSpace>") + text.count(b"<NamedTransform>")
    if count > _MOST_SPACES:
        raise EncodingError(f"{name} has {count} colour spaces.",
                            hint=f"Configs of up to {_MOST_SPACES} are taken.",
                            code="config.invalid")  # fmt: skip


def _from_archive(name: str, data: bytes) -> Config:
    import PyOpenColorIO as ocio

    with zipfile.ZipFile(BytesIO(data)) as archive:
        size = sum(item.file_size for item in archive.infolist())
        if size > 4 * _MOST_BYTES:
            raise EncodingError(
                f"{name} unpacks to {size / 2**20:.0f} MiB.",
                hint="Configs up to 256 MiB are taken.", code="config.invalid",
            )  # fmt: skip
        for item in archive.infolist():
            if item.filename.endswith(".ocio") and item.file_size <= _MOST_BYTES:
                _see_spaces(name, archive.read(item))
    folder = Path(tempfile.mkdtemp(prefix="syntonos-config-"))
    try:
        path = folder / "config.ocioz"
        path.write_bytes(data)
        config = ocio.Config.CreateFromFile(str(path))
        config.validate()
    except Exception:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    opened = Config(config)
    weakref.finalize(opened, shutil.rmtree, folder, ignore_errors=True)
    return opened


def spaces_of(config: Config) -> list[ConfigSpace]:
    """Return the config's colour spaces in its own order."""
    import PyOpenColorIO as ocio

    out = []
    for name in config.ocio.getColorSpaceNames():
        space = config.ocio.getColorSpace(name)
        scene = space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_SCENE
        out.append(ConfigSpace(name, space.getFamily() or "", scene and not space.isData()))
    return out


def take_space(opened: Config, name: str) -> Definition:
    """Measure a colour space of a config as a curve and primaries.

    Raises
    ------
    EncodingError
        config.invalid where it has no such space or names files that are not there;
        config.not_a_camera where it is more than a curve and a matrix.
    """
    import PyOpenColorIO as ocio

    config = opened.ocio
    try:
        if config.getColorSpace(name) is None:
            raise EncodingError(f"The config has no colour space {name!r}.",
                                hint="Choose one of its list.", code="config.invalid")  # fmt: skip
        interchange = config.getColorSpace(ocio.ROLE_INTERCHANGE_SCENE) or config.getColorSpace(AP0)
        if interchange is None:
            raise EncodingError(
                "The config does not say what its scene space is.", code="config.invalid",
                hint="It needs the role aces_interchange.",
            )  # fmt: skip
        processor = config.getProcessor(name, interchange.getName()).getOptimizedCPUProcessor(
            ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS
        )
    except _errors() as error:
        raise EncodingError(
            f"{name} cannot be used: {str(error).splitlines()[0]}", code="config.invalid",
            hint="A file that the config names may be missing: bring it in as an .ocioz.",
        ) from None  # fmt: skip

    def through(code: Any) -> Any:
        out = np.ascontiguousarray(code, np.float32).copy()
        processor.applyRGB(out.reshape(-1))
        return out.astype(np.float64)

    codes = np.linspace(0, 1, _POINTS)
    grey = through(np.repeat(codes[:, None], 3, axis=1))
    lin = grey @ np.array([0.25, 0.5, 0.25])  # a neutral has one value in AP0
    if np.abs(grey - lin[:, None]).max() > _CURVE_ERROR * max(1.0, float(np.abs(lin).max())):
        raise _not_a_camera(name, "greys do not stay grey")
    if (np.diff(lin) <= 0).any():
        raise _not_a_camera(name, "its curve does not rise")
    # Linear light of a code in one channel alone shows that channel's primary.
    high, low = 0.6, 0.3
    a, b = np.interp([high, low], codes, lin)
    columns = []
    for channel in range(3):
        pixel = np.full((1, 3), low)
        pixel[0, channel] = high
        columns.append((through(pixel)[0] - b) / (a - b))
    matrix = np.array(columns).T
    rng = np.random.default_rng(0)
    test = rng.uniform(0.1, 0.8, (200, 3))
    want = np.stack([np.interp(test[:, c], codes, lin) for c in range(3)], axis=1) @ matrix.T
    off = np.abs(through(test) - want).max(axis=1) / np.abs(want).max(axis=1)
    if off.max() > _MATRIX_ERROR:
        raise _not_a_camera(name, "it is no matrix after its curve")
    xyz = GAMUTS["ap0"].to_xyz @ matrix
    # Under D65, as cameras' documents give them; the way back is CAT02 again.
    to_d65 = adaptation_matrix(ACES_WHITE, (0.3127, 0.3290), method="cat02")
    primaries = (to_d65 @ xyz).T
    x, y, _ = (primaries / primaries.sum(axis=1, keepdims=True)).T
    red, green, blue = ((float(px), float(py)) for px, py in zip(x, y, strict=True))
    return Definition(
        name[:80], (red, green, blue), (0.3127, 0.3290), "cat02",
        table=tuple(float(v) for v in lin),
    )  # fmt: skip


def _not_a_camera(name: str, why: str) -> EncodingError:
    return EncodingError(
        f"{name} is more than a curve and a matrix: {why}.", code="config.not_a_camera",
        hint="Use it as a look, or choose the colour space that the camera records in.",
    )  # fmt: skip
