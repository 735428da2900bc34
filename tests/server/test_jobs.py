"""Jobs: progress, stopping, failing and being taken up again; every angle of a light matched."""

from dataclasses import replace

import numpy as np
import pytest
from django.db import OperationalError

from syntonos.server.jobs import queue, services
from syntonos.server.jobs.models import Job
from syntonos.server.matching import angles, readings

MATCH = "match-angles"


def job_of(place, **values):
    return Job.objects.create(production=place.production, kind=MATCH, title="Match", **values)


def jobs(api, place):
    return api("get", f"/productions/{place.production.pk}/jobs")


def test_every_angle_of_a_light_is_found_read_and_fitted(api, place):
    path = f"/lights/{place.light.pk}/match"
    job = api("post", path, status=202)
    assert (job["state"], job["progress"], job["problem"]) == ("done", 1.0, None)
    outcomes = {a["camera"]: a for a in job["result"]["angles"]}
    assert [a["outcome"] for a in outcomes.values()] == ["read", "matched", "matched"]
    assert outcomes["B Birch"]["expected"] < 1.5
    board = api("get", f"/productions/{place.production.pk}/board")
    assert {c["state"] for c in board["cells"]} <= {"reference", "in_tune", "close"}
    # A second time nothing is read or fitted anew; a changed encoding is read where it was.
    again = api("post", path, status=202)
    assert [a["outcome"] for a in again["result"]["angles"]] == ["read", "kept", "kept"]
    api("patch", f"/cameras/{place.cameras['B'].pk}", {"levels": "legal"})
    third = next(job for job in jobs(api, place) if job["kind"] == "match-angles")
    # Only what stands on the camera that was changed.
    assert [(a["camera"], a["outcome"]) for a in third["result"]["angles"]] == [
        ("B Birch", "matched")
    ]
    newest = place.clips["B", "chart"].readings.order_by("-number").first()
    assert (newest.number, newest.levels, newest.found_by) == (2, "legal", "search")


def test_what_is_uncertain_or_wrong_is_left_to_a_person(api, place, monkeypatch):
    certain = readings.find(place.clips["A", "chart"]).detection
    asked = replace(certain, orientation_certain=False)
    whole = readings.find

    def find(clip, frames=None, **more):
        if clip.camera.letter == "B":
            return readings.Found(asked, [])
        return whole(clip, frames, **more)

    monkeypatch.setattr(angles.readings, "find", find)
    gone = place.clips["C", "chart"]
    gone.files, gone.checksum = ["gone.tif"], "0" * 64
    gone.save()
    outcomes = angles.match_angles(place.light, lambda share, step: None)
    assert [o.outcome for o in outcomes] == ["read", "asked", "failed"]
    assert "upside down" in outcomes[1].text
    assert "C001_01 are not where they were" in outcomes[2].text


def test_progress_rises_and_a_stop_keeps_what_was_done(place, monkeypatch):
    monkeypatch.setattr(services, "_WRITE_EVERY", 0.0)
    job = job_of(place, arguments={"light_id": place.light.pk})
    seen = []

    def stop_at_birch(light, progress):
        def tell(share, step):
            seen.append(share)
            if "B001_01" in step and "Reading" in step:
                services.cancel(job)
            progress(share, step)

        return whole(light, tell)

    whole = angles.match_angles
    monkeypatch.setattr(angles, "match_angles", stop_at_birch)
    services.run(job.pk)
    job.refresh_from_db()
    assert job.state == "cancelled"
    assert np.all(np.diff(seen) > 0)
    assert seen[-1] < 1
    assert place.clips["A", "chart"].readings.count() == 1
    assert place.clips["B", "chart"].readings.count() == 0
    services.run(job.pk)  # what has ended does not run again
    job.refresh_from_db()
    assert job.state == "cancelled"


def test_a_waiting_job_is_stopped_at_once_and_the_same_is_not_queued_twice(api, place):
    waiting = job_of(place, arguments={"light_id": place.light.pk})
    same = services.start(place.production, MATCH, "Match", {"light_id": place.light.pk})
    assert same.pk == waiting.pk
    assert api("post", f"/jobs/{waiting.pk}/cancel")["state"] == "cancelled"
    services.run(waiting.pk)
    assert jobs(api, place)[0]["state"] == "cancelled"


@pytest.mark.parametrize(
    ("error", "code"),
    [
        (OperationalError("database or disk is full"), "disc.full"),
        (OperationalError("no such column"), "internal"),
        (None, "fit.reference"),
    ],
)
def test_a_failure_says_what_to_do(api, place, monkeypatch, error, code):
    if error is None:
        type(place.production).objects.update(reference_camera=None)
    else:
        monkeypatch.setattr(angles, "match_angles", lambda *_: (_ for _ in ()).throw(error))
    job = api("post", f"/lights/{place.light.pk}/match", status=202)
    assert (job["state"], job["problem"]["code"]) == ("failed", code)
    assert job["problem"]["hint"]


def test_what_a_kill_left_half_done_begins_again(api, place):
    half = job_of(place, arguments={"light_id": place.light.pk}, state="running", progress=0.4)
    stopped = job_of(place, arguments={}, state="running", is_cancel_asked=True)
    services.take_up_again()
    half.refresh_from_db()
    stopped.refresh_from_db()
    assert (half.state, stopped.state) == ("done", "cancelled")


def test_after_a_restart_what_was_asked_for_still_comes_first(place, monkeypatch):
    worked = []
    monkeypatch.setattr(queue, "work", lambda pk, priority: worked.append((pk, priority)))
    unasked = services.start(place.production, "check-scene", "Compare", {"n": 1}, is_asked=False)
    other = services.start(place.production, "check-scene", "Compare", {"n": 2}, is_asked=False)
    asked = services.start(place.production, MATCH, "Match", {"light_id": place.light.pk})
    # One that waits unasked is asked for meanwhile: it is the same job, and comes before.
    assert services.start(place.production, "check-scene", "Compare", {"n": 2}).pk == other.pk
    worked.clear()
    services.take_up_again()
    (first, high), (second, _), (last, low) = worked
    assert {first, second} == {asked.pk, other.pk}
    assert (last, low < high) == (unasked.pk, True)
