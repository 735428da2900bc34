"""A production of one's own, from an empty application to a picture on the Board."""

import os
import shutil
import signal
import subprocess
import sys

import pytest
from playwright.sync_api import expect

from tests.journeys.conftest import _free_port, wait_for_server


@pytest.fixture
def empty(media, tmp_path):
    """An application without any production, with two clips and a broken file to bring in."""
    root = tmp_path / "media"
    (root / "card one").mkdir(parents=True)
    for name in ("A001_01_0001.tif", "A001_02_0001.tif"):
        shutil.copy(media / "Alder" / name, root / "card one" / name)
    (root / "card one" / "broken.png").write_text("no picture")
    port = _free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "syntonos.cli.main", "serve", "--port", str(port),
         "--data", str(tmp_path / "data")],
        env={**os.environ, "SYNTONOS_MEDIA": str(root)},
    )  # fmt: skip
    address = f"http://127.0.0.1:{port}"
    wait_for_server(address, process)
    yield address
    process.send_signal(signal.SIGINT)
    assert process.wait(20) == 0, "Ctrl-C does not stop the server cleanly"


def _fill(page, label, value):
    page.get_by_role("dialog").get_by_label(label).fill(value)


def test_a_production_is_begun_and_a_clip_brought_in(empty, blank):
    page = blank
    page.goto(empty)
    page.get_by_label("Name of the production").fill("Second casting")
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_text("No camera yet.")).to_be_visible()

    # The first camera becomes the reference; a second of the same letter cannot be chosen.
    page.get_by_role("button", name="Add a camera").click()
    _fill(page, "Name", "Alder")
    search = page.get_by_role("combobox", name="Encoding")
    search.fill("wide gamut 3 ei 800")
    search.press("Enter")
    expect(page.get_by_role("dialog").get_by_text("LogC3 EI 800").first).to_be_visible()
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text("Alder reference")).to_be_visible()
    page.get_by_role("button", name="Add a light").click()
    _fill(page, "Name", "Pit")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text("no clip of this camera here")).to_be_visible()

    # The same name again is refused in words; the sheet stays as it was filled in.
    page.get_by_role("button", name="+ light").click()
    _fill(page, "Name", "Pit")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("a light of this name already")
    expect(page.get_by_role("dialog").get_by_label("Name")).to_have_value("Pit")
    page.keyboard.press("Escape")

    # A broken file says what it is, a good one appears on the Board.
    page.locator("[data-cell]").get_by_role("button", name="Bring in").click()
    page.get_by_role("button", name="card one").click()
    rows = page.get_by_role("dialog")
    rows.get_by_text("broken").locator("..").get_by_role("button", name="as scene").click()
    expect(page.get_by_role("alert")).to_contain_text("no PNG picture")
    rows.get_by_text("A001_02").locator("..").get_by_role("button", name="as scene").click()
    expect(rows.get_by_text("brought in")).to_be_visible()
    page.keyboard.press("Escape")
    picture = page.get_by_alt_text("A Alder in Pit")
    expect(picture).to_be_visible()
    shown = page.locator("[data-cell] img").first
    expect(shown).to_have_js_property("complete", value=True)
    assert shown.evaluate("image => image.naturalWidth") > 100

    # A changed display changes the picture's key, and so the picture.
    before = picture.get_attribute("src")
    page.get_by_role("button", name="Production").click()
    page.get_by_role("dialog").get_by_label("Rendering").select_option("plain")
    page.get_by_role("button", name="Save").click()
    expect(picture).not_to_have_attribute("src", before)

    # A file that vanishes is said to be missing; the rest stays usable. So is a wrong address.
    page.goto(f"{empty}/p/1/l/1/c/99/bench")
    expect(page.get_by_role("alert")).to_be_visible()
    page.goto(f"{empty}/nowhere")
    expect(page.get_by_text("nothing at this address")).to_be_visible()


def test_a_taken_port_is_said_before_anything_else(tmp_path):
    import socket

    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = subprocess.run(
            [sys.executable, "-m", "syntonos.cli.main", "serve", "--port", str(port),
             "--data", str(tmp_path)],
            capture_output=True, text=True, timeout=120, check=False,
        )  # fmt: skip
    assert done.returncode == 2
    assert "is taken" in done.stderr
    assert not (tmp_path / "syntonos.sqlite3").exists()
