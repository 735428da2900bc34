"""Twenty viewers at once: `python -m tests.hostile.load`.

Each asks for a draft ten times a second, whether the last one has come or not, as hands that all
drag at once do. Prints pictures a second of the slowest viewer, waits, and the server's memory and
threads before, meanwhile, and ten seconds after.
"""

import argparse
import json
import shutil
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections import Counter, defaultdict
from pathlib import Path

import numpy as np

from tests.journeys.conftest import running_demo
from tests.warm import DEMO

VIEWERS, A_SECOND = 20, 10


def _server_of(port):
    """Return the process that listens: the newest one whose command line names the port."""
    found = [
        int(p.name) for p in Path("/proc").iterdir()
        if p.name.isdigit() and (p / "cmdline").exists()
        and f"--port\0{port}".encode() in (p / "cmdline").read_bytes()
    ]  # fmt: skip
    return max(found)


def _state(pid):
    text = Path(f"/proc/{pid}/status").read_text()
    words = dict(line.split(":", 1) for line in text.splitlines() if ":" in line)
    return int(words["VmRSS"].split()[0]) / 1024, int(words["Threads"])


def _ask(address, body, seen, waits):
    begin = time.monotonic()
    request = urllib.request.Request(
        f"{address}/api/pictures/draft", json.dumps(body).encode(),
        {"Content-Type": "application/json"},
    )  # fmt: skip
    try:
        with urllib.request.urlopen(request, timeout=60) as answer:
            seen[str(answer.status)] += 1
            answer.read()
            waits.append((begin, time.monotonic()))
    except urllib.error.HTTPError as error:
        seen[str(error.code)] += 1
    except OSError as error:
        seen[type(error).__name__] += 1


def _viewer(number, address, clip, until, seen, waits):
    asked = 0
    threads = []
    while time.monotonic() < until:
        body = {"session": f"viewer-{number}", "view": "angle", "sequence": asked,
                "subject": {"kind": "clip", "id": clip}, "frame": 0, "width": 640,
                "scopes": ["parade", "vectorscope"],
                "overrides": {"dials": {"stops": asked % 40 / 20 - 1}}}  # fmt: skip
        thread = threading.Thread(target=_ask, args=(address, body, seen, waits))
        thread.start()
        threads.append(thread)
        asked += 1
        time.sleep(1 / A_SECOND)
    for thread in threads:
        thread.join()


def run(address, seconds):
    port = address.rsplit(":", 1)[1]
    pid = _server_of(port)
    clips = json.load(urllib.request.urlopen(f"{address}/api/productions/1/clips?most=500"))[
        "clips"
    ]
    scenes = [c["id"] for c in clips if c["kind"] == "scene"]
    for clip in scenes:  # what was looked at once is in memory, as on a day of work
        first = {"session": "first", "view": str(clip), "sequence": 0, "frame": 0,
                 "subject": {"kind": "clip", "id": clip},
                 "width": 640}  # fmt: skip
        _ask(address, first, Counter(), [])
    before = _state(pid)
    seen, waits = Counter(), defaultdict(list)
    until = time.monotonic() + seconds
    viewers = [
        threading.Thread(target=_viewer, args=(i, address, scenes[i % len(scenes)], until, seen,
                                               waits[i]))
        for i in range(VIEWERS)
    ]  # fmt: skip
    most = before
    for viewer in viewers:
        viewer.start()
    while any(viewer.is_alive() for viewer in viewers):
        now = _state(pid)
        most = (max(most[0], now[0]), max(most[1], now[1]))
        time.sleep(0.25)
    for viewer in viewers:
        viewer.join()
    ended = time.monotonic()
    time.sleep(10)
    after = _state(pid)
    counts = [len(rows) for rows in waits.values()]
    long = np.array([end - begin for rows in waits.values() for begin, end in rows])
    gaps = [np.diff([until - seconds, *sorted(e for _, e in rows), min(ended, until)]).max()
            for rows in waits.values()]  # fmt: skip
    print(f"answers {dict(seen)}")
    print(f"pictures_a_second slowest={min(counts) / seconds:.2f} all={sum(counts) / seconds:.1f}")
    print(f"wait median={np.median(long):.2f}s 99th={np.percentile(long, 99):.2f}s "
          f"longest_without_a_picture={max(gaps):.2f}s")  # fmt: skip
    print(f"memory before={before[0]:.0f} most={most[0]:.0f} after={after[0]:.0f} MiB "
          f"({after[0] / before[0]:.2f} of before)")  # fmt: skip
    print(f"threads before={before[1]} most={most[1]} after={after[1]}")


def main():
    parser = argparse.ArgumentParser(prog="tests.hostile.load", description=__doc__)
    parser.add_argument("--seconds", type=float, default=20)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(DEMO, folder, dirs_exist_ok=True)
        with running_demo(Path(folder)) as address:
            run(address, args.seconds)


if __name__ == "__main__":
    main()
