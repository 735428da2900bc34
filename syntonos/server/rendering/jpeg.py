"""Pictures for a screen as JPEG."""

from __future__ import annotations

from typing import Final

import numpy as np
import simplejpeg
from numpy.typing import NDArray

from syntonos.core.chain.engine import to_bytes

QUALITY: Final = 90


def jpeg(seen: NDArray[np.float32] | NDArray[np.uint8]) -> bytes:
    """Encode values for a screen, 0..1 or already bytes, as JPEG 4:4:4."""
    values = seen if seen.dtype == np.uint8 else to_bytes(np.asarray(seen, np.float32))
    return bytes(simplejpeg.encode_jpeg(values, quality=QUALITY, colorsubsampling="444"))
