"""Trimming on the Bench: by keys alone, over a match that is replaced, in two windows."""

import re

import numpy as np
from playwright.sync_api import expect

from syntonos.core.chain import read_chain
from syntonos.core.chain.executor import execute
from syntonos.core.chain.readback import display_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.media import RecordingReader
from tests.foundry import WIDTH, same_places

BENCH = "/p/1/l/1/c/2/bench"


def matched(page):
    """Read both charts of B in the Foundry and fit; leaves the page on the Bench's trim."""
    start = page.url.split("/p/")[0].rstrip("/")
    page.goto(f"{start}/p/1/l/1/c/2/chart")
    page.get_by_role("button", name="Find", exact=True).nth(1).click()
    fit = page.get_by_role("button", name="Fit", exact=True)
    expect(fit).to_be_enabled()
    fit.click()
    expect(page.get_by_text(re.compile("ΔE expected of"))).to_be_visible()
    page.goto(f"{start}{BENCH}?panel=trim")
    expect(scale(page, "Exposure")).to_have_attribute("aria-valuetext", re.compile("trim 0.00"))
    expect(page.get_by_text("not measured")).to_have_count(0)
    return start


def scale(page, name, of="B in Foundry"):
    return page.get_by_role("slider", name=f"{name} of {of}")


def told(page, name):
    text = scale(page, name).get_attribute("aria-valuetext").replace("−", "-")
    return float(re.search(r"[-+]?[\d.]+", text)[0])


def test_a_trim_by_keys_alone_is_measured_kept_and_taken_back(page):
    matched(page)
    exposure = scale(page, "Exposure")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"^[−+]?0\.0\d stop"))
    exposure.focus()
    for _ in range(10):
        page.keyboard.press("ArrowRight")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"trim \+0\.20"))
    # At rest it is measured again: the picture is a fifth of a stop too bright.
    expect(page.get_by_role("button", name="Take off exposure")).to_be_visible()
    assert abs(told(page, "Exposure") - 0.2) < 0.03
    page.keyboard.press("Enter")
    page.keyboard.type("0.5")
    page.keyboard.press("Enter")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"trim \+0\.50"))
    page.keyboard.press("t")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"^[−+]?0\.0\d stop"))
    page.keyboard.press("Enter")
    page.keyboard.type("-0.1")
    page.keyboard.press("Enter")
    page.keyboard.press("n")
    expect(page.get_by_role("tab", name=re.compile("^tone"))).to_have_attribute(
        "aria-selected", "true"
    )
    page.keyboard.press("v")
    expect(page.get_by_text("trim 1 of B in Foundry")).to_be_visible()
    page.reload()
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"trim −0\.10"))
    page.keyboard.press("Control+z")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"trim 0\.00"))
    page.keyboard.press("Control+Shift+z")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"trim −0\.10"))


def test_a_trim_over_a_replaced_match_and_two_windows_that_disagree(page):
    start = matched(page)
    exposure = scale(page, "Exposure")
    # What stands beside the scales has come: nothing moves under the pointer any more.
    expect(page.get_by_role("combobox", name="What the tuner measures on")).to_be_visible()
    expect(page.locator("canvas[data-drawn=yes]")).to_have_count(4)
    box = exposure.bounding_box()
    page.mouse.move(box["x"] + 80, box["y"] + 6)
    page.mouse.down()
    page.mouse.move(box["x"] + 100, box["y"] + 6, steps=5)
    page.mouse.up()
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"trim \+0\.20"))
    other = page.context.browser.new_page(viewport={"width": 1280, "height": 800})
    other.goto(page.url)
    there = scale(other, "Warmth")
    expect(there).to_have_attribute("aria-valuetext", re.compile("trim 0"))
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("trim 1 of B in Foundry")).to_be_visible()
    there.focus()
    other.keyboard.press("ArrowRight")
    other.keyboard.press("v")
    expect(other.get_by_role("alert").get_by_text("is in force now", exact=False)).to_be_visible()
    other.close()
    # Another fit: the trim is marked, and what the new match leaves of it is kept.
    page.goto(f"{start}/p/1/l/1/c/2/chart")
    page.get_by_role("radio", name=re.compile("white and exposure")).click()
    page.get_by_role("button", name="Fit again").click()
    expect(page.get_by_text("match revision 2")).to_be_visible()
    page.goto(f"{start}{BENCH}?panel=trim")
    expect(page.get_by_text("Made over match 1; match 2 is in force now.")).to_be_visible()
    page.get_by_role("button", name="Keep what is left").click()
    expect(page.get_by_text("trim 2 of B in Foundry")).to_be_visible()
    expect(page.get_by_text("Made over")).to_have_count(0)
    text = exposure.get_attribute("aria-valuetext").replace("−", "-")
    assert abs(float(re.search(r"trim ([-+\d.]+)", text)[1]) - 0.2) < 0.06


def pane(page, side):
    return page.locator(f"[data-pane={side}]").bounding_box()


def test_probes_stay_with_their_clips_and_are_looked_at_from_near(page):
    start = matched(page)
    page.goto(f"{start}{BENCH}?panel=probes")
    expect(page.locator("canvas[data-drawn=yes]")).to_have_count(3)
    box = pane(page, "angle")
    page.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 0.4 * box["height"])
    expect(page.get_by_text(re.compile(r"file \d+ \d+ \d+ · display"))).to_be_visible()
    page.keyboard.press("p")  # under the pointer
    expect(page.get_by_role("button", name="Probe 1", exact=True)).to_have_count(1)
    box = pane(page, "reference")
    page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.4 * box["height"])
    expect(page.get_by_role("button", name="Probe 1", exact=True)).to_have_count(2)
    page.get_by_label("Name of the probe").fill("wall")
    page.keyboard.press("Enter")
    line = page.get_by_role("status", name="Probes")
    expect(line).to_contain_text(re.compile(r"wall.*ΔE \d+\.\d .* stop .* mired"))
    before = line.inner_text()
    scale(page, "Exposure").focus()
    page.keyboard.press("Control+ArrowRight")
    expect(line).not_to_have_text(before)
    # Another clip has no such probe; a reload of this one has it still.
    page.get_by_role("combobox", name="Angle clip").select_option(label="B001_01 chart")
    expect(page.get_by_role("button", name="Probe wall", exact=True)).to_have_count(1)
    page.get_by_role("combobox", name="Angle clip").select_option(label="B001_02 scene")
    page.reload()
    expect(page.get_by_role("button", name="Probe wall", exact=True)).to_have_count(2)
    # Near: both pictures about the probe, down to single pixels.
    page.get_by_role("row").filter(has_text="wall").click()
    page.get_by_role("button", name="Near").click()
    canvas = page.locator("[data-pane=angle] canvas")
    expect(canvas).to_have_attribute("data-region", re.compile(r"^0\.4\d+,0\.3\d+,0\.1\d+"))
    page.keyboard.press("f")
    expect(canvas).to_have_attribute("data-region", "all")
    # A stage is opened from its column, and Esc brings the table back.
    page.get_by_role("button", name="balance", exact=True).click()
    expect(page.get_by_role("tab", name="balance")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Escape")
    expect(page.get_by_role("tab", name="probes")).to_have_attribute("aria-selected", "true")


# Where the board, the apron, a plank, the overalls and the clay are seen by B and by A, as one
# would click them: shares of the pictures.
SEEN = (((0.469, 0.256), (0.524, 0.291)), ((0.419, 0.833), (0.416, 0.734)),
        ((0.244, 0.900), (0.353, 0.783)), ((0.381, 0.633), (0.387, 0.586)),
        ((0.869, 0.944), (0.789, 0.864)))  # fmt: skip


def frame_of(media, pattern):
    files = sorted(str(p) for p in media.rglob(pattern))
    reader = RecordingReader(files)
    try:
        return reader.read(0)
    finally:
        reader.close()


def distance(chains, frames, places):
    """Mean delta E 2000 between what two cameras show of the same places, five pixels wide."""
    lab = []
    for chain, frame, points in zip(chains, frames, places, strict=True):
        shown = display_lab(execute(read_chain(chain), frame))
        scale = frame.shape[1] / WIDTH
        lab.append([
            shown[int(y) - 2 : int(y) + 3, int(x) - 2 : int(x) + 3].reshape(-1, 3).mean(axis=0)
            for x, y in points * scale
        ])  # fmt: skip
    return float(delta_e_2000(np.array(lab[0]), np.array(lab[1])).mean())


def test_the_tuning_room_without_its_charts_in_under_25_actions(page, media):
    start = page.url.split("/p/")[0].rstrip("/")
    api = page.context.request
    found = api.get(f"{start}/api/productions/1/clips?most=500").json()["clips"]
    room = {c["name"]: c for c in found if c["name"][1:4] == "004"}
    for name in ("A004_01", "B004_01"):  # nobody shot a chart
        body = {"kind": "clip", "id": room[name]["id"], "is_away": True}
        assert api.post(f"{start}/api/productions/1/away", data=body).ok
    light = room["B004_02"]["light_id"]
    page.goto(f"{start}/p/1/l/{light}/c/2/bench?panel=trim&part=pairs")
    source = page.get_by_role("combobox", name="What the tuner measures on")
    expect(source).to_have_value("picture")

    def chains():
        return [api.get(f"{start}/api/clips/{room[name]['id']}/chain").json()
                for name in ("B004_02", "A004_02")]  # fmt: skip

    places = same_places("b-scene", "a-scene", step=24)
    frames = [frame_of(media, f"{letter}004_02*") for letter in "BA"]
    before = distance(chains(), frames, places)
    actions = 0
    for number, (theirs, ours) in enumerate(SEEN, start=1):
        for side, (x, y) in (("angle", theirs), ("reference", ours)):
            box = page.locator(f"[data-pane={side}]").bounding_box()
            page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
            marks = page.get_by_role("button", name=f"Probe {number}", exact=True)
            expect(marks).to_have_count(1 if side == "angle" else 2)
            actions += 1
    rows = page.get_by_role("row").filter(has_text="ΔE")
    expect(rows).to_have_count(5)
    expect(source).to_have_value("areas")
    settled = page.get_by_role("button", name="Take off exposure")
    expect(settled).to_be_visible()
    page.keyboard.press("t")
    actions += 1
    expect(settled).to_have_count(0)
    for row in (3, 1):  # the overalls, the apron
        rows.nth(row).get_by_role("button", name="Pair").click()
        actions += 1
    expect(page.get_by_label("Strength of pair 2, %")).to_be_visible()
    page.keyboard.press("v")
    actions += 1
    expect(page.get_by_text("trim 1 of B in Tuning room")).to_be_visible()
    after = distance(chains(), frames, places)
    assert actions < 25
    assert after < 2.0 < 0.8 * before, (before, after)
