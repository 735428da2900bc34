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
    [("left", 0.0, 0.5), ("center", 0.5, 0.5), ("topleft", 0.0, 0.0), ("top", 0.5, 0.0),
     ("bottomleft", 0.0, 1.0), ("bottom", 0.5, 1.0)],
)  # fmt: skip
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


GROUPS = {
    # x264: B frames, groups that are closed and open; x265 with what it takes by itself (open).
    "h264-closed": ("libx264", ".mp4", {"g": "12", "bf": "3"}),
    "h264-open": ("libx264", ".mov", {"x264-params": "keyint=12:bframes=3:open-gop=1:b-adapt=0"}),
    "h264-pyramid": ("libx264", ".mkv", {"x264-params": "keyint=20:bframes=7:b-pyramid=normal"}),
    "h264-no-b": ("libx264", ".mxf", {"g": "9", "bf": "0"}),
    "hevc-open": ("libx265", ".mp4", {"x265-params": "keyint=13:bframes=4:log-level=none"}),
    "hevc-closed": ("libx265", ".mkv", {"x265-params": "keyint=11:open-gop=0:log-level=none"}),
    "mpeg2": ("mpeg2video", ".mxf", {"g": "9", "bf": "2", "b": "8M"}),
    "vp9": ("libvpx-vp9", ".mkv", {"g": "10", "deadline": "realtime", "cpu-used": "8"}),
}  # fmt: skip


def numbered(index):
    """A picture that says its number in bars: eight bits, black and white."""
    bits = [(index >> i) & 1 for i in range(8)]
    bars = np.repeat(np.array([60, 200])[bits], 16).astype(np.uint8)
    return np.repeat(bars[None, :, None], 64, axis=0).repeat(3, axis=2)


def number_of(code):
    bars = code[20:44, :, 1].mean(axis=0).reshape(8, 16)[:, 4:12].mean(axis=1)
    return int(sum(1 << i for i, bar in enumerate(bars) if bar > 0.5))


def write_numbered(path, codec, options, *, count=60, spoil=None):
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=24, options=options)
        stream.width, stream.height, stream.pix_fmt = 128, 64, "yuv420p"
        frames = [av.VideoFrame.from_ndarray(numbered(i), format="rgb24") for i in range(count)]
        for frame in [*frames, None]:
            for packet in stream.encode(frame and frame.reformat(format="yuv420p")):
                if spoil:
                    spoil(packet)
                container.mux(packet)


@pytest.mark.parametrize("group", GROUPS)
def test_frames_of_every_kind_of_group_come_alike_at_random_and_in_order(tmp_path, group):
    """Each frame bears its number, so a neighbour in its place is seen."""
    codec, ending, options = GROUPS[group]
    path = tmp_path / f"clip{ending}"
    write_numbered(path, codec, options)
    with VideoReader(path, index_folder=tmp_path / "index") as forward:
        assert [number_of(forward.read(i)) for i in range(60)] == list(range(60))
    with VideoReader(path, index_folder=tmp_path / "index") as jumping:
        for i in [*range(59, -1, -1), *np.random.default_rng(3).permutation(60)]:
            assert number_of(jumping.read(int(i))) == i


@pytest.mark.parametrize("ending", [".mxf", ".mkv", ".mp4"])
def test_frames_whose_order_is_not_said_are_refused(tmp_path, ending):
    """B frames in a container that gives the times of decoding as those of showing."""

    def as_decoded(packet):
        packet.pts = packet.dts

    path = tmp_path / f"clip{ending}"
    write_numbered(path, "libx264", {"g": "12", "bf": "3"}, spoil=as_decoded)
    with pytest.raises(MediaError, match="in which order") as told:
        VideoReader(path)
    assert told.value.code == "media.order"


@pytest.mark.parametrize(
    ("codec", "ending", "options", "siting"),
    [
        ("libx264", ".mp4", {"chroma_sample_location": "topleft"}, "topleft"),
        ("libx264", ".mkv", {"x264-params": "chromaloc=1"}, "center"),
        ("libx265", ".mov", {"x265-params": "chromaloc=5:log-level=none"}, "bottom"),
        ("libx264", ".mov", {}, ""),
        ("mpeg2video", ".mxf", {}, "left"),
    ],
)
def test_where_chroma_stands_is_read_from_the_stream(tmp_path, codec, ending, options, siting):
    path = tmp_path / f"clip{ending}"
    write_numbered(path, codec, options, count=5)
    said = read_recording([path])
    assert said.siting == (siting or "left")
    assert any("Where chroma stands is not said" in w for w in said.warnings) == (not siting)


# The numbers of ITU-T H.273 table 4, and the luma weights that it gives for them.
@pytest.mark.parametrize(
    ("tag", "weights"),
    [(1, (0.2126, 0.7152, 0.0722)), (4, (0.30, 0.59, 0.11)), (6, (0.299, 0.587, 0.114)),
     (7, (0.212, 0.701, 0.087)), (9, (0.2627, 0.6780, 0.0593))],
)  # fmt: skip
def test_a_tagged_matrix_is_the_one_that_is_taken(tmp_path, tag, weights):
    path = tmp_path / "clip.mp4"
    write_tagged(path, tag)
    with VideoReader(path) as video:
        code = video.read(0, quantisation="legal")[32, 64]
    # The picture is Y' 0.5, Cb 0, Cr 0.25: R' = Y' + 2 (1 - Kr) Cr, and Y' is weighed of all three.
    assert code[0] == pytest.approx(0.5 + 2 * (1 - weights[0]) * 0.25, abs=0.01)
    assert np.dot(weights, code) == pytest.approx(0.5, abs=0.01)


@pytest.mark.parametrize(("tag", "name"), [(8, "YCgCo"), (10, "constant"), (14, "ICtCp")])
def test_colours_that_are_stored_otherwise_are_refused_by_name(tmp_path, tag, name):
    path = tmp_path / "clip.mp4"
    write_tagged(path, tag)
    with pytest.raises(MediaError, match=name) as told:
        VideoReader(path)
    assert told.value.code == "media.matrix"


def write_tagged(path, tag):
    with av.open(str(path), "w") as container:
        options = {"crf": "4", "bf": "0", "colorspace": str(tag)}
        stream = container.add_stream("libx264", rate=24, options=options)
        stream.width, stream.height, stream.pix_fmt = 128, 64, "yuv444p"
        frame = av.VideoFrame(128, 64, "yuv444p")
        for plane, code in zip(frame.planes, (16 + 219 // 2, 128, 128 + 56), strict=True):
            plane.update(bytes([code]) * plane.buffer_size)
        frame.colorspace = tag
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            container.mux(packet)


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


@pytest.mark.parametrize(
    ("timecode", "rate"),
    [("00:01:00;00", Fraction(30000, 1001)), ("10:59:00;01", Fraction(30000, 1001)),
     ("00:03:00;03", Fraction(60000, 1001)), ("00:61:00:00", Fraction(25)), ("1:2", Fraction(25))],
)  # fmt: skip
def test_what_is_no_timecode_is_refused(timecode, rate):
    with pytest.raises(MediaError) as told:
        frame_of_timecode(timecode, rate)
    assert told.value.code == "media.timecode"


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
