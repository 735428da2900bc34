"""Pins: frames as they stood and imported stills, as what an angle is matched to."""

import numpy as np
import OpenImageIO as oiio
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from syntonos.core.chain import Chain, Decode, Output, compile_chain, run
from syntonos.core.matching.targets import FILM, GRADED
from syntonos.core.media import RecordingReader
from syntonos.server.matching import from_scene
from tests.foundry import HEIGHT, WIDTH, same_places
from tests.icc import profile
from tests.warm import MEDIA

ME = {"Syntonos-Author": "me"}


@pytest.fixture(autouse=True)
def _one_moment(monkeypatch):
    monkeypatch.setattr(from_scene, "_PAIRS", 1)


@pytest.fixture
def path(place):
    return f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"


def graded(place, tmp_path, name, display, *, icc=b""):
    """What camera A saw, shown by an output, as somebody would hand it over: 8 bit."""
    clip = place.clips["A", "scene"]
    reader = RecordingReader([MEDIA / f for f in clip.files])
    code = reader.read(0)
    reader.close()
    shown = run(compile_chain(Chain(Decode(clip.encoding, clip.levels), Output(display))), code)
    pixels = np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8)
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, oiio.UINT8)
    if icc:
        spec.attribute("ICCProfile", oiio.TypeDesc(f"uint8[{len(icc)}]"),
                       np.frombuffer(icc, np.uint8))  # fmt: skip
    file = oiio.ImageOutput.create(str(tmp_path / name))
    assert file.open(str(tmp_path / name), spec)
    assert file.write_image(pixels)
    file.close()
    return (tmp_path / name).read_bytes()


def bring(api, place, name, data, status=201):
    address = f"/api/productions/{place.production.pk}/stills"
    got = api.client.post(address, {"file": SimpleUploadedFile(name, data)})
    assert got.status_code == status, got.content
    return got.json()


def match_to(api, place, path, pin, **more):
    body = {"clip_id": place.clips["B", "scene"].pk, "pin_id": pin["id"], **more}
    api("post", f"{path}/matches/from-scene", body, status=202, **ME)
    job = api("get", f"/productions/{place.production.pk}/jobs")[0]
    return job, api("get", path)["match"]


def to_the_clip(api, place, path, base_number=0):
    body = {"clip_id": place.clips["B", "scene"].pk, "base_number": base_number,
            "reference_clip_id": place.clips["A", "scene"].pk}  # fmt: skip
    api("post", f"{path}/matches/from-scene", body, status=202, **ME)
    return api("get", path)["match"]


def alike(one, other, stops, matrix):
    assert abs(one["stops"] - other["stops"]) < stops
    assert np.abs(np.subtract(one["matrix"], other["matrix"])).max() < matrix


def test_a_graded_still_is_matched_as_the_scene_that_it_shows(api, place, path, tmp_path):
    pins = f"/productions/{place.production.pk}/pins"
    by_clip = to_the_clip(api, place, path)
    data = graded(place, tmp_path, "graded.png", "display-p3", icc=profile(name="P3 screen"))
    pin = bring(api, place, "graded.png", data)
    assert (pin["taken_as"], pin["name"]) == ("profile", "graded")
    assert "P3 screen" in pin["taken_words"]
    job, match = match_to(api, place, path, pin, base_number=1)
    assert (job["state"], match["scene"]["pin"]["name"]) == ("done", "graded")
    assert GRADED in match["warnings"]
    alike(match, by_clip, 0.06, 0.06)
    assert api("get", f"/matches/{match['id']}/spots") == []
    # Taken otherwise, the match to it is behind; and what cannot be is refused.
    cell = next(c for c in api("get", f"/productions/{place.production.pk}/board")["cells"]
                if c["camera_id"] == place.cameras["B"].pk)  # fmt: skip
    assert cell["state"] != "stale"
    changed = api("patch", f"/pins/{pin['id']}", {"taken_as": "adx10"}, **ME)
    assert changed["taken_words"] == "ADX10, film negative"
    cell = next(c for c in api("get", f"/productions/{place.production.pk}/board")["cells"]
                if c["camera_id"] == place.cameras["B"].pk)  # fmt: skip
    assert cell["state"] == "stale"
    _, film = match_to(api, place, path, pin, base_number=2)
    assert FILM in film["warnings"]
    refused = api("patch", f"/pins/{pin['id']}", {"taken_as": "no-log"}, status=422)
    assert "no encoding" in refused["detail"]
    api("patch", f"/pins/{pin['id']}", {"is_put_away": True}, **ME)
    assert api("get", pins) == []
    api("post", f"/productions/{place.production.pk}/undo", **ME)
    assert [row["id"] for row in api("get", pins)] == [pin["id"]]


def test_a_frame_is_pinned_as_it_stood(api, place, path):
    pins = f"/productions/{place.production.pk}/pins"
    clip = place.clips["A", "scene"]
    pin = api("post", pins, {"clip_id": clip.pk, "frame": 0}, status=201, **ME)
    assert pin["name"] == f"{clip.name}, frame 1"
    _, match = match_to(api, place, path, pin)
    by_clip = to_the_clip(api, place, path, base_number=1)
    alike(match, by_clip, 0.05, 0.05)
    assert match["warnings"] == []
    # What is done with the clip later leaves the pin where it was.
    values = {"ids": [clip.pk], "values": {"levels": "legal"}}
    api("post", f"/productions/{place.production.pk}/clips/settings", values, **ME)
    _, later = match_to(api, place, path, pin, base_number=2)
    alike(match, later, 0.01, 0.01)
    assert (
        api("post", pins, {"clip_id": clip.pk, "frame": 999}, status=422)["code"] == "media.frame"
    )
    frozen = api("patch", f"/pins/{pin['id']}", {"taken_as": "srgb"}, status=422)
    assert frozen["code"] == "pin.frame"
    # Probes are marks on clips.
    body = {"clip_id": place.clips["B", "scene"].pk, "pin_id": pin["id"], "by": "areas"}
    assert api("post", f"{path}/matches/from-scene", body, status=422)["code"] == "areas.none"
    picture = api.client.get(f"/api/pins/{pin['id']}/picture?width=240")
    assert picture["Content-Type"] == "image/jpeg"
    assert len(picture.content) > 2000


def test_what_is_no_still_is_refused_and_nothing_is_kept(api, place, tmp_path):
    assert bring(api, place, "notes.txt", b"x", 422)["code"] == "media.format"
    assert "no PNG picture" in bring(api, place, "a.png", b"not a picture", 422)["detail"]
    whole = graded(place, tmp_path, "whole.png", "srgb")
    assert bring(api, place, "cut.png", whole[: len(whole) // 2], 422)["code"] == "media.truncated"
    odd = graded(place, tmp_path, "odd.jpg", "srgb", icc=b"no profile at all" * 20)
    pin = bring(api, place, "odd.jpg", odd)
    assert (pin["taken_as"], pin["has_profile"]) == ("srgb", False)
    assert api("get", f"/productions/{place.production.pk}/pins") == [pin]
    refused = api("patch", f"/pins/{pin['id']}", {"taken_as": "profile"}, status=422)
    assert refused["code"] == "target.profile"


def test_the_same_things_marked_in_a_pin_and_in_the_angle_make_a_match(api, place, path, tmp_path):
    """Where a still shows something else as a whole, a person says what is the same."""
    pin = bring(api, place, "graded.png", graded(place, tmp_path, "graded.png", "srgb"))
    assert api("patch", f"/pins/{pin['id']}", {"taken_as": "srgb"}, **ME)["taken_as"] == "srgb"
    _, by_picture = match_to(api, place, path, pin)
    # Outside: what the traced scene says is the same in both views.
    size = np.array([WIDTH, HEIGHT])
    both = np.stack([at / size for at in same_places("a-scene", "b-scene", step=24)])
    both = both[:, ((both > 0.05) & (both < 0.95)).all(axis=(0, 2))]
    one, other = both[:, :: both.shape[1] // 10]
    half = np.array([14, 14]) / size
    areas = [[[*(r - half).tolist(), *(2 * half).tolist()], [*(a - half).tolist(),
              *(2 * half).tolist()]] for r, a in zip(one, other, strict=True)]  # fmt: skip
    job, match = match_to(api, place, path, pin, by="areas", areas=areas, base_number=1)
    assert (job["state"], job["title"]) == ("done", "Match B in Foundry from areas")
    assert match["kind"] == "areas"
    assert match["scene"]["areas"] == areas
    assert len(match["scene"]["misses"]) == len(areas)
    alike(match, by_picture, 0.25, 0.25)
    log = api("get", f"/productions/{place.production.pk}/history")["changes"]
    assert any(entry["words"].endswith("match 2 from areas") for entry in log)
    # They count beside places as well; without any a pin has nothing that is marked.
    _, both = match_to(api, place, path, pin, areas=areas, base_number=2)
    assert (both["kind"], both["scene"]["areas"]) == ("picture", areas)
    body = {"clip_id": place.clips["B", "scene"].pk, "pin_id": pin["id"], "by": "areas"}
    assert api("post", f"{path}/matches/from-scene", body, status=422)["code"] == "areas.none"
    dot = [[[0.5, 0.5, 0.001, 0.001]] * 2]
    job, _ = match_to(api, place, path, pin, by="areas", areas=dot, base_number=3)
    assert job["problem"]["code"] == "areas.small"
    body["areas"] = [[[0.5, 0.5, 2, 0.1]] * 2]
    api("post", f"{path}/matches/from-scene", body, status=422)
