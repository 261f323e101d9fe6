"""How quickly the page answers, in a real browser on the demo job: `python -m benchmarks.stations [--dragging
MINUTES]`.

From the key to the drawn station, the first time and again; from a typed digit to the frame that shows it; what the
first page loads and what each station asks for; and, with --dragging, what so many minutes of dragging leave in the
memory of browser, web and live server."""

import argparse
import json
import math
import statistics
import time
from dataclasses import dataclass
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from benchmarks.checkouts import HERE, Served, demo_database, served
from benchmarks.pace import DATABASE, FLAGS, signed_in

# From the event to the second frame after what was asked for stands in the page: the first frame is handed to the
# screen by then.
OPENED = """([key, id]) => new Promise(done => { const began = performance.now();
  const drawn = () => { const tray = document.querySelector(`[data-testid=tray-${id}]`);
    tray && !tray.innerText.startsWith('Opening') && tray.querySelector('h2')
      ? requestAnimationFrame(() => done(performance.now() - began)) : requestAnimationFrame(drawn); };
  window.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true })); requestAnimationFrame(drawn); })"""
TYPED = """() => new Promise(done => { const field = document.activeElement; field.setSelectionRange(0, 0); const began = performance.now();
  document.execCommand('insertText', false, '1'); requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - began))); })"""
STATIONS = ("brief", "site", "flight", "base", "control", "verdict", "day", "book", "close")
TURNS = 3


@dataclass
class Asked:
    """Requests of a page since it was last looked at."""

    page: Page

    def __post_init__(self) -> None:
        self._paths: list[str] = []
        self._bytes = 0
        self.page.on("requestfinished", self._note)

    def _note(self, request) -> None:  # type: ignore[no-untyped-def]
        self._paths.append(request.url.split("//", 1)[1].partition("/")[2].partition("?")[0])
        sizes = request.sizes()
        self._bytes += sizes["responseBodySize"] + sizes["responseHeadersSize"]

    def told(self) -> tuple[list[str], int]:
        """Paths and bytes since."""
        paths, size = self._paths, self._bytes
        self._paths, self._bytes = [], 0
        return [_short(path) for path in paths], size


def _short(path: str) -> str:
    return "/".join("…" if len(part) > 30 else part for part in path.split("/"))


def measured(server: Served, minutes: float = 0.0) -> dict[str, float]:
    """Milliseconds of the slowest station and of a typed digit, bytes of the first page; megabytes that dragging
    left."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS.split())
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        asked = Asked(page)
        signed_in(page, server.address)
        page.wait_for_load_state("networkidle")
        paths, size = asked.told()
        print(f"first page: {len(paths)} requests, {size / 1000:.0f} kB")
        told = {"first page, kB": size / 1000}
        page.get_by_role("link", name="Sallow Bank").first.click()
        page.get_by_test_id("absolute-v").wait_for(timeout=120_000)
        page.wait_for_timeout(3000)
        paths, size = asked.told()
        print(f"a job: {len(paths)} requests, {size / 1000:.0f} kB: {', '.join(paths)}")
        told |= _stations(page, asked) | _typed(page)
        if minutes:
            told |= _dragged(page, server, minutes)
        browser.close()
    return told


def _stations(page: Page, asked: Asked) -> dict[str, float]:
    first, again = {}, {name: list[float]() for name in STATIONS}
    for turn in range(TURNS + 1):
        for key, name in enumerate(STATIONS, 1):
            took = page.evaluate(OPENED, [str(key), name])
            page.wait_for_timeout(400)
            if turn:
                again[name].append(took)
                continue
            first[name] = took
            print(f"{name}: {took:.0f} ms; {', '.join(asked.told()[0])}")
    middle = {name: statistics.median(took) for name, took in again.items()}
    print("again: " + ", ".join(f"{name} {took:.0f}" for name, took in middle.items()))
    return {"station first opened, ms": max(first.values()), "station opened, ms": max(middle.values())}


def _typed(page: Page) -> dict[str, float]:
    page.keyboard.press("1")
    page.get_by_label("Title").focus()
    took = []
    for _ in range(10):
        took.append(page.evaluate(TYPED))
        page.wait_for_timeout(50)
    page.keyboard.press("Escape")
    print(f"a typed digit: {statistics.median(took):.0f} ms for two frames")
    return {"typed, ms": statistics.median(took)}


def _dragged(page: Page, server: Served, minutes: float) -> dict[str, float]:
    """A target moved round and round; megabytes before and after, the browser's as its heap after a collection."""
    page.keyboard.press("5")
    box = page.get_by_role("application").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    client = page.context.new_cdp_session(page)

    def heap() -> float:
        client.send("HeapProfiler.collectGarbage")
        return client.send("Runtime.getHeapUsage")["usedSize"] / 1e6

    def round_(seconds: float) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            page.keyboard.press("g")
            page.mouse.click(x, y)
            page.wait_for_timeout(500)
            page.mouse.move(x, y)
            page.mouse.down()
            for k in range(200):
                page.mouse.move(x + 60 * math.sin(k / 15), y + 40 * math.cos(k / 15) - 40)
                page.wait_for_timeout(50)
            page.mouse.up()
            page.keyboard.press("Control+z")
            page.wait_for_timeout(300)
            page.keyboard.press("Control+z")
            page.wait_for_timeout(300)

    round_(60)  # what is loaded once
    before = heap(), server.megabytes()
    round_(60 * minutes)
    page.wait_for_timeout(10_000)
    after = heap(), server.megabytes()
    print(
        f"{minutes:g} minutes of dragging: page {before[0]:.0f} -> {after[0]:.0f} MB, processes {before[1]:.0f} ->"
        f" {after[1]:.0f} MB"
    )
    return {"left in the page, MB": after[0] - before[0], "left in the processes, MB": after[1] - before[1]}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--dragging", type=float, default=0.0, help="minutes")
    parser.add_argument("--json", type=Path, help="write the figures here")
    args = parser.parse_args()
    demo_database(DATABASE)
    with served(HERE, DATABASE) as server:
        time.sleep(20)  # workers load what they need
        told = measured(server, args.dragging)
    if args.json:
        args.json.write_text(json.dumps(told, indent=1))


if __name__ == "__main__":
    main()
