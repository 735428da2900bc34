"""A CDL for a box: against the CDL that a chain is made of, and through OpenColorIO."""

import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.core.chain import Balance, Cdl, Chain, Decode, EncodingOutput, Output, Trim
from syntonos.core.chain.cdl_fit import cdl_files, fit_cdl, read_back_cdl
from syntonos.core.chain.engine import run
from syntonos.core.chain.program import compile_chain
from syntonos.core.chain.readback import to_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.errors import ChainError


def pixels(seed=3):
    """Colours of ordinary chroma, in the code values of the angle's log."""
    rng = np.random.default_rng(seed)
    grey = rng.uniform(0.2, 0.6, (3000, 1))
    return np.asarray(grey + rng.normal(0, 0.03, (3000, 3)), np.float32)


def test_a_chain_that_is_a_cdl_in_that_encoding_loses_nothing():
    made = Cdl((1.06, 0.98, 0.95), (0.01, -0.005, 0.0), (1.02, 1.0, 0.97), 1.08)
    chain = Chain(Decode("acescct/ap1"), Output(), balance=Balance(cdl=made))
    fit = fit_cdl(chain, "acescct/ap1", pixels())
    assert fit.mean < 0.02
    assert fit.before is None
    np.testing.assert_allclose(fit.cdl.slope, made.slope, atol=0.01)
    np.testing.assert_allclose(fit.cdl.power, made.power, atol=0.01)
    np.testing.assert_allclose(fit.cdl.offset, made.offset, atol=0.004)
    assert fit.cdl.saturation == pytest.approx(made.saturation, abs=0.005)


def test_what_a_box_makes_of_the_files_is_what_is_said(tmp_path):
    trim = Trim(stops=0.2, warmth=15, tint=-1, contrast=1.05, cdl=Cdl(saturation=1.06))
    chain = Chain(Decode("s-log3/s-gamut3.cine", "legal"), Output(), trim=trim)
    code = pixels()
    fit = fit_cdl(chain, "logc3-ei800/awg3", code)
    files = cdl_files(fit, 33, title="B in Foundry")
    assert sorted(files) == ["1-before.cube", "2-behind.cube", "correction.cc"]
    # The way through the files as OpenColorIO has it: LUT, CDL with its clamps, LUT.
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    steps = ocio.GroupTransform()
    for name in sorted(files, key=lambda n: ("1", "c", "2").index(n[0])):
        steps.appendTransform(ocio.FileTransform(
            str(tmp_path / name), interpolation=ocio.INTERP_TETRAHEDRAL,
        ))  # fmt: skip
    cpu = ocio.Config.CreateRaw().getProcessor(steps).getDefaultCPUProcessor()
    got = code.copy()
    cpu.applyRGB(got)
    exact = to_lab(run(compile_chain(chain), code), chain)
    off = delta_e_2000(exact, to_lab(got, chain))
    told = read_back_cdl(files, fit, chain, code).of("picture")
    assert told.mean == pytest.approx(float(off.mean()), abs=0.01)
    assert told.mean == pytest.approx(fit.mean, abs=0.1)  # the LUTs' own part is small
    # Ten numbers reach more than the middle of the way: without them it is this far.
    plain = Chain(chain.decode, Output())
    before = delta_e_2000(exact, to_lab(run(compile_chain(plain), code), plain))
    assert fit.mean < 0.25 * before.mean()


def test_a_cdl_on_light_is_refused():
    chain = Chain(Decode("s-log3/s-gamut3.cine"), EncodingOutput("linear/ap1"))
    with pytest.raises(ChainError, match="holds light") as caught:
        fit_cdl(chain, "linear/ap1", pixels())
    assert caught.value.code == "cdl.light"
