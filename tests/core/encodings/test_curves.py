import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from syntonos.core.encodings import (
    CURVES,
    ENCODINGS,
    decode,
    encode,
    find_encoding,
    put_levels_on,
    take_levels_off,
)
from syntonos.core.errors import EncodingError
from syntonos.core.library_keys import COLOUR_LOG, OCIO_CURVES
from syntonos.core.simulate.spectra import library
from tests.opencolorio import processor, through

# Tables of 10-bit code values in the makers' papers (titles in docs/references.md), for 0, 18 and
# 90 % reflectance; LogC3: 18 % only; Log3G10, LogC4: the light that code 1.0 stands for.
PUBLISHED = [
    ("s-log3", 0.0, 95), ("s-log3", 0.18, 420), ("s-log3", 0.90, 598),
    ("v-log", 0.0, 128), ("v-log", 0.18, 433), ("v-log", 0.90, 602),
    ("f-log2", 0.0, 95), ("f-log2", 0.18, 400), ("f-log2", 0.90, 570),
    ("logc3-ei800", 0.18, 400), ("log3g10", 0.18, 341), ("log3g10", 184.322, 1023),
    ("logc4", 469.8, 1023),
]  # fmt: skip


@pytest.mark.parametrize(("slug", "lin", "cv10"), PUBLISHED)
def test_encode_gives_the_published_code_values(slug, lin, cv10):
    # The papers round to whole code values, hence half a code value.
    assert encode(np.float64([lin]), CURVES[slug])[0] * 1023 == pytest.approx(cv10, abs=0.5)


@pytest.mark.parametrize("slug", COLOUR_LOG)
def test_log_curves_agree_with_colour_science(slug):
    name, more = COLOUR_LOG[slug]
    lin = np.concatenate([np.linspace(-0.01, 0.05, 61), np.geomspace(0.05, 30, 100)])
    with np.errstate(all="ignore"):  # it evaluates both sides of its breaks
        theirs = getattr(library().models, name)(lin, **more)
    # colour-science rounds some breaks; 2e-6 is a five-hundredth of a 10-bit code.
    tolerance = 5e-6 if slug == "d-log" else 2e-6
    if slug in ("protune", "cineon"):  # below black we go on by the tangent
        lin, theirs = lin[lin >= 0], theirs[lin >= 0]
    if slug == "n-log":  # below the root's zero it gives NaN, we continue the root, odd
        lin, theirs = lin[lin > -0.0075], theirs[lin > -0.0075]
    np.testing.assert_allclose(encode(lin, CURVES[slug]), theirs, atol=tolerance)


@pytest.mark.parametrize("slug", [s for s in CURVES if s != "linear"])
def test_decode_undoes_encode_and_never_falls(slug):
    lin = np.concatenate([np.linspace(-0.05, 0.1, 4001), np.geomspace(0.1001, 40, 2000)])
    if slug == "acescc":  # S-2014-003: what lies below zero is coded as zero
        assert np.ptp(encode(lin[lin <= 0], CURVES[slug])) == 0
        lin = lin[lin >= 0]
    code = encode(lin, CURVES[slug])
    assert (np.diff(code) > 0).all()
    # Published constants leave steps: N-Log 0.13 code values at 0.328, F-Log 0.10 at its break.
    tolerance = {"n-log": 3e-4, "f-log": 2e-5}.get(slug, 1e-6)
    np.testing.assert_allclose(decode(code, CURVES[slug]), lin, rtol=tolerance, atol=tolerance)


@settings(deadline=None)
@given(st.sampled_from(sorted(CURVES)), st.floats(-0.02, 1.05))
def test_float32_follows_float64(slug, code):
    exact = decode(np.float64([code]), CURVES[slug])
    fast = decode(np.float32([code]), CURVES[slug])
    assert fast.dtype == np.float32
    # The slope of a log curve magnifies float32's rounding of the code by up to 60.
    # PQ's power of 79 magnifies it further; a 10-bit code of it is a per cent of light.
    loose = 10 if slug == "pq" else 1
    np.testing.assert_allclose(fast, exact, rtol=loose * 3e-5, atol=loose * 3e-6)


@pytest.mark.parametrize("slug", CURVES)
def test_nan_stays_nan_and_shapes_stay(slug):
    values = np.full((2, 4, 3), 0.3, np.float32)
    values[1, 2, 0] = np.nan
    for function in (encode, decode):
        out = function(values, CURVES[slug])
        assert out.shape == values.shape
        assert out.dtype == np.float32
        assert np.isnan(out).sum() == 1
        assert values[0, 0, 0] == np.float32(0.3)


def test_srgb_and_bt1886_give_their_standards_values():
    # IEC 61966-2-1: 18 % is 0.461356; BT.1886 with L_W 1, L_B 0: 0.5 is 0.18946.
    assert encode(np.float64([0.18]), CURVES["srgb"])[0] == pytest.approx(0.461356, abs=1e-6)
    assert decode(np.float64([0.5]), CURVES["bt1886"])[0] == pytest.approx(0.1894646, abs=1e-6)


# SMPTE ST 2084, in cd/m2; BT.2100 HLG: E = 1/12 gives 0.5, with our light of 3 E.
@pytest.mark.parametrize(
    ("slug", "light", "code"),
    [
        ("pq", 0.00005, 0.015076), ("pq", 0.01, 0.149946), ("pq", 0.26, 0.380032),
        ("pq", 1.0, 0.508078), ("pq", 2.03, 0.580689), ("pq", 10.0, 0.751827),
        ("pq", 40.0, 0.902572), ("pq", 100.0, 1.0), ("hlg", 0.25, 0.5), ("hlg", 1 / 16, 0.25),
        ("hlg", 3.0, 1.0), ("bt709", 0.18, 0.409008), ("gamma2.6", 0.18, 0.517090),
        ("acesproxy", 0.18, 0.416719),
    ],
)  # fmt: skip
def test_display_curves_give_their_standards_values(slug, light, code):
    assert encode(np.float64([light]), CURVES[slug])[0] == pytest.approx(code, abs=1.5e-6)
    assert decode(np.float64([code]), CURVES[slug])[0] == pytest.approx(light, rel=2e-4)


@pytest.mark.parametrize("slug", OCIO_CURVES)
def test_curves_agree_with_opencolorio(slug):
    codes = np.repeat(np.linspace(0.02, 0.98, 97, dtype=np.float32)[:, None], 3, axis=1)
    theirs = through(processor(ocio.BuiltinTransform(OCIO_CURVES[slug])), codes)
    # OpenColorIO has these curves as tables of 4096 values: 1e-5 of the value.
    np.testing.assert_allclose(decode(codes, CURVES[slug]), theirs, rtol=1e-4, atol=1e-5)


def test_legal_levels_put_the_curve_between_64_and_940():
    code = put_levels_on(np.float64([0.0, 1.0, 0.5]), "legal")
    np.testing.assert_allclose(code * 1023, [64, 940, 502], atol=1e-9)
    np.testing.assert_allclose(take_levels_off(code, "legal"), [0, 1, 0.5], atol=1e-12)


def test_encodings_are_found_by_slug_and_alias():
    assert find_encoding("LogC3").slug == "logc3-ei800/awg3"
    assert find_encoding("linear/ap1").curve.slug == "linear"
    assert len(ENCODINGS) >= 13


def test_an_unknown_encoding_names_the_nearest():
    with pytest.raises(EncodingError, match="s-log3") as caught:
        find_encoding("slog3/sgamut3")
    assert caught.value.code == "encoding.unknown"
