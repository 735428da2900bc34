import numpy as np
import pytest
import simplejpeg

from syntonos.core.chain import (
    Chain,
    Decode,
    EncodingOutput,
    Output,
    compile_chain,
    read_chain,
    run,
)
from syntonos.core.formats import read_cube
from syntonos.server.footage.frames import frame_of
from syntonos.server.handover.models import Export
from syntonos.server.matching.models import Match
from syntonos.server.productions.services import create_camera, create_light


def _cell(board, letter):
    camera = next(c for c in board["cameras"] if c["letter"] == letter)
    return next(c for c in board["cells"] if c["camera_id"] == camera["id"])


def test_the_board_tells_what_to_do_next_until_an_angle_is_in_tune(api, place, read):
    path = f"/productions/{place.production.pk}/board"
    b, light = place.cameras["B"], place.light
    angle = f"/lights/{light.pk}/cameras/{b.pk}"
    assert _cell(api("get", path), "B")["next_step"] == "read_chart"
    read("B")
    assert _cell(api("get", path), "B")["next_step"] == "read_reference"
    read("A")
    cell = _cell(api("get", path), "B")
    assert (cell["next_step"], cell["state"]) == ("fit", "off")
    made = api("post", f"{angle}/matches", {"base_number": 0}, 201)
    cell = _cell(api("get", path), "B")
    assert cell["state"] == "in_tune"
    assert cell["delta_e"] == pytest.approx(made["expected"])
    assert abs(cell["tuner"]["exposure"]) < 0.03
    read("B")
    cell = _cell(api("get", path), "B")
    assert (cell["state"], cell["next_step"]) == ("stale", "fit_again")
    assert api("get", angle)["state"] == "stale"


def test_the_board_costs_the_same_queries_whatever_its_size(
    api, place, read, django_assert_num_queries
):
    path = f"/productions/{place.production.pk}/board"
    read("AB")
    api("get", path)
    with django_assert_num_queries(15):
        api("get", path)
    for letter in "DEFGH":
        create_camera(place.production, {"letter": letter, "name": letter, "encoding": "srgb"})
    for i in range(5):
        create_light(place.production, {"name": f"light {i}"})
    with django_assert_num_queries(15):
        api("get", path)


def test_what_a_fit_would_change_is_told_and_nothing_is_stored(api, place, read):
    read("AB")
    angle = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    fresh = api("post", f"{angle}/matches/preview", {})
    assert (fresh["expected_now"], fresh["clips"], fresh["files"]) == (None, [], [])
    made = api("post", f"{angle}/matches", {"base_number": 0}, 201)
    lut = api("post", f"{angle}/exports", {"target": "reference", "size": 17}, 201)
    same = api("post", f"{angle}/matches/preview", {})
    assert same["expected"] == pytest.approx(made["expected"])
    assert max(c["most"] for c in same["clips"]) < 0.01
    other = api("post", f"{angle}/matches/preview", {"model": "white"})
    assert other["expected"] > other["expected_now"]
    assert min(c["mean"] for c in other["clips"]) > 0.5
    assert other["files"] == [lut["file_name"]]
    assert len(api("get", f"{angle}/matches")) == 1


def test_few_patches_fit_white_alone_and_what_was_asked_for_is_kept(api, place, read):
    """Once the chart is read well, the next fit is to be the one that was asked for."""
    read("AB")
    angle = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    body = {"base_number": 0, "leave_out": list(range(1, 15))}
    made = api("post", f"{angle}/matches", body, 201)
    assert (made["model"], made["asked"]) == ("white", "averaged")
    assert any("12 are needed for colour" in w for w in made["warnings"])


def test_the_encoding_check_tells_and_changes_nothing(api, place, read):
    angle = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    assert api("get", f"{angle}/encoding-check", None, 422)["code"] == "fit.no_reading"
    read("AB")
    before = api("get", angle)
    assert api("get", f"{angle}/encoding-check") == {"check": None, "job": None}
    assert api("post", f"{angle}/encoding-check", {}, 202)["kind"] == "encoding-check"
    check = api("get", f"{angle}/encoding-check")["check"]
    # A curve that differs in the dark only cannot be told by a chart: that is no alarm.
    assert check["verdict"] != "doubtful"
    assert check["stated"] in check["alike"]
    assert check["stated"]["name"] == before["angle"]["encoding_name"]
    assert check["candidates"][0]["log_odds"] == 0
    assert api("get", angle) == before


def test_a_match_is_given_as_values_for_the_camera_s_menu(api, place, read):
    read("AB")
    angle = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    assert api("get", f"{angle}/menu", None, 422)["code"] == "menu.no_match"
    api("post", f"{angle}/matches", {"base_number": 0}, 201)
    menu = api("get", f"{angle}/menu")
    assert set(menu["settings"]) == {"R-G", "R-B", "G-R", "G-B", "B-R", "B-G"}
    turned = api("get", f"{angle}/menu?step=0.005&sign=-1&most=200")
    assert all(abs(v + 2 * menu["settings"][k]) <= 1 for k, v in turned["settings"].items())
    assert api("get", f"{angle}/menu?step=0", None, 422)["code"] == "menu.step"


def test_revisions_are_appended_and_going_back_is_one(api, place, read):
    read("AB")
    angle = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    first = api("post", f"{angle}/matches", {"base_number": 0}, 201)
    second = api("post", f"{angle}/matches", {"base_number": 1, "model": "white"}, 201)
    assert second["left_one_out"] > first["left_one_out"]
    body = {"base_number": 2, "weights": [{"patch": 1, "weight": 4}, {"patch": 2, "weight": 4}]}
    skins = api("post", f"{angle}/matches", body, 201)
    assert skins["weights"] == body["weights"]
    assert sum(r["after"] for r in skins["residuals"][:2]) < sum(
        r["after"] for r in first["residuals"][:2]
    )
    conflict = api("post", f"{angle}/matches", {"base_number": 1}, 409)
    assert (conflict["base"], conflict["newest"]) == (1, 3)
    assert "revision 3" in conflict["detail"]
    third = api("post", f"/matches/{first['id']}/restore", {"base_number": 3}, 201)
    assert (third["number"], third["restored_from"], third["is_current"]) == (4, 1, True)
    assert third["matrix"] == first["matrix"]
    listed = api("get", f"{angle}/matches")
    assert [m["number"] for m in listed] == [4, 3, 2, 1]
    assert [m["is_current"] for m in listed] == [True, False, False, False]
    assert api("post", f"/matches/{second['id']}/restore", {"base_number": 1}, 409)


def test_another_reference_has_matches_of_its_own(api, place, read):
    read("AB")
    a, b = place.cameras["A"], place.cameras["B"]
    angle = f"/lights/{place.light.pk}/cameras"
    api("post", f"{angle}/{b.pk}/matches", {"base_number": 0}, 201)
    api("patch", f"/productions/{place.production.pk}", {"reference_camera_id": b.pk})
    assert api("get", f"{angle}/{a.pk}")["match"] is None
    back = api("post", f"{angle}/{a.pk}/matches", {"base_number": 0}, 201)
    api("patch", f"/productions/{place.production.pk}", {"reference_camera_id": a.pk})
    forth = api("get", f"{angle}/{b.pk}")["match"]
    assert forth["stops"] == pytest.approx(-back["stops"], abs=0.02)


def test_a_changed_encoding_asks_for_the_chart_again(api, place, read):
    read("AB")
    b = place.cameras["B"]
    angle = f"/lights/{place.light.pk}/cameras/{b.pk}"
    # Where there is a match yet, all is made anew (test_looks); before, the chart is asked for.
    api("patch", f"/cameras/{b.pk}", {"encoding": "s-log3/s-gamut3"})
    refused = api("post", f"{angle}/matches", {"base_number": 0}, 422)
    assert refused["code"] == "fit.other_encoding"


def test_lights_and_cameras_are_added_and_changed(api, place):
    base = f"/productions/{place.production.pk}"
    made = api("post", f"{base}/lights", {"name": "Yard", "conditions": "overcast"}, 201)
    assert (made["name"], made["clips"], made["readings"]) == ("Yard", 0, 0)
    assert api("patch", f"/lights/{made['id']}", {"name": "Court"})["conditions"] == "overcast"
    first = api("patch", f"/lights/{place.light.pk}", {"conditions": "roof light"})
    assert first["clips"] == 6
    new = {"letter": "D", "name": "Dogwood", "encoding": "logc3", "levels": "legal"}
    camera = api("post", f"{base}/cameras", new, 201)
    assert (camera["encoding"], camera["is_reference"]) == ("logc3-ei800/awg3", False)
    board = api("get", f"{base}/board")
    assert [light["name"] for light in board["lights"]] == ["Foundry", "Court"]
    assert len(board["cells"]) == 8
    assert api("patch", f"/lights/{made['id']}", {"name": "Foundry"}, 409)["code"] == "name.taken"


def _as_jpeg(disp):
    # Rounded by numpy and through the same codec, so that only the chain's pixels are compared.
    eight = np.floor(np.clip(disp, 0, 1) * np.float32(255) + np.float32(0.5)).astype(np.uint8)
    return simplejpeg.decode_jpeg(simplejpeg.encode_jpeg(eight, quality=90, colorsubsampling="444"))


def test_pictures_are_the_chain_s_and_are_not_sent_twice(api, place):
    clip = place.clips["C", "scene"]
    path = f"/clips/{clip.pk}/frames/1/picture?width=480"
    answer = api("get", path)
    shown = simplejpeg.decode_jpeg(answer.content)
    chain = Chain(Decode("v-log/v-gamut", "legal"), Output())
    want = run(compile_chain(chain), frame_of(clip, 1, 480))
    np.testing.assert_array_equal(shown, _as_jpeg(want))
    assert api("get", path, status=304, **{"If-None-Match": answer["ETag"]})
    flat = simplejpeg.decode_jpeg(api("get", f"{path}&stage=code").content)
    np.testing.assert_array_equal(flat, _as_jpeg(frame_of(clip, 1, 480)))


def test_a_lut_is_kept_with_its_read_back_and_can_be_taken(api, place, read):
    read("AC")
    base = f"/lights/{place.light.pk}/cameras/{place.cameras['C'].pk}"
    assert api("post", f"{base}/exports", {"size": 33}, 422)["code"] == "export.no_match"
    api("post", f"{base}/matches", {"base_number": 0}, 201)
    made = api("post", f"{base}/exports", {"target": "reference", "size": 33}, 201)
    assert made["match_number"] == 1
    assert made["is_current"]
    assert len(made["read_back"]["differences"]) == 12
    answer = api("get", f"/exports/{made['id']}/file")
    assert made["file_name"] in answer["Content-Disposition"]
    table = read_cube(b"".join(answer.streaming_content)).table
    chain = read_chain(Export.objects.get().chain)
    assert chain.output == EncodingOutput("logc3-ei800/awg3", "full")
    grey = np.float32([[0.4, 0.4, 0.4]])
    np.testing.assert_allclose(
        table[13, 13, 13], run(compile_chain(chain), grey * 0 + np.float32(13 / 32))[0], atol=2e-6
    )
    assert api("post", f"{base}/exports", {"size": 34}, 422)["code"] == "request.invalid"
    # A clip that carries something else needs its own.
    assert api("get", f"{base}/variants") == []
    scene = place.clips["C", "scene"]
    body = {"ids": [scene.pk], "values": {"encoding": "s-log2/s-gamut3.cine"}}
    api("post", f"/productions/{place.production.pk}/clips/settings", body)
    (variant,) = api("get", f"{base}/variants")
    assert (variant["clips"], variant["levels"]) == ([scene.name], "legal")
    own = {"target": "reference", "size": 33, "clip_id": variant["clip_id"]}
    lut = api("post", f"{base}/exports", own, 201)
    assert lut["clip_name"] == scene.name
    assert scene.name.lower().replace("_", "-") in lut["file_name"]
    row = Export.objects.get(pk=lut["id"])
    assert row.chain["stages"][0]["encoding"] == "s-log2/s-gamut3.cine"
    assert row.sha256 != made["sha256"]
    stranger = {**own, "clip_id": place.clips["A", "scene"].pk}
    assert api("post", f"{base}/exports", stranger, 404)["code"]


def test_footage_is_seen_below_the_root_only_and_added_once(api, place):
    listed = api("get", "/media?folder=bellfounders/Alder")
    assert {s["name"] for s in listed["sequences"]} == {
        "A001_01", "A001_02", "A002_01", "A002_02", "A003_01", "A003_02",
        "A004_01", "A004_02",
    }  # fmt: skip
    assert [s["is_registered"] for s in listed["sequences"]] == [True, True, *[False] * 6]
    files = listed["sequences"][0]["files"]
    body = {"camera_id": place.cameras["A"].pk, "light_id": place.light.pk, "files": files}
    assert api("post", "/clips", body, 409)["code"] == "clip.taken"
    assert api("post", "/clips", {**body, "files": ["../../etc/passwd.png"]}, 422)["code"] == (
        "media.outside"
    )
    assert api("get", "/media?folder=../..", status=422)["code"] == "media.outside"
    assert api("post", "/clips", {**body, "files": ["gone.png"]}, 422)["code"] == "media.missing"
    made = api("post", "/clips", {**body, "name": "again"}, 201)
    assert (made["frame_count"], made["format"], made["bits"]) == (4, "TIFF", 16)


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "code"),
    [
        ("get", "/clips/999/frames/0/picture", None, 404, "not_found"),
        ("post", "/clips/{scene}/find", {}, 422, "chart.not_found"),
        ("post", "/clips/{scene}/readings", {"corners": [[1, 1], [2, 2], [3, 3], [4, 4]]}, 422,
         "chart.corners"),
        ("post", "/clips/{scene}/readings", {"corners": [[1, 1]]}, 422, "request.invalid"),
        ("post", "/lights/{light}/cameras/{a}/matches", {}, 422, "fit.reference"),
        ("post", "/lights/{light}/cameras/{b}/matches", {}, 422, "fit.no_reading"),
        ("patch", "/cameras/{b}", {"encoding": "film"}, 422, "encoding.unknown"),
        ("post", "/productions/{p}/cameras",
         {"letter": "A", "name": "again", "encoding": "srgb"}, 409, "name.taken"),
        ("post", "/productions/{p}/cameras",
         {"letter": "ab", "name": "x", "encoding": "srgb"}, 422, "request.invalid"),
        ("patch", "/productions/{p}", {"tolerance": -1}, 422, "request.invalid"),
        ("patch", "/productions/{p}", {"reference_camera_id": 999}, 404, "not_found"),
    ],
)  # fmt: skip
def test_bad_requests_are_problems_with_a_next_step(api, place, method, path, body, status, code):
    names = {"scene": place.clips["A", "scene"].pk, "light": place.light.pk,
             "a": place.cameras["A"].pk, "b": place.cameras["B"].pk,
             "p": place.production.pk}  # fmt: skip
    said = api(method, path.format(**names), body, status)
    assert said["code"] == code
    assert said["detail"]
    assert said["hint"]
    assert Match.objects.count() == 0


@pytest.mark.parametrize(
    "headers",
    [{"Origin": "http://elsewhere.example"}, {"Sec-Fetch-Site": "cross-site"},
     {"Host": "elsewhere.example"}, {"Origin": "null"}],
)  # fmt: skip
def test_a_page_elsewhere_cannot_change_anything(api, place, headers):
    said = api("post", "/productions", {"name": "x"}, 403, **headers)
    assert said["code"] == "request.foreign"


def test_the_own_page_can(api, db):
    api("post", "/productions", {"name": "x"}, 201, Origin="http://testserver")
    assert api("get", "/productions")[0]["name"] == "x"
