import struct
from fractions import Fraction

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
import tifffile

from syntonos.core.errors import MediaError
from syntonos.core.media import read_frame, read_info, read_recording, write_frame
from syntonos.core.media.grouping import encoding_of


@pytest.mark.parametrize(("name", "bits"), [("a.png", 16), ("a.tif", 16), ("a.dpx", 10)])
def test_integer_formats_keep_code_values(tmp_path, name, bits):
    top = 2**bits - 1
    code = (np.arange(24 * 16 * 3).reshape(16, 24, 3) * 7 % (top + 1) / top).astype(np.float32)
    write_frame(tmp_path / name, code)
    frame = read_frame(tmp_path / name)
    np.testing.assert_allclose(frame.code_rgb, code, atol=1e-7)
    assert (frame.info.width, frame.info.height, frame.info.bits) == (24, 16, bits)
    assert frame.code_rgb.dtype == np.float32


@pytest.mark.parametrize("half", [True, False])
def test_exr_keeps_values_beyond_one_and_below_zero(tmp_path, half):
    code = np.array([[[-0.25, 0.5, 60.0]]], np.float32)
    write_frame(tmp_path / "a.exr", code, half=half)
    np.testing.assert_array_equal(read_frame(tmp_path / "a.exr").code_rgb, code)


def _oiio(path, channels=3, kind=oiio.UINT16, bits=0, value=0.5):
    spec = oiio.ImageSpec(8, 8, channels, kind)
    if bits:
        spec.attribute("oiio:BitsPerSample", bits)
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), spec)
    out.write_image(np.full((8, 8, channels), value, np.float32))
    out.close()
    return path


def _png_header(path, width, height):
    head = struct.pack(">IIBBBBB", width, height, 16, 2, 0, 0, 0)
    import zlib

    crc = struct.pack(">I", zlib.crc32(b"IHDR" + head))
    data = struct.pack(">I", 4) + b"IDAT\x78\x9c\x03\x00\x00\x00\x00\x00"
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + b"IHDR" + head + crc + data)
    return path


def _text(path):
    path.write_text("no picture at all")
    return path


def _cut(path):
    write_frame(path, np.random.default_rng(0).random((64, 64, 3)).astype(np.float32))
    path.write_bytes(path.read_bytes()[:3000])
    return path


@pytest.mark.parametrize(
    ("make", "code"),
    [
        (lambda d: d / "gone.png", "media.missing"),
        (lambda d: _text(d / "a.webp"), "media.format"),
        (lambda d: _text(d / "a.png"), "media.unreadable"),
        (lambda d: _cut(d / "a.tif"), "media.truncated"),
        (lambda d: _oiio(d / "a.png", kind=oiio.UINT8), "media.depth"),
        (lambda d: _oiio(d / "a.dpx", kind=oiio.UINT8), "media.depth"),
        (lambda d: _oiio(d / "a.png", channels=4), "media.channels"),
        (lambda d: _oiio(d / "a.tif", channels=1), "media.channels"),
        (lambda d: _oiio(d / "a.exr", kind=oiio.FLOAT, value=np.nan), "media.not_finite"),
        (lambda d: _png_header(d / "a.png", 40_000, 40_000), "media.too_large"),
    ],
    ids=["missing", "ending", "text", "cut", "8 bit", "8 bit film", "alpha", "grey", "nan", "huge"],
)
def test_what_cannot_be_used_says_why_and_what_to_do(tmp_path, make, code):
    with pytest.raises(MediaError) as caught:
        read_frame(make(tmp_path))
    assert caught.value.code == code
    assert caught.value.hint


def test_the_head_alone_tells_size_and_depth(tmp_path):
    write_frame(tmp_path / "a.dpx", np.zeros((9, 12, 3), np.float32))
    info = read_info(tmp_path / "a.dpx")
    assert (info.width, info.height, info.format, info.bits) == (12, 9, "DPX", 10)


def test_a_frame_that_cannot_be_written_leaves_nothing(tmp_path):
    with pytest.raises(MediaError):
        write_frame(tmp_path / "none" / "a.png", np.zeros((4, 4, 3), np.float32))
    assert list(tmp_path.rglob("*")) == []


# TIFF 6.0, tag 274: on which sides of what is seen the stored rows and columns begin.
ORIENTATIONS = {
    1: ("top", "left"), 2: ("top", "right"), 3: ("bottom", "right"), 4: ("bottom", "left"),
    5: ("left", "top"), 6: ("right", "top"), 7: ("right", "bottom"), 8: ("left", "bottom"),
}  # fmt: skip


@pytest.mark.parametrize("orientation", ORIENTATIONS)
def test_a_turned_picture_is_seen_upright(tmp_path, orientation):
    seen = np.zeros((6, 9, 3), np.float32)
    seen[0], seen[:, 0], seen[0, 0] = 0.25, 0.5, 1.0  # top, left, and their corner
    stored = seen
    rows, columns = ORIENTATIONS[orientation]
    if rows in ("left", "right"):
        stored = stored.swapaxes(0, 1)
    stored = stored[::-1] if rows in ("bottom", "right") else stored
    stored = stored[:, ::-1] if columns in ("right", "bottom") else stored
    path = tmp_path / "a.tif"
    write_frame(path, np.ascontiguousarray(stored), metadata={"Orientation": orientation})
    frame = read_frame(path)
    np.testing.assert_allclose(frame.code_rgb, seen, atol=1e-5)
    assert (frame.info.width, frame.info.height) == (9, 6)


def test_a_tiff_says_what_dng_sequences_say(tmp_path):
    """DNG Specification 1.7.1.0: TimeCodes in SMPTE ST 331's order, FrameRate, ReelName."""
    path = tmp_path / "A001_0001.tif"
    tags = [
        (51043, 1, 8, bytes([0x12, 0x45, 0x59, 0x23]) + bytes(4), True),
        (51044, 10, 1, (24000, 1001), True), (51081, 2, 0, "A001", True),
        (34855, 3, 1, 800, True),
    ]  # fmt: skip
    tifffile.imwrite(path, np.full((8, 8, 3), 9000, np.uint16), photometric="rgb", extratags=tags)
    said = read_recording([path])
    assert (said.timecode, said.rate) == ("23:59:45:12", Fraction(24000, 1001))
    assert (said.facts["reel"], said.facts["exposure_index"]) == ("A001", "800")
    assert read_frame(path).code_rgb[0, 0, 0] == np.float32(9000 / 65535)


def test_a_jpeg_is_a_display_picture_of_8_bit_and_says_so(tmp_path):
    rng = np.random.default_rng(2)
    shown = cv2.resize(rng.integers(0, 256, (6, 8, 3), np.uint8), (64, 48))
    path = tmp_path / "A_chart.jpg"
    assert cv2.imwrite(str(path), shown, [cv2.IMWRITE_JPEG_QUALITY, 95])
    frame = read_frame(path)
    assert (frame.info.format, frame.info.bits) == ("JPEG", 8)
    # Another library's decoder; two of them may round differently.
    theirs = cv2.imread(str(path))[..., ::-1] / 255
    assert np.abs(frame.code_rgb - theirs).max() <= 2 / 255
    said = read_recording([path])
    assert "8 bit" in said.warnings[0]
    assert encoding_of(said.kind, said.facts)[0] == "srgb"
    with pytest.raises(MediaError):  # nothing is written that loses
        write_frame(tmp_path / "out.jpg", frame.code_rgb)
