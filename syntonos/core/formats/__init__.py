"""File formats: bytes to values and back."""

from syntonos.core.formats.cube import Cube, read_cube, write_cube

__all__ = ["Cube", "read_cube", "write_cube"]
