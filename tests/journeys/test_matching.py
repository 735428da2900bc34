"""From a camera that does not match to a LUT in the hand: once by mouse, once by keys."""

import re

import numpy as np
from playwright.sync_api import expect

from syntonos.core.chain import Chain, Decode, Output, apply_lut, compile_chain, read_chain, run
from syntonos.core.chain.readback import display_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.formats import read_cube
from syntonos.core.media import RecordingReader
from tests.journeys.conftest import LONG_WORK
from tests.opencolorio import cube_file, through


def _cell(page, letter):
    # In the first light; the demo's second one is night.
    return page.locator(f"[data-cell^='{letter}-']").first


def _drawn(page, count):
    expect(page.locator("canvas[data-drawn=yes]").nth(count - 1)).to_be_attached()


def _pixels(page, label):
    """Return what a canvas shows, (n, 3) bytes, a sample of it."""
    return np.array(
        page.get_by_label(label, exact=False).first.evaluate(
            """c => { const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
                      const out = []; for (let i = 0; i < d.length; i += 4 * 97)
                        out.push([d[i], d[i + 1], d[i + 2]]); return out; }"""
        ),
        float,
    )


def test_by_mouse_from_the_board_to_a_lut_that_holds(page, media, tmp_path):
    # Matched within the tolerance, but its window is clipped: the figure does not say that.
    expect(_cell(page, "C")).to_have_attribute("data-state", "close")
    expect(_cell(page, "C").get_by_text("2 % clipped")).to_be_visible()
    birch = _cell(page, "B")
    expect(birch).to_have_attribute("data-state", "not_measured")
    birch.get_by_role("link", name="Read chart").click()

    # Chart: find it in both, then fit.
    for letter in "AB":
        section = page.get_by_label(f"Chart of camera {letter}")
        section.get_by_role("button", name="Find", exact=True).click()
        expect(section.get_by_text(re.compile("reading [12], 4 frames"))).to_be_visible()
    page.get_by_role("button", name="Fit", exact=True).click()
    expect(page.get_by_text("Trust it:")).to_be_visible()
    expect(page.get_by_test_id("residuals").get_by_role("button")).to_have_count(24)
    page.get_by_role("link", name="Bench").click()

    # Bench: the match changes the picture; wipe by dragging; all of it survives a reload.
    _drawn(page, 4)
    matched = _pixels(page, "B001_02, match 1")
    page.get_by_role("button", name="Match on").click()
    expect(page.get_by_role("button", name="Match off")).to_be_visible()
    expect(page.locator('canvas[aria-label*="match 1"]')).to_have_count(0)
    before = _pixels(page, "B001_02, as shot")
    assert np.abs(before - matched).mean() > 4
    page.get_by_role("button", name="Match off").click()
    page.get_by_role("button", name="Wipe │").click()
    wipe = page.get_by_role("slider", name="Wipe")
    box = page.get_by_label("Wipe of reference and angle").bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 50)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.25, box["y"] + 60, steps=4)
    page.mouse.up()
    expect(wipe).to_have_attribute("aria-valuenow", re.compile(r"2[45](\.\d)?"))
    page.reload()
    expect(wipe).to_have_attribute("aria-valuenow", re.compile(r"2[45](\.\d)?"))

    # Take away: a display LUT, downloaded, applied by OpenColorIO to the clip.
    page.get_by_role("link", name="Take away").click()
    page.get_by_label("to Rec.709").check()
    page.get_by_role("button", name="Make the LUT").click()
    row = page.get_by_test_id("export")
    expect(
        row.get_by_text(
            re.compile(r"^B_foundry_s-log3-s-gamut3-cine_full_to-rec709_65_[0-9a-f]{8}_v1\.cube$")
        )
    ).to_be_visible()
    with page.expect_download() as download:
        row.get_by_role("link", name="Download").click()
    cube = tmp_path / "taken.cube"
    download.value.save_as(cube)
    angle = page.request.get(re.sub(r"/p/.*", "/api/lights/1/cameras/2", page.url)).json()
    scene = next(c["id"] for c in angle["angle"]["clips"] if c["kind"] == "scene")
    said = page.request.get(re.sub(r"/p/.*", f"/api/clips/{scene}/chain", page.url)).json()
    chain = read_chain(said)
    assert chain.output == Output()
    codes = RecordingReader([media / "Birch" / "B001_02.mov"]).read(0).reshape(-1, 3)
    exact = run(compile_chain(chain), codes)
    seen = through(cube_file(cube), codes)
    d = delta_e_2000(display_lab(seen[::3]), display_lab(exact[::3]))
    assert d.mean() < 0.1
    assert np.percentile(d, 99.9) < 0.8
    # And what the Bench showed is that same chain, up to JPEG.
    assert np.abs(apply_lut(codes, read_cube(cube.read_bytes()).table) - exact).max() < 0.1
    assert Chain(Decode("s-log3/s-gamut3.cine"), chain.output, match=chain.match) == chain


def test_by_keys_with_wrong_input_and_back_again(page):
    expect(_cell(page, "B")).to_be_visible()
    # The second cell is chosen; C opens its chart.
    page.keyboard.press("c")
    grid = page.get_by_label("Chart of camera B")
    expect(grid.get_by_text("not read yet")).to_be_visible()
    page.keyboard.press("m")  # nothing to fit yet: nothing happens
    expect(page.get_by_text("B is not matched to A")).to_be_visible()

    # By hand, first in the wrong place: the chart's edge is out of the picture.
    grid.get_by_role("button", name="By hand").click()
    corner = grid.get_by_role("button", name="corner patch 1, dark skin")
    corner.focus()
    before = corner.get_attribute("aria-label")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowDown")
    assert corner.get_attribute("aria-label") != before
    last = grid.get_by_role("button", name="corner patch 24, black")
    last.focus()
    for _ in range(3):
        page.keyboard.press("ArrowDown")
    page.evaluate(
        """async () => (await fetch('/api/clips/3/readings', {method: 'POST',
             headers: {'Content-Type': 'application/json'},
             body: JSON.stringify({corners: [[800, 10], [955, 10], [955, 90], [800, 90]]})
           })).status"""
    )
    grid.get_by_role("button", name="Undo").click()

    page.keyboard.press("f")  # find in both
    expect(grid.get_by_text("reading 1, 4 frames")).to_be_visible()
    page.keyboard.press("m")
    expect(page.get_by_text("Trust it:")).to_be_visible()

    # A second revision without red, and back to the first on the Bench.
    page.get_by_test_id("residuals").get_by_role("button", name=re.compile("^red 15")).press(
        "Enter"
    )
    page.keyboard.press("m")
    expect(page.get_by_text("by hand")).to_be_visible()
    page.get_by_role("link", name="Bench").press("Enter")
    _drawn(page, 4)
    revisions = page.get_by_label("Revisions")
    revisions.get_by_role("button", name="Go back to this").last.press("Enter")
    expect(revisions.get_by_text("as revision 1")).to_be_visible()

    # Keys of the Bench; the address holds what they did.
    for key, says in (("b", "match=off"), ("w", "compare=upright"), ("g", "scopes=off"),
                      ("s", "surround=black")):  # fmt: skip
        page.keyboard.press(key)
        page.wait_for_url(f"**{says}**")
    page.keyboard.down("r")
    expect(page.get_by_text("the reference, held (R)")).to_be_visible()
    page.keyboard.up("r")
    expect(page.get_by_text("the reference, held (R)")).to_have_count(0)
    wipe = page.get_by_role("slider", name="Wipe")
    wipe.focus()
    page.keyboard.press("ArrowLeft")
    expect(wipe).to_have_attribute("aria-valuenow", "48")
    # A key that repeats loses nothing, and cameras whose clocks agree go together.
    page.get_by_role("slider", name="Angle frame").focus()
    for _ in range(7):
        page.keyboard.press("ArrowRight")
    page.wait_for_url(lambda url: "r=7" in url and "f=7" in url)
    page.keyboard.press("3")  # the third camera
    page.wait_for_url("**/c/3/bench**")

    # Help, find, home.
    page.keyboard.press("?")
    expect(page.get_by_role("dialog").get_by_text("match off and on")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    page.keyboard.type("take aw")
    page.keyboard.press("Enter")
    page.wait_for_url("**/take-away")
    page.keyboard.press("h")
    expect(_cell(page, "B")).to_have_attribute("data-state", "in_tune")


def test_a_whole_light_in_one_go_after_a_reload(page):
    night = page.locator("[data-cell='C-2']")
    expect(night).to_have_attribute("data-state", "not_measured")
    page.get_by_role("button", name="Match all here").nth(1).click()
    expect(page.get_by_role("progressbar")).to_be_visible()
    page.reload()
    # Its cell shows what came of it while the others are still matched.
    expect(night).to_have_attribute("data-state", re.compile("in_tune|close"))
    expect(page.get_by_role("progressbar")).to_have_count(0, timeout=LONG_WORK)
    # B has no chart of the night: it is matched from the picture, and its cell says so.
    expect(page.locator("[data-cell='B-2']")).to_contain_text("by picture")
