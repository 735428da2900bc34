"""Putting right: moving, putting away and bringing back, throwing a reading out, scopes."""

import uuid

import pytest

from syntonos.server.footage.models import Clip
from syntonos.server.matching.services import measure_unmeasured
from syntonos.server.productions.services import create_light
from tests.server.test_history import ME


@pytest.fixture
def matched(api, place, read):
    read("AB")
    path = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    api("post", f"{path}/matches", {}, status=201)
    return place


def angle(api, place, letter="B", light=None):
    at = light or place.light
    return api("get", f"/lights/{at.pk}/cameras/{place.cameras[letter].pk}")


def away(api, place, kind, row, *, is_away=True, status=200):
    body = {"kind": kind, "id": row.pk, "is_away": is_away}
    return api("post", f"/productions/{place.production.pk}/away", body, status, **ME)


def undo(api, place):
    return api("post", f"/productions/{place.production.pk}/undo", None, **ME)


def test_clips_readings_lights_and_cameras_are_put_away_and_come_back(api, matched):
    place = matched
    before = angle(api, place)
    for kind, row in (
        ("clip", place.clips["B", "chart"]), ("clip", place.clips["B", "scene"]),
        ("light", place.light), ("camera", place.cameras["B"]),
    ):  # fmt: skip
        away(api, place, kind, row)
        listed = api("get", f"/productions/{place.production.pk}/away")
        assert [(one["kind"], one["id"]) for one in listed] == [(kind, row.pk)]
        board = api("get", f"/productions/{place.production.pk}/board")
        shown = {c["id"] for c in board["cameras"]}, {row["id"] for row in board["lights"]}
        assert (place.cameras["B"].pk in shown[0]) == (kind != "camera")
        assert (place.light.pk in shown[1]) == (kind != "light")
        away(api, place, kind, row, is_away=False)
        assert angle(api, place) | {"head": 0} == before | {"head": 0}
    refused = away(api, place, "camera", place.cameras["A"], status=409)
    assert refused["code"] == "away.reference"
    # Undo takes it back as well.
    away(api, place, "clip", place.clips["B", "scene"])
    undo(api, place)
    assert angle(api, place) | {"head": 0} == before | {"head": 0}


def test_a_reading_that_is_thrown_out_leaves_its_match_to_be_fitted_again(api, matched):
    place = matched
    reading = place.clips["B", "chart"].readings.get()
    away(api, place, "reading", reading)
    seen = angle(api, place)
    assert (seen["state"], seen["angle"]["reading"]) == ("stale", None)
    assert seen["match"]["number"] == 1  # it is still in force: no picture changes by itself
    away(api, place, "reading", reading, is_away=False)
    assert angle(api, place)["state"] == "in_tune"


def test_a_production_is_put_away_and_comes_back(api, place):
    away(api, place, "production", place.production)
    assert api("get", "/productions") == []
    (gone,) = api("get", "/productions-away")
    assert gone["name"] == place.production.name
    away(api, place, "production", place.production, is_away=False)
    assert [p["id"] for p in api("get", "/productions")] == [place.production.pk]


def test_a_clip_moves_with_its_readings_and_nothing_is_orphaned(api, matched):
    place = matched
    night = create_light(place.production, {"name": "Night"})
    chart = place.clips["B", "chart"]
    api("patch", f"/clips/{chart.pk}", {"light_id": night.pk}, **ME)
    here = angle(api, place)
    # The match that was fitted on it here is to be fitted again, and says what is missing.
    assert here["state"] == "stale"
    assert api("get", f"/lights/{night.pk}/cameras/{place.cameras['B'].pk}")["angle"]["reading"]
    undo(api, place)
    assert angle(api, place)["state"] == "in_tune"
    # To another camera: read again as that one is taken.
    api("patch", f"/clips/{chart.pk}", {"camera_id": place.cameras["C"].pk})
    moved = Clip.objects.get(pk=chart.pk)
    newest = moved.readings.order_by("-number").first()
    assert (newest.encoding, newest.levels) == ("v-log/v-gamut", "legal")
    stranger = api("patch", f"/clips/{chart.pk}", {"light_id": 9999}, 409)
    assert stranger["code"] == "clip.foreign"


def test_a_chart_clip_that_is_a_scene_after_all_is_nothing_to_match_by(api, matched):
    place = matched
    chart = place.clips["B", "chart"]
    api("patch", f"/clips/{chart.pk}", {"kind": "scene"}, **ME)
    seen = angle(api, place)
    assert (seen["state"], seen["angle"]["reading"]) == ("stale", None)
    undo(api, place)
    assert angle(api, place)["state"] == "in_tune"
    assert chart.readings.count() == 1


def test_an_encoding_is_taken_for_a_clip_its_like_or_its_camera(api, matched):
    place = matched
    chart, scene = (place.clips["B", kind] for kind in ("chart", "scene"))
    path = f"/clips/{chart.pk}/take-as"
    wanted = {"encoding": "s-log2/s-gamut3.cine", "levels": "full"}
    names = {
        scope: set(api("post", f"{path}/preview", {**wanted, "scope": scope})["clips"])
        for scope in ("clip", "light", "camera")
    }
    assert names["clip"] == {chart.name}
    assert names["light"] == names["camera"] == {chart.name, scene.name}
    told = api("post", f"{path}/preview", {**wanted, "scope": "light"})
    (moved,) = told["matches"]
    assert (moved["camera"], moved["light"]) == ("B", "Foundry")
    assert moved["after"] > moved["now"]
    api("post", path, {**wanted, "scope": "light"})
    # What was told is what comes of it, within what a reading's own noise makes.
    now = angle(api, place)["match"]
    assert now["number"] == 2
    assert now["expected"] == pytest.approx(moved["after"], rel=0.1)
    assert place.cameras["B"].encoding == "s-log3/s-gamut3.cine"
    # Back by saying what the camera says anyway: no setting of its own is left.
    api("post", path, {"encoding": "s-log3/s-gamut3.cine", "levels": "full", "scope": "light"})
    assert Clip.objects.get(pk=chart.pk).overrides.get("encoding") is None


def test_a_camera_that_is_taken_otherwise_is_one_step_with_its_clips_own_setting(api, matched):
    place = matched
    chart = place.clips["B", "chart"]
    path = f"/clips/{chart.pk}/take-as"
    own = {"encoding": "s-log2/s-gamut3.cine", "levels": "full"}
    api("post", path, {**own, "scope": "clip"}, **ME)
    api("post", path, {"encoding": "v-log/v-gamut", "levels": "full", "scope": "camera"}, **ME)
    row = Clip.objects.get(pk=chart.pk)
    assert (row.camera.encoding, row.overrides.get("encoding")) == ("v-log/v-gamut", None)
    undo(api, place)
    row = Clip.objects.get(pk=chart.pk)
    assert row.camera.encoding == "s-log3/s-gamut3.cine"
    assert row.overrides["encoding"] == own["encoding"]


def test_rows_are_found_by_what_stands_in_them(api, place):
    base = f"/productions/{place.production.pk}/clips"
    doubted = place.clips["C", "scene"]
    doubted.findings = [{"kind": "levels", "text": "codes below black", "encoding": "",
                         "levels": "full"}]  # fmt: skip
    doubted.findings_of = doubted.taken_as
    doubted.save()

    def found(search="", **more):
        rows = api(
            "get", f"{base}?" + "&".join(f"{k}={v}" for k, v in {"search": search, **more}.items())
        )
        return {row["name"] for row in rows["clips"]}

    ei = place.clips["A", "scene"].facts["exposure_index"]
    assert "A001_02" in found(f"EI+{ei}")
    assert found("V-Log") == found("levels+legal") == {"C001_01", "C001_02"}
    assert found("doubtful") == found(doubtful="true") == {"C001_02"}
    assert found("below+black+cedar") == {"C001_02"}
    assert found("nowhere") == set()


def test_productions_of_earlier_versions_are_measured_once(api, matched):
    place = matched
    Clip.objects.update(clipped={})
    assert measure_unmeasured() == len(place.clips)
    # A scene that is taken otherwise is measured so; undone, its first measure counts again.
    scene = place.clips["B", "scene"]
    first = Clip.objects.get(pk=scene.pk).clipped_share
    path = f"/productions/{place.production.pk}/clips/settings"
    api("post", path, {"ids": [scene.pk], "values": {"levels": "legal"}}, **ME)
    assert Clip.objects.get(pk=scene.pk).clipped_share is not None
    undo(api, place)
    assert Clip.objects.get(pk=scene.pk).clipped_share == first
    assert measure_unmeasured() == 0
    seen = api("get", f"/productions/{place.production.pk}/board")["cells"]
    assert all(cell["clipped"] is not None for cell in seen)


def test_a_clip_that_is_taken_otherwise_than_its_siblings_says_so(api, place):
    scene = place.clips["B", "scene"]
    for number in range(3, 5):
        scene.pk, scene.id, scene.uuid = None, None, uuid.uuid4()
        scene.name = f"B001_0{number}"
        scene.save(force_insert=True)
    odd = place.clips["B", "chart"]
    odd.overrides = {"encoding": "s-log2/s-gamut3.cine"}
    odd.save()
    rows = api("get", f"/productions/{place.production.pk}/clips?letter=B")["clips"]
    said = {row["name"]: row["differs"] for row in rows}
    assert "S-Log3 / S-Gamut3.Cine" in said.pop("B001_01")
    assert set(said.values()) == {""}
