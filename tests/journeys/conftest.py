"""The real application in its own process, and Debian's Chromium."""

import os
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from contextlib import contextmanager

import pytest
from playwright.sync_api import expect, sync_playwright

from tests.warm import DEMO, MEDIA

# Two cores may be busy with the other tests: states are waited for, however long they take.
expect.set_options(timeout=60_000)
ARGS = [
    "--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader", "--force-color-profile=srgb",
]  # fmt: skip


def _free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def wait_for_server(address, process):
    """Return when the application answers."""
    deadline = time.monotonic() + 180
    while True:
        try:
            urllib.request.urlopen(f"{address}/api/productions", timeout=2).close()
        except OSError:
            assert process.poll() is None, "the server stopped"
            assert time.monotonic() < deadline, "the server did not come up"
            time.sleep(0.2)
        else:
            return


@contextmanager
def running_demo(data):
    """Run the demo on a free port with its data in a folder."""
    port = _free_port()
    env = {
        **os.environ,
        "SYNTONOS_MEDIA": str(MEDIA),
        "SYNTONOS_COMPARE": os.environ.get("SYNTONOS_COMPARE", "0"),
    }
    process = subprocess.Popen(
        [sys.executable, "-m", "syntonos.cli.main", "demo", "--port", str(port),
         "--data", str(data)],
        env=env,
    )  # fmt: skip
    address = f"http://127.0.0.1:{port}"
    try:
        wait_for_server(address, process)
        yield address
    finally:
        process.terminate()
        ended = process.wait(20)
    assert ended == 0, "TERM does not stop the server cleanly"


@pytest.fixture
def server(media, tmp_path):
    """A fresh demo production on a free port; where `tests.warm` made none, the start makes it."""
    if DEMO.is_dir():
        shutil.copytree(DEMO, tmp_path, dirs_exist_ok=True)
    with running_demo(tmp_path) as address:
        yield address


@pytest.fixture
def page(server):
    """A page at 1280x800 on which any script error fails the test."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(60_000)
        errors = []
        page.on("pageerror", lambda error: errors.append(error))
        page.goto(server)
        yield page
        browser.close()
        assert not errors, errors
