"""Trims over the API: kept on a base, added by clips, measured, carried over, copied, undone."""

import io
import zipfile
from importlib import import_module

import numpy as np
import pytest
from django.apps import apps

from syntonos.core.chain import (
    Trim,
    bake_lut,
    compile_chain,
    compose,
    read_cdl,
    read_trim,
    run,
)
from syntonos.core.chain.white import white_shift
from syntonos.core.formats import read_cube
from syntonos.server.footage.models import Clip
from syntonos.server.looks.models import Balance
from syntonos.server.matching.chains import chain_of, parts_of_camera
from syntonos.server.matching.models import Trim as Row


@pytest.fixture
def angle(api, place, read):
    """B with its chart read and fitted; returns the path of its trim."""
    read("AB")
    path = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    api("post", f"{path}/matches", {"base_number": 0}, status=201)
    return path


def stage(**changes):
    return {"kind": "trim", **changes}


def file_of(api, taken):
    return b"".join(api.client.get(f"/api/exports/{taken['id']}/file").streaming_content)


def ask(place, **more):
    return {"clip_id": place.clips["B", "scene"].pk,
            "reference_clip_id": place.clips["A", "scene"].pk, **more}  # fmt: skip


def test_a_trim_is_kept_on_a_base_and_what_a_clip_adds_is_added(api, place, angle):
    made = api("post", f"{angle}/trim", {"stage": stage(stops=-0.1, warmth=8)}, status=201)
    assert (made["number"], made["stage"]["stops"], made["is_over_other"]) == (1, -0.1, False)
    stale = api("post", f"{angle}/trim", {"stage": stage(stops=1)}, status=409)
    assert stale["code"] == "revision.stale_base"
    clip = place.clips["B", "scene"]
    api("post", f"{angle}/trim", {"stage": stage(stops=0.05), "clip_id": clip.pk}, status=201)
    assert chain_of(clip).trim == Trim(stops=-0.05, warmth=8)
    # What all clips have is the light's alone, and it is in what is taken away.
    usual = compose(parts_of_camera(place.cameras["B"], place.light))
    assert usual.trim == Trim(stops=-0.1, warmth=8)
    taken = api("post", f"{angle}/exports", {"target": "rec709", "size": 17}, status=201)
    data = file_of(api, taken)
    np.testing.assert_allclose(read_cube(data).table, bake_lut(usual, 17), atol=2e-6)
    words = [
        c["words"] for c in api("get", f"/productions/{place.production.pk}/history")["changes"]
    ]
    assert any("exposure -0.10 stop, warmth +8 mired" in text for text in words)


def test_a_sum_beyond_the_range_is_refused_when_it_is_kept_and_a_stored_one_is_made_less(
    api, place, angle
):
    clip = place.clips["B", "scene"]
    api("post", f"{angle}/trim", {"stage": stage(stops=8)}, status=201)
    more = {"stage": stage(stops=5), "clip_id": clip.pk}
    refused = api("post", f"{angle}/trim", more, status=422)
    assert refused["code"] == "trim.sum"
    for word in ("B in Foundry", clip.name, "8", "5", "13"):
        assert word in refused["detail"]
    api("post", f"{angle}/trim", {**more, "stage": stage(stops=2)}, status=201)
    # From the other side too: what the light's trim would come to with a clip's own.
    refused = api("post", f"{angle}/trim", {"stage": stage(stops=9), "base_number": 1}, status=422)
    assert (refused["code"], clip.name in refused["detail"]) == ("trim.sum", True)
    assert api("get", f"{angle}/trim?clip_id={clip.pk}")["beyond"] == []
    # Kept by an earlier version it is there: shown, pinned, and only less may be kept.
    Row.objects.filter(clip=clip, is_current=True).update(stage=stage(stops=5))
    assert chain_of(clip).trim == Trim(stops=13)
    (said,) = api("get", f"{angle}/trim?clip_id={clip.pk}")["beyond"]
    assert "stops is 13" in said
    pin = {"clip_id": clip.pk, "frame": 0}
    made = api("post", f"/productions/{place.production.pk}/pins", pin, status=201)
    assert api("get", f"/pins/{made['id']}/picture").status_code == 200
    api("post", f"{angle}/trim", {**more, "stage": stage(stops=6), "base_number": 1}, status=422)
    api("post", f"{angle}/trim", {**more, "stage": stage(stops=4), "base_number": 1}, status=201)
    alone = api("post", f"{angle}/trim", {"stage": stage(tint=41), "base_number": 1}, status=422)
    assert (alone["code"], "-40 to 40" in alone["hint"]) == ("trim.range", True)


def test_rows_of_an_earlier_version_keep_their_white(place, angle, api):
    lift = import_module("syntonos.server.matching.migrations.0010_one_scale_of_white").lift
    balances = import_module("syntonos.server.looks.migrations.0005_one_scale_of_white").lift
    camera = place.cameras["B"]
    api("post", f"{angle}/trim", {"stage": stage(stops=0.5)}, status=201)
    Row.objects.filter(camera=camera).update(stage=stage(stops=0.5, warmth=-100))
    # Before version 7 a grey of -100 mired stood at -116 on the locus, with 3.4 of tint.
    gains = (np.array(white_shift(30, 4)) @ np.ones(3)).tolist()
    Balance.objects.create(light=place.light, number=1, is_current=True,
                           dials={"stops": 0, "warmth": 20, "tint": 0},
                           stage={"kind": "balance", "gains": gains})  # fmt: skip
    lift(apps, None)
    balances(apps, None)
    kept = Row.objects.get(camera=camera).stage
    assert (kept["stops"], kept["warmth"], kept["tint"]) == pytest.approx((0.5, -116, 3.4), abs=0.5)
    row = Balance.objects.get(light=place.light)
    assert row.dials == pytest.approx({"stops": 0, "warmth": 30, "tint": 4}, abs=0.05)
    assert row.stage["gains"] == gains


def test_what_has_to_be_turned_takes_all_of_it_off_in_one_go(api, place, angle):
    # 60 mired and some tint off: the trim that is said leaves nothing, exposure neither.
    off = stage(warmth=-60, tint=9, stops=0.3)
    first = api("post", f"{angle}/trim/measure", ask(place, trim=off, source="chart"))
    at, turn = read_trim(off), first["turn"]
    again = stage(stops=at.stops + turn["exposure"], warmth=at.warmth + turn["warmth"],
                  tint=at.tint + turn["tint"])  # fmt: skip
    second = api("post", f"{angle}/trim/measure", ask(place, trim=again, source="chart"))["tuner"]
    assert abs(first["tuner"]["warmth"] + 60) < 6
    assert abs(second["exposure"]) < 0.01
    assert abs(second["warmth"]) < 0.5
    assert abs(second["tint"]) < 0.1


def test_a_unit_correction_is_of_angles_and_never_of_the_reference(api, place):
    for letter, stops in (("A", 0.0), ("B", 1.0)):
        api("patch", f"/cameras/{place.cameras[letter].pk}", {"unit_stops": 1.0})
        clip = Clip.objects.select_related("camera__production").get(
            pk=place.clips[letter, "scene"].pk
        )
        assert chain_of(clip).input.unit == pytest.approx((2.0**stops,) * 3)


def test_one_step_takes_it_back(api, place, angle):
    me = {"Syntonos-Author": "me"}
    api("post", f"{angle}/trim", {"stage": stage(contrast=1.1)}, status=201, **me)
    again = {"stage": stage(contrast=1.2), "base_number": 1}
    api("post", f"{angle}/trim", again, status=201, **me)
    production = place.production.pk
    api("post", f"/productions/{production}/undo", **me)
    assert api("get", f"{angle}/trim")["light"]["number"] == 1
    api("post", f"/productions/{production}/redo", **me)
    assert api("get", f"{angle}/trim")["light"]["stage"]["contrast"] == 1.2


def test_the_tuner_measures_after_the_trim_and_names_its_source(api, place, angle):
    before = api("post", f"{angle}/trim/measure", ask(place))
    assert (before["source"], "same light" in before["words"]) == ("chart", True)
    moved = api("post", f"{angle}/trim/measure",
                ask(place, trim=stage(stops=0.3, warmth=20, tint=2)))  # fmt: skip
    for name, by, within in (("exposure", 0.3, 0.01), ("warmth", 20, 1.5), ("tint", 2, 0.3)):
        change = moved["tuner"][name] - before["tuner"][name]
        assert change == pytest.approx(by, abs=within), name
    picture = api("post", f"{angle}/trim/measure", ask(place, source="picture"))
    assert "estimate" in picture["words"]
    assert abs(picture["tuner"]["exposure"]) < 0.6
    # The Board and the angle say the same as is measured.
    api("post", f"{angle}/trim", {"stage": stage(stops=0.3)}, status=201)
    assert api("get", angle)["tuner"]["exposure"] == pytest.approx(
        before["tuner"]["exposure"] + 0.3, abs=0.01
    )


def test_a_trim_over_a_match_that_was_replaced_is_marked_and_carried_over(api, place, angle):
    # A match that leaves white and exposure alone wrong on purpose: the trim puts it right.
    api("post", f"{angle}/trim", {"stage": stage(stops=0.25, contrast=1.05)}, status=201)
    match = {"base_number": 1, "model": "white"}
    api("post", f"{angle}/matches", match, status=201)
    now = api("get", f"{angle}/trim")
    assert (now["light"]["is_over_other"], now["light"]["match_number"], now["match_number"]) == (
        True, 1, 2
    )  # fmt: skip
    left = api("post", f"{angle}/trim/carry", {"choice": "left", "base_number": 1}, status=201)
    assert (left["is_over_other"], left["number"]) == (False, 2)
    # The new match has the same exposure, so what is left is the trim's own.
    assert left["stage"]["stops"] == pytest.approx(0.25, abs=0.05)
    assert left["stage"]["contrast"] == pytest.approx(1.05, abs=0.03)
    dropped = api("post", f"{angle}/trim/carry", {"choice": "drop", "base_number": 2}, status=201)
    assert dropped["stage"]["stops"] == 0
    assert chain_of(place.clips["B", "scene"]).trim is None


def test_copying_takes_exactly_the_named_parts_to_the_named_places(api, place, angle):
    full = stage(stops=-0.1, contrast=1.1, detail=[0.2, 0, 0])
    api("post", f"{angle}/trim", {"stage": full}, status=201)
    light, c = place.light.pk, place.cameras["C"].pk
    there = f"/lights/{light}/cameras/{c}/trim"
    api("post", there, {"stage": stage(warmth=5, contrast=0.9)}, status=201)
    to = [{"light_id": light, "camera_id": c}]
    made = api("post", f"{angle}/trim/copy", {"parts": ["tone", "detail"], "to": to}, status=201)
    assert (made[0]["stage"]["contrast"], made[0]["stage"]["warmth"], made[0]["stage"]["stops"],
            made[0]["stage"]["detail"]) == (1.1, 5, 0, [0.2, 0, 0])  # fmt: skip
    assert Row.objects.filter(is_current=True).count() == 2


def test_what_cannot_be_trimmed_is_refused_and_nothing_is_changed(api, place, angle):
    a = f"/lights/{place.light.pk}/cameras/{place.cameras['A'].pk}"
    assert api("post", f"{a}/trim", {"stage": stage(stops=1)}, status=409)["code"] == (
        "trim.reference"
    )
    # A single clip of the reference that drifted may be.
    clip = place.clips["A", "scene"]
    api("post", f"{a}/trim", {"stage": stage(stops=0.1), "clip_id": clip.pk}, status=201)
    assert chain_of(clip).trim == Trim(stops=0.1)
    curve = stage(curve=[[0.1, 0.1], [0.5, 0.6]])
    own = {"stage": curve, "clip_id": place.clips["B", "scene"].pk}
    refused = api("post", f"{angle}/trim", own, status=422)
    assert refused["code"] == "trim.clip"
    api("post", f"{angle}/trim", {"stage": curve, "clip_id": clip.pk}, status=404)
    api("post", f"{angle}/trim", {"stage": stage(stops=99)}, status=422)
    assert Row.objects.count() == 1


def test_softening_is_in_pictures_and_said_of_luts(api, place, angle):
    api("post", f"{angle}/trim", {"stage": stage(detail=[0.5, 0.5, 0])}, status=201)
    taken = api("post", f"{angle}/exports", {"target": "rec709", "size": 17}, status=201)
    assert "fine 50%, middle 50%" in taken["read_back"]["lacks"]
    text = file_of(api, taken).decode()
    assert "softening of detail" in text
    cdl = read_cdl({"saturation": 0.5})
    draft = {"session": "s", "view": "angle", "sequence": 0,
             "subject": {"kind": "clip", "id": place.clips["B", "scene"].pk}, "frame": 0,
             "width": 320}  # fmt: skip
    plain = api.client.post("/api/pictures/draft", draft, content_type="application/json")
    grey = {"cdl": {"saturation": cdl.saturation}}
    hand = draft | {"overrides": {"trim": stage(**grey)}, "sequence": 1}
    moved = api.client.post("/api/pictures/draft", hand, content_type="application/json")
    assert (plain.status_code, moved.status_code) == (200, 200)
    assert plain.content != moved.content
    light = run(compile_chain(compose(parts_of_camera(place.cameras["A"], place.light))),
                np.full((1, 3), 0.4, np.float32))  # fmt: skip
    assert np.isfinite(light).all()


def test_a_cdl_leaves_for_the_reference_s_encoding_with_the_luts_round_it(api, place, angle):
    api("post", f"{angle}/trim", {"stage": stage(stops=0.1, warmth=6)}, status=201)
    body = {"target": "rec709", "size": 17, "format": "cdl"}
    made = api("post", f"{angle}/exports", body, status=201)
    assert made["file_name"].endswith(".cdl.zip")
    archive = zipfile.ZipFile(io.BytesIO(file_of(api, made)))
    assert sorted(archive.namelist()) == ["1-before.cube", "2-behind.cube", "correction.cc"]
    assert "LogC3" in made["read_back"]["cdl"]["encoding_name"]
    by_set = {d["colours"]: d for d in made["read_back"]["differences"]}
    assert by_set["picture"]["mean"] == pytest.approx(made["read_back"]["cdl"]["mean"], abs=0.3)
    own = api("post", f"{angle}/exports", body | {"cdl_in": "own"}, status=201)
    names = zipfile.ZipFile(io.BytesIO(file_of(api, own))).namelist()
    assert "1-before.cube" not in names
    # A CDL holds no match: what it loses is told, and is far less than what it takes off.
    assert made["read_back"]["cdl"]["mean"] < 3
