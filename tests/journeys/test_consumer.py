"""The consumer's process killed in the middle of a job: the work goes on, and nothing is twice."""

import json
import os
import signal
import time
import urllib.request
from pathlib import Path

from tests.journeys.conftest import LONG_WORK, PATIENCE


def ask(server, path, method="GET"):
    request = urllib.request.Request(f"{server}/api{path}", method=method)
    with urllib.request.urlopen(request, timeout=PATIENCE / 1000) as answer:
        return json.load(answer)


def consumers_of(data):
    """Return the ids of consumers whose data lie in a folder."""
    found = []
    for process in Path("/proc").glob("[0-9]*"):
        try:
            line = (process / "cmdline").read_bytes()
            environ = (process / "environ").read_bytes()
        except OSError:
            continue
        if b"syntonos.server.consumer" in line and str(data).encode() in environ:
            found.append(int(process.name))
    return found


def wait_until(condition, seconds=LONG_WORK / 1000):
    deadline = time.monotonic() + seconds
    while not (found := condition()):
        assert time.monotonic() < deadline
        time.sleep(0.1)
    return found


def test_a_killed_consumer_is_started_again_and_finishes_what_it_began(server, data):
    def matched():
        cells = ask(server, "/productions/1/board")["cells"]
        return sum(c["light_id"] == 1 and c["match_number"] is not None for c in cells)

    before, head = matched(), ask(server, "/productions/1/history")["head"]
    job = ask(server, "/lights/1/match", "POST")["id"]

    def state():
        return next(j for j in ask(server, "/productions/1/jobs") if j["id"] == job)

    wait_until(lambda: state()["state"] == "running" and state()["progress"] > 0)
    (consumer,) = consumers_of(data)
    os.kill(consumer, signal.SIGKILL)
    ended = wait_until(lambda: (s := state())["state"] not in ("queued", "running") and s)
    assert ended["state"] == "done"
    assert consumers_of(data) not in ([], [consumer])
    board = ask(server, "/productions/1/board")
    cells = [c for c in board["cells"] if c["light_id"] == 1]
    assert {c["state"] for c in cells} <= {"reference", "in_tune", "close", "off"}
    # What it had matched before it was killed is not matched twice.
    fits = [c for c in ask(server, "/productions/1/history?most=1000")["changes"]
            if c["kind"] == "match.fit" and c["sequence"] > head]  # fmt: skip
    assert len(fits) == matched() - before
