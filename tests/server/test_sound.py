"""What breaks outside loses nothing inside: twice the same card, a full disc, foreign pages."""

import errno
import os
import shutil
import sqlite3
import subprocess
import sys
import time

import av
import numpy as np
import pytest
from django.db import OperationalError

from syntonos.core.errors import MediaError
from syntonos.server.footage import bringing, looking
from syntonos.server.footage.media import list_folder
from syntonos.server.footage.models import Arrival, Clip
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.productions.services import change_production
from tests.server.test_bring_in import day, look  # noqa: F401 - a fixture

PLACE = {"letter": "B", "light_name": "Foundry"}


def accept_all(api, production, folder):
    rows = list(production.arrivals.filter(folder__startswith=folder))
    base = f"/productions/{production.pk}/arrivals"
    api("patch", base, {"ids": [r.pk for r in rows], **PLACE})
    return api("post", f"{base}/accept", {"ids": [r.pk for r in rows]}, status=201)


def test_a_card_and_its_backup_are_one_clip_with_two_places(day, api):  # noqa: F811
    production, root = day
    for name in ("card", "backup"):
        (root / name).mkdir()
        shutil.copy(root / "Birch" / "B007_01_0.mov", root / name / "B030_01.mov")
    look(api, production, "card")
    look(api, production, "backup")
    for name in ("card", "backup"):
        job = accept_all(api, production, name)
        assert (job["state"], job["result"]["failed"]) == ("done", [])
    assert (job["result"]["clips"], job["result"]["copies"]) == (0, 1)
    clip = Clip.objects.get(name="B030_01")
    details = api("get", f"/clips/{clip.pk}")
    assert {details["files"][0], *details["also_at"]} == {"card/B030_01.mov", "backup/B030_01.mov"}
    # It is known there too: nothing waits any more, and going on again does no harm.
    assert look(api, production, "backup") == {}
    api("post", f"/productions/{production.pk}/arrivals/resume", {}, status=201)
    assert Clip.objects.filter(name="B030_01").count() == 1


def test_odd_entries_of_a_folder_do_not_stop_the_others(day, settings):  # noqa: F811
    production, root = day
    folder = root / "odd"
    folder.mkdir()
    shutil.copy(root / "Birch" / "B007_01_0.mov", folder / "good.mov")
    (folder / "loop.mov").symlink_to(folder / "loop.mov")
    os.mkfifo(folder / "pipe.mov")
    open(os.fsencode(folder) + b"/\xff\xfe.mov", "wb").close()  # noqa: PTH123
    (folder / f"frame_{10**25}.dpx").write_bytes(b"no picture")
    (folder / "a.mhl").write_text('<hashlist version="1.1"><hash><file>good.mov</file>'
                                  "<size>\u00b2</size><md5>x</md5></hash></hashlist>")  # fmt: skip
    with (folder / "b.mhl").open("wb") as giant:
        giant.truncate(6 * 2**30)
    _, groups = list_folder("odd")
    assert {g.group.name for g in groups} == {"good", "frame"}
    found = looking.look_through(production, ["odd"], lambda share, step: None)
    # The sequence, and the name that is no text, are told.
    assert (found.new, found.broken) == (1, 2)
    told = production.arrivals.get(problem__code="media.name")
    assert (told.name, told.folder) == ("\ufffd\ufffd.mov", "odd")
    assert looking.look_through(production, ["odd"], lambda share, step: None).broken == 2
    assert production.arrivals.filter(problem__code="media.name").count() == 1
    unread = []
    bringing._said(folder / "good.mov", "media", {}, unread)
    assert any("b.mhl" in text for text in unread)


def test_a_container_that_contradicts_its_pictures_is_asked_about(day, api):  # noqa: F811
    production, root = day
    file = root / "Birch" / "B032_01.mov"
    with av.open(str(file), "w") as container:
        stream = container.add_stream("libx264", rate=24)
        stream.width, stream.height, stream.pix_fmt = 64, 64, "yuv420p"
        context = stream.codec_context  # numbers of ITU-T H.273
        context.color_primaries, context.color_trc, context.colorspace = 9, 1, 9
        grey = np.full((96, 64), 128, np.uint8)
        for frame in (av.VideoFrame.from_ndarray(grey, "yuv420p"), None):
            container.mux(stream.encode(frame))
    # The box "colr" (ISO/IEC 14496-12, 12.1.5): kind, primaries, transfer, matrix; 9 becomes 1.
    data = file.read_bytes()
    at = data.index(b"colrncl") + len("colrnclx") + 4
    assert data[at : at + 2] == b"\x00\x09"
    file.write_bytes(data[:at] + b"\x00\x01" + data[at + 2 :])
    waiting = look(api, production, "Birch")["B032_01"]
    assert waiting["matrices"] == ["bt2020", "bt709"]

    ids = {"ids": [waiting["id"]]}
    refused = api("post", f"/productions/{production.pk}/arrivals/accept", ids, status=409)
    assert "which matrix" in refused["detail"]
    api("patch", f"/productions/{production.pk}/arrivals", ids | {"matrix": "bt709"})
    job = accept_all(api, production, "Birch")
    assert job["result"]["failed"] == []
    assert Clip.objects.get(name="B032_01").development.matrix == "bt709"


def test_what_a_person_corrects_while_it_is_looked_through_stays(day, api, monkeypatch):  # noqa: F811
    production, root = day
    look(api, production, "Birch")
    row = production.arrivals.filter(state="proposed").first()
    places = looking.propose_places

    def slowly(*args):
        # Meanwhile somebody says whose it is.
        api("patch", f"/productions/{production.pk}/arrivals", {"ids": [row.pk], "letter": "C"})
        return places(*args)

    monkeypatch.setattr(looking, "propose_places", slowly)
    shutil.copy(root / "Birch" / "B007_01_0.mov", root / "Birch" / "B031_01.mov")
    look(api, production, "Birch")
    assert Arrival.objects.get(pk=row.pk).letter == "C"


def test_what_is_being_brought_in_is_not_left_out(day, api, monkeypatch):  # noqa: F811
    production, _ = day
    look(api, production, "Birch")
    row = production.arrivals.filter(state="proposed").first()
    Arrival.objects.filter(pk=row.pk).update(state="accepted", **PLACE)
    Job.objects.create(production=production, kind="bring-in", title="x", state="running")
    refused = api(
        "post", f"/productions/{production.pk}/arrivals/leave-out", {"ids": [row.pk]}, 409
    )
    assert refused["code"] == "arrival.underway"
    assert Arrival.objects.filter(pk=row.pk).exists()


@pytest.mark.parametrize(
    ("error", "status", "code"),
    [(OperationalError("database or disk is full"), 507, "disc.full"),
     (sqlite3.OperationalError("database or disk is full"), 507, "disc.full"),
     (OSError(errno.ENOSPC, "No space left on device", "/data/exports/x.cube"), 507, "disc.full"),
     (OperationalError("attempt to write a readonly database"), 507, "disc.closed"),
     (OperationalError("database is locked"), 503, "database.busy")],
)  # fmt: skip
def test_a_disc_that_refuses_is_named(place, api, monkeypatch, error, status, code):
    from syntonos.server.productions import services

    def refuses(*args, **kwargs):
        raise error

    monkeypatch.setattr(services, "_save", refuses)
    base = f"/productions/{place.production.pk}"
    refused = api("post", f"{base}/lights", {"name": "Yard"}, status)
    assert refused["code"] == code
    assert refused["hint"]
    assert [row["name"] for row in api("get", f"{base}/board")["lights"]] == ["Foundry"]


def test_a_job_whose_last_write_fails_is_failed_and_not_running_for_ever(place, monkeypatch):
    job = Job.objects.create(production=place.production, kind="check-clips", title="x",
                             state="running")  # fmt: skip
    update, refused = type(Job.objects.all()).update, []

    def full_once(rows, **values):
        if "ended" in values and not refused:
            refused.append(values)
            raise OperationalError("database or disk is full")
        return update(rows, **values)

    monkeypatch.setattr(type(Job.objects.all()), "update", full_once)
    monkeypatch.setattr(jobs, "_PAUSES", (0.01,))
    jobs._keep_end(job.pk, {"state": "done", "result": {"clips": 1}})
    job.refresh_from_db()
    assert (job.state, job.problem["code"], len(refused)) == ("failed", "disc.full", 1)


def test_a_job_whose_process_ended_is_begun_again_and_says_so(place, monkeypatch):
    job = Job.objects.create(production=place.production, kind="check-clips", title="x",
                             state="running", progress=0.4)  # fmt: skip
    queued = []
    monkeypatch.setattr("syntonos.server.jobs.queue.work", lambda pk, **_: queued.append(pk))
    jobs.take_up_again()
    job.refresh_from_db()
    assert (job.state, job.progress, queued) == ("queued", 0.0, [job.pk])
    assert job.step == "Begun again: its process had ended"


def test_an_output_named_reference_is_not_the_reference_encoding(place):
    row = {"name": "Reference", "stage": {"kind": "output", "display": "rec709"}}
    change_production(place.production, {"outputs": [row]})
    place.production.refresh_from_db()
    assert place.production.outputs[0]["key"] == "reference-2"


def test_a_page_elsewhere_reaches_nothing(place, api, client):
    base = f"/api/productions/{place.production.pk}"
    page = client.get(f"{base}/board")
    policy = page["Content-Security-Policy"]
    assert "frame-ancestors 'none'" in policy
    assert "default-src 'self'" in policy
    assert page["X-Content-Type-Options"] == "nosniff"
    assert page["Cross-Origin-Resource-Policy"] == "same-origin"
    # What a plain form of another page can send is no JSON; nor is a name of tests a host.
    form = client.post(f"{base}/lights", '{"name": "x"}', content_type="text/plain")
    assert (form.status_code, form.json()["code"]) == (415, "request.type")
    from syntonos.server.config import settings as shipped

    assert "testserver" not in shipped.ALLOWED_HOSTS
    assert client.get(f"{base}/board", headers={"Host": "elsewhere.example"}).status_code == 403
    assert client.get("/api/clips/99999999999999999999").status_code == 404


def test_a_consumer_ends_with_the_process_that_started_it(tmp_path):
    """Killed hard and early, while its consumer is still loading."""
    starter = (
        "import subprocess, sys, os, time\n"
        "child = subprocess.Popen([sys.executable, '-m', 'syntonos.server.consumer'],"
        " start_new_session=True, env={**os.environ, 'SYNTONOS_PARENT': str(os.getpid())})\n"
        "print(child.pid, flush=True)\ntime.sleep(60)\n"
    )
    env = {**os.environ, "SYNTONOS_DATA": str(tmp_path)}
    process = subprocess.Popen([sys.executable, "-c", starter], stdout=subprocess.PIPE, env=env)
    child = int(process.stdout.readline())
    process.kill()
    process.communicate()
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        try:
            os.kill(child, 0)
        except ProcessLookupError:
            return
        time.sleep(0.2)
    os.kill(child, 9)
    pytest.fail("the consumer was left behind")


def test_files_that_are_nothing_are_refused_by_their_kind(day):  # noqa: F811
    _, root = day
    (root / "none.mov").mkdir()
    from syntonos.core.media import read_recording

    with pytest.raises(MediaError) as told:
        read_recording([root / "none.mov"])
    assert told.value.code == "media.kind"
