"""Take the pictures of docs/screenshots/ from a running Iskelo: python tests/web/pictures.py http://127.0.0.1:8460

A fresh copy of the demo is made for them and removed again.
"""

import re
import sys
from pathlib import Path

import httpx
from keyboard import make
from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-sync"]
LIST = "Line;Source;Box input;Track;Purpose;Limit\n" + "\n".join(
    [
        "Organ left;Reed organ L;1;Organ L;record;",
        "Ines;Narrator;9;Ines;record;",
        "Room, heard;Room pair;;Director's phones;listen;soon",
        "Dov, heard;Dov;;Director's phones;listen;10 ms",
        "Tank, heard;Tank hydrophone;;Director's phones;listen;10 ms",
    ]
)


def take(page: Page, name: str) -> None:
    page.wait_for_timeout(500)
    page.screenshot(path=FOLDER / f"{name}.png")


def mended(page: Page) -> None:
    """The pictures of a rig with a history: one line mended since the check."""
    page.keyboard.press("2")
    page.click('[data-line="Dov"]')
    page.keyboard.press("m")
    page.wait_for_timeout(600)
    make(page)
    page.wait_for_timeout(600)
    page.keyboard.press("Escape")
    page.keyboard.press("u")
    page.wait_for_timeout(300)
    page.keyboard.press("ArrowDown")
    take(page, "history")
    page.keyboard.press("Escape")
    page.click('[data-line="Alma, heard"]')
    page.keyboard.press("b")
    for typed in ("mic 4-6", "lon 4-6", "director", "{n}. cue", "10"):
        page.keyboard.type(typed)
        page.keyboard.press("Tab")
    take(page, "batch")


def parts(page: Page, url: str, rig: str) -> None:
    """The recorder of the demo brought into one on a smaller box."""
    with httpx.Client(base_url=f"{url}/api") as api:
        gear = api.get(f"/rigs/{rig}").json()["rig"]["gear"]
        longhand = next(each["id"] for each in gear if each["name"] == "Longhand")
        wanted = {"rig": rig, "name": "Recorder of the hall", "pieces": [longhand], "replace": True}
        part = next(each for each in api.post("/parts", json=wanted).json() if each["name"] == wanted["name"])
        small = api.post("/rigs", json={"name": "Annexe"}).json()["id"]
        for number, phrase in enumerate(("4 mic", "box 4x4 Pellow", "recorder Night"), start=1):
            api.post(f"/rigs/{small}/phrase", json={"revision": number, "text": phrase})
        page.goto(f"{url}/rigs/{small}/gear")
        page.locator('[data-card="Night"]').first.wait_for()
        page.keyboard.press("/")
        page.keyboard.type("night")
        page.keyboard.press("Enter")
        page.keyboard.press("p")
        page.get_by_role("button", name="Bring in Recorder of the hall").click()
        page.get_by_test_id("now-after").wait_for()
        page.get_by_text("Pellow has 4 capture channels").first.wait_for()
        take(page, "parts")
        api.delete(f"/parts/{part['id']}")
        api.delete(f"/rigs/{small}")


def mixer(page: Page, url: str) -> None:
    """The table of a mixer, in the example of one."""
    page.goto(url)
    page.get_by_role("button", name="Example: main mix and raw voices").click()
    page.get_by_test_id("arriving").wait_for()
    page.keyboard.press("1")
    page.locator('[data-card="Havra 16"]').first.wait_for()
    page.keyboard.press("/")
    page.keyboard.type("hav")
    page.keyboard.press("Enter")
    page.keyboard.press("k")
    page.locator('[data-strip="Bertil"]').wait_for()
    page.wait_for_timeout(500)
    take(page, "mixer")


def inserts(page: Page, url: str) -> None:
    """What hangs in a program's tracks, in the example of it, just measured."""
    page.goto(url)
    page.get_by_role("button", name="Example: outboard on an insert").click()
    page.get_by_test_id("arriving").wait_for()
    page.keyboard.press("1")
    page.locator('[data-card="Longhand"]').first.wait_for()
    page.keyboard.press("/")
    page.keyboard.type("long")
    page.keyboard.press("Enter")
    page.keyboard.press("i")
    page.get_by_label("Insert of Alma", exact=True).wait_for()
    page.keyboard.press("m")
    page.get_by_test_id("now-after").wait_for()
    make(page)
    page.get_by_role("dialog").wait_for(state="detached")
    take(page, "inserts")


def on_gear_and_timing(page: Page) -> None:
    """A lit way, a swap, boxes joined, the catalogue, a trial on the ladder."""
    page.locator('[data-card="Corvane 8"]').get_by_role("button", name=re.compile("^3: Corvane 8 jack in 3")).click()
    page.get_by_test_id("way").wait_for()
    take(page, "gear")
    page.locator('[data-card="Corvane 8"]').get_by_role("button", name="Corvane 8", exact=True).click()
    page.keyboard.press("w")
    page.keyboard.type("box 4x4")
    page.get_by_test_id("now-after").wait_for()
    take(page, "swap")
    page.keyboard.press("Escape")
    for box in ("pell", "corv"):
        page.keyboard.press("/")
        page.keyboard.type(box)
        page.keyboard.press("Enter")
        page.keyboard.press(" ")
    page.keyboard.press("j")
    page.get_by_label("Name of input 1", exact=True).wait_for()
    page.get_by_test_id("now-after").wait_for()
    take(page, "join")
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    page.keyboard.type("hall")
    page.keyboard.press("Enter")
    page.get_by_role("table", name="Inputs").wait_for()
    take(page, "aggregate")
    page.keyboard.press("c")
    page.get_by_role("button", name="Add Longhand").wait_for()
    take(page, "catalogue")
    page.keyboard.press("Escape")
    page.keyboard.press("3")
    page.get_by_role("listbox").wait_for()
    page.keyboard.press("e")
    page.keyboard.press("ArrowUp")
    page.get_by_test_id("now-after").wait_for()
    take(page, "timing")
    page.keyboard.press("Escape")


def main(url: str) -> None:
    rig = httpx.post(f"{url}/api/rigs", json={"example": "orrin-point"}).json()["id"]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{url}/rigs/{rig}/lines")
        page.click('[data-line="Alma, heard"]')
        take(page, "lines")
        page.keyboard.press("/")
        page.keyboard.type("hol")
        take(page, "symptom")
        page.keyboard.press("Escape")
        page.click('[data-line="Dov"]')
        page.keyboard.press("m")
        page.get_by_test_id("now-after").wait_for()
        take(page, "snags")
        page.keyboard.press("Escape")
        file = {"name": "inputs.csv", "mimeType": "text/csv", "buffer": LIST.encode()}
        page.get_by_label("Input list file").set_input_files([file])
        take(page, "list")
        page.keyboard.press("Escape")
        page.keyboard.press("1")
        on_gear_and_timing(page)
        page.keyboard.press("4")
        page.keyboard.press("r")
        page.locator("[data-target]").first.wait_for(timeout=60_000)
        page.locator('[data-target="Director\'s phones L"]').click()
        page.get_by_text("drawn and played").wait_for()
        take(page, "check")
        page.keyboard.press("f")
        page.keyboard.type("pell")
        page.get_by_label("The clock of Pellow Duo runs 200 ppm slower than it should").click()
        page.get_by_test_id("now-after").wait_for()
        take(page, "faults")
        page.keyboard.press("Escape")
        page.keyboard.press("5")
        page.locator("[data-step]").first.wait_for()
        for key in (" ", "ArrowDown", " ", "ArrowDown"):
            page.keyboard.press(key)
        take(page, "paper")
        page.get_by_role("button", name="For the next technician").click()
        page.get_by_role("table", name="Unusual here").wait_for()
        take(page, "handover")
        mended(page)
        parts(page, url, rig)
        mixer(page, url)
        inserts(page, url)
        browser.close()
    httpx.delete(f"{url}/api/rigs/{rig}")


if __name__ == "__main__":
    main(sys.argv[1])
