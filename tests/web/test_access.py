"""Screens for everybody: axe-core finds nothing serious on any of them, in either theme."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from iskelo.command.places import WEB

AXE = WEB / "node_modules" / "axe-core" / "axe.min.js"


WORN = """(night) => {
  document.documentElement.classList.toggle("dark", night)
  document.documentElement.style.colorScheme = night ? "dark" : "light"
}"""
RUN = "([where, more]) => axe.run(where ?? document, {resultTypes: ['violations'], preload: false, ...more})"
PANELS = "aside, section, form, [role=dialog], [data-inspector], [role=region]"
"""What lies over a place, or beside what is in it."""


def serious(page: Page, *, where: str | None = PANELS) -> list[str]:
    """What is serious in the panels of the screen as it stands, or in all of it (None), in either theme.

    The place itself is looked at whole once; each panel that is opened over it then changes nothing else.
    """
    # As a person with a debugger would: the page itself lets no foreign script in. It is long, and sent once.
    if not page.evaluate("Boolean(window.axe)"):
        page.evaluate(f"(() => {{ {Path(AXE).read_text()} }})()")
    found = page.evaluate(RUN, [where, {}])["violations"]
    # Another theme has other colours, and nothing else.
    page.evaluate(WORN, True)
    found += page.evaluate(RUN, [where, {"runOnly": ["color-contrast"]}])["violations"]
    page.evaluate(WORN, False)
    return [
        f"{each['id']}: {each['help']} at {each['nodes'][0]['target']} {each['nodes'][0]['failureSummary'][:200]}"
        for each in found
        if each["impact"] in ("serious", "critical")
    ]


def on_gear(screen: Page) -> dict[str, list[str]]:
    """Gear, its inspector, a lit way, the catalogue, a swap, boxes to be joined."""
    found: dict[str, list[str]] = {}
    screen.keyboard.press("1")
    for name in ("Longhand", "Corvane 8", "Hall", "Alma", "Director's phones"):
        screen.locator(f'[data-card="{name}"]').get_by_role("button", name=name, exact=True).click()
        found[f"gear {name}"] = serious(screen)
    screen.locator('[data-card="Longhand"]').get_by_role("button", name=re.compile("^1: Longhand track 1")).click()
    expect(screen.get_by_test_id("way")).to_be_visible()
    found["gear, a way"] = serious(screen, where=None)
    screen.keyboard.press("c")
    expect(screen.get_by_role("button", name="Add Longhand")).to_be_visible()
    found["catalogue"] = serious(screen)
    screen.keyboard.press("Escape")
    screen.locator('[data-card="Corvane 8"]').get_by_role("button", name="Corvane 8", exact=True).click()
    screen.keyboard.press("w")
    screen.keyboard.type("box 4x4")
    expect(screen.get_by_test_id("now-after")).to_be_visible()
    found["swap"] = serious(screen)
    screen.keyboard.press("Escape")
    for box in ("pell", "corv"):
        screen.keyboard.press("/")
        screen.keyboard.type(box)
        screen.keyboard.press("Enter")
        screen.keyboard.press(" ")
    screen.keyboard.press("j")
    expect(screen.get_by_label("Name of input 1", exact=True)).to_be_focused()
    found["join"] = serious(screen)
    screen.keyboard.press("Escape")
    return found


def on_timing_and_more(screen: Page) -> dict[str, list[str]]:
    """Timing, what lies over Lines, Line check."""
    found: dict[str, list[str]] = {}
    screen.keyboard.press("3")
    expect(screen.get_by_role("listbox", name="Buffers of Longhand")).to_be_visible()
    screen.keyboard.press("e")
    screen.keyboard.press("ArrowUp")
    expect(screen.get_by_test_id("now-after")).to_be_visible()
    found["timing"] = serious(screen, where=None)
    screen.keyboard.press("Escape")
    screen.keyboard.press("b")
    expect(screen.get_by_role("list", name="Delay budgets").get_by_role("listitem").first).to_be_visible()
    found["budgets"] = serious(screen, where=None)
    screen.keyboard.press("2")
    screen.keyboard.press("f")
    expect(screen.get_by_role("form", name="Fill ascending")).to_be_visible()
    found["fill"] = serious(screen)
    screen.keyboard.press("Escape")
    screen.keyboard.press("/")
    screen.keyboard.type("hol")
    expect(screen.get_by_test_id("suspects")).to_be_visible()
    found["finder"] = serious(screen, where=None)
    screen.keyboard.press("Escape")
    screen.keyboard.press("?")
    found["keys"] = serious(screen)
    screen.keyboard.press("Escape")
    screen.get_by_label("Input list file").set_input_files(
        [{"name": "list.csv", "mimeType": "text/csv", "buffer": b"Line;Mic\nA;Ines\n"}]
    )
    expect(screen.get_by_role("table", name="Rows of the list")).to_be_visible()
    found["list"] = serious(screen, where=None)
    screen.keyboard.press("Escape")
    screen.keyboard.press("4")
    screen.keyboard.press("r")
    expect(screen.get_by_test_id("proved")).to_be_visible(timeout=30_000)
    found["check"] = serious(screen, where=None)
    screen.keyboard.press("f")
    screen.get_by_label("Pellow Duo is not there").click()
    expect(screen.get_by_test_id("now-after")).to_be_visible()
    found["faults"] = serious(screen, where=None)
    screen.keyboard.press("Escape")
    screen.keyboard.press("5")
    expect(screen.locator("[data-step]").first).to_be_visible()
    screen.keyboard.press(" ")
    found["paper"] = serious(screen, where=None)
    return found


def test_nothing_serious_on_any_screen(screen: Page) -> None:
    assert serious(screen, where=None) == []
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    row = screen.locator('tr[data-line="Alma, heard"]')
    row.click()
    screen.keyboard.press("t")
    expect(screen.locator("html.dark")).to_have_count(1)
    screen.keyboard.press("t")
    expect(screen.locator("html.dark")).to_have_count(0)
    found = {"lines": serious(screen, where=None)}
    screen.keyboard.press("m")
    expect(screen.get_by_test_id("now-after")).to_be_visible()
    found["snags"] = serious(screen)
    screen.keyboard.press("Escape")
    screen.keyboard.press("u")
    expect(screen.locator("[role=option]").first).to_be_visible()
    found["history"] = serious(screen)
    screen.keyboard.press("Escape")
    for key, place in (("b", "batch"), ("p", "plan")):
        screen.keyboard.press(key)
        found[place] = serious(screen)
        screen.keyboard.press("Escape")
    screen.keyboard.press("n")
    found["new line"] = serious(screen)
    screen.keyboard.press("Escape")
    row.click()
    screen.keyboard.press("Enter")
    screen.keyboard.press("Tab")
    expect(screen.locator("[role=option]").first).to_be_visible()
    found["station"] = serious(screen, where=None)
    screen.keyboard.press("Escape")
    found |= on_gear(screen) | on_timing_and_more(screen)
    told = "\n".join(f"{place}: {each}" for place, all_found in found.items() for each in all_found)
    assert told == ""


ALIKE = """(weight) => {
  const drawn = ["I", "l", "1", "i", "|", "0", "O"].map((letter) => {
    const pen = Object.assign(document.createElement("canvas"), { width: 24, height: 24 }).getContext("2d")
    pen.font = `${weight} 13px ${getComputedStyle(document.body).fontFamily}`
    pen.fillText(letter, 6, 18)
    return [letter, pen.getImageData(0, 0, 24, 24).data.filter((_, place) => place % 4 === 3)]
  })
  const alike = []
  for (const [one, first] of drawn)
    for (const [other, second] of drawn) {
      let apart = 0
      first.forEach((ink, place) => (apart += Math.abs(ink - second[place]) / 255))
      if (one < other && apart < 2) alike.push(one + other)
    }
  return alike
}"""


LOADED = "(weight) => document.fonts.load(`${weight} 13px ${getComputedStyle(document.body).fontFamily}`).then(() => 0)"


@pytest.mark.parametrize("weight", [400, 700])
def test_letters_that_are_easily_taken_for_each_other_are_not_alike_at_13_px(screen: Page, weight: int) -> None:
    """By what is drawn at 1x: at least the ink of two whole pixels stands elsewhere."""
    screen.evaluate(LOADED, weight)
    assert screen.evaluate(ALIKE, weight) == []


def test_the_look_at_letters_finds_those_that_are_alike(screen: Page) -> None:
    screen.evaluate(LOADED, 400)
    looked = ALIKE.replace('"0", "O"', '"O", "O\u200b"')
    assert len(screen.evaluate(looked, 400)) == 1
