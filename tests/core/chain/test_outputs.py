"""Outputs, balance and looks against OpenColorIO and published numbers."""

from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from syntonos.core.chain import (
    DISPLAYS,
    PLAIN,
    AcesOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    EncodingOutput,
    Input,
    Look,
    LookTable,
    LutStep,
    Output,
    ToneScale,
    bake_lut,
    chain_to_json,
    compile_chain,
    keep_table,
    read_chain,
    read_output,
    run,
)
from syntonos.core.chain.readback import display_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.encodings import CURVES, decode
from syntonos.core.errors import ChainError
from tests.opencolorio import inverse, processor, through

LINEAR = Decode("linear/ap1")
RNG = np.random.default_rng(8)


def _light(count=3000):
    return np.abs(RNG.lognormal(-1.7, 1.2, (count, 1)) * np.exp(RNG.normal(0, 0.3, (count, 3))))


def _run(pixels, **stages):
    stages = {"decode": LINEAR, "output": EncodingOutput("linear/ap1")} | stages
    return run(compile_chain(Chain(**stages)), np.asarray(pixels, np.float32))


@pytest.mark.parametrize("display", DISPLAYS)
def test_plain_displays_agree_with_opencolorio(display):
    lin = np.minimum(_light(), 0.95).astype(np.float32)
    theirs = processor(
        ocio.BuiltinTransform("ACEScg_to_ACES2065-1"),
        ocio.BuiltinTransform("UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD"),
        ocio.BuiltinTransform(DISPLAYS[display].view),
    )
    want = through(theirs, lin)
    got = _run(lin, output=Output(display, None))
    # Colours outside of the display's gamut are clamped by us and not by it.
    inside = ((want > 0.001) & (want < 0.999)).all(axis=1)
    assert inside.sum() > 1000
    # Their matrices between whites differ in the fifth digit; 4e-4 is less than half a 10-bit code.
    assert np.abs(got - want)[inside].max() < 4e-4


@pytest.mark.parametrize("version", ["1.3", "2.0"])
@pytest.mark.parametrize(
    ("display", "name", "views"),
    [
        ("rec709", "Rec.1886 Rec.709 - Display", ("ACES 1.0 - SDR Video",
                                                   "ACES 2.0 - SDR 100 nits (Rec.709)")),
        ("rec2100-pq-1000", "Rec.2100-PQ - Display",
         ("ACES 1.1 - HDR Video (1000 nits & Rec.2020 lim)",
          "ACES 2.0 - HDR 1000 nits (Rec.2020)")),
    ],
)  # fmt: skip
def test_aces_outputs_are_those_of_the_reference_configs(display, name, views, version):
    """By the view's name in the built-in studio configs: another way to the same transform."""
    ui = {"1.3": "studio-config-v1.0.0_aces-v1.3_ocio-v2.1", "2.0": "studio-config-latest"}
    config = ocio.Config.CreateFromBuiltinConfig(ui[version])
    view = views[version == "2.0"]
    assert view in config.getViews(name)
    there = ocio.DisplayViewTransform("ACEScg", name, view)
    cpu = config.getProcessor(there).getDefaultCPUProcessor()
    lin = _light(400).astype(np.float32)
    want = np.array([cpu.applyRGB(pixel.tolist()) for pixel in lin])
    got = _run(lin, output=AcesOutput(display, version))
    np.testing.assert_allclose(got, np.clip(want, 0, 1), atol=2e-3)
    np.testing.assert_array_equal(
        got, run(compile_chain(Chain(LINEAR, AcesOutput(display, version))), lin, threads=2)
    )


@pytest.mark.parametrize(
    ("lin", "want"),
    [
        # ACES 1.3 reference gamut compression, OpenColorIO's fixed function.
        ((1, 0, 0), (1, 0.066520, 0.045957)), ((0, 1, 0), (0.053357, 1, 0.045957)),
        ((0, 0, 1), (0.053357, 0.066520, 1)), ((1, -0.1, 0), (1, 0.033483, 0.045957)),
        ((1, 1, -0.2), (1, 1, 0.008588)), ((0.5, -0.05, -0.02), (0.5, 0.016742, 0.017038)),
        ((0.18, 0.18, 0.18), (0.18, 0.18, 0.18)), ((1, 0.2, 0.185), (1, 0.2, 0.185)),
    ],
)  # fmt: skip
def test_gamut_compression_gives_the_published_values(lin, want):
    for strength in (1.0, 0.5):
        program = compile_chain(Chain(LINEAR, Output(tone=None, compression=strength)))
        # The input's matrix and the compression alone.
        program = replace(program, ops=program.ops[:2], params=program.params[:2])
        got = run(program, np.float32([lin]))[0]
        both = strength * np.array(want) + (1 - strength) * np.array(lin)
        np.testing.assert_allclose(got, both, atol=3e-6)


# ASC CDL 1.2 worked by hand: clamped, and not clamped.
S = Cdl((1.2, 1, 0.8), (0.02, 0, -0.02), (1.1, 1, 0.9), 0.7, clamp=True)


@pytest.mark.parametrize(
    ("cdl", "value", "want"),
    [
        (S, (0.5, 0.3, 0.1), (0.517529, 0.313788, 0.159434)),
        (S, (1.2, -0.1, 0.4), (0.771109, 0.071109, 0.307978)),
        (replace(S, clamp=False), (1.2, -0.1, 0.4), (1.144001, 0.012584, 0.319452)),
    ],
)
def test_cdl_gives_the_worked_values(cdl, value, want):
    got = _run([value], decode=Decode("linear/ap1"),
               look=Look((CdlStep(cdl, "linear/ap1"),)))  # fmt: skip
    np.testing.assert_allclose(got[0], want, atol=3e-6)


@settings(max_examples=30, deadline=None)
@given(
    st.lists(st.floats(0.2, 2), min_size=3, max_size=3),
    st.lists(st.floats(-0.2, 0.2), min_size=3, max_size=3),
    st.lists(st.floats(0.4, 2.2), min_size=3, max_size=3), st.floats(0, 2), st.booleans(),
)  # fmt: skip
def test_random_cdls_agree_with_opencolorio(slope, offset, power, saturation, clamp):
    theirs = ocio.CDLTransform()
    theirs.setSlope(slope)
    theirs.setOffset(offset)
    theirs.setPower(power)
    theirs.setSat(saturation)
    theirs.setStyle(ocio.CDL_ASC if clamp else ocio.CDL_NO_CLAMP)
    values = np.random.default_rng(3).uniform(-0.1, 1.3, (300, 3)).astype(np.float32)
    cdl = Cdl(tuple(slope), tuple(offset), tuple(power), saturation, clamp)
    got = _run(values, look=Look((CdlStep(cdl, "linear/ap1"),)))
    np.testing.assert_allclose(got, through(processor(theirs), values), atol=2e-5, rtol=2e-5)


def test_a_balance_moves_light_and_nothing_else():
    lin = _light(50)
    got = _run(lin, balance=Balance(1.0, (1.1, 1.0, 0.9)))
    np.testing.assert_allclose(got, lin * 2 * np.array([1.1, 1, 0.9]), rtol=1e-5)
    unit = _run(lin, input=Input(unit=(1.02, 1.0, 0.97)))
    np.testing.assert_allclose(unit, lin * np.array([1.02, 1, 0.97]), rtol=1e-5)
    # A CDL of one in the working log changes nothing.
    same = _run(lin, balance=Balance(cdl=Cdl()))
    np.testing.assert_allclose(same, lin, rtol=2e-5, atol=1e-6)


def _show_lut(size=33):
    """A LUT from the reference's code values to Rec.709, as a production would bring it."""
    chain = Chain(Decode("logc3-ei800/awg3"), Output(tone=ToneScale(contrast=1.3)))
    return LookTable(bake_lut(chain, size)), chain


def test_a_lut_made_for_the_reference_works_on_every_angle():
    table, meant = _show_lut(65)
    look = Look((LutStep(keep_table(table), "logc3-ei800/awg3", to="rec709"),))
    lin = _light(800) * 0.5
    seen = {}
    for slug in ("s-log3/s-gamut3.cine", "v-log/v-gamut", "logc3-ei800/awg3"):
        code = _run(lin, output=EncodingOutput(slug))
        keep = ((code > 0) & (code < 1)).all(axis=1)
        seen[slug] = run(compile_chain(Chain(Decode(slug), Output(), look=look)), code)
        want = _run(lin, output=meant.output)
        d = delta_e_2000(display_lab(seen[slug][keep]), display_lab(want[keep]))
        assert d.mean() < 0.15
    # Shown on another display it is the same light.
    shown = run(compile_chain(Chain(Decode("logc3-ei800/awg3"), Output("display-p3"), look=look)),
                code)  # fmt: skip
    d = delta_e_2000(display_lab(shown, "display-p3"), display_lab(seen[slug]))
    assert np.percentile(d, 99) < 0.05


def test_a_look_mixes_and_keeps_its_order():
    curve = LookTable((np.linspace(0, 1, 256, dtype=np.float32)[:, None] ** 2).repeat(3, 1))
    sha = keep_table(curve)
    value = np.full((4, 3), 0.5, np.float32)
    whole, half, none = (
        _run(value, look=Look((LutStep(sha, "linear/ap1", mix=mix),))) for mix in (1, 0.5, 0)
    )
    np.testing.assert_allclose([whole[0, 0], half[0, 0], none[0, 0]], [0.25, 0.375, 0.5], atol=1e-5)
    gain = CdlStep(Cdl(slope=(0.5,) * 3), "linear/ap1")
    lut = LutStep(sha, "linear/ap1")
    first, second = (_run(value, look=Look(order))[0, 0] for order in ((gain, lut), (lut, gain)))
    assert (first, second) == (pytest.approx(0.0625, abs=1e-4), pytest.approx(0.125, abs=1e-4))


def test_domain_and_nan_of_a_lut():
    table = LookTable(np.float32([[0] * 3, [1] * 3]), (-1.0,) * 3, (3.0,) * 3)
    look = Look((LutStep(keep_table(table), "linear/ap1"),))
    values = np.float32([[-2] * 3, [-1] * 3, [1] * 3, [3] * 3, [5] * 3, [np.nan] * 3])
    got = _run(values, look=look)
    np.testing.assert_allclose(got[:5, 0], [0, 0, 0.5, 1, 1], atol=1e-6)
    assert np.isnan(got[5]).all()
    cube = keep_table(_show_lut(17)[0])
    bad = _run(values[5:], look=Look((LutStep(cube, "linear/ap1"),)))
    assert np.isnan(bad).all()


@pytest.mark.parametrize(
    ("tone", "peak"),
    [(ToneScale(), 1.0), (ToneScale(1.3, 0.15, -2, 5, 0.003), 1.0),
     (DISPLAYS["rec2100-pq-1000"].tone, 10.0), (DISPLAYS["rec2100-pq-4000"].tone, 40.0)],
)  # fmt: skip
def test_tone_scales_hold_grey_reach_white_and_undo_themselves(tone, peak):
    tone.check(peak)
    top = 0.18 * 2**tone.stops_to_white
    assert tone.apply(0.18, peak) == pytest.approx(tone.grey, rel=1e-9)
    assert tone.apply(top, peak) == pytest.approx(peak, rel=1e-9)
    assert tone.apply(-1.0, peak) == pytest.approx(tone.black, abs=1e-12)
    lin = np.geomspace(1e-4, top * 0.999, 400)
    light = tone.apply(lin, peak)
    assert (np.diff(light) > 0).all()
    np.testing.assert_allclose(tone.invert(light, peak), lin, rtol=1e-7)
    # The contrast is the slope in stops below the shoulder; the shoulder has no corner.
    e = 0.18 * 2.0 ** np.array([tone.start - 1, tone.start - 1.01])
    bent = (tone.apply(e, peak) - tone.black) / (1 - tone.black / peak)
    assert np.diff(np.log2(bent))[0] / -0.01 == pytest.approx(tone.contrast, rel=1e-6)
    around = tone.apply(0.18 * 2.0 ** (tone.start + np.array([-1e-4, 0, 1e-4])), peak)
    assert np.diff(around)[1] / np.diff(around)[0] == pytest.approx(1, abs=2e-3)


@pytest.mark.parametrize("display", ["rec709", "rec2100-pq-1000", "rec2100-hlg", "p3-d65"])
def test_the_engine_shows_the_tone_scale(display):
    shown = DISPLAYS[display]
    lin = np.repeat(np.geomspace(0.002, 15, 200)[:, None], 3, axis=1)
    got = _run(lin, output=Output(display, shown.tone))
    light = shown.tone.apply(lin[:, 1], shown.peak)
    if shown.system_gamma:  # BT.2100: E = F_D / peak through the inverse OOTF, gamma 1.2
        light = 3 * (light / shown.peak) ** (1 / 1.2)
    np.testing.assert_allclose(decode(got[:, 1].astype(float), shown.curve), light, rtol=2e-3)


LUT_TO_DISPLAY = {"kind": "lut", "sha256": "0" * 64, "to": "rec709"}


@pytest.mark.parametrize(
    ("stage", "code", "words"),
    [
        ({"kind": "output", "display": "cinema"}, "display.unknown", "cinema"),
        ({"kind": "output", "tone": {"contrast": 9}}, "tone.invalid", "contrast is 9"),
        ({"kind": "output", "tone": {"start": 5.8}}, "tone.invalid", "shoulder"),
        (
            {"kind": "output", "tone": {"contrast": 0.5, "stops_to_white": 3}},
            "tone.invalid",
            "white is not reached",
        ),
        ({"kind": "output", "compression": 2}, "chain.invalid", "0 to 1"),
        ({"kind": "output-aces", "version": "9"}, "chain.invalid", "1.3 or 2.0"),
        ({"kind": "look", "steps": [LUT_TO_DISPLAY, {"kind": "cdl"}]}, "chain.invalid", "last"),
        (
            {"kind": "look", "steps": [{"kind": "cdl", "cdl": {"power": [0, 1, 1]}}]},
            "cdl.invalid",
            "power",
        ),
        ({"kind": "look", "steps": [{"kind": "lut"}]}, "chain.invalid", "names no LUT"),
        ({"kind": "look", "steps": [{"kind": "cdl"}] * 9}, "chain.invalid", "steps"),
        ({"kind": "balance", "gains": [0, 1, 1]}, "chain.invalid", "gain"),
    ],
)
def test_bad_stages_say_what_to_do(stage, code, words):
    document = chain_to_json(Chain(LINEAR, PLAIN, look=Look(), balance=Balance()))
    kinds = [s["kind"].split("-")[0] for s in document["stages"]]
    document["stages"][kinds.index(stage["kind"].split("-")[0])] = stage
    with pytest.raises(ChainError) as caught:
        read_chain(document)
    assert caught.value.code == code
    assert words in f"{caught.value.message} {caught.value.hint}"


def test_a_look_that_is_not_here_or_ends_the_light_says_so():
    missing = Look((LutStep("0" * 64),))
    with pytest.raises(ChainError, match="not here"):
        compile_chain(Chain(LINEAR, PLAIN, look=missing))
    table, _ = _show_lut(17)
    ends = Look((LutStep(keep_table(table), "logc3-ei800/awg3", to="rec709"),))
    with pytest.raises(ChainError, match="nothing scene-linear"):
        compile_chain(Chain(LINEAR, EncodingOutput("linear/ap1"), look=ends))


def test_the_output_s_default_tone_is_its_display_s():
    assert read_output({"kind": "output", "display": "rec2100-pq-1000"}).tone.grey == 0.26
    assert inverse(ocio.ExponentTransform([2.0] * 4)).getDirection() == ocio.TRANSFORM_DIR_INVERSE
    assert CURVES["pq"].is_display


CONFIGS = {"1.3": "studio-config-v2.2.0_aces-v1.3_ocio-v2.4",
           "2.0": "studio-config-v4.0.0_aces-v2.0_ocio-v2.5"}  # fmt: skip
PUBLISHED = {"rec709": "Rec.1886 Rec.709", "rec709-2.2": "Gamma 2.2 Rec.709", "srgb": "sRGB",
             "p3-d65": "P3-D65", "display-p3": "Display P3", "rec2100-pq-1000": "Rec.2100-PQ",
             "rec2100-pq-4000": "Rec.2100-PQ", "rec2100-hlg": "Rec.2100-HLG"}  # fmt: skip


@pytest.mark.parametrize("version", CONFIGS)
@pytest.mark.parametrize("slug", PUBLISHED)
def test_aces_outputs_are_those_that_the_published_config_has_for_the_display(slug, version):
    config = ocio.Config.CreateFromBuiltinConfig(CONFIGS[version])
    name = f"{PUBLISHED[slug]} - Display"
    if name not in config.getDisplays():
        assert (slug, version) == ("rec709-2.2", "1.3")  # that display came with the later one
        return

    def steps(transform):
        parts = transform if isinstance(transform, ocio.GroupTransform) else [transform]
        return [part.getStyle() for part in parts if hasattr(part, "getStyle")]

    found = []
    for view in config.getViews(name):
        transform = config.getDisplayViewTransformName(name, view)
        if transform:
            row = config.getViewTransform(transform)
            found += steps(row.getTransform(ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE))
    ours = DISPLAYS[slug]
    assert (ours.aces_1 if version == "1.3" else ours.aces_2) in found
    coded = config.getColorSpace(name).getTransform(ocio.COLORSPACE_DIR_FROM_REFERENCE)
    # How negatives are coded is another matter: an ACES output has none.
    assert [style.removesuffix(" - MIRROR NEGS") for style in steps(coded)] == [ours.view]
