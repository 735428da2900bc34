"""Colour spaces of configs as encodings, against OpenColorIO itself."""

import io
import zipfile

import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.core.encodings import GAMUTS, decode, gamut_matrix, keep_encoding
from syntonos.core.encodings.from_config import builtin_configs, open_config, spaces_of, take_space
from syntonos.core.errors import EncodingError
from tests.opencolorio import through

STUDIO = "studio-config-v2.2.0_aces-v1.3_ocio-v2.4"
BAD = """ocio_profile_version: 2
search_path: luts
roles: {{aces_interchange: lin, scene_linear: lin, default: lin}}
displays: {{d: [!<View> {{name: v, colorspace: lin}}]}}
colorspaces:
  - !<ColorSpace> {{name: lin}}
  - !<ColorSpace> {{name: cam, to_scene_reference: {transform}}}
"""


def _config(transform):
    return open_config("mine.ocio", BAD.format(transform=transform).encode())


@pytest.mark.parametrize("family", ["Input", "ACES", "Utility"])
def test_every_camera_space_of_the_studio_config_is_taken_exactly(family):
    config = open_config(STUDIO)
    rng = np.random.default_rng(5)
    code = np.clip(rng.uniform(0.1, 0.8, (300, 1)) + rng.normal(0, 0.05, (300, 3)), 0, 1)
    taken = 0
    for space in spaces_of(config):
        if not space.family.startswith(family) or not space.is_scene:
            continue
        try:
            encoding = keep_encoding(take_space(config, space.name).to_json())
        except EncodingError as error:
            assert error.code == "config.not_a_camera"  # noqa: PT017 - others must not happen
            continue
        cpu = config.ocio.getProcessor(space.name, "ACES2065-1").getOptimizedCPUProcessor(
            ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS
        )
        theirs = through(cpu, code)
        ours = decode(code, encoding.curve) @ gamut_matrix(encoding.gamut, GAMUTS["ap0"]).T
        off = np.abs(ours - theirs) / np.abs(theirs).max(axis=1, keepdims=True)
        assert off.max() < 1e-3, space.name
        taken += 1
    assert taken >= {"Input": 15, "ACES": 2, "Utility": 8}[family]


def test_what_is_no_curve_and_matrix_is_refused():
    cubed = "!<CDLTransform> {slope: [1, 1, 1], sat: 0.3}"
    with pytest.raises(EncodingError, match="more than a curve and a matrix") as caught:
        take_space(_config("!<GroupTransform> {children: [" + cubed +
                           ", !<ExponentTransform> {value: [2, 2, 2, 1]}]}"), "cam")  # fmt: skip
    assert caught.value.code == "config.not_a_camera"
    flat = "!<MatrixTransform> {matrix: [0,0,0,0, 0,0,0,0, 0,0,0,0, 0,0,0,1]}"
    with pytest.raises(EncodingError, match="does not rise"):
        take_space(_config(flat), "cam")


def test_missing_files_broken_and_unknown_configs_are_said_in_words():
    missing = _config("!<FileTransform> {src: gone.cube}")
    with pytest.raises(EncodingError, match=r"gone\.cube") as caught:
        take_space(missing, "cam")
    assert caught.value.code == "config.invalid"
    with pytest.raises(EncodingError, match="no colour space"):
        take_space(missing, "nothing")
    with pytest.raises(EncodingError, match="cannot be used"):
        open_config("nobody-has-this")
    with pytest.raises(EncodingError, match="cannot be used"):
        open_config("x.ocioz", b"no archive")
    with pytest.raises(EncodingError):
        open_config("x.ocio", b"\xff\xfe")
    assert len(builtin_configs()) >= 10


def test_a_config_of_thousands_of_spaces_is_refused_before_it_is_read():
    spaces = "\n".join(f"  - !<ColorSpace> {{name: space {i}}}" for i in range(10_000))
    text = f"ocio_profile_version: 2\nroles: {{default: space 0}}\ncolorspaces:\n{spaces}\n"
    archive = io.BytesIO()
    with zipfile.ZipFile(archive, "w") as zipped:
        zipped.writestr("config.ocio", text)
    for name, data in (("big.ocio", text.encode()), ("big.ocioz", archive.getvalue())):
        with pytest.raises(EncodingError, match="10000 colour spaces"):
            open_config(name, data)


def test_an_archive_brings_its_files_with_it():
    config = BAD.format(transform="!<FileTransform> {src: cam.cube}")
    curve = "LUT_1D_SIZE 3\n0 0 0\n0.2 0.2 0.2\n1 1 1\n"
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        archive.writestr("config.ocio", config)
        archive.writestr("luts/cam.cube", curve)
    definition = take_space(open_config("mine.ocioz", data.getvalue()), "cam")
    light = decode(np.array([0.25, 0.5, 0.75]), keep_encoding(definition.to_json()).curve)
    np.testing.assert_allclose(light, [0.1, 0.2, 0.6], atol=1e-4)
