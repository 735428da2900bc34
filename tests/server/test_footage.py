from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from syntonos.core.errors import MediaError
from syntonos.core.media import write_frame
from syntonos.core.media.video_write import write_video
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage import frames
from syntonos.server.footage.frames import FrameCache, frame_of
from syntonos.server.footage.media import list_folder, resolve
from syntonos.server.footage.services import register_clip
from syntonos.server.productions.services import create_light, create_production


@pytest.fixture
def root(settings, tmp_path):
    settings.MEDIA_ROOTS = {"media": tmp_path}
    return tmp_path


def _frame(path, size=(8, 12), value=0.4):
    path.parent.mkdir(parents=True, exist_ok=True)
    write_frame(path, np.full((*size, 3), value, np.float32))
    return path


def test_files_are_grouped_into_recordings_by_their_numbers(root):
    for name in ("A001_01_0001.tif", "A001_01_0002.tif", "A001_02.0001.tif", "still.png",
                 ".hidden.png", "notes.txt", "sub/x.exr"):  # fmt: skip
        (root / name).parent.mkdir(exist_ok=True)
        (root / name).touch()
    folders, sequences = list_folder("")
    assert folders == ["sub"]
    assert {row.group.name: len(row.files) for row in sequences} == {
        "A001_01": 2, "A001_02": 1, "still": 1,
    }  # fmt: skip


@pytest.mark.parametrize("name", ["../x.png", "/etc/hostname", "a/../../x.png"])
def test_nothing_outside_of_the_root_is_reached(root, name):
    with pytest.raises(MediaError) as caught:
        resolve(name)
    assert caught.value.code == "media.outside"


def test_a_link_out_of_the_root_is_not_followed(root, tmp_path_factory):
    outside = tmp_path_factory.mktemp("outside")
    (root / "link").symlink_to(outside)
    with pytest.raises(MediaError):
        resolve("link/secret.png")


def test_names_with_spaces_and_unicode_are_names(root):
    _frame(root / "Ofen 2 – früh" / "a b_0001.png")
    folders, _ = list_folder("")
    _, sequences = list_folder(folders[0])
    assert sequences[0].files == ["Ofen 2 – früh/a b_0001.png"]
    assert resolve(sequences[0].files[0]).is_file()


def test_a_recording_of_two_sizes_or_two_productions_is_refused(place, root):
    _frame(root / "x_1.png")
    _frame(root / "x_2.png", size=(8, 10))
    camera, light = place.cameras["A"], place.light
    with pytest.raises(MediaError) as caught:
        register_clip(camera=camera, light=light, kind="scene", files=["x_1.png", "x_2.png"])
    assert caught.value.code == "media.sizes"
    other = create_light(create_production(name="other"), {"name": "Foundry"})
    with pytest.raises(ConflictError):
        register_clip(camera=camera, light=other, kind="scene", files=["x_1.png"])


def test_checksum_and_size_come_from_the_files(place, root):
    _frame(root / "x_1.png")
    camera, light = place.cameras["A"], place.light
    one = register_clip(camera=camera, light=light, kind="scene", files=["x_1.png"], name="one")
    _frame(root / "x_1.png", value=0.41)
    two = register_clip(camera=camera, light=light, kind="scene", files=["x_1.png"], name="two")
    assert one.checksum != two.checksum
    assert (one.width, one.height, one.frame_count, one.bits) == (12, 8, 1, 16)


def test_frames_are_given_at_the_size_asked_and_never_larger(place):
    clip = place.clips["A", "scene"]
    assert frame_of(clip, 0, 320).shape == (180, 320, 3)
    assert frame_of(clip, 0, 4000).shape == (540, 960, 3)
    whole = frame_of(clip, 0)
    assert not whole.flags.writeable
    np.testing.assert_allclose(frame_of(clip, 0, 96), whole.reshape(54, 10, 96, 10, 3)
                               .mean(axis=(1, 3)), atol=1e-5)  # fmt: skip
    with pytest.raises(MediaError) as caught:
        frame_of(clip, clip.frame_count)
    assert caught.value.code == "media.frame"


def test_the_cache_forgets_what_was_used_longest_ago():
    frame = np.zeros((10, 10, 3), np.float32)
    cache = FrameCache(most_bytes=3 * frame.nbytes)
    for i in range(3):
        cache.put(("x", i, 10), frame)
    cache.get(("x", 0, 10))
    cache.put(("x", 3, 10), frame)
    assert [cache.get(("x", i, 10)) is not None for i in range(4)] == [True, False, True, True]


def test_frames_that_nobody_asks_for_are_given_back(monkeypatch):
    now = [0.0]
    monkeypatch.setattr(frames.time, "monotonic", lambda: now[0])
    frame = np.zeros((10, 10, 3), np.float32)
    cache = FrameCache(idle=60)
    for i in range(3):
        cache.put(("x", i, 10), frame)
    now[0] = 50.0
    cache.get(("x", 1, 10))
    assert cache.sweep() == 3 * frame.nbytes
    now[0] = 100.0
    assert cache.sweep() == frame.nbytes
    assert cache.get(("x", 1, 10)) is not None


@pytest.mark.django_db
def test_the_demo_is_made_once(settings, media, tmp_path):
    from syntonos.server.demo import ensure_demo
    from syntonos.server.productions.models import Production
    from tests.warm import MEDIA

    settings.MEDIA_ROOTS = {"media": MEDIA}
    settings.DATA = tmp_path
    assert ensure_demo()
    assert not ensure_demo()
    production = Production.objects.get()
    assert [str(c) for c in production.cameras.all()] == [
        "A Alder",
        "B Birch",
        "C Cedar",
        "D Dogwood",
        "E Elm",
    ]
    assert production.reference_camera.letter == "A"


def test_pixels_that_are_not_square_are_seen_square_every_time(place, root):
    _frame(root / "x_1.png", size=(8, 16))
    camera, light = place.cameras["A"], place.light
    clip = register_clip(camera=camera, light=light, kind="scene", files=["x_1.png"])
    clip.pixel_aspect = 2.0
    for width, height in ((16, 4), (16, 4), (8, 2), (8, 2)):
        assert frame_of(clip, 0, width).shape == (height, width, 3)


def test_more_videos_than_stay_open_are_read_by_many_at_once(place, root, monkeypatch):
    monkeypatch.setattr(frames, "_readers", frames._Readers())
    camera, light = place.cameras["A"], place.light
    clips = []
    for number in range(frames._MOST_OPEN + 3):
        pictures = [np.full((128, 256, 3), 0.1 + 0.05 * number)] * 3
        write_video(root / f"{number}.mkv", pictures, "ffv1")
        clips.append(
            register_clip(camera=camera, light=light, kind="scene", files=[f"{number}.mkv"])
        )
    asked = [(clip, frame) for frame in (2, 1) for clip in clips] * 2
    with ThreadPoolExecutor(6) as pool:
        read = pool.map(lambda job: frames._readers.read(*job, preview=False), asked)
        means = [float(code.mean()) for code in read]
    expected = [0.1 + 0.05 * clips.index(clip) for clip, _ in asked]
    np.testing.assert_allclose(means, expected, atol=0.002)
