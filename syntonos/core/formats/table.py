"""A LUT's values, whatever file they came from."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Triple = tuple[float, float, float]


@dataclass(frozen=True, slots=True, eq=False)
class LutTable:
    """A LUT's values and the input that they stand for.

    `values` is (n, n, n, 3) float32 as table[r, g, b], or (n, 3) for three 1D curves; the first
    stands for `low`, the last for `high`, and input outside is clamped. `clf` are the bytes of a
    CLF that says it all: its nodes are run, and `values` only picture them.
    """

    values: NDArray[np.float32]
    low: Triple = (0.0, 0.0, 0.0)
    high: Triple = (1.0, 1.0, 1.0)
    clf: bytes = b""

    @property
    def sha256(self) -> str:
        """The content's hash: a CLF's bytes, else shape, domain and values."""
        if self.clf:
            return hashlib.sha256(self.clf).hexdigest()
        digest = hashlib.sha256(repr((self.values.shape, self.low, self.high)).encode())
        digest.update(np.ascontiguousarray(self.values, "<f4").tobytes())
        return digest.hexdigest()

    @property
    def is_3d(self) -> bool:
        """Whether it is a 3D LUT."""
        return self.values.ndim > 2
