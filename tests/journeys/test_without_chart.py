"""A light in which nobody shot a chart, matched from the picture by mouse."""

import re

from playwright.sync_api import expect


def test_a_light_without_a_chart_is_matched_from_the_picture(page):
    start = page.url.split("/p/")[0].rstrip("/")
    api = page.context.request
    found = api.get(f"{start}/api/productions/1/clips?most=500").json()["clips"]
    room = {c["name"]: c for c in found if c["name"][1:4] == "004"}
    for name in ("A004_01", "B004_01"):
        body = {"kind": "clip", "id": room[name]["id"], "is_away": True}
        assert api.post(f"{start}/api/productions/1/away", data=body).ok
    page.goto(f"{start}/p/1")
    page.get_by_role("link", name=re.compile("B in Tuning room no chart clip here")).click()
    page.get_by_role("button", name="Match from the picture").click()
    row = page.get_by_text(re.compile(r"from the picture: \d+ places, \d+ % in common"))
    expect(row).to_be_visible()
    # The tuner is measured on the same, and every needle stands in its band.
    expect(page.get_by_role("combobox", name="What the tuner measures on")).to_have_value("scene")
    exposure = page.get_by_role("slider", name="Exposure of B in Tuning room")
    expect(exposure).to_have_attribute("aria-valuetext", re.compile(r"^[−+]?0\.0[0-4] stop"))
    page.keyboard.press("Control+z")
    # The revision stays in the list; it is no longer the one in force.
    expect(page.get_by_text("in force", exact=True)).to_have_count(0)
    expect(page.get_by_role("button", name="No match yet")).to_be_visible()
