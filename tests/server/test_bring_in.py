"""Bringing in: looking through, correcting, accepting; what breaks is said and the rest goes on."""

import asyncio
import hashlib
import json
import shutil
from pathlib import Path
from urllib.parse import urlencode

import numpy as np
import pytest
from asgiref.sync import async_to_sync

from syntonos.core.errors import MediaError
from syntonos.core.media import write_frame
from syntonos.core.media.video_write import write_video
from syntonos.server.footage import frames, looking
from syntonos.server.footage.models import Arrival, Clip
from syntonos.server.footage.uploads import Incoming
from syntonos.server.jobs.models import Job
from syntonos.server.matching import readings
from syntonos.server.productions.models import Production


def picture(number=0):
    frame = np.full((256, 512, 3), 0.3, np.float32)
    frame[:, : 8 + number] = 0.6
    return frame


@pytest.fixture
def day(place, settings, tmp_path):
    """A production with cameras A to C, and cards of a new day."""
    root = tmp_path / "cards"
    settings.MEDIA_ROOTS = {"media": root}
    (root / "Birch").mkdir(parents=True)
    (root / "Cedar").mkdir()
    (root / "new").mkdir()
    facts = {"camera": "Birch", "reel_name": "B007", "lens": "35 mm"}
    for part, start in enumerate((0, 4)):
        write_video(root / "Birch" / f"B007_01_{part}.mov", (picture(start + i) for i in range(4)),
                    "prores-422-hq", timecode=f"16:00:00:{start:02d}", metadata=facts)  # fmt: skip
    whole = (root / "Birch" / "B007_01_0.mov").read_bytes()
    (root / "Birch" / "B007_02.mov").write_bytes(whole[: len(whole) // 2])
    for number in (1, 2, 4):
        write_frame(root / "Cedar" / f"C007_chart_{number:03d}.dpx", picture(),
                    metadata={"smpte:TimeCode": "16:05:00:00"})  # fmt: skip
    write_frame(root / "new" / "first\nline ü.png", picture())
    return place.production, root


def look(api, production, folder=""):
    job = api("post", f"/productions/{production.pk}/look-through", {"folders": [folder]}, 201)
    assert Job.objects.get(pk=job["id"]).state == "done", job
    return {row["name"]: row for row in api("get", f"/productions/{production.pk}/arrivals")}


def test_a_day_comes_in_as_its_files_say_and_as_a_person_corrects(day, api):
    production, root = day
    base = f"/productions/{production.pk}"
    rows = look(api, production)
    spanned, broken = rows["B007_01_0"], rows["B007_02"]
    chart, odd = rows["C007_chart"], rows["first·line ü"]
    assert (spanned["letter"], spanned["file_count"], spanned["frame_count"]) == ("B", 2, 8)
    assert spanned["light_name"] == chart["light_name"] == "Light at 16:00"
    assert (chart["letter"], chart["kind"], chart["missing"]) == ("C", "chart", 1)
    assert broken["state"] == "failed"
    assert broken["problem"]["hint"]
    # What nothing says is asked for, and nothing comes in before.
    assert (odd["letter"], odd["light_name"], odd["encoding"]) == ("D", "Foundry", "")
    ids = [spanned["id"], chart["id"], odd["id"]]
    change = {"ids": [odd["id"]], "letter": "F", "camera_name": "Fir"}
    api("patch", f"{base}/arrivals", change)
    problem = api("post", f"{base}/arrivals/accept", {"ids": ids}, 409)
    assert problem["code"] == "arrival.open"
    assert "encoding" in problem["detail"]
    api("patch", f"{base}/arrivals", {"ids": [odd["id"]], "encoding": "v-log/v-gamut"})

    # Looking again finds nothing twice, and what was set by hand stays.
    rows = look(api, production)
    assert (rows["first·line ü"]["letter"], rows["first·line ü"]["light_name"]) == ("F", "Foundry")
    assert len(rows) == 4
    job = api("post", f"{base}/arrivals/accept", {"ids": ids}, 201)
    result = Job.objects.get(pk=job["id"]).result
    assert (result["clips"], result["failed"]) == (3, [])
    clip = Clip.objects.get(name="B007_01_0")
    assert (clip.camera.letter, clip.light.name) == ("B", "Light at 16:00")
    assert (clip.frame_count, clip.timecode, clip.rate) == (8, "16:00:00:00", "24")
    sha = hashlib.sha256((root / clip.files[1]).read_bytes()).hexdigest()
    assert clip.marks[1]["sha256"] == sha
    assert Clip.objects.get(name="C007_chart").warnings == ["1 frame missing: 3"]
    assert production.cameras.get(letter="F").encoding == "v-log/v-gamut"
    listed = {row["name"]: row for row in api("get", f"{base}/arrivals")}
    assert set(listed) == {"B007_02"}
    # Only what is new is found in the same folder; and the pictures are there.
    write_frame(root / "Cedar" / "C008_01.dpx", picture())
    assert {n for n, r in look(api, production).items() if r["state"] == "proposed"} == {"C008"}
    frame = f"/api/clips/{clip.pk}/frames/7/picture?width=64"
    assert api.client.get(frame).status_code == 200


def test_a_copy_that_its_manifest_denies_is_not_brought_in(day, api):
    production, root = day
    files = [f"C007_chart_{n:03d}.dpx" for n in (1, 2, 4)]
    sums = {f: hashlib.md5((root / "Cedar" / f).read_bytes()).hexdigest() for f in files}  # noqa: S324

    def manifest(sums):
        rows = "".join(
            f"<hash><path>{f}</path><md5>{value}</md5></hash>" for f, value in sums.items()
        )
        folder = root / "Cedar" / "ascmhl"
        folder.mkdir(exist_ok=True)
        text = f'<hashlist xmlns="urn:ASC:MHL:v2.0"><hashes>{rows}</hashes></hashlist>'
        (folder / "0001.mhl").write_text(text)

    base = f"/productions/{production.pk}"
    for wrong in (True, False):
        manifest({**sums, files[1]: "0" * 32} if wrong else sums)
        row = look(api, production, "Cedar")["C007_chart"]
        job = api("post", f"{base}/arrivals/accept", {"ids": [row["id"]]}, 201)
        result = Job.objects.get(pk=job["id"]).result
        if wrong:
            assert result["clips"] == 0
            assert "not what its manifest says" in result["failed"][0]["detail"]
        else:
            assert (result["clips"], result["verified"], result["unread"]) == (1, 3, [])
    # One that cannot be read is named; what it would have said is not taken for granted.
    (root / "Birch" / "broken.mhl").write_text("<hashlist")
    rows = look(api, production, "Birch")
    ids = [row["id"] for row in rows.values() if row["state"] == "proposed"][:1]
    job = api("post", f"{base}/arrivals/accept", {"ids": ids}, 201)
    result = Job.objects.get(pk=job["id"]).result
    assert (result["clips"], result["verified"]) == (1, 0)
    assert result["unread"][0].startswith("broken.mhl: ")


def test_a_stop_keeps_what_came_in_and_going_on_brings_the_rest(day, api, monkeypatch):
    from syntonos.server.footage import bringing
    from syntonos.server.jobs.services import Cancelled

    production, _ = day
    base = f"/productions/{production.pk}"
    rows = look(api, production, "Birch") | look(api, production, "Cedar")
    ids = [row["id"] for row in rows.values() if row["state"] == "proposed"]
    whole = bringing._marks

    def stop_at_the_second(row, *more):
        if row.name == "C007_chart":
            raise Cancelled
        return whole(row, *more)

    monkeypatch.setattr(bringing, "_marks", stop_at_the_second)
    job = api("post", f"{base}/arrivals/accept", {"ids": ids}, 201)
    assert Job.objects.get(pk=job["id"]).state == "cancelled"
    assert Arrival.objects.get(name="C007_chart").state == "accepted"
    assert Clip.objects.filter(name="B007_01_0").exists()
    monkeypatch.setattr(bringing, "_marks", whole)
    api("post", f"{base}/arrivals/resume", None, 201)
    assert Clip.objects.filter(name="C007_chart").exists()


def test_a_frame_that_cannot_be_read_is_said_and_a_clip_without_a_first_one_stays_out(
    day, api, monkeypatch
):
    production, root = day
    write_frame(root / "new" / "C009_01.dpx", picture())
    rows = look(api, production)
    read = frames._readers.read
    broken = {"B007_01_0": 3, "C009": 0}

    def fail(clip, frame, *, preview):
        if broken.get(clip.name) == frame:
            raise MediaError("The frame is damaged.", hint="Copy it again.")
        return read(clip, frame, preview=preview)

    monkeypatch.setattr(frames._readers, "read", fail)
    api("patch", f"/productions/{production.pk}/arrivals",
        {"ids": [rows["C009"]["id"]], "letter": "C", "light_name": "Foundry"})  # fmt: skip
    ids = [rows[name]["id"] for name in broken]
    api("post", f"/productions/{production.pk}/arrivals/accept", {"ids": ids}, 201)
    clip = Clip.objects.get(name="B007_01_0")
    assert clip.warnings == ["cannot be read: frame 4, of eight that were looked at"]
    assert not Clip.objects.filter(name="C009").exists()
    assert Arrival.objects.get(name="C009").problem["detail"] == "The frame is damaged."


def test_moved_media_is_found_by_name_and_checksum(day, api, monkeypatch):
    production, root = day
    base = f"/productions/{production.pk}"
    rows = look(api, production, "Birch")
    api("post", f"{base}/arrivals/accept", {"ids": [rows["B007_01_0"]["id"]]}, 201)
    clip = Clip.objects.get(name="B007_01_0")
    (root / "elsewhere").mkdir()
    for file in clip.files:
        shutil.move(root / file, root / "elsewhere")
    # Files of these names that are others do not count.
    shutil.copy(root / "Cedar" / "C007_chart_001.dpx", root / clip.files[0])
    size = (root / "elsewhere" / "B007_01_0.mov").stat().st_size
    (root / clip.files[0]).write_bytes(bytes(size))
    (root / clip.files[0]).rename(root / "B007_01_0.mov")
    listed = api("get", f"{base}/clips?search=B007")["clips"][0]
    assert listed["is_missing"]
    monkeypatch.setattr(frames, "_readers", frames._Readers())  # as after a restart
    problem = api("get", f"/clips/{clip.pk}/frames/1/picture?width=960", None, 422)
    assert problem["code"] == "media.missing"
    # The small pictures that were made when it came in are still there, all eight of them.
    assert listed["strip"] == list(range(8))
    monkeypatch.setattr(frames, "_cache", frames.FrameCache())
    small = [frames.frame_of(clip, i, 256) for i in listed["strip"]]
    edge = [int((f[64, :, 0] > 0.55).sum()) for f in small]
    assert edge == [(8 + i) // 2 for i in range(8)]
    api("post", f"{base}/find-media", None, 201)
    clip.refresh_from_db()
    assert clip.files == ["elsewhere/B007_01_0.mov", "elsewhere/B007_01_1.mov"]
    assert not api("get", f"/clips/{clip.pk}")["is_missing"]


def test_only_the_ticked_settings_are_applied_and_readings_follow(place, read, api):
    read("AB")
    production, clip = place.production, place.clips["B", "chart"]
    base = f"/productions/{production.pk}/clips"
    first = clip.readings.get()
    ids = [clip.pk, place.clips["B", "scene"].pk]
    rows = api("post", f"{base}/settings",
               {"ids": ids, "values": {"encoding": "s-log2/s-gamut3.cine"}})  # fmt: skip
    assert [row["overrides"] for row in rows] == [{"encoding": "s-log2/s-gamut3.cine"}] * 2
    # The chart was read again where it was, as the clip is taken now; its camera is as before.
    again = clip.readings.order_by("-number")[0]
    assert (again.encoding, again.number) == ("s-log2/s-gamut3.cine", 2)
    assert again.data["corners"] == first.data["corners"]
    assert Clip.objects.get(pk=clip.pk).camera.encoding == "s-log3/s-gamut3.cine"
    rows = api("post", f"{base}/settings", {"ids": ids, "values": {"encoding": None}})
    assert rows[0]["overrides"] == {}
    for values, code in (
        ({"encoding": "no-log/nowhere"}, "encoding.unknown"), ({"kelvin": 3}, "request.invalid"),
    ):  # fmt: skip
        problem = api("post", f"{base}/settings", {"ids": ids, "values": values}, 422)
        assert problem["code"] == code


def test_what_makes_a_match_doubtful_is_said(place, api):
    chart, scene = place.clips["B", "chart"], place.clips["B", "scene"]
    scene.facts = {**scene.facts, "lens": "28 mm", "white": "3200 K"}
    scene.save()
    said = api("get", f"/clips/{scene.pk}")["differences"]
    assert said == ["lens 28 mm, on the chart 35 mm", "white 3200 K, on the chart 5600 K"]
    assert api("get", f"/clips/{chart.pk}")["differences"] == []


def test_what_lies_beside_a_clip_is_listed_and_given_on_demand(day, api):
    production, root = day
    rows = look(api, production, "Cedar")
    base = f"/productions/{production.pk}"
    api("post", f"{base}/arrivals/accept", {"ids": [rows["C007_chart"]["id"]]}, 201)
    (root / "Cedar" / "C007_chart.cdl").write_text("<x/>")
    clip = Clip.objects.get(name="C007_chart")
    assert api("get", f"/clips/{clip.pk}")["sidecars"] == ["Cedar/C007_chart.cdl"]
    given = api.client.get(f"/api/clips/{clip.pk}/sidecar?name=C007_chart.cdl")
    assert given.content == b"<x/>"
    for name in ("C007_chart_001.dpx", "../../x", "gone.cdl"):
        assert api.client.get(f"/api/clips/{clip.pk}/sidecar?name={name}").status_code == 404


def test_clips_are_found_by_what_they_say(place, api):
    base = f"/productions/{place.production.pk}/clips"
    count = lambda query: api("get", f"{base}?{query}")["total"]  # noqa: E731
    assert count("") == 6
    assert count("search=birch chart") == 1
    assert count("search=35 mm") == 2
    assert count("letter=C&kind=scene") == 1
    assert count("search=nowhere") == 0
    page = api("get", f"{base}?first=4&most=10")
    assert (page["total"], len(page["clips"])) == (6, 2)


def test_the_list_costs_the_same_queries_whatever_its_length(
    place, api, django_assert_max_num_queries
):
    base = f"/productions/{place.production.pk}/clips"
    with django_assert_max_num_queries(4):
        assert len(api("get", base)["clips"]) == 6


class Sent:
    """A request straight to the ASGI application, and how much of its body was asked for."""

    def __init__(self, path, body, headers, *, breaks_off=False):
        self.body, self.asked, self.breaks_off = body, 0, breaks_off
        head = {"host": "localhost", "content-length": str(len(body)), **headers}
        self.scope = {
            "type": "http", "method": "POST", "path": path.split("?")[0],
            "asgi": {"version": "3.0"},
            "query_string": path.partition("?")[2].encode(), "http_version": "1.1",
            "headers": [(k.encode(), v.encode()) for k, v in head.items()],
        }  # fmt: skip
        self.status, self.said, self.is_over = 0, b"", False
        self.headers, self.code = {}, 0

    async def receive(self):
        chunk = self.body[self.asked : self.asked + 5_000]
        self.asked += len(chunk)
        if self.breaks_off and self.asked >= len(self.body) // 2:
            return {"type": "http.disconnect"}
        if self.is_over:  # nobody goes away
            await asyncio.Event().wait()
        more = self.asked < len(self.body)
        self.is_over = not more
        return {"type": "http.request", "body": chunk, "more_body": more}

    async def send(self, message):
        self.status = message.get("status", self.status)
        self.code = message.get("code", 0)
        self.headers |= {k.decode(): v.decode() for k, v in message.get("headers", ())}
        self.said += message.get("body", b"")

    def go(self):
        from syntonos.server.config.asgi import application

        async_to_sync(application)(self.scope, self.receive, self.send)
        return self

    def json(self):
        return json.loads(self.said)


def test_files_are_dropped_whole_or_not_at_all(transactional_db, day, api, settings):
    production, root = day
    data = (root / "Birch" / "B007_01_0.mov").read_bytes()

    def drop(name, data, place="", *, breaks_off=False, **headers):
        query = urlencode({"name": name, "place": place})
        headers = {"content-type": "application/octet-stream", **headers}
        path = f"/api/productions/{production.pk}/uploads?{query}"
        return Sent(path, data, headers, breaks_off=breaks_off).go()

    good = drop("B009.mov", data, "card 1/../../etc/")
    assert good.status == 201, good.said
    path = root / good.json()["file"]
    assert path.read_bytes() == data
    assert root in path.parents
    assert path.parent.name == "etc"
    assert drop("B009.mov", data, "card 1/etc").json()["file"].endswith("B009 2.mov")
    for name in ("evil.exe", ".mov"):
        refused = drop(name, b"x")
        assert (refused.status, refused.json()["code"]) == (422, "upload.kind")
    # What breaks off on its way leaves nothing; a disc that is full is said before.
    lost = drop("B011.mov", data, breaks_off=True)
    assert (lost.status, lost.json()["code"]) == (422, "upload.size")
    settings.SPARE = 2**60
    full = drop("B012.mov", data)
    assert (full.json()["code"], full.asked) == ("upload.space", 0)
    settings.SPARE = 0
    # A foreign page is refused before a byte of its body is read; so is another kind of body.
    foreign = drop("B013.mov", data, origin="https://elsewhere.example")
    assert (foreign.status, foreign.asked) == (403, 0)
    assert "frame-ancestors 'none'" in foreign.headers["content-security-policy"]
    assert "frame-ancestors 'none'" in good.headers["content-security-policy"]
    form = drop("B013.mov", data, **{"content-type": "text/plain"})
    assert (form.status, form.asked) == (415, 0)
    broken = drop("B010.mov", data[:500])
    folder = broken.json()["folder"]
    rows = look(api, production, folder)
    assert {rows[n]["state"] for n in ("B010",)} == {"failed"}
    assert rows["B009"]["state"] == "proposed"
    assert {"B011", "B012", "B013"}.isdisjoint(rows)
    assert not list(root.rglob("*.part"))


def test_two_files_of_one_name_that_come_at_once_both_come_whole(day):
    production, root = day
    first, second = (Incoming(production, "B009.mov", 6, "card") for _ in range(2))
    for one, other in ((b"aaa", b"bbb"), (b"AAA", b"BBB")):
        first.write(one)
        second.write(other)
    kept = [first.finish(), second.finish()]
    assert [(root / row["file"]).read_bytes() for row in kept] == [b"aaaAAA", b"bbbBBB"]
    assert [Path(row["file"]).name for row in kept] == ["B009.mov", "B009 2.mov"]
    assert [row["sha256"] for row in kept] == [
        hashlib.sha256(data).hexdigest() for data in (b"aaaAAA", b"bbbBBB")
    ]


def test_raw_is_developed_as_camera_and_clip_say(place, settings, media, api):
    from syntonos.server.footage.frames import frame_of
    from syntonos.server.footage.services import register_clip
    from syntonos.server.productions.services import create_camera

    camera = create_camera(
        place.production, {"letter": "D", "name": "Dogwood", "encoding": "linear/ap1"}
    )
    files = sorted(f"bellfounders/Dogwood/{p.name}" for p in (media / "Dogwood").glob("D001_01*"))
    clip = register_clip(camera=camera, light=place.light, kind="chart", files=files)
    assert (clip.media, clip.levels, clip.timecode) == ("raw", "full", "09:12:00:00")
    plain = frame_of(clip, 0).copy()
    readings.read(clip, readings.find(clip).detection.corners.tolist(), found_by="search")
    base = f"/productions/{place.production.pk}/clips/settings"
    api("post", base, {"ids": [clip.pk], "values": {"stops": 1.0}})
    clip = Clip.objects.select_related("camera").get(pk=clip.pk)
    np.testing.assert_allclose(frame_of(clip, 0), 2 * plain, rtol=1e-3, atol=1e-4)
    newest = clip.readings.order_by("-number")[0]
    assert newest.number == 2, "the reading follows the development"
    assert Production.objects.get(pk=place.production.pk).cameras.get(letter="D").raw == {}


def test_what_a_library_makes_of_one_file_does_not_stop_the_others(day, api, monkeypatch):
    production, _ = day
    whole = looking.read_recording

    def breaks(paths):
        if "C007" in str(paths[0]):
            raise ValueError("a table of a library was not as long as its head says")
        return whole(paths)

    monkeypatch.setattr(looking, "read_recording", breaks)
    rows = look(api, production)
    assert rows["C007_chart"]["problem"]["code"] == "media.unreadable"
    assert rows["B007_01_0"]["state"] == "proposed"
    # Looking elsewhere leaves what failed here where it is.
    assert "C007_chart" in look(api, production, "new")


def test_what_is_accepted_while_others_come_in_comes_in_too(day, api, monkeypatch):
    from syntonos.server.footage import bringing

    production, _ = day
    rows = look(api, production, "Birch") | look(api, production, "Cedar")
    second = Arrival.objects.filter(pk=rows["C007_chart"]["id"])
    whole = bringing._marks

    def accept_another(row, *more):
        second.filter(state="proposed").update(state="accepted", light_name="Foundry")
        return whole(row, *more)

    monkeypatch.setattr(bringing, "_marks", accept_another)
    ids = [rows["B007_01_0"]["id"]]
    job = api("post", f"/productions/{production.pk}/arrivals/accept", {"ids": ids}, 201)
    assert Job.objects.get(pk=job["id"]).result["clips"] == 2


def test_all_clips_are_checked_and_findings_hold_only_for_how_a_clip_is_taken(place, read, api):
    read("AB")
    base = f"/productions/{place.production.pk}"

    def check():
        job = api("post", f"{base}/check-clips", None, 201)
        return Job.objects.get(pk=job["id"]).result["doubted"]

    assert check() == []
    clip = place.clips["B", "chart"]
    wrong = {"ids": [clip.pk], "values": {"levels": "legal"}}
    (row,) = api("post", f"{base}/clips/settings", wrong)
    assert not row["is_checked"]
    assert check() == [clip.name]
    (finding,) = api("get", f"/clips/{clip.pk}")["findings"]
    assert (finding["kind"], finding["levels"]) == ("chart", "full")
    (row,) = api("post", f"{base}/clips/settings", {**wrong, "values": {"levels": None}})
    assert (row["findings"], row["is_checked"]) == ([], False)
