"""A disc that is really full: `unshare --map-root-user --mount python -m tests.hostile.disc`.

The demo's data folder lies on a file system of its own in memory, which is filled to the last byte
and emptied again while the application runs. Needs the right to mount, as root or in a namespace.
Prints what each request answered full and after, and what was left behind.
"""

import json
import os
import shutil
import subprocess
import tempfile
import time
import urllib.error
import urllib.request
from pathlib import Path

from tests.journeys.conftest import running_demo
from tests.warm import DEMO


def _ask(method, url, body=None):
    data = body if isinstance(body, bytes) else None if body is None else json.dumps(body).encode()
    kind = "application/octet-stream" if isinstance(body, bytes) else "application/json"
    request = urllib.request.Request(url, data, {"Content-Type": kind}, method=method)
    try:
        with urllib.request.urlopen(request, timeout=60) as answer:
            raw = answer.read()
            status = answer.status
    except urllib.error.HTTPError as error:
        raw, status = error.read(), error.code
    try:
        return status, json.loads(raw)
    except ValueError:
        return status, raw


def _fill(folder):
    with (folder / "filler").open("ab", buffering=0) as file:
        for size in (1 << 20, 4096, 1):
            try:
                while True:
                    file.write(b"\0" * size)
            except OSError:
                continue


def _tour(api, turn):
    """Yield what a person does, and what each request answered."""
    clips = _ask("GET", f"{api}/productions/1/clips?most=500")[1]["clips"]
    clip = next(c["id"] for c in clips if c["kind"] == "scene")
    name = {"name": f"Casting day {turn}"}
    yield "rename the production", _ask("PATCH", f"{api}/productions/1", name)
    yield (
        "settings of clips",
        _ask(
            "POST",
            f"{api}/productions/1/clips/settings",
            {"ids": [clip], "values": {"levels": "full"}},
        ),
    )
    yield (
        "look through a folder",
        _ask("POST", f"{api}/productions/1/look-through", {"folders": ["bellfounders"]}),
    )
    upload = f"{api}/productions/1/uploads?name={turn}.cube&place=dropped"
    yield "drop a file", _ask("POST", upload, b"x" * 300_000)
    draft = {"session": turn, "view": "a", "sequence": 0,
             "subject": {"kind": "clip", "id": clip}, "frame": len(turn),
             "width": 320}  # fmt: skip
    yield "a draft of a frame", _ask("POST", f"{api}/pictures/draft", draft)


def main() -> int:
    folder = Path(tempfile.mkdtemp(prefix="syntonos-disc-"))
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", folder], check=True)
    try:
        shutil.copytree(DEMO, folder, dirs_exist_ok=True)
        os.environ["SYNTONOS_SPARE_MIB"] = "0"
        with running_demo(folder) as address:
            _fill(folder)
            for turn in ("full", "after"):
                for what, (status, said) in _tour(f"{address}/api", turn):
                    detail = said.get("detail", "") if isinstance(said, dict) else ""
                    print(f"{turn:6} {what:24} {status} {detail}")
                (folder / "filler").unlink(missing_ok=True)
            until = time.monotonic() + 90
            while (jobs := _ask("GET", f"{address}/api/productions/1/jobs")[1]) and any(
                j["state"] in ("queued", "running") for j in jobs
            ):
                assert time.monotonic() < until, "jobs do not go on"
                time.sleep(1)
            print("jobs:", [(j["kind"], j["state"]) for j in jobs])
            left = [str(p.relative_to(folder)) for p in folder.rglob("*.part*")]
            print("parts left:", left or "none")
    finally:
        subprocess.run(["umount", "-l", folder], check=True)
        folder.rmdir()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
