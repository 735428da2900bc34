"""CLF files of chains, applied by OpenColorIO, against the engine."""

from dataclasses import replace

import numpy as np
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
    bake_lut,
    compile_chain,
    keep_table,
    run,
)
from syntonos.core.chain.clf import apply_clf, clf_processor, write_clf
from syntonos.core.chain.readback import _to_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.errors import ChainError
from syntonos.core.formats import read_clf
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
    return delta_e_2000(_to_lab(theirs, chain), _to_lab(ours, chain)), data


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


def test_what_we_write_we_read_and_aces_is_refused():
    data = write_clf(Chain(ANGLE, PLAIN, match=MATCH))
    table = read_clf(data)
    assert table.values.shape == (65, 65, 65, 3)
    with pytest.raises(ChainError, match="ACES"):
        write_clf(Chain(ANGLE, AcesOutput()))
