"""What a hand feels on the Bench, in the real browser: pictures and scopes a second under a drag.

Chromium draws in software (`--disable-gpu`) beside the real server. A slider, a frame slider and
the wipe are dragged to and fro for six seconds each, three times; the median of the three is
printed with the waits between pictures, the longest task of the page's main thread, and whether the
last position is what is shown in the end.
"""

import json
import re
import shutil
import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from tests.journeys.conftest import ARGS, running_demo
from tests.warm import DEMO

SECONDS, RUNS, PER_SECOND = 6.0, 3, 60
LEAST_A_SECOND, MOST_WAIT, MOST_TASK = 12.0, 300.0, 80.0

# Notes when a canvas of the page is drawn: a picture counts when it is another one than before.
WATCH = """
(() => {
  const own = (window.__hand = { shown: {}, tasks: [], drafts: {} });
  const last = new WeakMap();
  const draw = CanvasRenderingContext2D.prototype.drawImage;
  CanvasRenderingContext2D.prototype.drawImage = function (image, ...rest) {
    const canvas = this.canvas;
    if (canvas instanceof HTMLCanvasElement) {
      const name = canvas.getAttribute('aria-label') ?? '';
      const kind = name.startsWith('RGB parade') ? 'parade'
        : name.startsWith('Vectorscope') ? 'vectorscope'
        : name.startsWith('Wipe') ? 'wipe' : 'picture';
      const side = canvas.getBoundingClientRect().left < innerWidth / 3 ? 'left' : 'right';
      const key = kind === 'picture' ? `${kind} ${side}` : kind;
      const now = performance.now();
      const times = (own.shown[key] ??= []);
      const isNew = kind !== 'picture' || last.get(canvas) !== image;
      last.set(canvas, image);
      if (isNew && now - (times.at(-1) ?? -1) > 4) times.push(now);
    }
    return draw.call(this, image, ...rest);
  };
  new PerformanceObserver((list) => {
    for (const e of list.getEntries()) own.tasks.push([e.startTime, e.duration]);
  }).observe({ type: 'longtask', buffered: true });
  const ask = window.fetch;
  window.fetch = (...args) => {
    if (String(args[0]).includes('pictures/draft')) {
      const body = JSON.parse(args[1].body);
      own.drafts[body.view] = body;
    }
    return ask(...args);
  };
})();
"""

# The last draft that was asked for, asked for again: is it what the right picture shows?
SAME = """
async (label) => {
  const canvas = [...document.querySelectorAll('canvas')].find((c) =>
    (c.getAttribute('aria-label') ?? '').startsWith(label));
  const pixels = (c) => c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
  const clip = label.split(',')[0];
  for (const body of Object.values(window.__hand.drafts)) {
    const answer = await fetch('/api/pictures/draft', { method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ ...body, view: `check-${body.view}` }) });
    const data = await answer.arrayBuffer();
    const length = new DataView(data).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)));
    const jpeg = new Blob([data.slice(4 + length, 4 + length + head.jpeg)], { type: 'image/jpeg' });
    const bitmap = await createImageBitmap(jpeg);
    const again = document.createElement('canvas');
    [again.width, again.height] = [bitmap.width, bitmap.height];
    again.getContext('2d').drawImage(bitmap, 0, 0);
    const [a, b] = [pixels(canvas), pixels(again)];
    if (a.length === b.length && a.every((v, i) => v === b[i])) return body;
  }
  return null;
}
"""


def _drag(page: Page, box: dict, period: float = 3.0) -> None:
    """Drag to and fro over a box, once a `period` of seconds, as fast as a mouse reports."""
    at = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] / 2, at)
    page.mouse.down()
    page.evaluate("window.__hand.shown = {}; window.__hand.tasks = []; "
                  "window.__hand.from = performance.now()")  # fmt: skip
    begin = time.perf_counter()
    while (now := time.perf_counter() - begin) < SECONDS:
        share = 0.5 + 0.4 * np.sin(2 * np.pi * now / period)
        page.mouse.move(box["x"] + box["width"] * share, at)
        time.sleep(max(0.0, 1 / PER_SECOND - (time.perf_counter() - begin - now)))
    page.evaluate("window.__hand.until = performance.now()")
    page.mouse.move(box["x"] + box["width"] * 0.77, at)
    page.mouse.up()


def _measure(page: Page, kinds: tuple[str, ...]) -> dict[str, float]:
    """Return pictures a second (of the slowest kind), waits and tasks of the last drag."""
    found = page.evaluate("window.__hand")
    rates, waits = [], []
    for kind in kinds:
        times = [t for t in found["shown"].get(kind, []) if t <= found["until"]]
        rates.append(len(times) / (found["until"] - found["from"]) * 1000)
        waits += list(np.diff([found["from"], *times, found["until"]]))
    tasks = [length for start, length in found["tasks"] if start <= found["until"] + 300]
    return {"a_second": min(rates), "wait": float(np.percentile(waits, 99)),
            "median_wait": float(np.median(waits)), "task": max(tasks, default=0.0)}  # fmt: skip


def _settled(page: Page) -> None:
    page.wait_for_timeout(1200)


def bench_hand(address: str, kinds: str = "slider,needle,frame,video,wipe") -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=[*_software(ARGS), "--disable-gpu"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(WATCH)
        board = page.request.get(f"{address}/api/productions").json()[0]["id"]
        place = f"{address}/p/{board}/l/1/c/"
        both = ("picture left", "picture right", "parade", "vectorscope")
        kinds_of = {"wipe": ("wipe",), "needle": both[1:]}  # a needle turns the angle alone
        for what in kinds.split(","):
            runs = []
            for _ in range(RUNS):
                compare = "upright" if what == "wipe" else "side"
                # Elm records HEVC with one key frame a second, Cedar sequences of pictures.
                camera = 5 if what == "video" else 3
                panel = "trim" if what == "needle" else "balance"
                page.goto(f"{place}{camera}/bench?panel={panel}&compare={compare}")
                drawn = page.locator("canvas[data-drawn=yes]")
                drawn.nth(2 if what == "wipe" else 3).wait_for(state="attached")
                _settled(page)
                if what == "slider":
                    thing = page.get_by_role("slider", name="Exposure", exact=True)
                elif what == "needle":
                    thing = page.get_by_role("slider", name="Exposure of")
                elif what in ("frame", "video"):
                    thing = page.get_by_role("slider", name="Reference frame")
                else:
                    thing = page.get_by_label("Wipe of reference and angle")
                # A clip of a second has 24 frames: at the usual pace fewer than 13 a second change.
                _drag(page, thing.bounding_box(), 1.5 if what in ("frame", "video") else 3.0)
                _settled(page)
                run = _measure(page, kinds_of.get(what, both))
                run["last"] = float(_is_last(page, what))
                runs.append(run)
            _report(what, runs)
        browser.close()


def _is_last(page: Page, what: str) -> bool:
    """Say whether what is on screen is what the hand let go of."""
    if what == "wipe":
        at = float(page.get_by_role("slider", name="Wipe").get_attribute("aria-valuenow"))
        return abs(at - 77) < 1.5
    label = page.locator("canvas[role=img]").nth(1).get_attribute("aria-label")
    body = page.evaluate(SAME, label)
    if body is None:
        return False
    if what == "needle":
        text = page.get_by_role("slider", name="Exposure of").get_attribute("aria-valuetext")
        value = float(re.search(r"trim ([-+\d.]+)", text.replace("−", "-"))[1])
        return abs(body["overrides"]["trim"]["stops"] - value) < 0.006
    if what == "slider":
        dial = page.get_by_role("slider", name="Exposure", exact=True)
        value = float(dial.get_attribute("aria-valuenow"))
        dials = re.search(r'"stops": ?(-?[\d.]+)', json.dumps(body.get("dials") or body))
        return dials is not None and abs(float(dials[1]) - value) < 1e-9
    return body["frame"] == int(page.get_by_role("slider", name="Angle frame").input_value())


def _software(args: list[str]) -> list[str]:
    return [a for a in args if "angle" not in a and "swiftshader" not in a]


def _report(what: str, runs: list[dict[str, float]]) -> None:
    rate, wait, task = (statistics.median(r[k] for r in runs) for k in ("a_second", "wait", "task"))
    usual = statistics.median(r["median_wait"] for r in runs)
    last = all(r["last"] for r in runs)
    fine = rate >= LEAST_A_SECOND and wait <= MOST_WAIT and task <= MOST_TASK and last
    print(f"drag_{what} pictures_a_second={rate:.1f} wait_median={usual:.0f}ms "
          f"wait_99={wait:.0f}ms longest_task={task:.0f}ms last_shown={'yes' if last else 'no'} "
          f"limits={LEAST_A_SECOND:.0f}/{MOST_WAIT:.0f}/{MOST_TASK:.0f} "
          f"{'ok' if fine else 'short'}", flush=True)  # fmt: skip


def main() -> None:
    if len(sys.argv) > 1:
        bench_hand(*sys.argv[1:])
        return
    with tempfile.TemporaryDirectory() as folder:
        if DEMO.is_dir():
            shutil.copytree(DEMO, folder, dirs_exist_ok=True)
        with running_demo(Path(folder)) as address:
            bench_hand(address)


if __name__ == "__main__":
    main()
