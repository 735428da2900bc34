"""Matches where nobody shot a chart: a job, a revision like any other, and what it stands on."""

import json

import cv2
import numpy as np
import pytest

from syntonos.core.chain import (
    Chain,
    Decode,
    EncodingOutput,
    bake_lut,
    compile_chain,
    compose,
    run,
)
from syntonos.core.chain.stages.match import through_match
from syntonos.core.errors import FitError
from syntonos.core.formats import read_cube
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.media import RecordingReader
from syntonos.server.matching import evidence, from_scene
from syntonos.server.matching.chains import parts_of_camera
from syntonos.server.matching.models import Match
from syntonos.server.matching.selectors import stage_of
from syntonos.server.matching.services import request_of
from tests.warm import MEDIA

ME = {"Syntonos-Author": "me"}


@pytest.fixture
def path(place):
    return f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"


def ask(place, **more):
    return {"clip_id": place.clips["B", "scene"].pk,
            "reference_clip_id": place.clips["A", "scene"].pk, **more}  # fmt: skip


def cell(api, place, letter="B"):
    rows = api("get", f"/productions/{place.production.pk}/board")["cells"]
    return next(c for c in rows if c["camera_id"] == place.cameras[letter].pk)


def test_a_match_from_the_picture_is_a_revision_like_any_other(api, place, path, read):
    assert cell(api, place)["state"] == "not_measured"
    job = api("post", f"{path}/matches/from-scene", ask(place), status=202, **ME)
    assert api("get", f"/productions/{place.production.pk}/jobs")[0]["state"] == "done", job
    angle = api("get", path)
    match = angle["match"]
    assert (match["number"], match["scene"]["names"]) == (1, ["A001_02", "B001_02"])
    assert match["scene"]["places"] > 100
    assert match["after"] < 0.5 * match["white_only"] < match["before"]
    assert angle["state"] in ("in_tune", "close", "off")
    # What leaves is made of it.
    taken = api("post", f"{path}/exports", {"target": "rec709", "size": 17}, status=201)
    data = b"".join(api.client.get(f"/api/exports/{taken['id']}/file").streaming_content)
    chain = compose(parts_of_camera(place.cameras["B"], place.light))
    np.testing.assert_allclose(read_cube(data).table, bake_lut(chain, 17), atol=2e-6)
    assert chain.match is not None
    # The menu's values are worked out on a chart; other lights cannot borrow it.
    assert api("get", f"{path}/menu", status=422)["code"] == "menu.no_chart"
    # A second one on a stale base is refused by its job, and nothing changes.
    api("post", f"{path}/matches/from-scene", ask(place), status=202, **ME)
    stale = api("get", f"/productions/{place.production.pk}/jobs")[0]
    assert (stale["state"], stale["problem"]["code"]) == ("failed", "revision.stale_base")
    api("post", f"{path}/matches/from-scene", ask(place, base_number=1), status=202, **ME)
    again = api("post", f"/matches/{match['id']}/restore", {"base_number": 2}, status=201, **ME)
    assert (again["number"], again["restored_from"]) == (3, 1)
    # Taken as something else than it was matched as: off, and it says so.
    clip = place.clips["B", "scene"]
    values = {"ids": [clip.pk], "values": {"levels": "legal"}}
    api("post", f"/productions/{place.production.pk}/clips/settings", values, **ME)
    behind = cell(api, place)
    assert (behind["state"], behind["next_step"]) == ("stale", "fit_again")
    assert "the scene was matched as" in behind["reason"]
    api("post", f"/productions/{place.production.pk}/undo", **ME)
    # Once both charts are read they are better: fit to them.
    read("AB")
    assert (cell(api, place)["state"], cell(api, place)["next_step"]) == ("stale", "fit_again")
    fitted = api("post", f"{path}/matches", {"base_number": 3}, status=201)
    assert fitted["scene"] is None
    assert abs(fitted["stops"] - match["stops"]) < 0.15


def test_another_scene_is_refused_by_the_job_and_nothing_is_kept(api, place, path, monkeypatch):
    def refuse(*_, **__):
        raise FitError("The two pictures do not show the same scene.", hint="Choose others.",
                       code="places.scene")  # fmt: skip

    monkeypatch.setattr(from_scene, "places_of", refuse)
    api("post", f"{path}/matches/from-scene", ask(place), status=202, **ME)
    job = api("get", f"/productions/{place.production.pk}/jobs")[0]
    assert (job["state"], job["problem"]["code"]) == ("failed", "places.scene")
    assert Match.objects.count() == 0
    foreign = ask(place) | {"reference_clip_id": place.clips["C", "scene"].pk}
    api("post", f"{path}/matches/from-scene", foreign, status=404)
    reference = path.rpartition("/")[0] + f"/{place.cameras['A'].pk}"
    itself = ask(place) | {"clip_id": place.clips["A", "chart"].pk}
    refused = api("post", f"{reference}/matches/from-scene", itself, status=422)
    assert refused["code"] == "fit.reference"


def light_at(place, letter, spots):
    """Scene-linear AP1 of a camera's first scene frame about spots in shares, by the core."""
    clip = place.clips[letter, "scene"]
    reader = RecordingReader([MEDIA / f for f in clip.files])
    code = reader.read(0)
    reader.close()
    chain = Chain(Decode(clip.encoding, clip.levels), EncodingOutput("linear/ap1"))
    lin = cv2.blur(run(compile_chain(chain), code), (5, 5))
    h, w = lin.shape[:2]
    x, y = ((np.array(spots) * [w, h]).astype(int)).T
    return lin[y, x].astype(float)


def run_scene(api, place, path, **body):
    api("post", f"{path}/matches/from-scene", ask(place, **body), status=202, **ME)
    job = api("get", f"/productions/{place.production.pk}/jobs")[0]
    return job, api("get", path)["match"]


def test_places_are_shown_and_can_be_taken_out(api, place, path):
    _, first = run_scene(api, place, path)
    spots = api("get", f"/matches/{first['id']}/spots")
    assert sum(s["count"] for s in spots) == first["scene"]["places"]
    # What they say is the same in both pictures, after the match: apart by what it says it misses.
    clear = [s for s in spots if s["used"] > 0.9 and s["count"] > 20]
    want, got = (light_at(place, side[0], [s[side[1]] for s in clear])
                 for side in (("A", "reference"), ("B", "angle")))  # fmt: skip
    stage = stage_of(Match.objects.get(pk=first["id"]))
    after = scene_delta_e(through_match(stage, got), want, np.ones(3))
    assert np.median(after) < 0.6 * np.median(scene_delta_e(got, want, np.ones(3)))
    assert np.median(after) < 3 * np.median([s["miss"] for s in clear]) + 0.5
    out = [s["box"] for s in sorted(spots, key=lambda s: s["reference"][0])[: len(spots) // 3]]
    _, again = run_scene(api, place, path, left_out=out, base_number=1)
    assert (again["number"], len(again["scene"]["left_out"])) == (2, len(out))
    by_hand = [s["box"] for s in api("get", f"/matches/{again['id']}/spots") if s["by_hand"]]
    assert sorted(by_hand) == sorted(out)
    assert again["matrix"] != first["matrix"]
    assert api("get", path)["angle"]["reading"] is None


def test_probes_and_statistics_match_too_and_say_what_they_are_worth(api, place, path):
    job, match = run_scene(api, place, path, by="areas")
    assert (job["problem"]["code"], match) == ("areas.none", None)
    _, found = run_scene(api, place, path)
    spots = sorted(api("get", f"/matches/{found['id']}/spots"), key=lambda s: -s["count"])
    for spot in spots[:40:5]:
        both = [{"clip_id": place.clips[letter, "scene"].pk, "x": x, "y": y, "size": 0.03}
                for letter, (x, y) in (("A", spot["reference"]), ("B", spot["angle"]))]  # fmt: skip
        api("post", f"/lights/{place.light.pk}/probes", {"places": both}, status=201, **ME)
    _, areas = run_scene(api, place, path, by="areas", base_number=1)
    assert (areas["kind"], areas["scene"]["probes"]) == ("areas", 8)
    assert abs(areas["stops"] - found["stops"]) < 0.2
    _, rough = run_scene(api, place, path, by="statistics", mix=0.5, base_number=2)
    assert rough["kind"] == "statistics"
    assert "An estimate only" in rough["warnings"][0]
    # Each way is expected to miss more than the one before it.
    assert found["expected"] < areas["expected"] < rough["expected"]
    assert found["expected_low"] < found["expected"] < found["expected_high"]
    words = [
        e["words"] for e in api("get", f"/productions/{place.production.pk}/history")["changes"]
    ]
    assert any("match 2 from probes" in w for w in words), words
    assert cell(api, place)["match_kind"] == "statistics"


@pytest.fixture
def one_moment(monkeypatch):
    """One pair of frames of each two clips: that three are put together is another test's."""
    monkeypatch.setattr(from_scene, "_PAIRS", 1)


@pytest.mark.usefixtures("one_moment")
def test_all_angles_of_a_light_are_matched_from_the_picture_where_there_is_no_chart(api, place):
    for letter in "AB":
        place.clips[letter, "chart"].is_put_away = True
        place.clips[letter, "chart"].save()
    api("post", f"/lights/{place.light.pk}/match", {}, status=202, **ME)
    job = api("get", f"/productions/{place.production.pk}/jobs")[0]
    came = {o["camera"][0]: o for o in job["result"]["angles"]}
    assert came["B"]["outcome"] == "from_picture"
    assert "no chart clip of" in came["B"]["text"]
    assert came["B"]["text"].startswith("from the picture: ")
    assert cell(api, place)["match_kind"] == "picture"
    # A second time it holds; taking the reference as something else makes it stale.
    api("post", f"/lights/{place.light.pk}/match", {}, status=202, **ME)
    again = api("get", f"/productions/{place.production.pk}/jobs")[0]["result"]["angles"]
    assert {o["outcome"] for o in again if o["camera"][0] == "B"} == {"kept"}
    values = {"ids": [place.clips["A", "scene"].pk], "values": {"levels": "legal"}}
    api("post", f"/productions/{place.production.pk}/clips/settings", values, **ME)
    assert cell(api, place)["state"] == "stale"
    # Pressed again it is matched anew, and the cell stands right.
    api("post", f"/lights/{place.light.pk}/match", {}, status=202, **ME)
    anew = api("get", f"/productions/{place.production.pk}/jobs")[0]["result"]["angles"]
    assert [o["outcome"] for o in anew if o["camera"][0] == "B"] == ["from_picture"]
    assert cell(api, place)["state"] != "stale"


def test_areas_limit_what_counts_of_a_picture(api, place, path, monkeypatch):
    monkeypatch.setattr(from_scene, "_PAIRS", 1)
    _, whole = run_scene(api, place, path)
    # The right half of the reference's picture, whatever lies there in the angle's.
    half = [[[0.5, 0, 0.5, 1], [0, 0, 1, 1]]]
    _, within = run_scene(api, place, path, areas=half, use="within", base_number=1)
    spots = api("get", f"/matches/{within['id']}/spots")
    assert {spot["reference"][0] >= 0.5 for spot in spots} == {True}
    other = [[[0.5, 0, 0.5, 1], [0, 0, 0, 0]]]
    _, without = run_scene(api, place, path, areas=other, use="without", base_number=2)
    assert within["scene"]["places"] + without["scene"]["places"] == whole["scene"]["places"]
    assert without["scene"]["area_use"] == "without"
    _, estimate = run_scene(api, place, path, by="statistics", base_number=3)
    _, limited = run_scene(api, place, path, by="statistics", areas=half, base_number=4)
    assert limited["kind"] == "statistics"
    assert limited["matrix"] != estimate["matrix"]
    body = ask(place, by="areas", areas=half, use="within", base_number=5)
    refused = api("post", f"{path}/matches/from-scene", body, status=422, **ME)
    assert "do not say what is the same" in refused["detail"]


@pytest.mark.parametrize(("old", "kind"), [
    ({"match": {}, "model": "averaged"}, "chart"),
    ({"match": {}, "target": {"name": "published values"}}, "values"),
    ({"match": {}, "borrowed": {"kind": "nearest"}, "target": {}}, "borrowed"),
    ({"match": {}, "picture": {"places": 3}}, "picture"),
])  # fmt: skip
def test_evidence_of_older_versions_is_read(old, kind):
    new = evidence.read(old)
    assert (new["version"], new["kind"], "match" in new) == (2, kind, False)
    assert new.get("scene") == old.get("picture")
    assert evidence.read(new) == new


def test_scenes_agree_with_a_match_from_charts_or_speak_against_it(api, place, path, read):
    read("AB")
    fitted = api("post", f"{path}/matches", {"base_number": 0}, status=201, **ME)
    scenes = {k: v for k, v in ask(place).items() if k.endswith("clip_id")}
    api("post", f"/matches/{fitted['id']}/check-scene", scenes, status=202, **ME)
    checked = api("get", path)["match"]["scene_check"]
    assert (checked["agrees"], len(checked["moments"])) == (True, 3)
    assert "speaks against" not in cell(api, place)["reason"]
    # Had a filter gone on after the chart: the same match, half a stop too bright for the scene.
    row = Match.objects.get(pk=fitted["id"])
    chain = json.loads(json.dumps(row.chain))
    stage = next(s for s in chain["stages"] if s["kind"] == "match")
    stage["stops"] += 0.5
    Match.objects.filter(pk=row.pk).update(chain=chain)
    api("post", f"/matches/{fitted['id']}/check-scene", scenes, status=202, **ME)
    against = api("get", path)["match"]["scene_check"]
    middle = sorted(m["exposure"] for m in against["moments"])[1]
    assert (against["agrees"], middle) == (False, pytest.approx(0.5, abs=0.1))
    assert "speaks against the chart" in cell(api, place)["reason"]
    assert cell(api, place)["state"] != "in_tune"
    refused = api("post", f"{path}/matches", {"base_number": 1, "with_scene": True}, status=422)
    assert refused["code"] == "fit.scene_against"
    # The tuner then reads what is on screen: half a stop, where the chart would say all is well.
    looked = {"clip_id": scenes["clip_id"], "reference_clip_id": scenes["reference_clip_id"]}
    measured = api("post", f"{path}/trim/measure", looked)
    assert (measured["source"], measured["sources"][1]) == ("scene", "chart")
    assert measured["tuner"]["exposure"] == pytest.approx(0.5, abs=0.1)
    # A match from the scene is no witness of itself: only the drift is told, and there is none.
    _, own = run_scene(api, place, path, base_number=1)
    api("post", f"/matches/{own['id']}/check-scene", scenes, status=202, **ME)
    followed = api("get", path)["match"]["scene_check"]
    assert followed["words"] == "The two do not drift apart within the clip."
    assert max(abs(p["exposure"]) for p in followed["drift"]) < 0.1
    assert len(followed["drift"]) > 5


def test_a_fit_is_compared_with_the_scene_without_being_asked(
    api, place, path, read, settings, monkeypatch
):
    settings.COMPARES_UNASKED = True
    read("AB")
    api("post", f"{path}/matches", {"base_number": 0}, status=201, **ME)
    made = api("get", path)["match"]
    assert (made["scene_check"]["agrees"], made["scene_check"]["can_steady"]) == (True, True)
    # What agrees can steady the fit, and stays with it until it is taken off again.
    steadied = api("post", f"{path}/matches", {"base_number": 1, "with_scene": True}, status=201)
    assert steadied["kind"] == "chart"
    assert steadied["steadied"]["names"] == ["A001_02", "B001_02"]
    assert steadied["steadied"]["count"] > 20
    assert steadied["matrix"] != made["matrix"]
    clip = place.clips["A", "scene"]
    values = {"ids": [clip.pk], "values": {"levels": "legal"}}
    api("post", f"/productions/{place.production.pk}/clips/settings", values, **ME)
    assert cell(api, place)["state"] == "stale"
    assert api("get", path)["match"]["scene_check"]["is_old"]
    api("post", f"/productions/{place.production.pk}/undo", **ME)
    assert cell(api, place)["state"] != "stale"
    assert request_of(Match.objects.get(pk=steadied["id"]), base_number=2).with_scene
    api("post", f"/matches/{made['id']}/restore", {"base_number": 2}, status=201, **ME)
    refused = api("post", f"{path}/matches", {"base_number": 3, "with_scene": True}, status=422)
    assert refused["code"] == "fit.no_scene"
    # A match to values is not to look as the reference's scene does.
    body = {"values": "published", "base_number": 3}
    values = api("post", f"{path}/matches", body, status=201, **ME)
    assert api("get", path)["match"]["scene_check"] is None
    scenes = {k: v for k, v in ask(place).items() if k.endswith("clip_id")}
    refused = api("post", f"/matches/{values['id']}/check-scene", scenes, status=422, **ME)
    assert refused["code"] == "check.values"
    # Where the scenes show different things nothing is said.

    def refuse(*_, **__):
        raise FitError("The two pictures do not show the same scene.", hint="Choose others.",
                       code="places.scene")  # fmt: skip

    monkeypatch.setattr(from_scene, "places_of", refuse)
    api("post", f"{path}/matches", {"base_number": 4, "model": "white"}, status=201, **ME)
    assert api("get", path)["match"]["scene_check"] is None
    assert api("get", f"/productions/{place.production.pk}/jobs")[0]["state"] == "done"
