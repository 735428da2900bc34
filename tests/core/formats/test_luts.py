"""3DL, CLF and CDL files against OpenColorIO's reader and writer."""

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from syntonos.core.chain import apply_lut
from syntonos.core.errors import CubeFileError, LutFileError
from syntonos.core.formats import (
    Correction,
    Cube,
    read_3dl,
    read_cdl_file,
    read_cube,
    read_lut,
    write_3dl,
    write_cdl,
    write_cube,
)
from tests.opencolorio import cube_file, processor, through

RNG = np.random.default_rng(4)
CODES = RNG.random((400, 3)).astype(np.float32)


@pytest.mark.parametrize("bits", [10, 12, 16])
def test_opencolorio_reads_our_3dl_as_we_do(tmp_path, bits):
    table = RNG.random((17, 17, 17, 3)).astype(np.float32)
    data = write_3dl(table, bits=bits)
    path = tmp_path / "made.3dl"
    path.write_bytes(data)
    ours = read_3dl(data)
    np.testing.assert_allclose(ours.values, table, atol=0.51 / (2**bits - 1))
    theirs = through(cube_file(path), CODES)
    np.testing.assert_allclose(apply_lut(CODES, ours.values), theirs, atol=3e-5)


def test_a_1d_cube_with_a_domain_is_that_of_opencolorio(tmp_path):
    values = np.sort(RNG.random((33, 3)), axis=0).astype(np.float32)
    data = write_cube(Cube(values, low=(-0.5, 0.0, 0.0), high=(1.5, 1.0, 2.0)))
    path = tmp_path / "curves.cube"
    path.write_bytes(data)
    theirs = through(cube_file(path), CODES * 1.6 - 0.3)
    cube = read_cube(data)
    assert (cube.low, cube.high) == ((-0.5, 0.0, 0.0), (1.5, 1.0, 2.0))
    at = (CODES * 1.6 - 0.3 - cube.low) / (np.array(cube.high) - cube.low)
    ours = [np.interp(at[:, c], np.linspace(0, 1, 33), cube.table[:, c]) for c in range(3)]
    np.testing.assert_allclose(np.stack(ours, axis=1), theirs, atol=3e-5)


@settings(max_examples=20, deadline=None)
@given(
    st.lists(st.tuples(*[st.floats(0.01, 3)] * 3), min_size=1, max_size=4), st.floats(0, 3),
    st.sampled_from(["ccc", "cdl"]),
)  # fmt: skip
def test_corrections_survive_their_file(values, saturation, kind):
    rows = [
        Correction(f"shot {i}", v, (0.1, -0.2, 0.0), v, saturation, "made & kept")
        for i, v in enumerate(values)
    ]
    back = read_cdl_file(write_cdl(rows, kind))
    for row, again in zip(rows, back, strict=True):
        assert (again.name, again.description) == (row.name, row.description)
        np.testing.assert_allclose(again.slope + again.power, row.slope + row.power, rtol=1e-8)
        assert again.saturation == pytest.approx(row.saturation, rel=1e-8)


@pytest.mark.parametrize("kind", ["cc", "ccc", "cdl"])
def test_opencolorio_reads_and_writes_the_same_corrections(tmp_path, kind):
    row = Correction("B001_02", (1.1, 0.9, 1.0), (0.01, 0.0, -0.02), (1.2, 1.0, 0.8), 0.7)
    path = tmp_path / f"made.{kind}"
    path.write_bytes(write_cdl([row], kind))
    theirs = ocio.CDLTransform.CreateFromFile(str(path), "B001_02" if kind != "cc" else "")
    np.testing.assert_allclose(theirs.getSlope() + theirs.getPower(), row.slope + row.power)
    assert theirs.getSat() == 0.7
    # And what it writes, we read.
    group = ocio.GroupTransform([theirs])
    names = {
        "cc": "ColorCorrection",
        "ccc": "ColorCorrectionCollection",
        "cdl": "ColorDecisionList",
    }
    text = group.write(formatName=names[kind], config=ocio.Config.CreateRaw())
    again = read_cdl_file(text.encode())[0]
    assert (again.slope, again.offset, again.power) == (row.slope, row.offset, row.power)


def _clf(*transforms):
    group = ocio.GroupTransform(list(transforms))
    return group.write(
        formatName="Academy/ASC Common LUT Format", config=ocio.Config.CreateRaw()
    ).encode()


def test_a_clf_becomes_curves_or_a_cube():
    power = ocio.ExponentTransform([2.0, 2.0, 2.0, 1.0])
    curves = read_lut(_clf(power), "look.clf")
    assert (curves.is_3d, curves.low[0] < 0, curves.high[0] > 1) == (False, True, True)
    axis = np.linspace(curves.low[0], curves.high[0], len(curves.values))
    np.testing.assert_allclose(curves.values[:, 0], np.maximum(axis, 0) ** 2, atol=1e-5)
    mix = ocio.CDLTransform()
    mix.setSat(0.3)
    mix.setSlope([1.1, 0.9, 1.0])
    cube = read_lut(_clf(mix, power), "look.CLF")
    assert cube.is_3d
    theirs = through(processor(mix, power), CODES)
    low, high = np.float32(cube.low[0]), np.float32(cube.high[0])
    ours = apply_lut((CODES - low) / (high - low), cube.values)
    assert np.abs(ours - theirs).mean() < 1e-3


BOMB = b"""<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;&a;">]>
<ColorCorrection id="&b;"><SatNode><Saturation>1</Saturation></SatNode></ColorCorrection>"""
LARGE = b'<ProcessList><LUT3D><Array dim="81 81 81 3"/></LUT3D></ProcessList>'
MESH = " ".join(str(i * 512) for i in range(2))
CC = "<ColorCorrection><SOPNode>{}</SOPNode></ColorCorrection>"


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("x.3dl", b"0 64 1023\n0 0 0\n", "no cube"),
        ("x.3dl", b"0 1\n0 0 0\n", "Line 1: Three values"),
        ("x.3dl", b"0 0 0\n0 1 x\n", "Line 2"),
        ("x.3dl", b"-1 0 0\n", "below 0"),
        ("x.3dl", b"shaper 3\n", "not known"),
        ("x.3dl", b"\n".join([b"99999 0 0"] * 8), "16 bit"),
        ("x.3dl", b"0 10 20 1023\n" + b"0 0 0\n" * 64, "not even"),
        ("x.3dl", b"\xff\xfe\x00", "not text"),
        ("x.clf", b"<ProcessList/>", "OpenColorIO refuses"),
        ("x.clf", b"<Other/>", "ProcessList"),
        ("x.clf", b"<ProcessList", "not XML"),
        ("x.clf", BOMB, "entities"),
        ("x.clf", LARGE, "entries"),
        ("x.ccc", BOMB, "no LUT"),
        ("x.cube", b"LUT_3D_SIZE 1\n", "2 to 256"),
    ],
)  # fmt: skip
def test_broken_luts_are_refused_in_words(name, data, words):
    with pytest.raises((LutFileError, CubeFileError)) as caught:
        read_lut(data, name)
    assert words in str(caught.value)
    assert caught.value.hint


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (BOMB, "entities"),
        (b"<Other/>", "Other"),
        (b"<ColorDecisionList/>", "0 corrections"),
        (b"<ColorCorrection>", "Line 1: this is not XML"),
        (CC.format("<Slope>1 1</Slope>").encode(), "3 numbers"),
        (CC.format("<Slope>1 -1 1</Slope>").encode(), "Slope is 1 -1 1"),
        (CC.format("<Power>1 0 1</Power>").encode(), "powers above 0"),
        (CC.format("<Offset>1 nan 1</Offset>").encode(), "3 numbers"),
    ],
)
def test_broken_corrections_are_refused_in_words(data, words):
    with pytest.raises(LutFileError) as caught:
        read_cdl_file(data)
    assert words in str(caught.value)


@pytest.mark.parametrize("bad", [{"bits": 11}, {"size": 16}, {"value": np.nan}])
def test_what_a_3dl_cannot_hold_is_not_written(bad):
    table = np.full((bad.get("size", 17),) * 3 + (3,), bad.get("value", 0.5), np.float32)
    with pytest.raises(LutFileError):
        write_3dl(table, bits=bad.get("bits", 12))
