"""The tree of errors that the core raises on purpose.

ColourError
├── MediaError            a picture file cannot be used        media.*
├── EncodingError         an encoding is not known             encoding.*
├── ChainError            a chain document cannot be read      chain.*
├── CubeFileError         a .cube file breaks its grammar      cube.*
├── LutFileError          another LUT or CDL file is broken    lut.*
├── ChartError            a chart cannot be read               chart.*
└── FitError              readings do not allow a fit          fit.*

A message says what was found and what was needed; the hint says what to do next.
"""

from __future__ import annotations

from typing import ClassVar

from syntonos.core.text import printable


class ColourError(Exception):
    """Root of all errors the core raises on purpose.

    Parameters
    ----------
    message : str
        What was found and what was needed, with numbers.
    hint : str
        What to do now.
    code : str, optional
        A stable code that the API, the front end and the documents refer to.
    """

    default_code: ClassVar[str] = "colour"

    def __init__(self, message: str, *, hint: str, code: str | None = None) -> None:
        self.message, self.hint = printable(message), printable(hint)
        super().__init__(self.message)
        self.code = code or self.default_code

    def __str__(self) -> str:
        return f"{self.message} {self.hint}"


class MediaError(ColourError):
    """A picture file cannot be used as it is."""

    default_code = "media.unreadable"


class EncodingError(ColourError):
    """An encoding, curve, gamut or level is not known."""

    default_code = "encoding.unknown"


class ChainError(ColourError):
    """A chain document cannot be read."""

    default_code = "chain.invalid"


class CubeFileError(ColourError):
    """A .cube file breaks its published grammar."""

    default_code = "cube.invalid"


class LutFileError(ColourError):
    """A 3DL, CLF or CDL file cannot be used."""

    default_code = "lut.invalid"


class ChartError(ColourError):
    """A chart was not found, or cannot be read."""

    default_code = "chart.not_found"


class FitError(ColourError):
    """The readings do not allow a fit."""

    default_code = "fit.underdetermined"
