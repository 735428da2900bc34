"""The colour of raw files: from a sensor's own values to CIE XYZ, by the file's own matrices.

Source: Digital Negative (DNG) Specification 1.7.1.0, chapter 6 "Mapping Camera Color Space to CIE
XYZ Space". Names of the symbols below are the specification's.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.colorimetry import adaptation_matrix, white_to_cct_duv, xy_to_xyz
from syntonos.core.errors import MediaError

Matrix = NDArray[np.float64]
D50 = (0.3457, 0.3585)  # the white of the profile connection space, as in ICC.1:2010
# EXIF LightSource to kelvin.
ILLUMINANT_KELVIN = {
    1: 5500.0, 2: 4200.0, 3: 2850.0, 4: 5500.0, 9: 5500.0, 10: 6500.0, 11: 7500.0, 12: 6400.0,
    13: 5050.0, 14: 4150.0, 15: 3525.0, 17: 2850.0, 18: 5500.0, 19: 6500.0, 20: 5500.0,
    21: 6500.0, 22: 7500.0, 23: 5000.0, 24: 3200.0,
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class RawColour:
    """What a raw file says of its sensor's colour; matrices (3, 3) as in the specification.

    `color_*` take XYZ to the sensor's values (ColorMatrix), `forward_*` take balanced sensor values
    to XYZ under D50 (ForwardMatrix). The second illuminant may be missing.
    """

    color_1: Matrix
    kelvin_1: float
    color_2: Matrix | None = None
    kelvin_2: float = 0.0
    forward_1: Matrix | None = None
    forward_2: Matrix | None = None
    calibration_1: Matrix | None = None
    calibration_2: Matrix | None = None
    analog: tuple[float, float, float] = (1.0, 1.0, 1.0)

    def _between(self, first: Matrix | None, second: Matrix | None, kelvin: float) -> Matrix | None:
        if first is None or second is None or self.kelvin_1 == self.kelvin_2:
            return second if first is None else first
        t, t1, t2 = 1 / kelvin, 1 / self.kelvin_1, 1 / self.kelvin_2
        g = float(np.clip((t - t2) / (t1 - t2), 0, 1))
        return g * first + (1 - g) * second

    def _calibration(self, kelvin: float) -> Matrix:
        own = self._between(self.calibration_1, self.calibration_2, kelvin)
        return np.diag(self.analog) @ (np.eye(3) if own is None else own)

    def xyz_to_camera(self, xy: ArrayLike) -> Matrix:
        """Return the matrix (3, 3) from XYZ to sensor values under a white (2,)."""
        kelvin = white_to_cct_duv(xy_to_xyz(xy))[0]
        color = self._between(self.color_1, self.color_2, kelvin)
        assert color is not None  # noqa: S101 - color_1 is there
        return self._calibration(kelvin) @ color

    def neutral_of(self, xy: ArrayLike) -> NDArray[np.float64]:
        """Return the sensor's values (3,) of a white (2,), green or the largest = 1.

        Raises
        ------
        MediaError
            raw.white where the file's matrix gives none.
        """
        neutral = self.xyz_to_camera(xy) @ xy_to_xyz(xy)
        if not (neutral > 0).all():
            raise MediaError("The file's colour matrix gives no neutral for this white.",
                             hint="Take the white as shot, or one nearer to daylight.",
                             code="raw.white")  # fmt: skip
        return np.asarray(neutral / neutral.max(), np.float64)

    def xy_of(self, neutral: ArrayLike) -> NDArray[np.float64]:
        """Return the white (2,) whose neutral the sensor's values (3,) are, by fixed-point steps.

        Raises
        ------
        MediaError
            raw.white, where the steps do not settle or leave the chromaticities.
        """
        values = np.asarray(neutral, np.float64)
        xy = np.array([1 / 3, 1 / 3])
        for _ in range(60):
            xyz = np.linalg.solve(self.xyz_to_camera(xy), values)
            last, xy = xy, xyz[:2] / xyz.sum()
            if not (np.isfinite(xy).all() and (xy > 0.01).all()):
                break
            if np.abs(xy - last).sum() < 1e-7:
                return np.asarray(xy, np.float64)
        else:
            return np.asarray((xy + last) / 2, np.float64)
        raise MediaError("The white as shot does not belong to the file's colour matrix.",
                         hint="Set the white by kelvin and tint.", code="raw.white")  # fmt: skip

    def camera_to_xyz(self, xy: ArrayLike) -> Matrix:
        """Return the matrix (3, 3) from sensor values to XYZ under D50; the white becomes Y = 1.

        By the forward matrices where the file has them, else by the inverse colour matrix and
        Bradford's adaptation. The sensor's neutral counts with its largest value at 1.
        """
        neutral = self.neutral_of(xy)
        kelvin = white_to_cct_duv(xy_to_xyz(xy))[0]
        forward = self._between(self.forward_1, self.forward_2, kelvin)
        if forward is not None:
            calibration = self._calibration(kelvin)
            reference = np.linalg.solve(calibration, neutral)
            return forward @ np.diag(1 / reference) @ np.linalg.inv(calibration)
        camera_to_xyz = np.linalg.inv(self.xyz_to_camera(xy))
        adapted = adaptation_matrix(xy, D50, method="bradford") @ camera_to_xyz
        return np.asarray(adapted / (adapted @ neutral)[1], np.float64)
