"""Charts of any layout, brackets, areas, values, and matches of other lights, over the API."""

import numpy as np
import pytest

from syntonos.core.charts.layout import CHART_24, reference_lin
from syntonos.core.media import write_frame
from syntonos.server.footage.services import register_clip
from syntonos.server.matching import borrowing, selectors
from syntonos.server.matching.models import ChartReading, Match
from syntonos.server.productions.services import create_light
from tests.simulated import DAY, background, camera_a, camera_b, shoot, shoot_charts
from tests.warm import MEDIA

CARD = "rows = 2\ncolumns = 5\nneutrals = [6, 7, 8, 9, 10]\n"


def angle(api, place, letter="B", light=None):
    return api("get", f"/lights/{(light or place.light).pk}/cameras/{place.cameras[letter].pk}")


def matches(place, letter="B", light=None):
    return f"/lights/{(light or place.light).pk}/cameras/{place.cameras[letter].pk}/matches"


def clip_of(place, letter, pattern, light, kind="chart"):
    name = place.cameras[letter].name
    files = sorted(
        p.relative_to(MEDIA).as_posix()
        for p in (MEDIA / "bellfounders" / name).glob(f"{letter}{pattern}*")
    )
    return register_clip(camera=place.cameras[letter], light=light, kind=kind, files=files)


@pytest.fixture
def night(place):
    return create_light(place.production, {"name": "Night"})


def test_a_layout_file_is_kept_with_the_production_and_read_with(api, place):
    path = f"/productions/{place.production.pk}/layouts"
    usual = api("get", path)
    assert usual[0]["slug"] == "chart-24"
    made = api("post", path, {"name": "Foundry card.toml", "text": CARD}, status=201)
    assert (made["slug"], made["greys"]) == ("foundry-card", [5, 6, 7, 8, 9])
    assert len(api("get", path)) == len(usual) + 1
    again = api("post", path, {"name": "foundry card.toml", "text": CARD}, status=409)
    assert again["code"] == "layout.taken"
    bad = api("post", path, {"name": "x.toml", "text": "rows = 99"}, status=422)
    assert bad["code"] == "layout.invalid"
    assert "rows is 99" in bad["detail"]

    clip = place.clips["A", "chart"].pk
    corners = [[60, 60], [300, 60], [300, 120], [60, 120]]
    body = {"corners": corners, "layout": "foundry-card", "frames": [0]}
    reading = api("post", f"/clips/{clip}/readings", body, status=201)
    assert len(reading["patches"]) == 10
    assert reading["layout"]["slug"] == "foundry-card"
    missing = api("post", f"/clips/{clip}/find", {"layout": "nowhere"}, status=422)
    assert missing["code"] == "layout.unknown"


def test_charts_of_two_kinds_do_not_meet_in_a_fit(api, place, read):
    read("A")
    clip = place.clips["B", "chart"].pk
    corners = [[60, 60], [300, 60], [300, 120], [60, 120]]
    api("post", f"/productions/{place.production.pk}/layouts", {"name": "card", "text": CARD},
        status=201)  # fmt: skip
    api("post", f"/clips/{clip}/readings",
        {"corners": corners, "layout": "card", "frames": [0]}, status=201)  # fmt: skip
    seen = angle(api, place)
    assert (seen["state"], seen["next_step"], seen["ramp"]) == ("not_measured", "read_chart", [])
    refused = api("post", matches(place), {}, status=422)
    assert refused["code"] == "fit.other_chart"


def test_corners_that_span_nothing_are_refused_in_words(api, place):
    path = f"/clips/{place.clips['A', 'chart'].pk}/readings"
    flat = api("post", path, {"corners": [[0, 0], [1, 1], [2, 2], [3, 3]]}, status=422)
    assert flat["code"] == "chart.corners"
    beside = [[900, 400], [1100, 400], [1100, 520], [900, 520]]
    assert api("post", path, {"corners": beside}, status=422)["code"] == "chart.outside"


def test_every_chart_in_a_frame_can_be_asked_for_and_the_best_frames_are_named(api, place):
    clip = place.clips["B", "chart"].pk
    found = api("post", f"/clips/{clip}/find", {"every": True})
    assert found["others"] == []
    read = api("post", f"/clips/{clip}/readings", {"corners": found["corners"]}, status=201)
    assert read["frames"] == [0, 1, 2, 3]
    assert read["notes"]["moved"] < 0.5
    assert read["notes"]["left_out_frames"] == []


def test_a_bracket_is_read_as_one_and_speaks_in_the_encoding_check(api, place, read):
    read("AB")
    first = angle(api, place)["angle"]["clip_readings"][0]["reading_id"]
    parts = [{"reading_id": first, "stops": 0}]
    for pattern, stops in (("001_03", 2), ("001_04", -2)):
        clip = clip_of(place, "B", pattern, place.light)
        found = api("post", f"/clips/{clip.pk}/find", {})
        row = api("post", f"/clips/{clip.pk}/readings", {"corners": found["corners"]}, status=201)
        parts.append({"reading_id": row["id"], "stops": stops})
    path = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    few = api("post", f"{path}/readings/merge", {"parts": [parts[0], parts[0]]}, status=422)
    assert few["code"] == "bracket.few"
    one = api("post", f"{path}/readings/merge", {"parts": parts}, status=201)
    told = one["notes"]["bracket"]
    assert [p["stops"] for p in told] == pytest.approx([0, 2, -2], abs=0.03)
    assert one["notes"]["is_straight"]
    assert angle(api, place)["angle"]["reading"]["id"] == one["id"]
    api("post", f"{path}/encoding-check", {}, 202)
    assert api("get", f"{path}/encoding-check")["check"]["verdict"] == "agrees"
    fit = api("post", matches(place), {}, status=201)
    assert fit["expected"] < 1.5
    # A curve from that bracket is kept as an encoding; taking it is another step.
    found = api("post", f"{path}/curve", status=201)
    assert found["error"] < 0.05
    assert found["stops"] == pytest.approx([2, -2], abs=0.15)
    assert angle(api, place)["angle"]["encoding"] == "s-log3/s-gamut3.cine"
    api("patch", f"/cameras/{place.cameras['B'].pk}", {"encoding": found["slug"]})
    assert angle(api, place)["match"]["slope"] == pytest.approx(1, abs=0.04)
    assert angle(api, place)["match"]["expected"] < fit["expected"] + 0.5
    # Taken for another encoding, each exposure is read again, and all of them as one.
    api("patch", f"/cameras/{place.cameras['B'].pk}", {"encoding": "v-log/v-gamut"})
    again = angle(api, place)["angle"]
    assert [p["stated"] for p in again["reading"]["notes"]["bracket"]] == [0, 2, -2]
    assert again["reading"]["encoding"] == "v-log/v-gamut"
    fresh = {row["reading_id"] for row in again["clip_readings"]}
    assert {p["reading"] for p in again["reading"]["notes"]["bracket"]} == fresh


def test_areas_take_part_are_kept_and_bad_ones_refused(api, place, read):
    read("AB")
    scene = {k: place.clips[k, "scene"].pk for k in "AB"}
    box = {"x": 0.3, "y": 0.36, "width": 0.05, "height": 0.05}
    brick = {
        "reference": {"clip_id": scene["A"], **box}, "angle": {"clip_id": scene["B"], **box},
        "weight": 1.0,
    }  # fmt: skip
    fit = api("post", matches(place), {"areas": [brick]}, status=201)
    assert fit["areas"] == [brick]
    assert len(fit["area_misses"]) == 1
    brick["angle"]["width"] = brick["angle"]["height"] = 0.001
    tiny = api("post", matches(place), {"areas": [brick], "base_number": 1}, status=422)
    assert (tiny["code"], "larger" in tiny["hint"]) == ("fit.area", True)
    brick["angle"]["clip_id"] = scene["A"]
    assert api("post", matches(place), {"areas": [brick], "base_number": 1}, status=422)[
        "code"
    ] == ("fit.area")


def test_published_values_and_tables_can_be_the_target(api, place, read):
    read("B")
    own = api("post", matches(place), {}, status=422)
    assert own["code"] == "fit.no_reading"
    fit = api("post", matches(place), {"values": "published"}, status=201)
    assert fit["target"] == "published values"
    rows = "\n".join(",".join(f"{v:.5f}" for v in row) for row in reference_lin())
    table = {"values": f"r,g,b\n{rows}\n", "values_name": "card.csv", "base_number": 1}
    same = api("post", matches(place), table, status=201)
    assert same["target"] == "card.csv"
    assert np.allclose(same["matrix"], fit["matrix"], atol=1e-3)
    assert same["residuals"][0]["name"] == CHART_24.names[0]
    kept = api("post", matches(place), {"values": "kept", "values_name": "card.csv",
                                        "base_number": 2}, status=201)  # fmt: skip
    assert (kept["target"], kept["matrix"]) == ("card.csv", same["matrix"])
    short = api("post", matches(place), {"values": "r,g,b\n1,1,1\n", "base_number": 3}, status=422)
    assert short["code"] == "table.patches"
    # A reading of the reference does not make a match to values old.
    read("A")
    assert angle(api, place)["state"] != "stale"


def test_a_light_without_a_chart_takes_what_lies_between_two_others(
    api, place, read, night, monkeypatch
):
    read("AB")
    api("post", matches(place), {}, status=201)
    hall, dusk = (create_light(place.production, {"name": name}) for name in ("Hall", "Dusk"))
    first = Match.objects.get()
    other = Match.objects.create(
        light=dusk, camera=first.camera, reference=first.reference, number=1, is_current=True,
        reference_reading=first.reference_reading, angle_reading=first.angle_reading,
        chain=first.chain | {"stages": [
            s | {"stops": s["stops"] + 1} if s["kind"] == "match" else s
            for s in first.chain["stages"]
        ]}, evidence=first.evidence,
    )  # fmt: skip
    at = {place.light.pk: 0.0, hall.pk: 0.25, dusk.pk: 1.0}
    monkeypatch.setattr(borrowing, "_white", lambda _, light, __: np.array([at[light.pk], 0]))
    path = f"/lights/{hall.pk}/cameras/{place.cameras['B'].pk}"
    listed = api("get", f"{path}/neighbours")
    (between,) = (n for n in listed if n["kind"] == "between")
    assert between["why"] == "25% of the way from Foundry to Dusk, by white"
    body = {"light_id": None, "kind": "between"}
    made = api("post", f"{path}/matches/borrow", body, status=201)
    stops = [selectors.stage_of(row).stops for row in (first, other)]
    assert made["stops"] == pytest.approx(0.75 * stops[0] + 0.25 * stops[1])
    assert made["borrowed"]["source"] == "two lights"


def test_a_light_without_a_chart_borrows_until_it_has_one(api, place, read, night):
    read("AB")
    path = f"/lights/{night.pk}/cameras/{place.cameras['B'].pk}"
    assert api("get", f"{path}/neighbours") == []
    none = api("post", f"{path}/matches/borrow", {"light_id": place.light.pk}, status=422)
    assert none["code"] == "fit.no_neighbours"
    api("post", matches(place), {}, status=201)
    listed = api("get", f"{path}/neighbours")
    assert [n["light_name"] for n in listed] == ["Foundry"]
    clip_of(place, "B", "002_02", night, "scene")
    made = api("post", f"{path}/matches/borrow", {"light_id": place.light.pk}, status=201)
    assert made["borrowed"]["source"] == "Foundry"
    board = api("get", f"/productions/{place.production.pk}/board")
    own = (night.pk, place.cameras["B"].pk)
    cell = next(c for c in board["cells"] if (c["light_id"], c["camera_id"]) == own)
    assert (cell["state"], cell["next_step"]) == ("borrowed", "bring_chart")
    # Its LUT can be taken away; nothing is claimed of what it adds to an error nobody knows.
    lut = api("post", f"{path}/exports", {"target": "reference", "size": 17}, status=201)
    assert lut["read_back"]["cost"] is None
    # A chart of the reference alone is not enough for a match of its own.
    clip = clip_of(place, "A", "002_01", night)
    found = api("post", f"/clips/{clip.pk}/find", {})
    api("post", f"/clips/{clip.pk}/readings", {"corners": found["corners"]}, status=201)
    assert angle(api, place, light=night)["state"] == "borrowed"
    # What is borrowed is no source for others.
    back = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}/neighbours"
    assert api("get", back) == []


def test_other_lights_steady_a_fit_when_asked(api, place, read, night):
    read("AC")
    for letter in "AC":
        clip = clip_of(place, letter, "002_01", night)
        found = api("post", f"/clips/{clip.pk}/find", {})
        api("post", f"/clips/{clip.pk}/readings", {"corners": found["corners"]}, status=201)
    assert angle(api, place, "C")["other_lights"] == 1
    greys = {"leave_out": list(range(1, 19))}
    alone = api("post", matches(place, "C"), greys, status=201)
    pooled = api("post", matches(place, "C"), greys | {"pool": True, "base_number": 1}, status=201)
    assert (alone["model"], pooled["model"]) == ("white", "averaged")
    assert pooled["pool"]


def test_an_explanation_is_shown_as_a_picture(api, place, read):
    read("AB")
    path = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}/encoding-check/picture"
    right, wrong = (
        api("get", f"{path}?encoding={slug}&levels=full&width=200").content
        for slug in ("s-log3/s-gamut3.cine", "v-log/v-gamut")
    )
    assert right[:2] == wrong[:2] == b"\xff\xd8"
    assert right != wrong


def test_the_other_charts_of_a_frame_are_read_with_the_first_and_steady_its_fit(
    api, place, settings, tmp_path
):
    """Two noisy frames, in which a second chart stands at another exposure."""
    settings.MEDIA_ROOTS = {"media": tmp_path}
    light = create_light(place.production, {"name": "Twin"})
    bodies = {}
    for letter, camera in (("A", camera_a(noise=0.06)), ("B", camera_b(noise=0.06))):
        frames, quads = shoot_charts(camera, (DAY, 0.6 * DAY))
        files = [f"{letter}_0001.tif", f"{letter}_0002.tif"]
        for file, frame in zip(files, frames, strict=True):
            write_frame(tmp_path / file, frame)
        clip = register_clip(camera=place.cameras[letter], light=light, kind="chart", files=files)
        change = {"encoding": camera.encoding, "levels": "full"}
        api("patch", f"/cameras/{place.cameras[letter].pk}", change)
        bodies[clip.pk] = {"corners": quads[0].tolist(), "others": [quads[1].tolist()]}
    for clip, body in bodies.items():
        astray = {**body, "others": [[[x, y - 120] for x, y in body["others"][0]]]}
        wrong = api("post", f"/clips/{clip}/readings", astray, status=422)
        assert (wrong["code"], "Read the first one alone" in wrong["hint"]) == ("chart.moved", True)
        row = api("post", f"/clips/{clip}/readings", body, status=201)
        assert len(row["notes"]["beside"]) == 1
    together = api("post", matches(place, light=light), {}, status=201)
    # One of the two frames read alone: nothing is paired that is not there twice.
    alone = {**body, "others": []}
    assert api("post", f"/clips/{clip}/readings", alone, status=201)["notes"]["beside"] == []
    single = api("post", matches(place, light=light), {"base_number": 1}, status=201)
    assert together["expected"] < single["expected"]
    assert together["residuals"] != single["residuals"]
    assert not any("take no part" in w for w in together["warnings"])
    assert any("take no part" in w for w in single["warnings"])
    # The shaded chart named first in the angle: it is put in the reference's order.
    swapped = {"corners": body["others"][0], "others": [body["corners"]]}
    row = api("post", f"/clips/{clip}/readings", swapped, status=201)
    np.testing.assert_allclose(row["corners"], body["corners"], atol=1)
    np.testing.assert_allclose(row["notes"]["beside"], body["others"], atol=1)
    ordered = api("post", matches(place, light=light), {"base_number": 2}, status=201)
    assert ordered["expected"] == pytest.approx(together["expected"], rel=1e-6)
    # In the reference it stays as it was asked for: what no longer fits is said.
    first = next(iter(bodies))
    turned = {"corners": bodies[first]["others"][0], "others": [bodies[first]["corners"]]}
    api("post", f"/clips/{first}/readings", turned, status=201)
    crossed = api("post", matches(place, light=light), {"base_number": 3}, status=201)
    assert any("Read the same chart first" in w for w in crossed["warnings"])
    assert not any("Read the same chart first" in w for w in together["warnings"])


def test_where_the_sensor_clips_is_taken_from_its_scenes_where_the_chart_shows_none(
    api, place, settings, tmp_path
):
    settings.MEDIA_ROOTS = {"media": tmp_path}
    light = create_light(place.production, {"name": "Sky"})
    for letter, camera in (("A", camera_a()), ("B", camera_b(clip=7.0))):
        api("patch", f"/cameras/{place.cameras[letter].pk}",
            {"encoding": camera.encoding, "levels": "full"})  # fmt: skip
        shot = shoot(camera)
        write_frame(tmp_path / f"{letter}.tif", shot.frames[0])
        clip = register_clip(camera=place.cameras[letter], light=light, kind="chart",
                             files=[f"{letter}.tif"])  # fmt: skip
        body = {"corners": shot.corners.tolist()}
        assert api("post", f"/clips/{clip.pk}/readings", body, status=201)
        picture = background()
        picture[20:160, 500:900] = (30, 34, 40)
        write_frame(tmp_path / f"{letter}-sky.tif",
                    camera.record(picture, np.random.default_rng(1)))  # fmt: skip
    assert api("post", matches(place, light=light), {}, status=201)["number"] == 1
    assert stage_of_match(api, place, light)["clip"] is None
    sky = register_clip(camera=place.cameras["B"], light=light, kind="scene",
                        files=["B-sky.tif"])  # fmt: skip
    chart = ChartReading.objects.filter(clip__camera=place.cameras["B"]).latest("pk").clip
    chart.facts = {"exposure_index": "800"}
    chart.save()
    # One that is taken otherwise, or was shot with another index, says nothing of the sensor.
    for facts, found in (({"exposure_index": "3200"}, None), ({"exposure_index": "800"}, 7.0)):
        sky.facts = facts
        sky.save()
        number = angle(api, place, light=light)["match"]["number"]
        api("post", matches(place, light=light), {"base_number": number}, status=201)
        clip = stage_of_match(api, place, light)["clip"]
        assert clip is None if found is None else clip == pytest.approx(found, rel=0.05)


def stage_of_match(api, place, light):
    clip = angle(api, place, light=light)["angle"]["clips"][0]["id"]
    chain = api("get", f"/clips/{clip}/chain")
    return next(stage for stage in chain["stages"] if stage["kind"] == "match")
