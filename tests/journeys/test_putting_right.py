"""The day matched in one press; what misleads is led to from the Board and put right there."""

import csv
import io
import json
import re
import urllib.request
import zipfile

import numpy as np
from playwright.sync_api import expect

from syntonos.core.chain import compile_chain, read_chain, run
from tests.journeys.conftest import LONG_WORK, PATIENCE
from tests.opencolorio import cube_file


def get(page, path):
    address = page.url.split("/p/")[0]
    with urllib.request.urlopen(f"{address}/api{path}", timeout=PATIENCE / 1000) as answer:
        return json.load(answer)


def taken(page):
    """What every clip is taken as."""
    clips = get(page, "/productions/1/clips?most=500")["clips"]
    return {c["name"]: (c["encoding"], c["levels"]) for c in clips}


def match_everything(page):
    page.get_by_role("button", name="Match everything").click()
    expect(page.get_by_role("button", name="Matching…")).to_be_visible()
    expect(page.get_by_role("button", name="Match everything")).to_be_enabled(timeout=LONG_WORK)
    # The check of encodings that the fits ask for by themselves.
    work = page.get_by_label("What is left to do")
    for name in ("B003_01", "C004_01"):
        expect(work.get_by_text(f"{name} may be something else", exact=False)).to_be_visible()


def test_a_day_is_matched_and_taken_away_in_few_clicks_and_what_is_wrong_put_right(page, tmp_path):
    match_everything(page)
    take_the_day_away(page, tmp_path)
    page.keyboard.press("h")
    put_the_two_wrong_clips_right(page)
    page.keyboard.press("h")
    see_what_is_clipped(page)


def put_the_two_wrong_clips_right(page):
    work = page.get_by_label("What is left to do")
    before = taken(page)
    for place, button, names, now in (
        ("B in Moulding hall", "Use S-Log2", {"B003_01", "B003_02"},
         ("s-log2/s-gamut3.cine", "full")),
        ("C in Tuning room", "Use V-Log", {"C004_01", "C004_02"}, ("v-log/v-gamut", "full")),
    ):  # fmt: skip
        # Three clicks from the Board: the row, the button, and what it means.
        work.get_by_role("link", name=place).click()
        page.get_by_role("button", name=re.compile(f"^{button}")).click()
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_role("row")).to_have_count(2)  # its head, and the one match it moves
        dialog.get_by_role("button", name="Take them so").click()
        expect(page.get_by_text("may be something else")).to_have_count(0)
        expected = before | dict.fromkeys(names, now)
        assert taken(page) == expected
        before = expected
        page.keyboard.press("h")
    board = get(page, "/productions/1/board")
    at = {(c["light_id"], c["camera_id"]): c for c in board["cells"]}
    camera = {c["letter"]: c["id"] for c in board["cameras"]}
    light = {row["name"]: row["id"] for row in board["lights"]}
    wrong = [at[light["Moulding hall"], camera["B"]], at[light["Tuning room"], camera["C"]]]
    assert all(cell["doubt"] is None for cell in wrong)
    assert wrong[0]["delta_e"] < 1.6
    # Nobody else's match was made anew.
    others = [c for c in board["cells"] if c not in wrong and c["match_number"]]
    assert {c["match_number"] for c in others} == {1}
    # An earlier revision brings back what it was fitted under: no figure of one on another.
    base = f"/lights/{light['Moulding hall']}/cameras/{camera['B']}"
    first = get(page, f"{base}/matches")[-1]
    page.goto(f"{page.url.split('/p/')[0]}/p/1/l/{light['Moulding hall']}/c/{camera['B']}/bench")
    page.get_by_role("button", name="Go back to this").last.click()
    expect(page.get_by_text(f"as revision {first['number']}")).to_be_visible()
    assert taken(page)["B003_01"] == ("s-log3/s-gamut3.cine", "full")
    assert get(page, base)["state"] == "off"
    page.keyboard.press("Control+z")
    expect(page.get_by_role("status").get_by_text(re.compile("^Undone: B in"))).to_be_visible()
    assert taken(page) == before


def test_a_chart_and_a_scene_that_decode_otherwise_are_off_with_the_repair(page):
    page.get_by_label("C Cedar in Foundry: open the Bench").click()
    expect(page.get_by_text("RGB parade")).to_be_visible()
    page.keyboard.press("e")
    page.get_by_role("button", name="legal", exact=True).wait_for()
    page.keyboard.press("l")  # the scene at full levels, the chart as it was
    page.get_by_role("button", name=re.compile("^Take it so")).click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("radio", name="C001_02 only").check()
    expect(dialog.get_by_text("No match stands on them.")).to_be_visible()
    dialog.get_by_role("button", name="Take it so").click()
    state = page.get_by_text(re.compile("the chart was read as .* C001_02 is taken as"))
    expect(state).to_be_visible()
    page.get_by_role("link", name="Chart", exact=True).click()
    repair = page.get_by_role("button", name="Take the scenes as the chart was read")
    repair.click()
    expect(repair).to_have_count(0)
    assert taken(page)["C001_02"] == ("v-log/v-gamut", "legal")


def take_the_day_away(page, tmp_path):
    page.get_by_role("button", name="Take away").click()
    page.get_by_role("button", name="All matched").click()
    page.get_by_role("button", name=re.compile("^Make 12 files")).click()  # of 16: 4 are linear
    link = page.get_by_role("link", name="Download")
    expect(link).to_be_visible(timeout=LONG_WORK)
    with page.expect_download() as told:
        link.click()
    told.value.save_as(tmp_path / "package.zip")
    archive = zipfile.ZipFile(tmp_path / "package.zip")
    rows = list(csv.DictReader(io.StringIO(archive.read("list.csv").decode())))
    luts = {name for name in archive.namelist() if name.endswith(".cube")}
    assert luts == {row["file"] for row in rows}
    assert len(luts) == 12
    board = get(page, "/productions/1/board")
    lights = {row["name"]: row["id"] for row in board["lights"]}
    cameras = {row["id"]: row["letter"] for row in board["cameras"]}
    clips = get(page, "/productions/1/clips?most=500")["clips"]
    for row in rows:
        archive.extract(row["file"], tmp_path)
        scene = next(
            c for c in clips
            if (cameras[c["camera_id"]], c["light_id"]) == (row["camera"][0], lights[row["light"]])
        )  # fmt: skip
        # What the Bench shows of it, as the reference camera would have recorded it.
        chain = get(page, f"/clips/{scene['id']}/chain")
        stages = [s for s in chain["stages"] if s["kind"] in ("decode", "input", "match")]
        stages.append({"kind": "output-encoding", "encoding": "logc3-ei800/awg3", "levels": "full"})
        chain = chain | {"stages": stages}
        rng = np.random.default_rng(11)
        codes = rng.uniform(0.3, 0.6, (200, 1)) + rng.uniform(-0.02, 0.02, (200, 3))
        codes = codes.astype(np.float32)
        want = run(compile_chain(read_chain(chain)), codes)
        cube_file(tmp_path / row["file"]).applyRGB(codes)
        assert np.abs(codes - want).max() < 0.01, row["file"]


def see_what_is_clipped(page):
    work = page.get_by_label("What is left to do")
    work.get_by_role("link", name="E in Tuning room").click()
    # The recording's own clipping, channel by channel, over the picture.
    expect(page.get_by_text(re.compile(r"clipped in R [3-9]\.\d %, G [2-9]\.\d %"))).to_be_visible()
    angle = get(page, "/lights/4/cameras/5")
    assert angle["state"] == "close"
    assert angle["clipped"] > 0.03
    assert angle["match"]["highlights"]["warm"] > 0.5
    page.get_by_role("link", name="Chart", exact=True).click()
    page.get_by_label("Clipped highlights, in the next fit").select_option("recorded")
    page.get_by_role("button", name="Fit again").click()
    expect(page.get_by_text(re.compile("% clipped, as recorded"))).to_be_visible()
    assert get(page, "/lights/4/cameras/5")["match"]["highlights"] is None
