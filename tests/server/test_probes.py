"""Probes and aims over the API: kept, read after every stage, joined, set in several clips."""

import numpy as np
import pytest

from syntonos.core.chain import Chain, Decode, EncodingOutput, compile_chain, run
from syntonos.core.chain import Trim as Stage
from syntonos.core.matching.tuner import Tuner, taken_off
from syntonos.core.media import RecordingReader
from syntonos.server.matching.models import Aim, Probe, Trim
from tests.warm import MEDIA

ME = {"Syntonos-Author": "me"}


@pytest.fixture
def path(place):
    return f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"


def at(place, letter, x=0.4, y=0.5, **more):
    return {"clip_id": place.clips[letter, "scene"].pk, "x": x, "y": y, **more}


def looked(place, **more):
    return {"clip_id": place.clips["B", "scene"].pk,
            "reference_clip_id": place.clips["A", "scene"].pk, **more}  # fmt: skip


def keep(api, place, *places, **more):
    body = {"places": list(places), **more}
    return api("post", f"/lights/{place.light.pk}/probes", body, status=201, **ME)


def stage(side, name):
    return next(s for s in side["stages"] if s["stage"] == name)


def test_a_probe_says_what_the_file_holds_and_what_its_curve_makes_of_it(api, place, path):
    keep(api, place, at(place, "A", size=0.004), name="wall")
    (probe,) = api("post", f"{path}/probes/read", looked(place))
    side = probe["sides"][0]
    clip = place.clips["A", "scene"]
    reader = RecordingReader([MEDIA / f for f in clip.files])
    count = min(4, clip.frame_count)
    frames = np.stack([reader.read(i) for i in range(count)])
    reader.close()
    h, w = frames.shape[1:3]
    x, y, half = 0.4 * w, 0.5 * h, 0.002 * w
    rows, columns = np.mgrid[:h, :w] + 0.5
    inside = (columns - x) ** 2 + (rows - y) ** 2 <= half**2
    code = frames[:, inside].mean(axis=(0, 1))
    assert side["pixels"] == count * inside.sum()
    np.testing.assert_allclose(stage(side, "recorded")["code"], 1023 * code, atol=4)
    # Curves and gamuts are checked against published values in tests/core/encodings.
    decoded = Chain(Decode(clip.encoding, clip.levels), EncodingOutput("linear/ap1"))
    lin = run(compile_chain(decoded), code[None, None].astype(np.float32))[0, 0]
    got = stage(side, "input")
    np.testing.assert_allclose(got["linear"], lin, rtol=0.05)
    np.testing.assert_allclose(got["stops"], np.log2(np.array(got["linear"]) / 0.18), atol=1e-6)
    shown = stage(side, "output")
    # BT.1886 with black at 0 and white at 100 cd/m2: the signal to the power 2.4.
    np.testing.assert_allclose(
        shown["nit"], 100 * (np.array(shown["percent"]) / 100) ** 2.4, rtol=1e-3
    )
    assert (probe["name"], probe["sides"][1], probe["apart"]) == ("wall", None, None)


def test_joined_probes_say_how_far_the_angle_is_off_and_follow_the_trim(api, place, path):
    made = keep(api, place, at(place, "A"))
    places = [at(place, "B", 0.42)]
    api("patch", f"/probes/{made['id']}", {"places": places}, **ME)
    (before,) = api("post", f"{path}/probes/read", looked(place))
    trim = {"kind": "trim", "stops": 0.5}
    (after,) = api("post", f"{path}/probes/read", looked(place, trim=trim))
    assert after["apart"]["stops"] - before["apart"]["stops"] == pytest.approx(0.5, abs=0.02)
    assert after["sides"][1]["stops"] - before["sides"][1]["stops"] == pytest.approx(0.5, abs=1e-3)
    assert after["sides"][0] == before["sides"][0]
    by_stage = [stage(after["sides"][1], name)["stops"][1] for name in ("match", "trim")]
    assert by_stage[1] - by_stage[0] == pytest.approx(0.5, abs=1e-3)
    # What is turned by what it says is where the reference is.
    off = before["apart"]
    tuner = Tuner(off["stops"], off["warmth"], off["tint"], 0, 0)
    back = taken_off(Stage(), tuner, ("exposure", "warmth", "tint"))
    turned = {"kind": "trim", "stops": back.stops, "warmth": back.warmth, "tint": back.tint}
    (there,) = api("post", f"{path}/probes/read", looked(place, trim=turned))
    assert there["apart"]["delta_e"] < 0.3
    measured = api("post", f"{path}/trim/measure", looked(place))
    assert (measured["source"], measured["sources"]) == ("areas", ["areas", "picture", "scene"])
    api("patch", f"/probes/{made['id']}", {"is_skin": True}, **ME)
    skin = api("post", f"{path}/trim/measure", looked(place, source="skin"))
    assert skin["tuner"]["contrast"] == pytest.approx(0, abs=1e-3)
    assert skin["tuner"]["exposure"] == pytest.approx(off["stops"], abs=0.02)


def test_probes_are_kept_moved_taken_out_and_all_of_it_is_undone(api, place, path):
    made = keep(api, place, at(place, "A"))
    api("patch", f"/probes/{made['id']}", {"places": [at(place, "A", 0.7)]}, **ME)
    api("patch", f"/probes/{made['id']}", {"is_put_away": True}, **ME)
    assert api("post", f"{path}/probes/read", looked(place)) == []
    production = place.production.pk
    api("post", f"/productions/{production}/undo", **ME)
    api("post", f"/productions/{production}/undo", **ME)
    (probe,) = api("get", f"/lights/{place.light.pk}/probes")
    assert probe["places"][0]["x"] == 0.4
    api("post", f"/productions/{production}/undo", **ME)
    assert Probe.every.count() == 0
    for wrong, code in (({"x": 3}, "area.outside"), ({"frame": 999}, "media.frame")):
        body = {"places": [at(place, "A") | wrong]}
        assert api("post", f"/lights/{place.light.pk}/probes", body, status=422)["code"] == code
    other = {"places": [{"clip_id": 999_999, "x": 0.5, "y": 0.5}]}
    api("post", f"/lights/{place.light.pk}/probes", other, status=404)
    # From 1 to 101 pixels.
    wide = keep(api, place, at(place, "A", size=0.5))
    assert wide["places"][0]["size"] * place.clips["A", "scene"].width == pytest.approx(101)


def test_a_wall_that_was_picked_in_several_clips_sets_them_all(api, place, path):
    probe = keep(api, place, at(place, "A"), at(place, "B", 0.42), at(place, "C", 0.45))
    clips = [place.clips[letter, "scene"].pk for letter in "BC"]
    body = {"clip_ids": clips, "to": "reference"}
    done = api("post", f"/probes/{probe['id']}/set-white", body, status=201, **ME)
    assert [one["where"] for one in done] == ["B in Foundry", "C in Foundry"]
    for letter in "BC":
        own = f"/lights/{place.light.pk}/cameras/{place.cameras[letter].pk}"
        seen = looked(place, clip_id=place.clips[letter, "scene"].pk)
        (read,) = api("post", f"{own}/probes/read", seen)
        assert read["apart"]["delta_e"] < 0.3, letter
    # One step each: the newest is undone alone.
    api("post", f"/productions/{place.production.pk}/undo", **ME)
    assert list(Trim.objects.filter(is_current=True).values_list("camera__letter", flat=True)) == [
        "B"
    ]
    # To neutral: equal channels before the output, whatever the light's balance does.
    api("post", f"/lights/{place.light.pk}/balance", {"warmth": 30, "tint": 2}, status=201)
    body = {"clip_ids": clips[:1], "to": "neutral", "for_clips": True}
    api("post", f"/probes/{probe['id']}/set-white", body, status=201, **ME)
    (read,) = api("post", f"{path}/probes/read", looked(place))
    r, g, b = stage(read["sides"][1], "balance")["linear"]
    assert max(r, g, b) / min(r, g, b) < 1.02
    assert np.abs(read["sides"][1]["cast"]).max() < 1
    twice = {"clip_ids": [clips[0], place.clips["B", "chart"].pk], "to": "reference"}
    refused = api("post", f"/probes/{probe['id']}/set-white", twice, status=409)
    assert refused["code"] == "probe.same_camera"
    nowhere = {"clip_ids": [place.clips["B", "chart"].pk], "to": "reference"}
    refused = api("post", f"/probes/{probe['id']}/set-white", nowhere, status=409)
    assert refused["code"] == "probe.place"


def test_aims_of_a_light_and_of_a_camera_add_up_and_are_undone(api, place, path):
    production, light = place.production.pk, place.light.pk
    aims = f"/productions/{production}/aims"
    api("post", aims, {"light_id": light, "warmth": 5}, **ME)
    b = place.cameras["B"].pk
    api("post", aims, {"camera_id": b, "warmth": -2, "exposure": 0.1}, **ME)
    measured = api("post", f"{path}/trim/measure", looked(place))
    assert (measured["aim"]["warmth"], measured["aim"]["exposure"]) == (3, 0.1)
    cells = {(c["light_id"], c["camera_id"]): c["aim"]
             for c in api("get", f"/productions/{production}/board")["cells"]}  # fmt: skip
    assert cells[light, b]["warmth"] == 3
    assert cells[light, place.cameras["C"].pk]["warmth"] == 5
    api("post", f"/productions/{production}/undo", **ME)
    assert api("post", f"{path}/trim/measure", looked(place))["aim"]["warmth"] == 5
    api("post", aims, {"warmth": 5}, status=409)
    assert Aim.objects.count() == 1


def test_the_tuner_is_measured_on_what_both_pictures_show(api, place, path, read):
    read("AB")
    ask = looked(place, with_match=False)
    chart = api("post", f"{path}/trim/measure", ask | {"source": "chart"})["tuner"]
    scene = api("post", f"{path}/trim/measure", ask | {"source": "scene"})
    assert "that both pictures show" in scene["words"]
    for name, within in (("exposure", 0.12), ("warmth", 12), ("tint", 3)):
        assert scene["tuner"][name] == pytest.approx(chart[name], abs=within), name
    # After a trim it is measured where the trim has brought the picture.
    turned = looked(place, source="scene", trim={"kind": "trim", "stops": 0.25})
    plain = api("post", f"{path}/trim/measure", looked(place, source="scene"))["tuner"]
    again = api("post", f"{path}/trim/measure", turned)["tuner"]
    assert again["exposure"] - plain["exposure"] == pytest.approx(0.25, abs=0.02)
