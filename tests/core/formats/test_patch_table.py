import numpy as np
import pytest

from syntonos.core.charts.layout import reference_lin
from syntonos.core.colorimetry import lab_to_xyz, xy_to_xyz
from syntonos.core.errors import ChartError
from syntonos.core.formats.patch_table import read_patch_table
from syntonos.core.matching.imported import published_reading, reading_of_table
from syntonos.core.simulate.spectra import library

D50 = (0.34570, 0.35854)


def _published_lab():
    """The chart's published L*a*b*, D50, from colour-science, after November 2014."""
    name = "ColorChecker24 - After November 2014"
    chart = library().CCS_COLOURCHECKERS[name]
    xyz = library().xyY_to_XYZ(np.array(list(chart.data.values())))
    return library().XYZ_to_Lab(xyz, chart.illuminant)


def _cgats(lab, order=range(24)):
    rows = [f"{i + 1} {lab[i][0]:.4f} {lab[i][1]:.4f} {lab[i][2]:.4f}" for i in order]
    return "\n".join(
        ["CGATS.17", 'ORIGINATOR "a bench"', "NUMBER_OF_FIELDS 4", "BEGIN_DATA_FORMAT",
         "SAMPLE_ID LAB_L LAB_A LAB_B", "END_DATA_FORMAT", "NUMBER_OF_SETS 24", "BEGIN_DATA",
         *rows, "END_DATA", ""]
    ).encode()  # fmt: skip


def test_lab_goes_back_to_xyz_as_in_colour_science():
    lab = np.random.default_rng(2).uniform([0, -80, -80], [100, 80, 80], (200, 3))
    np.testing.assert_allclose(
        lab_to_xyz(lab, xy_to_xyz(D50)), library().Lab_to_XYZ(lab, D50), atol=1e-9
    )


@pytest.mark.parametrize("order", [range(24), range(23, -1, -1)], ids=["in order", "backwards"])
def test_cgats_gives_the_published_chart(order):
    table = read_patch_table(_cgats(_published_lab(), order))
    got = reading_of_table(table).lin_rgb
    # Two roundings of the published values to two decimals of L*a*b* lie between.
    np.testing.assert_allclose(got, reference_lin(), atol=2e-3)
    np.testing.assert_allclose(published_reading().lin_rgb, reference_lin())


def test_csv_names_its_columns():
    lin = np.random.default_rng(1).uniform(0.01, 0.9, (24, 3))
    lines = ["patch,r,g,b", *(f"{i + 1},{r},{g},{b}" for i, (r, g, b) in enumerate(lin))]
    table = read_patch_table("\n".join(lines).encode())
    assert table.kind == "rgb"
    np.testing.assert_allclose(reading_of_table(table).lin_rgb, lin)
    xyz = ["x,y,z", *("96.42,100,82.51" for _ in range(24))]
    white = reading_of_table(read_patch_table("\n".join(xyz).encode())).lin_rgb
    np.testing.assert_allclose(white, 1, atol=1e-3)


LAB = np.full((24, 3), 50.0)


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (b"\xff\xfe\x00", "table.unreadable"),
        (b"", "table.fields"),
        (b"patch,red,green,blue\n1,1,1,1", "table.fields"),
        (b"r,g,b\n0.1,0.2,0.3", "table.patches"),
        (b"r,g,b\n" + b"0.1,much,0.3\n" * 24, "table.number"),
        (b"r,g,b\n" + b"0.1,nan,0.3\n" * 24, "table.number"),
        (b"patch,r,g,b\n" + b"1,0.1,0.2,0.3\n" * 24, "table.patches"),
        (_cgats(LAB).replace(b"LAB_L", b"CMYK_C"), "table.fields"),
        (_cgats(LAB, range(20)), "table.patches"),
        (_cgats(LAB).replace(b"50.0000", b'"50', 1), "table.unreadable"),
    ],
)
def test_what_is_no_table_is_refused_with_what_to_do(data, code):
    with pytest.raises(ChartError) as caught:
        read_patch_table(data)
    assert caught.value.code == code
    assert caught.value.hint
