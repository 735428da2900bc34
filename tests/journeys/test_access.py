"""Every view at every size: nothing overlaps or leaves the screen, and keys show where they are.

The rules of accessibility are axe-core's (WCAG 2.2 A and AA), run in the page.
"""

from pathlib import Path

from playwright.sync_api import expect

AXE = Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js"
VIEWS = (
    "/p/1", "/p/1/footage?show=clips", "/p/1/footage?show=waiting", "/p/1/l/1/c/3/chart",
    "/p/1/l/1/c/2/chart", "/p/1/l/1/c/3/bench", "/p/1/l/1/c/3/bench?panel=balance",
    "/p/1/l/1/c/3/bench?panel=look&compare=upright", "/p/1/l/1/c/3/bench?panel=encoding",
    "/p/1/take-away", "/p/1/take-away?light=1&camera=3", "/productions",
)  # fmt: skip

# Controls whose middle belongs to something else: covered, or cut off by the window. What lies in
# a scrolled part is reached by scrolling; what is 1 px wide is for screen readers.
COVERED = """() => [...document.querySelectorAll('button, a, select, input')].flatMap((el) => {
  const box = el.getBoundingClientRect();
  if (box.width < 2 || box.height < 2 || getComputedStyle(el).visibility === 'hidden') return [];
  const [x, y] = [box.left + box.width / 2, box.top + box.height / 2];
  for (let p = el.parentElement; p; p = p.parentElement) {
    const style = getComputedStyle(p);
    if (!/auto|scroll/.test(style.overflowY + style.overflowX)) continue;
    const frame = p.getBoundingClientRect();
    if (y < frame.top + 8 || y > frame.bottom - 8 || x < frame.left || x > frame.right) return [];
  }
  const top = document.elementFromPoint(x, y);
  const same = top && (el.contains(top) || top.contains(el) || top.closest('label')?.contains(el));
  return same ? [] : [el.getAttribute('aria-label') || el.textContent.trim() || el.tagName];
})"""


def opened(page, server, path):
    page.goto(server + path)
    page.locator("main").first.wait_for()
    page.wait_for_load_state("networkidle")
    expect(page.locator(".loading")).to_have_count(0)


# The third is 1280x800 at 150 %.
SIZES = ((1280, 800), (1024, 700), (853, 533), (1920, 1080))


def test_no_view_breaks_a_serious_rule_overlaps_or_leaves_the_screen(page, server):
    for path in VIEWS:
        page.set_viewport_size({"width": 1280, "height": 800})
        opened(page, server, path)
        page.evaluate(AXE.read_text())
        found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")
        serious = [
            f"{path}: {v['id']}: {v['nodes'][0]['html'][:120]}"
            for v in found["violations"] if v["impact"] in ("serious", "critical")
        ]  # fmt: skip
        assert not serious
        for width, height in SIZES:
            page.set_viewport_size({"width": width, "height": height})
            # Two frames: laid out anew, and by what watches sizes.
            page.evaluate("() => new Promise((r) => requestAnimationFrame(() => "
                          "requestAnimationFrame(() => setTimeout(r, 50))))")  # fmt: skip
            expect(page.locator(".loading")).to_have_count(0)
            where = f"{path} at {width}x{height}"
            assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), where
            assert page.evaluate(COVERED) == [], where


def test_focus_is_seen_on_every_kind_of_control(page, server):
    opened(page, server, "/p/1/l/1/c/3/bench?panel=balance")
    seen = set()
    for _ in range(40):
        page.keyboard.press("Tab")
        kind, width, colour = page.evaluate(
            "() => { const e = document.activeElement, s = getComputedStyle(e);"
            " return [e.tagName + (e.type || ''), parseFloat(s.outlineWidth), s.outlineColor] }"
        )
        seen.add(kind)
        assert width >= 2, kind
        # Light on a dark page.
        assert "0.3" not in colour, (kind, colour)
    assert len(seen) >= 4
