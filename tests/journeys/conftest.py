"""The real application in its own process, and Debian's Chromium."""

import os
import shutil
import socket
import sqlite3
import subprocess
import sys
import time
import urllib.request
from contextlib import closing, contextmanager

import pytest
from playwright.sync_api import expect, sync_playwright

from tests.warm import DEMO, MEDIA, demo_media

# A slow machine makes a journey slower, never red: states are waited for, however long they take.
PATIENCE = 240_000  # ms
LONG_WORK = 900_000  # ms: all of a day matched, a package made
expect.set_options(timeout=PATIENCE)
NAME = "syntonos.sqlite3"
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
    deadline = time.monotonic() + PATIENCE / 1000
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


@pytest.fixture(scope="session")
def _running(tmp_path_factory):
    """One application per worker; each journey finds the demo in it as at its first start."""
    demo_media()
    data = tmp_path_factory.mktemp("demo")
    if DEMO.is_dir():
        shutil.copytree(DEMO, data, dirs_exist_ok=True)
    with running_demo(data) as address, closing(sqlite3.connect(":memory:")) as first:
        with closing(sqlite3.connect(data / NAME)) as live:
            live.backup(first)
        yield address, data, first


@pytest.fixture
def data(_running):
    """The folder of the application's data, its database as after the first start."""
    _, folder, first = _running
    with closing(sqlite3.connect(folder / NAME, timeout=60)) as live:
        # What a journey left to do is not asked for any more.
        live.execute("update jobs_job set is_cancel_asked = 1")
        live.commit()
        deadline = time.monotonic() + LONG_WORK / 1000
        while live.execute(
            "select 1 from jobs_job where state in ('queued', 'running')"
        ).fetchone():
            assert time.monotonic() < deadline, "a job does not end"
            time.sleep(0.1)
        first.backup(live)
    return folder


@pytest.fixture
def server(_running, data):
    """The address of the demo production, as after its first start."""
    return _running[0]


@pytest.fixture(scope="module")
def browser():
    """One browser per file; open for longer its event loop would forbid other tests a database."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        yield browser
        browser.close()


@pytest.fixture
def blank(browser):
    """An empty page at 1280x800 on which any script error fails the test."""
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.set_default_timeout(PATIENCE)
    errors = []
    page.on("pageerror", lambda error: errors.append(error))
    yield page
    for context in browser.contexts:
        context.close()
    assert not errors, errors


@pytest.fixture
def page(server, blank):
    """A page on the demo's Board."""
    blank.goto(server)
    return blank
