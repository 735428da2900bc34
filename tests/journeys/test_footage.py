"""A card is looked through, corrected and brought in; files are dropped; the demo shows a day."""

import shutil

from playwright.sync_api import expect

from tests.warm import MEDIA


def test_a_card_comes_in_as_it_is_corrected(server, page, media):
    shutil.rmtree(MEDIA / "dropped", ignore_errors=True)  # of an earlier run
    page.goto(server)
    # The day: five cameras in four lights.
    expect(page.locator("[data-cell]")).to_have_count(20)
    page.get_by_role("button", name="Bring in").first.click()
    page.get_by_role("button", name="bellfounders").click()
    page.get_by_role("button", name="Second card").click()
    page.get_by_role("button", name="Look through this folder").click()
    waiting = page.get_by_role("table", name="Recordings that wait")
    expect(waiting.get_by_role("row")).to_have_count(5)
    # The copy that broke off is said, the rest is there; both parts of one recording are one.
    expect(page.get_by_label("Could not be read")).to_contain_text("B003_06.mov")
    expect(waiting.get_by_text("in 2 files")).to_be_visible()
    expect(waiting.get_by_text("1 frame missing")).to_be_visible()
    expect(page.get_by_label("Camera of E003_05")).to_have_value("E")
    expect(page.get_by_label("Light of E003_05")).to_have_value("Moulding hall")
    # One is put elsewhere, by its own name of a light; it stays so after a reload.
    page.get_by_label("Light of C003_05").select_option("another…")
    field = page.get_by_placeholder("Name of the light")
    field.fill("Yard")
    field.press("Enter")
    expect(page.get_by_label("Light of C003_05")).to_have_value("Yard")
    page.reload()
    expect(page.get_by_label("Light of C003_05")).to_have_value("Yard")
    page.get_by_role("button", name="Bring in all 4").click()
    page.get_by_label("Find clips").fill("003_05")
    clips = page.get_by_role("table", name="Clips")
    expect(clips.locator("tbody tr")).to_have_count(4)
    page.get_by_label("Light", exact=True).select_option("Yard")
    expect(clips.locator("tbody tr")).to_have_count(1)
    expect(clips).to_contain_text("1 frame missing: 2")

    # Settings: only what is ticked, named on the button, and back again.
    page.get_by_label("C003_05", exact=True).check()
    panel = page.get_by_label("Settings of clips")
    panel.get_by_label("curve levels", exact=True).select_option("full")
    panel.get_by_role("button", name="Apply curve levels to 1 clip").click()
    expect(clips).to_contain_text("own curve levels")
    panel.get_by_role("button", name="Back to the camera's curve levels").click()
    expect(clips).not_to_contain_text("own curve levels")

    # A broken file and a good one are dropped: one is refused in words, the other waits.
    good = (media / "Elm" / "E004_01.mp4").read_bytes()
    page.get_by_label("Files to bring in").set_input_files([
        {"name": "E009_01.mp4", "mimeType": "video/mp4", "buffer": good},
        {"name": "E009_02.mp4", "mimeType": "video/mp4", "buffer": good[:900]},
        {"name": "notes.doc", "mimeType": "text/plain", "buffer": b"x"},
    ])  # fmt: skip
    expect(page.get_by_role("alert").filter(has_text="notes.doc")).to_be_visible()
    expect(page.get_by_label("Could not be read")).to_contain_text("E009_02.mp4")
    expect(waiting.get_by_text("E009_01")).to_be_visible()
