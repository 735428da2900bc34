import csv
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from syntonos.core.chain import apply_lut
from syntonos.core.errors import CubeFileError
from syntonos.core.formats import Cube, read_cube, write_cube
from tests.opencolorio import cube_file, through

DATA = Path(__file__).parents[2] / "data"
ROWS = "\n".join(f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
GOOD = f"LUT_3D_SIZE 2\n{ROWS}\n"


def test_interpolation_gives_the_reference_values():
    # tests/data/README.md: computed by formulas, confirmed by OpenColorIO.
    table = read_cube((DATA / "cube_2x2x2_random.cube").read_bytes()).table
    with (DATA / "cube_interp.csv").open() as file:
        for row in csv.DictReader(file):
            codes = np.float32([[float(row[c]) for c in "rgb"]])
            got = apply_lut(codes, table, interpolation=row["interp"])[0]
            np.testing.assert_allclose(got, [float(row[c]) for c in "RGB"], atol=2e-5)


@settings(max_examples=20, deadline=None)
@given(st.integers(2, 9), st.integers(0, 2**32), st.sampled_from([0.3, 1.0, 25.0]))
def test_values_survive_the_file(size, seed, reach):
    values = np.random.default_rng(seed).uniform(-reach, reach, (size, size, size, 3))
    table = values.astype(np.float32)
    back = read_cube(write_cube(Cube(table, 'A "title"'), comments=("made here", "é")))
    # Seven decimals are written.
    np.testing.assert_allclose(back.table, table, atol=1.1e-7 * max(1, reach))
    assert back.title == "A ?title?"


def test_opencolorio_reads_the_same_table(tmp_path):
    rng = np.random.default_rng(2)
    table = rng.random((5, 5, 5, 3)).astype(np.float32)
    path = tmp_path / "made.cube"
    path.write_bytes(write_cube(Cube(table, "t"), comments=("c",)))
    codes = rng.random((500, 3)).astype(np.float32)
    theirs = through(cube_file(path), codes)
    np.testing.assert_allclose(apply_lut(codes, table), theirs, atol=2e-6)


@pytest.mark.parametrize(
    "text",
    [GOOD, f"\ufeff# c\r\n\r\nTITLE \"x\"\r\nDOMAIN_MIN 0 0 0\r\nDOMAIN_MAX 1 1 1\r\n{GOOD}",
     GOOD.replace("1 0 0\n", "1 0 0\n# in between\n\n")],
    ids=["plain", "bom and crlf", "comment among data"],
)  # fmt: skip
def test_what_the_specification_allows_is_read(text):
    table = read_cube(text.encode()).table
    np.testing.assert_array_equal(table[1, 0, 1], [1, 0, 1])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (GOOD + "1 1 1\n", "8 rows"),
        (GOOD.rsplit("\n", 2)[0], "found 7"),
        (GOOD.replace("0 1 0", "0 nan 0"), "nan"),
        (GOOD.replace("0 1 0", "0 one 0"), "one"),
        (GOOD.replace("0 1 0", "0 1"), "found 2"),
        (GOOD.replace("SIZE 2", "SIZE 1"), "2 to 256"),
        (GOOD.replace("SIZE 2", "SIZE 257"), "2 to 256"),
        ("DOMAIN_MIN 1 1 1\nDOMAIN_MAX 0 0 0\n" + GOOD, "not below"),
        ("LUT_1D_SIZE 2\n" + GOOD, "size stands twice"),
        ("LUT_1D_SIZE 3\n0 0 0\n1 1 1\n", "LUT_1D_SIZE 3 needs 3"),
        ("LUT_1D_SIZE 65537\n", "2 to 65536"),
        ("DOMAIN_MAX 2 2\n" + GOOD, "three numbers"),
        ("WHATEVER 3\n" + GOOD, "WHATEVER"),
        ("TITLE bare\n" + GOOD, "quotes"),
        (GOOD.replace("1 0 0\n", "1 0 0\nTITLE \"late\"\n").replace("1 1 1\n", ""), "after"),
        (ROWS, "missing"),
        ("\xff\xfe", "not text"),
    ],
)  # fmt: skip
def test_broken_files_are_refused_with_what_was_found(text, says):
    with pytest.raises(CubeFileError, match=says) as caught:
        read_cube(text.encode("latin-1"))
    assert caught.value.hint


def test_a_table_with_nan_is_not_written():
    with pytest.raises(CubeFileError):
        write_cube(Cube(np.full((2, 2, 2, 3), np.nan, np.float32)))
