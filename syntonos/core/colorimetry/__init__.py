"""Colour difference, adaptation and white: the arithmetic that every other package stands on."""

from syntonos.core.colorimetry.adaptation import adaptation_matrix
from syntonos.core.colorimetry.difference import delta_e_2000, delta_e_itp, lab_to_xyz, xyz_to_lab
from syntonos.core.colorimetry.white import (
    locus_white,
    mired_and_duv,
    white_at,
    white_to_cct_duv,
    xy_to_xyz,
)

__all__ = [
    "adaptation_matrix",
    "delta_e_2000",
    "delta_e_itp",
    "lab_to_xyz",
    "locus_white",
    "mired_and_duv",
    "white_at",
    "white_to_cct_duv",
    "xy_to_xyz",
    "xyz_to_lab",
]
