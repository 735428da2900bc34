"""Numbers that everything agrees on."""

from __future__ import annotations

from typing import Final

# Reflectance of middle grey, what exposure and stops are told from: common practice, no source.
MIDDLE_GREY: Final = 0.18
