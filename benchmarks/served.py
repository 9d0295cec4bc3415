"""The application as it is used: edits over HTTP, how soon the screen shows them, the first page, its scripts."""

import gzip
import shutil
import statistics
import sys
import tempfile
import time
from pathlib import Path

import httpx
from playwright.sync_api import Page, sync_playwright

from big_rig import big_rig
from iskelo.command.install import built_screens
from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster
from iskelo.demo.orrin_point import orrin_point
from iskelo.formats.rig_file import write_rig
from iskelo.store.database import migrate

sys.path.insert(0, str(ROOT / "tests"))
from server import Server

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]
TIMES = 9


def edits_ms(url: str, rig: str) -> float:
    """Median time of an edit over HTTP: one figure of a box changed and everything surveyed anew."""
    state = httpx.get(f"{url}/api/rigs/{rig}", timeout=60).json()
    box = next(gear["id"] for gear in state["rig"]["gear"] if gear["kind"] == "interface")
    revision, taken = state["revision"], []
    with httpx.Client(base_url=f"{url}/api/rigs/{rig}", timeout=60) as api:
        for number in range(TIMES):
            edit = {"edit": "set", "item": box, "values": {"mixer_samples": 8 + number % 2}}
            began = time.perf_counter()
            answer = api.post("/edits", json={"revision": revision, "edits": [edit]})
            taken.append(1000 * (time.perf_counter() - began))
            revision = answer.json()["revision"]
    return statistics.median(taken)


def first_page_ms(page: Page, url: str, rig: str) -> float:
    taken = []
    for _ in range(5):
        began = time.perf_counter()
        page.goto(f"{url}/rigs/{rig}/lines")
        page.locator("tr[data-line], tr[data-run]").first.wait_for()
        taken.append(1000 * (time.perf_counter() - began))
    return statistics.median(taken)


SHOWN = """async () => {
  const said = () => document.querySelector('[data-testid="last-edit"]').textContent
  const before = said()
  performance.clearResourceTimings()
  const sent = performance.now()
  window.dispatchEvent(new KeyboardEvent("keydown", { key: "z", ctrlKey: true }))
  while (said() === before) await new Promise(requestAnimationFrame)
  const shown = performance.now()
  const asked = performance.getEntriesByType("resource").find((each) => each.name.endsWith("/undo"))
  return [asked.responseEnd - sent, shown - asked.responseEnd]
}"""
"""Ctrl+Z in the page: when its answer was there, and how much later the screen showed it."""


SCROLLED = """async () => {
  const scroller = document.querySelector('table[aria-label="Lines"]').parentElement
  const far = scroller.scrollHeight - scroller.clientHeight
  const frames = []
  let last = await new Promise(requestAnimationFrame)
  for (let frame = 1; frame <= 240; frame++) {
    scroller.scrollTop = (far * frame) / 240
    const now = await new Promise(requestAnimationFrame)
    frames.push(now - last)
    last = now
  }
  frames.sort((one, other) => one - other)
  return [frames[120], frames[228], frames.filter((each) => each > 17.5).length]
}"""
"""Four seconds of scrolling from the first line to the last: median frame, 95th percentile, frames over 1/60 s."""


def scrolling(page: Page) -> str:
    page.keyboard.press("v")
    page.locator('table[aria-label="Lines"][aria-rowcount="515"]').wait_for()
    middle, slow, late = page.evaluate(SCROLLED)
    return (
        f"scrolled through 512 unfolded lines (target 60 frames a second): {1000 / middle:.0f} a second, "
        f"frame {middle:.1f} ms, 95 % under {slow:.1f} ms, {late} of 240 late"
    )


def main() -> None:
    folder = Path(tempfile.mkdtemp(prefix="iskelo-bench-", dir="/tmp"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres")
    cluster.start()
    web_dir = built_screens()
    address = cluster.database("bench")
    migrate(address)
    server = Server(address, web_dir)
    server.start()
    try:
        print("\nServed (targets: edit on the demo 60 ms, on 512 lines 150 ms; shown 100 ms later; first page 1 s)")
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            for name, rig in (("demo", orrin_point()), ("512 lines", big_rig(512))):
                made = httpx.post(f"{server.url}/api/rigs/import", content=write_rig(rig), timeout=120).json()["id"]
                edit = edits_ms(server.url, made)
                first = first_page_ms(page, server.url, made)
                answered, shown = page.evaluate(SHOWN)
                print(
                    f"  {name:10} edit {edit:6.1f} ms   undo in the page answered {answered:6.1f} ms, "
                    f"shown {shown:6.1f} ms later   first page {first:7.1f} ms"
                )
            print(f"  {scrolling(page)}")
            browser.close()
        scripts = sorted((web_dir / "assets").glob("*.js")) if web_dir else []
        packed = sum(len(gzip.compress(script.read_bytes())) for script in scripts)
        print(f"  scripts at first load: {packed / 1000:.0f} kB gzipped (target 300)")
    finally:
        server.stop()
        cluster.stop("immediate")
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
