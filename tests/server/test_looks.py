"""Outputs, balance, look and encodings of a production, over the API."""

import json
from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from syntonos.core.chain import (
    Chain,
    Decode,
    EncodingOutput,
    Output,
    bake_lut,
    compile_chain,
    compose,
    read_chain,
    run,
    tables,
)
from syntonos.core.encodings import registry
from syntonos.core.formats import Correction, Cube, read_cube, write_cdl, write_cube
from syntonos.server.looks import api as looks_api
from syntonos.server.matching.chains import chain_of, parts_of_camera

PARAMETERS = {
    "base": 2, "lin_side_slope": 5.6, "lin_side_offset": 0.05, "log_side_slope": 0.08,
    "log_side_offset": 0.39, "lin_side_break": 0.01,
}  # fmt: skip
OWN = {"name": "Pit camera", "gamut": "bt2020", "log": PARAMETERS}
PQ = {"kind": "output", "display": "rec2100-pq-1000"}


def chain(place, letter="B"):
    camera = place.cameras[letter]
    camera.refresh_from_db()
    camera.production.refresh_from_db()
    return compose(parts_of_camera(camera, place.light))


def upload(api, path, name, data, status=201):
    answer = api.client.post(f"/api{path}", {"file": SimpleUploadedFile(name, data)})
    assert answer.status_code == status, answer.content[:400]
    return json.loads(answer.content)


def test_outputs_are_set_in_one_place_and_shown_everywhere(api, place):
    path = f"/productions/{place.production.pk}"
    sdr = api("get", f"{path}/board")["production"]["outputs"][0]
    sdr["stage"]["tone"]["contrast"] = 1.3
    made = api("patch", path, {"outputs": [sdr, {"name": "HDR", "stage": PQ},
                                           {"name": "HDR", "stage": PQ}]})  # fmt: skip
    assert [o["key"] for o in made["outputs"]] == ["rec709", "hdr", "hdr-2"]
    assert chain(place).output.tone.contrast == 1.3
    camera = place.cameras["B"]
    hdr = parts_of_camera(camera, place.light, output="hdr").output
    assert hdr.display == "rec2100-pq-1000"
    clip = place.clips["B", "scene"].pk
    pictures = {o: api("get", f"/clips/{clip}/frames/0/picture?width=64&output={o}").content
                for o in ("", "hdr")}  # fmt: skip
    assert pictures[""] != pictures["hdr"]
    for outputs, code in (
        ([{"name": "x", "stage": {"kind": "output", "display": "no"}}], "display.unknown"),
        ([{"name": "x", "stage": {"kind": "output", "tone": {"contrast": 9}}}], "tone.invalid"),
        ([{"name": "x", "stage": {"kind": "output-encoding", "encoding": "srgb"}}],
         "chain.invalid"),
    ):  # fmt: skip
        assert api("patch", path, {"outputs": outputs}, status=422)["code"] == code
    assert chain(place).output.tone.contrast == 1.3


def test_a_balance_lies_over_every_camera_and_is_a_revision(api, place):
    path = f"/lights/{place.light.pk}/balance"
    dials = {"stops": 0.5, "warmth": 30.0, "tint": 0.0, "cdl": {"saturation": 0.9}}
    first = api("post", path, dials | {"base_number": 0}, status=201)
    assert first["number"] == 1
    for letter in "AB":
        balance = chain(place, letter).balance
        assert balance.stops == 0.5
        assert (balance.warmth, balance.tint) == (30, 0)
        assert balance.cdl.saturation == 0.9
    late = api("post", path, dials | {"base_number": 0}, status=409)
    assert late["newest"] == 1
    far = api("post", path, {"warmth": 900, "base_number": 1}, status=422)
    assert far["code"] == "balance.range"
    # Under the hand nothing is kept.
    clip = place.clips["B", "scene"].pk
    body = {"view": "v", "sequence": 1, "width": 64, "subject": {"kind": "clip", "id": clip}}
    plain = api("post", "/pictures/draft", body).content
    brighter = api("post", "/pictures/draft", body | {"overrides": {"dials": {"stops": 2}}}).content
    assert plain != brighter
    assert api("get", f"/lights/{place.light.pk}/over")["balance"]["number"] == 1


def test_a_look_is_a_list_of_what_was_brought_in(api, place, monkeypatch):
    path = f"/productions/{place.production.pk}"
    show = bake_lut(Chain(Decode("logc3-ei800/awg3"), Output()), 17)
    lut = upload(api, f"{path}/luts", "show.cube", write_cube(Cube(show)))
    assert (lut["kind"], lut["size"]) == ("3D", 17)
    assert lut["clips_high"] > 0.05  # white is reached before code 1
    again = upload(api, f"{path}/luts", "same.cube", write_cube(Cube(show)))
    assert again["id"] == lut["id"]
    cdl = upload(api, "/cdls/read", "a.ccc", write_cdl([Correction("x", saturation=0.8)], "ccc"),
                 status=200)  # fmt: skip
    steps = [
        {"kind": "cdl", "cdl": cdl[0]["cdl"]},
        {"kind": "lut", "sha256": lut["sha256"], "encoding": "logc3-ei800/awg3", "to": "rec709"},
    ]
    stage = {"kind": "look", "steps": steps}
    api("post", f"{path}/look", {"stage": stage, "base_number": 0}, status=201)
    look = chain(place).look
    assert look.steps[0].cdl.saturation == 0.8
    assert look.steps[1].sha256 == lut["sha256"]
    pixels = np.full((1, 3), 0.4, np.float32)
    shown = run(compile_chain(chain(place)), pixels)
    assert np.isfinite(shown).all()
    # After a restart, and in another worker, the LUT comes from the blob store.
    monkeypatch.setattr(tables, "_kept", {})
    compile_chain.cache_clear()
    np.testing.assert_array_equal(run(compile_chain(chain(place)), pixels), shown)

    # An exception for the light, and back again.
    light = f"/lights/{place.light.pk}/look"
    empty = {"stage": {"kind": "look", "steps": []}, "base_number": 0}
    api("post", light, empty, status=201)
    assert chain(place).look.steps == ()
    api("post", light, {"stage": None, "base_number": 1}, status=201)
    assert chain(place).look == look
    over = api("get", f"/lights/{place.light.pk}/over")
    assert (over["look"]["number"], over["exception"]["number"]) == (1, 2)
    assert [row["name"] for row in over["luts"]] == ["show.cube"]

    # A scene has its own before the light's, wherever it was shot; its clips' files name it.
    scene = place.clips["B", "scene"]
    scene.facts = {"scene": "12"}
    scene.save()
    quiet = {"stage": {"kind": "look", "steps": [steps[0]]}, "base_number": 0, "scene": "12"}
    api("post", f"{path}/look", quiet, status=201)
    own = chain_of(scene).look
    assert [len(own.steps), len(chain(place).look.steps)] == [1, 2]
    told = api("get", f"/lights/{place.light.pk}/over")
    assert ("12", 1) in [(row["scene"], row["number"]) for row in told["scenes"]]
    assert told["look"]["number"] == 1
    taken_back = {"stage": None, "base_number": 1, "scene": "12"}
    api("post", f"{path}/look", taken_back, status=201)
    assert chain_of(scene).look == look

    unknown = {"stage": {"kind": "look", "steps": [steps[1] | {"sha256": "0" * 64}]},
               "base_number": 1}  # fmt: skip
    assert api("post", f"{path}/look", unknown, status=422)["code"] == "look.missing"


# Half of the light, without an end above: no table over 0..1 says that.
HALF = b"""<ProcessList xmlns="urn:NAMESPACE" id="x" compCLFversion="3">
<Matrix inBitDepth="32f" outBitDepth="32f"><Array dim="3 3">0.5 0 0 0 0.5 0 0 0 0.5</Array>
</Matrix></ProcessList>"""


def test_a_clf_comes_back_from_the_blob_store_as_its_nodes(api, place, monkeypatch):
    path = f"/productions/{place.production.pk}"
    lut = upload(api, f"{path}/luts", "half.clf", HALF)
    assert (lut["kind"], lut["clips_low"], lut["clips_high"]) == ("CLF", 0, 0)
    step = {"kind": "lut", "sha256": lut["sha256"], "encoding": "linear/ap1"}
    stage = {"kind": "look", "steps": [step]}
    api("post", f"{path}/look", {"stage": stage, "base_number": 0}, status=201)
    looked = chain(place).to(EncodingOutput("linear/ap1"))
    pixels = np.float32([[0.4, 0.5, 0.6], [0.9, 0.95, 0.98]])
    wanted = run(compile_chain(replace(looked, look=None)), pixels) / 2
    assert wanted.max() > 2
    monkeypatch.setattr(tables, "_kept", {})
    tables.clf_runner.cache_clear()
    compile_chain.cache_clear()
    np.testing.assert_allclose(run(compile_chain(looked), pixels), wanted, rtol=1e-5)
    monkeypatch.setattr(looks_api, "MOST_MIB", 0)
    large = upload(api, f"{path}/luts", "x.cube", b"LUT_3D_SIZE 2\n", status=422)
    assert large["code"] == "upload.large"
    monkeypatch.undo()
    bad = upload(api, f"{path}/luts", "x.cube", b"LUT_3D_SIZE 2\n0 0 0\n", status=422)
    assert bad["code"] == "cube.invalid"


def test_own_encodings_are_checked_kept_and_used(api, place, monkeypatch):
    path = f"/productions/{place.production.pk}/encodings"
    made = api("post", path, {"definition": OWN}, status=201)
    listed = api("get", f"/encodings?production={place.production.pk}")
    assert listed[0]["slug"] == made["slug"]
    assert listed[0]["name"] == "Pit camera"
    # Another worker, which has not seen it, finds it in the database.
    monkeypatch.setattr(registry, "_own", {})
    camera = f"/cameras/{place.cameras['C'].pk}"
    changed = api("patch", camera, {"encoding": made["slug"], "levels": "full",
                                    "is_stand_in": True, "unit_stops": 0.1})  # fmt: skip
    assert (changed["encoding_name"], changed["is_stand_in"]) == ("Pit camera", True)
    document = api("get", f"/clips/{place.clips['C', 'scene'].pk}/chain")
    assert document["encodings"][made["slug"]]["log"]["base"] == 2
    assert read_chain(document).input.unit[1] == pytest.approx(2**0.1)
    # The reference is what it is.
    api("patch", f"/cameras/{place.cameras['A'].pk}", {"unit_stops": 1.0})
    assert chain(place, "A").input.unit == (1.0, 1.0, 1.0)
    curve = api("post", "/encoding-curve", {"definition": OWN})
    assert np.all(np.diff(curve["lin"]) > 0)
    falling = OWN | {"log": PARAMETERS | {"log_side_slope": -1}}
    bad = api("post", path, {"definition": falling}, status=422)
    assert bad["code"] == "encoding.invalid"


def test_encodings_come_from_a_config(api, place):
    config = "cg-config-v2.2.0_aces-v1.3_ocio-v2.4"
    assert config in api("get", "/configs")
    spaces = {s["name"] for s in api("get", f"/configs/spaces?config={config}")}
    assert "ACEScct" in spaces
    path = f"/productions/{place.production.pk}/encodings"
    made = api("post", f"{path}/from-config", {"config": config, "name": "ACEScct"}, status=201)
    pixels = np.random.default_rng(1).uniform(0.2, 0.6, (200, 3)).astype(np.float32)
    ours, theirs = (
        run(compile_chain(Chain(Decode(slug), Output())), pixels)
        for slug in (made["slug"], "acescct/ap1")
    )
    np.testing.assert_allclose(ours, theirs, atol=3e-4)
    text = ocio.Config.CreateFromBuiltinConfig(config).serialize().encode()
    found = upload(api, "/configs/spaces", "mine.ocio", text, status=200)
    assert {s["name"] for s in found} == spaces
    broken = upload(api, "/configs/spaces", "mine.ocio", b"nothing: here", status=422)
    assert broken["code"] == "config.invalid"


def test_a_changed_encoding_makes_its_matches_anew(api, place, read):
    read("AB")
    matches = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}/matches"
    body = {"leave_out": [24], "model": "matrix"}
    api("post", matches, body, status=201)
    api("patch", f"/cameras/{place.cameras['B'].pk}", {"levels": "legal"})
    jobs = api("get", f"/productions/{place.production.pk}/jobs")
    # Under wrong levels the fit's figures point to an encoding, which is checked by itself.
    assert [job["kind"] for job in jobs] == ["encoding-check", "match-angles"]
    job = jobs[1]
    assert (job["state"], job["problem"]) == ("done", None)
    newest, first = api("get", matches)
    assert (newest["number"], first["number"]) == (2, 1)
    # What the person chose is kept, on a reading of the same place in the new levels.
    assert (newest["asked"], newest["model"]) == ("matrix", "matrix")
    assert newest["residuals"][23]["left_out"]


@pytest.mark.parametrize(
    ("format_", "sides"),
    [("cube", ("stored", "stored")), ("cube", ("expanded", "expanded")),
     ("3dl", ("stored", "stored")), ("clf", ("stored", "stored"))],
)  # fmt: skip
def test_files_of_every_kind_hold_in_their_levels(api, place, read, format_, sides):
    read("AB")
    base = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    api("post", f"{base}/matches", {"model": "matrix"}, status=201)
    body = {"target": "reference", "size": 33, "format": format_, "lut_in": sides[0],
            "lut_out": sides[1]}  # fmt: skip
    row = api("post", f"{base}/exports", body, status=201)
    assert row["file_name"].endswith(f".{format_}")
    picture = next(d for d in row["read_back"]["differences"] if d["colours"] == "picture")
    assert picture["mean"] < 0.15
    data = b"".join(api("get", f"/exports/{row['id']}/file").streaming_content)
    if format_ == "cube":
        middle = read_cube(data).table[16, 16, 16]
        program = compile_chain(chain(place).to(EncodingOutput("logc3-ei800/awg3")))
        expanded = sides == ("expanded", "expanded")
        code = (64 + 876 * 0.5) / 1023 if expanded else 0.5
        want = run(program, np.full((1, 3), code, np.float32))[0]
        want = (1023 * want - 64) / 876 if expanded else want
        np.testing.assert_allclose(middle, want, atol=2e-6)


def test_what_a_kind_of_file_usually_goes_with_is_proposed(api, place):
    def told(letter, encoding=""):
        camera = place.cameras[letter].pk
        return api("get", f"/cameras/{camera}/usual?encoding={encoding}")

    # A TIFF sequence, ProRes, DPX; C's curve levels are legal, which is not usual.
    assert [row["files"] for letter in "ABC" for row in told(letter)] == [
        "TIFF pictures", "video (ProRes)", "DPX pictures",
    ]  # fmt: skip
    assert {row["levels"] for letter in "ABC" for row in told(letter)} == {"full"}
    place.cameras["C"].clips.update(format="EXR")
    assert "linear light, not a log curve" in told("C")[0]["words"]
    assert "linear" not in told("C", "linear/ap1")[0]["words"]
    place.cameras["C"].clips.update(media="raw", format="DNG")
    assert told("C") == []
    assert api("get", f"/cameras/{place.cameras['C'].pk}/usual?encoding=none", status=422)
