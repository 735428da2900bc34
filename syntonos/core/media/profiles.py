"""ICC profiles of pictures: what their code values show, as light."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import GAMUTS
from syntonos.core.errors import MediaError

_MOST_PROFILE: Final = 4 * 2**20


def profile_light(code_rgb: NDArray[np.float32], profile: bytes) -> NDArray[np.float64]:
    """Return the light that a profile says a picture shows.

    Profiles of three primaries and curves are understood (ISO 15076-1, matrix and tone curves); it
    is OpenColorIO that reads them.

    Parameters
    ----------
    code_rgb : (..., 3)
        Values from 0 to 1.
    profile : bytes
        An ICC profile.

    Returns
    -------
    (..., 3) linear light of BT.709 primaries, white at 1, beyond 0 to 1 where the profile's own
    primaries go beyond.

    Raises
    ------
    MediaError
        media.profile, for what is no such profile.
    """
    processor = _processor(profile)
    xyz = np.ascontiguousarray(code_rgb, np.float32).reshape(-1, 1, 3).copy()
    processor.applyRGB(xyz)
    lin = xyz.reshape(-1, 3).astype(np.float64) @ np.linalg.inv(GAMUTS["bt709"].to_xyz).T
    return np.asarray(lin.reshape(code_rgb.shape), np.float64)


def _processor(profile: bytes) -> Any:
    import PyOpenColorIO as ocio

    if len(profile) > _MOST_PROFILE:
        raise _unreadable(f"it has {len(profile)} bytes")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.icc"
        path.write_bytes(profile)
        # A display's profile leads from what is shown to its values.
        back = ocio.FileTransform(str(path), direction=ocio.TRANSFORM_DIR_INVERSE)
        back.setInterpolation(ocio.INTERP_LINEAR)
        try:
            return ocio.Config.CreateRaw().getProcessor(back).getDefaultCPUProcessor()
        except ocio.Exception as problem:
            raise _unreadable(str(problem).splitlines()[0][:120]) from problem


def _unreadable(why: str) -> MediaError:
    return MediaError(
        f"The picture's colour profile is not understood: {why}.", code="media.profile",
        hint="Say what the picture is taken as, or export it as sRGB.",
    )  # fmt: skip
