"""The sheet's pace with 10,000 exposures and their coverage shown, dragged and zoomed in a real browser against a
served Kardo: `python -m benchmarks.pace [URL NAME PASSWORD]`."""

import argparse
import json
import math
import statistics
import tempfile
import time
from itertools import pairwise
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from benchmarks.checkouts import HERE, demo_database, served
from benchmarks.coverage import block

FLAGS = (
    "--no-sandbox --disable-gpu --no-first-run --disable-background-networking --disable-component-update"
    " --disable-sync"
)
SECONDS, SETTLE = 5.0, 12.0
DATABASE = "kardo_pace"
FRAMES = """seconds => new Promise(done => { const at = []; const began = performance.now();
  const tick = now => { at.push(now); now - began < 1000 * seconds ? requestAnimationFrame(tick) : done(at); };
  requestAnimationFrame(tick); })"""


def main() -> None:
    """Frames a second, and the middle and the slowest of twenty frames in milliseconds."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("url", nargs="?", help="of a Kardo that is served; without one the demo is served for it")
    parser.add_argument("name", nargs="?", default="planner")
    parser.add_argument("password", nargs="?", default="corvane-demo")
    parser.add_argument("--json", type=Path, help="write the figures here")
    args = parser.parse_args()
    told = _at(args.url, args.name, args.password) if args.url else _of_demo(args.name, args.password)
    if args.json:
        args.json.write_text(json.dumps(told, indent=1))


def _of_demo(name: str, password: str) -> dict[str, float]:
    """The same of the demo on a database of its own, with the memory of all its processes before and after."""
    demo_database(DATABASE)
    with served(HERE, DATABASE) as server:
        time.sleep(SETTLE)
        began = server.megabytes()
        told = _at(server.address, name, password)
        time.sleep(SETTLE)
        memory = {"megabytes": began, "megabytes in use": server.megabytes()}
    print(", ".join(f"{what}: {figure:.0f}" for what, figure in memory.items()))
    return told | memory


def _at(url: str, name: str, password: str) -> dict[str, float]:
    """The middle frame of each, milliseconds."""
    told = {}
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS.split())
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        _opened(page, url, name, password)
        box = page.get_by_role("application").bounding_box()
        assert box is not None
        middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        for words, move in (("still", None), ("dragged", _drag), ("zoomed", _zoom)):
            took = _frames(page, middle, move)
            _told(words, took)
            told[words] = sum(took) / len(took)
        browser.close()
    return told


def signed_in(page: Page, url: str, name: str = "planner", password: str = "corvane-demo") -> None:
    """Up to the list of jobs."""
    page.goto(url)
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="Jobs").wait_for()


def _opened(page: Page, url: str, name: str, password: str) -> None:
    signed_in(page, url, name, password)
    with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
        json.dump(block(10_000).to_json(), file)
        file.flush()
        page.get_by_label("Import a Kardo plan").set_input_files(Path(file.name))
        page.get_by_test_id("datum-strip").wait_for(timeout=60_000)  # the browser reads the file when it sends it
    page.keyboard.press("3")
    page.get_by_role("tab", name="coverage").click()
    page.get_by_text("images that see the ground").first.wait_for(timeout=60_000)
    page.wait_for_timeout(3000)


def _frames(page: Page, middle: tuple[float, float], move) -> list[float]:  # type: ignore[no-untyped-def]
    """Milliseconds from frame to frame while the sheet is moved."""
    page.evaluate("window.told = undefined; 0")
    page.evaluate(f"({FRAMES})({SECONDS}).then(at => {{ window.told = at; }}); 0")
    if move is not None:
        move(page, *middle)
    while (at := page.evaluate("window.told || null")) is None:
        page.wait_for_timeout(100)
    return [b - a for a, b in pairwise(at)]


def _drag(page: Page, x: float, y: float) -> None:
    page.mouse.move(x, y)
    page.mouse.down()
    for k in range(300):
        page.mouse.move(x + 150 * math.sin(k / 15), y + 80 * math.cos(k / 15))
        page.wait_for_timeout(8)
    page.mouse.up()


def _zoom(page: Page, x: float, y: float) -> None:
    page.mouse.move(x, y)
    for k in range(100):
        page.mouse.wheel(0, -60 if k % 40 < 20 else 60)
        page.wait_for_timeout(30)


def _told(words: str, took: list[float]) -> None:
    slow = sorted(took)[int(0.95 * len(took))]
    print(
        f"{words}: {1000 * len(took) / sum(took):.0f} frames a second, middle {statistics.median(took):.1f} ms, one in"
        f" twenty over {slow:.1f} ms"
    )


if __name__ == "__main__":
    main()
