"""Nothing is cut off, too narrow for its words, or out of reach, on any screen, in any panel, at any usual size."""

from playwright.sync_api import Page, expect

from web.test_person import new_rig
from web.test_tasks import demo, press

AMISS = """() => {
  const ARROW = 20
  const found = [], pen = document.createElement("canvas").getContext("2d")
  const seen = (each) => each.getClientRects().length > 0 && getComputedStyle(each).visibility !== "hidden"
  const said = (each) => each.getAttribute("aria-label") || each.innerText || each.tagName
  const scrolls = (each, way) => {
    for (let over = each.parentElement; over; over = over.parentElement)
      if (["auto", "scroll"].includes(getComputedStyle(over)[way])) return true
    return false
  }
  for (const each of [...document.querySelectorAll("select")].filter(seen)) {
    const style = getComputedStyle(each)
    pen.font = style.font
    const words = pen.measureText(each.selectedOptions[0]?.text ?? "").width
    const needed = words + parseFloat(style.paddingLeft) + parseFloat(style.paddingRight) + ARROW
    // Longer ones end in an ellipsis, with the whole on hover.
    if (each.offsetWidth < Math.min(needed, each.dataset.shortest ?? 206)) found.push("narrow: " + said(each))
  }
  for (const each of [...document.querySelectorAll("button, h1, h2, h3, th, nav a")].filter(seen)) {
    const style = getComputedStyle(each)
    if (each.scrollWidth > each.clientWidth + 1 && style.display !== "inline" && style.textOverflow !== "ellipsis")
      found.push("cut: " + said(each))
  }
  for (const each of [...document.querySelectorAll("button, input, select, textarea, a")].filter(seen)) {
    const at = each.getBoundingClientRect()
    if (at.right > innerWidth + 1 && !scrolls(each, "overflowX")) found.push("too far right: " + said(each))
    if (at.bottom > innerHeight + 1 && !scrolls(each, "overflowY")) found.push("too far down: " + said(each))
  }
  for (const each of [...document.querySelectorAll("aside, main, section, [role=dialog]")].filter(seen))
    if (getComputedStyle(each).overflowY === "hidden" && each.scrollHeight > each.clientHeight + 2)
      found.push("cut off below: " + said(each))
  return found
}"""


SIZES = ((1280, 800), (853, 533))
"""The size that screens are drawn for, and the same at one and a half times its letters."""


def look(screen: Page, where: str, found: dict[str, list[str]]) -> None:
    for width, height in SIZES:
        screen.set_viewport_size({"width": width, "height": height})
        screen.wait_for_timeout(200)
        amiss = screen.evaluate(AMISS)
        if amiss:
            found[f"{where}, {width} x {height}"] = amiss


def test_every_screen_and_panel_fits(screen: Page) -> None:
    demo(screen)
    found: dict[str, list[str]] = {}
    screen.click('[data-line="Alma, heard"]')
    look(screen, "a line", found)
    for key in "snbpumf/?":
        press(screen, [key])
        look(screen, f"lines, {key}", found)
        press(screen, ["Escape", "Escape"])
    press(screen, ["1"])
    for card in screen.locator("[data-card]").all():
        name = card.get_attribute("data-card")
        card.get_by_role("button", name=name, exact=True).first.click()
        look(screen, f"gear, {name}", found)
    for key in "wc":
        screen.locator('[data-card="Corvane 8"]').get_by_role("button", name="Corvane 8", exact=True).first.click()
        press(screen, [key])
        look(screen, f"gear, {key}", found)
        press(screen, ["Escape", "Escape"])
    for place, keys in (("3", "eb"), ("4", "f"), ("5", "....")):
        press(screen, [place])
        look(screen, f"place {place}", found)
        for key in keys:
            press(screen, [key])
            look(screen, f"place {place}, {key}", found)
            press(screen, ["Escape"])
    assert found == {}


def test_what_is_cut_off_would_be_found(screen: Page) -> None:
    """The look itself: a select made narrow, and a button pushed out of the window."""
    demo(screen)
    press(screen, ["1"])
    screen.locator('[data-card="Cartwheel"]').get_by_role("button", name="Cartwheel", exact=True).first.click()
    screen.evaluate("document.querySelector('[data-inspector] select').style.width = '20px'")
    screen.evaluate("document.querySelector('header button').style.cssText = 'position:fixed;left:2000px'")
    assert {each.split(":")[0] for each in screen.evaluate(AMISS)} == {"narrow", "too far right"}


FORMS = (
    *(("1", "a", "Add gear"), ("1", "w", "Swap for"), ("1", "c", "Find in the catalogue")),
    *(("2", "n", "Name of the line"), ("2", "b", "From"), ("2", "f", "Start"), ("4", "f", "Find a fault")),
)
"""Where a form is opened, by which key, and the name of its first field."""


def test_a_form_opens_in_its_first_text_field(screen: Page) -> None:
    demo(screen)
    for place, key, field in FORMS:
        press(screen, ["1"])
        screen.locator('[data-card="Corvane 8"]').get_by_role("button", name="Corvane 8", exact=True).first.click()
        press(screen, [place])
        if place == "2":
            screen.click('[data-line="Alma, heard"]')
        screen.wait_for_timeout(200)
        press(screen, [key])
        expect(screen.get_by_role("textbox", name=field, exact=True)).to_be_focused()
        press(screen, ["Escape", "Escape"])


def test_the_name_of_a_new_line_finds_its_source_and_enter_adds_it(screen: Page) -> None:
    demo(screen)
    press(screen, ["n"])
    screen.keyboard.type("Thund")
    expect(screen.get_by_label("From", exact=True)).to_have_value(
        screen.get_by_label("From", exact=True).locator("option", has_text="Thunder sheet").get_attribute("value") or ""
    )
    screen.keyboard.press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("Thund")
    expect(screen.get_by_label("Name of the line")).to_be_focused()
    expect(screen.get_by_label("Name of the line")).to_have_value("")
    # Of several that begin so, the first; what is no figure is said in place, and nothing is lost.
    screen.keyboard.type("C")
    chosen = screen.get_by_label("From", exact=True).locator("option:checked")
    expect(chosen).to_have_text("Cassia")
    screen.get_by_label("Longest delay in ms").fill("soon")
    screen.keyboard.press("Enter")
    expect(screen.get_by_text("“soon” is no number of milliseconds")).to_be_visible()
    expect(screen.get_by_label("Name of the line")).to_have_value("C")


FAINT = """() => {
  const channels = (colour) => (colour.match(/[\\d.]+/g) ?? []).map(Number)
  const light = (colour) => {
    const [red, green, blue] = channels(colour).map((each) => each / 255)
      .map((each) => (each <= 0.04045 ? each / 12.92 : ((each + 0.055) / 1.055) ** 2.4))
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue
  }
  const behind = (each) => {
    for (let over = each; over; over = over.parentElement) {
      const [, , , opaque = 1] = channels(getComputedStyle(over).backgroundColor)
      if (opaque > 0) return getComputedStyle(over).backgroundColor
    }
    return "rgb(255, 255, 255)"
  }
  return [...document.querySelectorAll("button:disabled")].map((each) => {
    const [one, other] = [light(getComputedStyle(each).color), light(behind(each))].sort((a, b) => b - a)
    return [each.innerText, (one + 0.05) / (other + 0.05)]
  })
}"""


def test_what_is_disabled_stays_readable_in_both_themes(screen: Page) -> None:
    """At least 3:1, as WCAG 2.2 asks of parts of a screen (relative luminance of its definitions, from memory)."""
    new_rig(screen, "Nothing yet")
    seen: list[str] = []
    for _ in range(2):
        for place, key in (("1", "Escape"), ("2", "n"), ("3", "Escape"), ("4", "Escape")):
            press(screen, ["Escape", place])
            screen.wait_for_timeout(200)
            press(screen, [key])
            screen.wait_for_timeout(200)
            for words, ratio in screen.evaluate(FAINT):
                assert ratio >= 3, f"{words!r} on place {place} stands out by {ratio:.1f} only"
                seen.append(words)
            press(screen, ["Escape"])
        press(screen, ["t"])
    assert any("Add line" in words for words in seen)
