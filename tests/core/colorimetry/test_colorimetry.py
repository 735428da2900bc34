import csv
from pathlib import Path

import numpy as np
import pytest

from syntonos.core.colorimetry import (
    adaptation_matrix,
    delta_e_2000,
    delta_e_itp,
    white_to_cct_duv,
    xy_to_xyz,
    xyz_to_lab,
)
from syntonos.core.simulate.spectra import library

DATA = Path(__file__).parents[2] / "data"


def _rows(name):
    with (DATA / name).open() as file:
        return list(csv.DictReader(file))


def test_ciede2000_reproduces_the_published_pairs():
    # Sharma, Wu, Dalal (2005), table 1; the paper rounds to four decimals.
    for row in _rows("ciede2000_sharma.csv"):
        lab = [[float(row[f"{k}{i}"]) for k in "Lab"] for i in (1, 2)]
        assert delta_e_2000(*lab) == pytest.approx(float(row["dE00_paper"]), abs=1e-4), row["pair"]
        assert delta_e_2000(*lab[::-1]) == pytest.approx(float(row["dE00_paper"]), abs=1e-4)


def test_lab_agrees_with_colour_science_down_to_black():
    white = xy_to_xyz((0.3127, 0.3290))
    xyz = np.random.default_rng(1).uniform(0, 1, (200, 3)) ** 3
    theirs = library().XYZ_to_Lab(xyz, (0.3127, 0.3290))
    np.testing.assert_allclose(xyz_to_lab(xyz, white), theirs, atol=1e-9)


# Matrices for D65 to D50 from chromaticities (.3127, .3290) and (.3457, .3585); Bradford as in
# ICC.1:2010 annex E, CAT02 as in CIE 159:2004, both as colour-science gives them.
@pytest.mark.parametrize(
    ("method", "want"),
    [
        ("bradford", "1.047930 .022947 -.050192 .029628 .990434 -.017074 -.009243 .015055 .751874"),
        ("cat02", "1.042574 .030891 -.052813 .022193 1.001857 -.021074 -.001165 -.003421 .761789"),
    ],
)
def test_adaptation_matrices_are_the_published_ones(method, want):
    mat = adaptation_matrix((0.3127, 0.3290), (0.3457, 0.3585), method=method)
    np.testing.assert_allclose(mat.ravel(), np.array(want.split(), float), atol=2e-6)


def test_cct_and_duv_agree_with_ohno():
    for row in _rows("cct.csv"):
        cct, duv = white_to_cct_duv(xy_to_xyz((float(row["x"]), float(row["y"]))))
        # Methods differ among each other by about a tenth of a per cent.
        assert cct == pytest.approx(float(row["CCT_Ohno"]), rel=0.002), row["label"]
        assert duv == pytest.approx(float(row["Duv_Ohno"]), abs=1e-4), row["label"]


def test_itp_agrees_with_colour_science():
    rng = np.random.default_rng(4)
    rgb = rng.uniform(0, 1, (2, 300, 3)) ** 3 * 800
    icp = [library().RGB_to_ICtCp(v, method="ITU-R BT.2100-2 PQ", L_p=10000) for v in rgb]
    np.testing.assert_allclose(delta_e_itp(*rgb), library().delta_E(*icp, method="ITP"), rtol=2e-4)
