"""Trimming on the Bench: by keys alone, over a match that is replaced, in two windows."""

import re

from playwright.sync_api import expect

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


def test_the_same_thing_in_both_pictures_becomes_a_pair(page):
    matched(page)
    page.keyboard.press("p")
    for side, at in (("reference", (0.43, 0.36)), ("angle", (0.42, 0.33))):
        box = page.locator(f"[data-picking={side}]").bounding_box()
        page.mouse.click(box["x"] + at[0] * box["width"], box["y"] + at[1] * box["height"])
    row = page.get_by_role("row").filter(has_text="ΔE")
    expect(row).to_have_count(1)
    expect(page.get_by_role("combobox", name="What the tuner measures on")).to_have_value("areas")
    row.get_by_role("button", name="White").click()
    expect(page.get_by_text("not kept yet")).to_be_visible()
    row.get_by_role("button", name="Pair").click()
    expect(page.get_by_label("Strength of pair 1, %")).to_have_value("100")
    # Compared anew, the two are one colour.
    expect(row.get_by_text(re.compile(r"^ΔE 0\.[0-9]$"))).to_be_visible()
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("trim 1 of B in Foundry")).to_be_visible()
