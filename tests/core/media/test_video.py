"""Video against the formulas of ITU-R BT.709, BT.601 and BT.2020, as colour-science has them."""

import struct
from fractions import Fraction

import av
import numpy as np
import pytest

from syntonos.core.errors import MediaError
from syntonos.core.media import (
    Development,
    RecordingReader,
    VideoReader,
    follows,
    frame_of_timecode,
    read_recording,
    rgb_to_ycbcr,
    timecode_of_frame,
    ycbcr_to_rgb,
)
from syntonos.core.media.video_write import CODECS, write_video
from syntonos.core.simulate.spectra import library

HEIGHT, WIDTH = 128, 256  # the least that DNxHR takes


def picture(number=0):
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    return np.stack([0.05 + 0.85 * x / WIDTH, 0.1 + 0.7 * y / HEIGHT,
                     np.full(x.shape, 0.2 + 0.02 * number)], axis=-1)  # fmt: skip


@pytest.mark.parametrize("bits", [8, 10, 12, 16])
@pytest.mark.parametrize("quantisation", ["legal", "full"])
@pytest.mark.parametrize(
    ("matrix", "key"),
    [("bt709", "ITU-R BT.709"), ("bt601", "ITU-R BT.601"), ("bt2020", "ITU-R BT.2020")],
)
def test_codes_become_rgb_as_the_standard_says(bits, quantisation, matrix, key):
    # Outside: colour-science 0.4.7, YCbCr_to_RGB with the same codes. It puts full-range chroma's
    # middle at (2^n - 1) / 2; ITU-T H.273 8.3 says 2^(n-1), half a code above.
    rng = np.random.default_rng(bits)
    codes = rng.integers(0, 2**bits, (16, 16, 3))
    ours = ycbcr_to_rgb(*(codes[..., i].astype(np.uint16) for i in range(3)), bits=bits,
                        quantisation=quantisation, matrix=matrix)  # fmt: skip
    theirs = codes.astype(np.float64)
    if quantisation == "full":
        theirs[..., 1:] -= 0.5
    colour = library()
    rgb = colour.YCbCr_to_RGB(
        theirs if quantisation == "legal" else theirs / (2**bits - 1) - [0, 0.5, 0.5],
        K=colour.WEIGHTS_YCBCR[key], in_bits=bits, in_legal=quantisation == "legal",
        in_int=quantisation == "legal",
    )  # fmt: skip
    np.testing.assert_allclose(ours, rgb, atol=2e-6)


def test_published_codes_of_colour_bars():
    # ITU-R BT.709 bars of 75 %, 10 bit, as in SMPTE RP 219: Y, Cb, Cr.
    bars = {
        (0.75, 0.75, 0.75): (721, 512, 512), (0.75, 0.75, 0): (674, 176, 543),
        (0, 0.75, 0.75): (581, 589, 176), (0, 0.75, 0): (534, 253, 207),
        (0.75, 0, 0.75): (251, 771, 817), (0.75, 0, 0): (204, 435, 848),
        (0, 0, 0.75): (111, 848, 481), (0, 0, 0): (64, 512, 512),
    }  # fmt: skip
    codes = rgb_to_ycbcr(np.array([list(bars)]), bits=10, quantisation="legal")
    np.testing.assert_array_equal(codes[0], list(bars.values()))


@pytest.mark.parametrize(
    ("siting", "chroma_x", "chroma_y"),
    [("left", 0.0, 0.5), ("center", 0.5, 0.5), ("topleft", 0.0, 0.0)],
)
def test_chroma_is_found_where_it_stands(siting, chroma_x, chroma_y):
    # A ramp of chroma sampled at the stated places must come back as the same ramp.
    y, x = np.mgrid[0:8, 0:12].astype(float)
    ramp = lambda x, y: 512 + 8 * x + 12 * y  # noqa: E731
    cb = ramp(x[::2, ::2] + chroma_x, y[::2, ::2] + chroma_y).astype(np.uint16)
    assert (cb == ramp(x[::2, ::2] + chroma_x, y[::2, ::2] + chroma_y)).all()
    luma = np.full((8, 12), 512, np.uint16)
    cr = np.full(cb.shape, 512, np.uint16)
    rgb = ycbcr_to_rgb(luma, cb, cr, bits=10, quantisation="legal", siting=siting)
    blue = (ramp(x, y) - 512) / 896 * 2 * (1 - 0.0722) + (512 - 64) / 876
    np.testing.assert_allclose(rgb[1:-1, 1:-1, 2], blue[1:-1, 1:-1], atol=1e-6)


# Largest error allowed, in codes of ten bits, of a smooth picture: lossless codecs round only,
# the others lose what they lose at this quality (h264 has 8 bit). On the mean none may be off.
LOSSES = {"ffv1-444": 1.7, "ffv1": 1.7, "v210": 1.7, "prores-4444": 4, "prores-422-hq": 4,
          "dnxhr-hqx": 4, "hevc-10": 12, "h264": 26}  # fmt: skip


@pytest.mark.parametrize("quantisation", ["legal", "full"])
@pytest.mark.parametrize("codec", CODECS)
def test_every_codec_gives_its_frames_back_in_any_order(tmp_path, codec, quantisation):
    path = tmp_path / f"clip{CODECS[codec].ending}"
    write_video(path, (picture(i) for i in range(26)), codec, quantisation=quantisation,
                timecode="10:11:12:13")  # fmt: skip
    with VideoReader(path) as video:
        said = video.recording
        assert (said.width, said.height, said.frame_count, said.rate) == (WIDTH, HEIGHT, 26, 24)
        assert said.timecode == "10:11:12:13" or CODECS[codec].ending == ".mkv"
        if codec.startswith(("h264", "hevc", "dnxhr", "ffv1")):
            assert (said.tagged_range, said.matrix) == (quantisation, "bt709")
        for number in (0, 25, 7, 3, 4, 12):
            code = video.read(number, quantisation=quantisation, matrix="bt709")
            error = (code - picture(number))[2:-2, 2:-2] * 1023
            assert np.abs(error).max() < LOSSES[codec], f"frame {number}"
            # A flat channel may be off by the rounding of luma and chroma, and no more.
            rounding = 1.7 * 2 ** (10 - CODECS[codec].bits)
            assert np.abs(error.mean(axis=(0, 1))).max() < rounding, f"frame {number}"
        with pytest.raises(MediaError, match="26 frames"):
            video.read(26)


def test_metadata_of_the_container_is_known_by_our_names(tmp_path):
    write_video(tmp_path / "a.mov", [picture()], "prores-422-hq", timecode="01:00:00;02",
                rate=Fraction(30000, 1001),
                metadata={"reel_name": "A001", "org.foundry.Scene": "12", "take": "3",
                          "exposure_index": "800"})  # fmt: skip
    said = read_recording([tmp_path / "a.mov"])
    assert said.facts == {"reel": "A001", "scene": "12", "take": "3", "exposure_index": "800"}
    assert (said.timecode, said.rate) == ("01:00:00;02", Fraction(30000, 1001))


def test_parts_of_a_spanned_recording_follow_each_other(tmp_path):
    for name, start, begin in (("a.mov", "10:00:00:00", 0), ("b.mov", "10:00:00:06", 6)):
        frames = (picture(begin + i) for i in range(6))
        write_video(tmp_path / name, frames, "prores-422-hq", timecode=start)
    first, second = (read_recording([tmp_path / name]) for name in ("a.mov", "b.mov"))
    assert follows(first, second)
    assert not follows(second, first)
    reader = RecordingReader([tmp_path / "a.mov", tmp_path / "b.mov"])
    assert read_recording([tmp_path / "a.mov", tmp_path / "b.mov"]).frame_count == 12
    code = reader.read(8, Development(quantisation="legal"))
    assert np.abs(code - picture(8))[2:-2, 2:-2].max() * 1023 < 4
    with pytest.raises(MediaError):
        reader.read(12)
    reader.close()


@pytest.mark.parametrize(
    ("frame", "timecode", "rate"),
    # SMPTE ST 12-1, drop-frame counting: ten minutes are 17982 frames.
    [(1799, "00:00:59;29", Fraction(30000, 1001)), (1800, "00:01:00;02", Fraction(30000, 1001)),
     (17981, "00:09:59;29", Fraction(30000, 1001)), (17982, "00:10:00;00", Fraction(30000, 1001)),
     (107892, "01:00:00;00", Fraction(30000, 1001)), (3600, "00:01:00;04", Fraction(60000, 1001)),
     (86400, "01:00:00:00", Fraction(24000, 1001)), (90000, "01:00:00:00", Fraction(25))],
)  # fmt: skip
def test_timecode_counts_as_the_standard_does(frame, timecode, rate):
    assert frame_of_timecode(timecode, rate) == frame
    assert timecode_of_frame(frame, rate, drops=";" in timecode) == timecode


def _cut(path):
    write_video(path, (picture(i) for i in range(8)), "prores-422-hq")
    path.write_bytes(path.read_bytes()[:3000])


def _text(path):
    path.write_text("no video")


def _silent(path):
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=48000, layout="mono")
        sound = av.AudioFrame.from_ndarray(np.zeros((1, 4800), np.int16), "s16", "mono")
        sound.sample_rate = 48000
        for packet in [*stream.encode(sound), *stream.encode()]:
            container.mux(packet)


def _uneven(path):
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=24)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.codec_context.time_base = Fraction(1, 1000)
        for time in (0, 40, 80, 170, 210):
            frame = av.VideoFrame(WIDTH, HEIGHT, "yuv420p")
            frame.pts, frame.time_base = time, Fraction(1, 1000)
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)


@pytest.mark.parametrize(
    ("make", "name", "code"),
    [(_cut, "a.mov", "media.unreadable"), (_text, "a.mov", "media.unreadable"),
     (_silent, "a.mov", "media.no_picture"), (_uneven, "a.mkv", "media.variable_rate"),
     (lambda path: path.touch(), "a.mov", "media.empty"),
     (lambda path: None, "a.mov", "media.missing")],
)  # fmt: skip
def test_what_cannot_be_used_says_so(tmp_path, make, name, code):
    make(tmp_path / name)
    with pytest.raises(MediaError) as caught:
        read_recording([tmp_path / name])
    assert caught.value.code == code
    assert caught.value.hint


def test_a_picture_that_is_tagged_as_turned_is_turned_upright(tmp_path):
    """ISO/IEC 14496-12, 8.3.2: the track header's matrix, here a quarter turn clockwise."""
    path = tmp_path / "turned.mov"
    write_video(path, [picture()], "prores-4444", quantisation="legal")
    data = bytearray(path.read_bytes())
    at = data.index(b"tkhd") + 44
    one = 1 << 16
    assert struct.unpack(">9i", data[at : at + 36]) == (one, 0, 0, 0, one, 0, 0, 0, 1 << 30)
    turn = (0, one, 0, -one, 0, 0, HEIGHT * one, 0, 1 << 30)
    data[at : at + 36] = struct.pack(">9i", *turn)
    path.write_bytes(data)
    with VideoReader(path) as video:
        assert (video.recording.width, video.recording.height) == (HEIGHT, WIDTH)
        error = (video.read(0) - np.rot90(picture(), -1))[2:-2, 2:-2] * 1023
    assert np.abs(error).max() < LOSSES["prores-4444"]


def test_a_file_is_gone_through_once_and_again_when_it_has_changed(tmp_path):
    path, folder = tmp_path / "long.mkv", tmp_path / "indexes"
    write_video(path, (picture(i) for i in range(12)), "ffv1", quantisation="legal")
    with VideoReader(path, index_folder=folder) as video:
        whole = video.read(9)
    (kept,) = folder.iterdir()
    np.savez(kept, times=np.load(kept)["times"][:10], keys=np.load(kept)["keys"][:10])
    with VideoReader(path, index_folder=folder) as video:
        assert video.recording.frame_count == 10  # as it was kept
        np.testing.assert_array_equal(video.read(9), whole)
    kept.write_bytes(b"cut short")
    with VideoReader(path, index_folder=folder) as video:
        assert video.recording.frame_count == 12
    write_video(path, (picture(i) for i in range(5)), "ffv1", quantisation="legal")
    with VideoReader(path, index_folder=folder) as video:
        assert video.recording.frame_count == 5
