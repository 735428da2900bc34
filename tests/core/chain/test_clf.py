"""CLF files of chains, applied by OpenColorIO, against the engine."""

from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.core.chain import (
    PLAIN,
    AcesOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    EncodingOutput,
    Look,
    LookTable,
    LutStep,
    Output,
    apply_lut,
    bake_lut,
    compile_chain,
    keep_table,
    run,
)
from syntonos.core.chain.clf import CLF_NAME, apply_clf, write_clf
from syntonos.core.chain.readback import grid_in_gamut, grid_outside, to_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.errors import ChainError
from syntonos.core.formats import read_clf
from syntonos.core.formats.clf_look import clf_processor
from syntonos.core.media import RecordingReader
from tests.core.chain.test_engine import MATCH, RICH

ANGLE = Decode("s-log3/s-gamut3.cine")
# Smooth and bounded, as fits make them.
SMOOTH = replace(MATCH, smooth=((0.4, -0.3, 0.03, -0.02, 0.04), (-0.3, 0.2, -0.02, 0.01, 0.02)),
                 clip=30.0)  # fmt: skip


def difference(chain, codes):
    data = write_clf(chain, title="a chain")
    theirs = apply_clf(clf_processor(data), codes)
    ours = run(compile_chain(chain), codes)
    return delta_e_2000(to_lab(theirs, chain), to_lab(ours, chain)), data


@pytest.fixture(scope="module")
def clips(media):
    """A chart clip and a scene of the demo, stored code values."""
    names = ("B001_01.mov", "B001_02.mov")
    return [RecordingReader([media / "Birch" / name]).read(0) for name in names]


@pytest.mark.parametrize(
    "output", [PLAIN, Output(), Output("srgb"), Output("p3-d65"), EncodingOutput("v-log/v-gamut"),
               EncodingOutput("logc3-ei800/awg3", "legal")],
    ids=["plain", "tone", "srgb", "p3", "v-log", "logc3 legal"],
)  # fmt: skip
def test_exact_nodes_give_the_bench_s_float_pixels(clips, output):
    balance = Balance(0.3, (1.05, 1.0, 0.93), Cdl((1.1, 1, 0.95), (0.01, 0, 0), (1, 1.1, 1), 0.9))
    chain = Chain(ANGLE, output, match=MATCH, balance=balance)
    for code in clips:
        d, data = difference(chain, code)
        assert d.max() < 0.1
        assert b"<LUT3D" not in data
        assert data.count(b"<Log") >= 2  # decoding, and the CDL's working log
    assert b"<ASC_CDL" in data


@pytest.mark.parametrize("match", [SMOOTH, replace(SMOOTH, roots=RICH.roots)],
                         ids=["smooth", "roots"])  # fmt: skip
@pytest.mark.parametrize("output", [PLAIN, EncodingOutput("logc3-ei800/awg3")],
                         ids=["plain", "logc3"])  # fmt: skip
def test_lut_nodes_hold_what_no_node_can_say(clips, match, output):
    chain = Chain(ANGLE, output, match=match)
    for code in clips:
        d, data = difference(chain, code)
        assert b"<LUT3D" in data
        assert d.mean() < 0.05
        assert np.percentile(d, 99.9) < 0.6


def test_curves_without_a_node_and_looks_are_carried(clips):
    table = LookTable(bake_lut(Chain(Decode("logc3-ei800/awg3"), Output()), 33))
    steps = (
        CdlStep(Cdl(saturation=1.2), mix=0.5),
        LutStep(keep_table(table), "logc3-ei800/awg3", to="rec709"),
    )
    for decode, output, look in (
        (Decode("n-log/n-gamut"), PLAIN, None),
        (Decode("c-log3/cinema-gamut"), Output("rec2100-pq-1000"), None),
        (ANGLE, Output(), Look(steps)),
        (ANGLE, Output(compression=1.0), None),
    ):
        d, _ = difference(Chain(decode, output, look=look), clips[1])
        assert d.mean() < 0.08, (decode, output)
        assert np.percentile(d, 99) < 1.0


SATURATED = Look((CdlStep(Cdl(saturation=1.3)),))


@pytest.mark.parametrize(
    "chain",
    [
        Chain(ANGLE, Output(compression=1.0)),
        Chain(ANGLE, Output(), match=SMOOTH),
        Chain(ANGLE, EncodingOutput("logc3-ei800/awg3"), match=SMOOTH),
        Chain(ANGLE, Output(compression=1.0), match=SMOOTH, look=SATURATED),
        Chain(Decode("linear/bt709"), Output(), match=SMOOTH),
        Chain(Decode("linear/ap1"), EncodingOutput("v-log/v-gamut"), match=SMOOTH),
    ],
    ids=["compressed", "match", "match to log", "saturated", "from light", "light to log"],
)
def test_what_cameras_record_beyond_a_display_goes_through_a_clf_as_through_the_chain(chain):
    """Camera gamuts reach far below zero in AP1, and a LUT3D takes 0 to 1 only."""
    codes = grid_outside(chain)
    if chain.decode == ANGLE:
        assert (np.abs(codes - (0.30, 0.35, 0.70)).max(axis=1) < 0.04).any()  # a blue lamp
    d, _ = difference(chain, codes)
    if chain.decode == ANGLE:
        # At least as near as what takes codes alone: a .cube of as many points.
        table = bake_lut(chain, 65)
        cube = delta_e_2000(
            to_lab(apply_lut(codes, table), chain),
            to_lab(run(compile_chain(chain), codes), chain),
        )
        assert d.mean() < 1.3 * cube.mean()
        assert np.percentile(d, 99.9) < 1.8 * np.percentile(cube, 99.9)
    assert d.mean() < 0.12
    shown, _ = difference(chain, grid_in_gamut(chain))
    assert shown.mean() < 0.06
    assert np.percentile(shown, 99.9) < 0.8


def test_a_clf_s_cube_goes_on_where_codes_of_video_do(clips):
    """Y'CbCr holds R'G'B' a little beyond 0 and 1; a .cube gives its edge there."""
    chain = Chain(Decode("rec709-2.4"), EncodingOutput("logc3-ei800/awg3"), match=SMOOTH)
    rng = np.random.default_rng(8)
    codes = rng.uniform(0.9, 1.06, (500, 1)) + rng.uniform(-0.01, 0.01, (500, 3))
    d, _ = difference(chain, codes.astype(np.float32))
    assert d.max() < 0.1


NODES = """<ProcessList xmlns="urn:NAMESPACE" id="x" compCLFversion="3">
<ASC_CDL inBitDepth="32f" outBitDepth="32f" id="c" style="FwdNoClamp">
<SOPNode><Slope>1.1 1 0.9</Slope><Offset>0.02 0 -0.01</Offset><Power>1 1 1</Power></SOPNode>
<SatNode><Saturation>{saturation}</Saturation></SatNode></ASC_CDL></ProcessList>"""


@pytest.mark.parametrize("saturation", [1.0, 0.8], ids=["curves", "cube"])
def test_a_clf_goes_on_beyond_zero_and_one_where_its_nodes_do(saturation):
    """Against ASC CDL 1.2's own formula: slope and offset, then saturation by BT.709's weights."""
    table = read_clf(NODES.format(saturation=saturation).encode())
    code = np.random.default_rng(4).uniform(-0.2, 1.45, (500, 3)).astype(np.float32)
    wanted = code * np.float32([1.1, 1, 0.9]) + np.float32([0.02, 0, -0.01])
    luma = wanted @ np.float32([0.2126, 0.7152, 0.0722])
    wanted = luma[:, None] + saturation * (wanted - luma[:, None])
    look = Look((LutStep(keep_table(table), "linear/ap1"),))
    chain = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), look=look)
    np.testing.assert_allclose(run(compile_chain(chain), code), wanted, atol=1e-6)
    # The table that pictures it is one of three curves or a cube, wider than 0..1.
    assert (table.is_3d, table.low[0] < 0) == (saturation != 1, True)


def many_nodes() -> bytes:
    """Return a CLF of nodes that no table holds: logs unlike by channel, a coarse cube, powers."""
    log = ocio.LogAffineTransform(
        logSideSlope=[0.2, 0.22, 0.24], logSideOffset=[0.5, 0.55, 0.6],
        linSideSlope=[1, 1.1, 0.9], linSideOffset=[0.01, 0.02, 0.015],
    )  # fmt: skip
    cube = ocio.Lut3DTransform(9)
    grid = np.stack(np.meshgrid(*[np.linspace(0, 1, 9)] * 3, indexing="ij"), axis=-1)
    mixed = grid**1.3 + 0.1 * np.roll(grid, 1, axis=-1) * (1 - grid)
    cube.setData(np.ascontiguousarray(mixed, np.float32).ravel())
    matrix = np.eye(4)
    matrix[:3, :3] = [[1.2, -0.1, -0.1], [0.05, 0.9, 0.05], [0, -0.2, 1.2]]
    power = ocio.ExponentTransform([1.4, 1.2, 1.1, 1], negativeStyle=ocio.NEGATIVE_MIRROR)
    group = ocio.GroupTransform([log, cube, ocio.MatrixTransform(matrix.ravel().tolist()), power])
    return group.write(formatName=CLF_NAME, config=ocio.Config.CreateRaw()).encode()


@pytest.mark.parametrize("mix", [1.0, 0.4])
def test_a_clf_look_is_run_node_by_node_and_carried_on(mix):
    """Against OpenColorIO running the file, trilinear as CLF has it where nothing is stated."""
    data = many_nodes()
    sha = keep_table(read_clf(data))
    code = np.random.default_rng(5).uniform(0.02, 1.3, (3000, 3)).astype(np.float32)
    theirs = code.copy()
    clf_processor(data).applyRGB(theirs)
    wanted = code + np.float32(mix) * (theirs - code)
    steps = (CdlStep(Cdl(slope=(0.5, 0.5, 0.5), clamp=False), "linear/ap1"),
             LutStep(sha, "linear/ap1", mix=mix))  # fmt: skip
    chain = Chain(Decode("linear/ap1"), EncodingOutput("linear/ap1"), look=Look(steps))
    got = run(compile_chain(chain), 2 * code, threads=2)
    np.testing.assert_allclose(got, wanted, atol=1e-5)

    # In a LUT, where the engine makes its grid itself, and in a CLF: with the same nodes again.
    logged = Chain(Decode("logc3-ei800/awg3"), Output(), look=Look(steps))
    axis = np.linspace(0, 1, 17, dtype=np.float32)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    baked = bake_lut(logged, 17, threads=2)
    np.testing.assert_allclose(baked, run(compile_chain(logged), grid), atol=1e-5)
    codes = np.minimum(2 * code, 1)  # a cube is made for what codes can bring
    d, written = difference(chain, codes)
    if mix == 1:
        assert written.count(b"<Log ") == 1
        assert b'<Array dim="9 9 9 3">' in written
        assert d.max() < 0.01
    else:  # mixed with what came: a cube of it all
        assert d.mean() < 0.05
        assert np.percentile(d, 99.9) < 0.6


def test_what_we_write_we_read_and_aces_is_refused():
    data = write_clf(Chain(ANGLE, PLAIN, match=MATCH))
    table = read_clf(data)
    # Log codes under 0 and over 1 mean something too: the table goes on there.
    assert (table.is_3d, table.low[0] < 0, table.high[0] > 1) == (True, True, True)
    with pytest.raises(ChainError, match="ACES"):
        write_clf(Chain(ANGLE, AcesOutput()))
