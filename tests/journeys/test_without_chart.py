"""A light in which nobody shot a chart, matched from the picture by mouse, from probes by keys."""

import re

import pytest
from playwright.sync_api import expect


@pytest.fixture
def room(page):
    """The Tuning room without its charts; returns the start address and the way to its Bench."""
    start = page.url.split("/p/")[0].rstrip("/")
    api = page.context.request
    found = api.get(f"{start}/api/productions/1/clips?most=500").json()["clips"]
    clips = {c["name"]: c for c in found if c["name"][1:4] == "004"}
    for name in ("A004_01", "B004_01"):
        body = {"kind": "clip", "id": clips[name]["id"], "is_away": True}
        assert api.post(f"{start}/api/productions/1/away", data=body).ok
    board = api.get(f"{start}/api/productions/1/board").json()
    camera = next(c["id"] for c in board["cameras"] if c["letter"] == "B")
    light = next(row["id"] for row in board["lights"] if row["name"] == "Tuning room")
    return start, f"{start}/p/1/l/{light}/c/{camera}/bench?panel=match"


def test_a_light_without_a_chart_is_matched_from_the_picture(page, room):
    start, _ = room
    page.goto(f"{start}/p/1")
    cell = page.locator("[data-cell^='B-']").last
    cell.get_by_role("button", name="B Birch in Tuning room: match from the picture").click()
    expect(cell.get_by_text("by picture")).to_be_visible()
    cell.get_by_role("link", name=re.compile("Bench|B004_02|B Birch in Tuning room")).first.click()
    page.get_by_role("tab", name="Match").click()
    row = page.get_by_text(re.compile(r"from the picture: \d+ places, \d+ % in common"))
    expect(row).to_be_visible()
    # The tuner is measured on the same, and every needle stands in its band.
    expect(page.get_by_role("combobox", name="What the tuner measures on")).to_have_value("scene")
    exposure = page.get_by_role("slider", name="Exposure of B in Tuning room")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"^[−+]?0\.0[0-4] stop"))
    # A place is taken out: the match follows, and undo brings it back.
    places = page.get_by_role("button", name=re.compile("^Place at"))
    places.nth(8).click()
    expect(page.get_by_text(re.compile("1 taken out"))).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_text(re.compile("match 1"))).to_be_visible()
    # What is kept in one picture is kept in the other too, where it shows the same.
    page.get_by_role("button", name="Places", exact=True).click()
    box = page.locator("[data-pane='reference']").bounding_box()
    page.mouse.click(box["x"] + 0.42 * box["width"], box["y"] + 0.72 * box["height"])
    expect(page.get_by_title(re.compile("^1: drag it"))).to_have_count(2)
    page.keyboard.press("Control+z")
    expect(page.get_by_title(re.compile("^1: drag it"))).to_have_count(0)
    page.keyboard.press("Control+z")
    # The revisions stay in the list; none is the one in force.
    expect(page.get_by_text("in force", exact=True)).to_have_count(0)
    expect(page.get_by_role("button", name="No match yet")).to_be_visible()


def test_probes_make_a_match_by_keys(page, room):
    _, bench = room
    page.goto(bench)
    page.get_by_role("button", name="Estimate").wait_for()
    # The same things in both pictures, kept with P under the pointer.
    things = [
        ((0.42, 0.72), (0.42, 0.72)),  # apron
        ((0.516, 0.27), (0.461, 0.30)),  # board
        ((0.39, 0.825), (0.347, 0.78)),  # trousers
        ((0.36, 0.545), (0.331, 0.585)),  # sleeve
    ]
    for number, pair in enumerate(things, start=1):
        for side, (x, y) in zip(("reference", "angle"), pair, strict=True):
            box = page.locator(f"[data-pane='{side}']").bounding_box()
            page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"])
            page.keyboard.press("p")
            # Marks lie over the pictures; the line under the tuner names it too.
            marks = page.get_by_title(re.compile(f"^{number}: drag it"))
            expect(marks).to_have_count(1 if side == "reference" else 2)
    page.get_by_role("button", name="4 probes only").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_text("expected, from areas")).to_be_visible()
    expect(page.get_by_role("button", name="Estimate")).to_be_enabled()
    page.get_by_role("spinbutton", name="How much of the estimate is taken, per cent").fill("50")
    page.get_by_role("button", name="Estimate").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_text("an estimate by statistics, 50 % of it")).to_be_visible()
    expect(page.get_by_text("about: an estimate only")).to_be_visible()
