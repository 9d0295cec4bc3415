"""A press is answered by what stands on the screen, or by nothing; one panel is open at a time."""

import itertools
import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, Route, expect

from web.test_person import arriving, press, row
from web.test_tasks import demo, preview


def revision(screen: Page) -> int:
    found = re.search(r"Rev (\d+)", screen.get_by_test_id("last-edit").inner_text())
    assert found is not None
    return int(found[1])


def held_back(screen: Page, what: str) -> Callable[[], None]:
    """Holds back the answers that match, until what is given is called."""
    waiting: list[Route] = []

    def hold(route: Route) -> None:
        waiting.append(route)

    screen.route(what, hold)

    def let_through() -> None:
        for route in waiting:
            route.continue_()
        waiting.clear()
        screen.unroute(what)

    return let_through


@pytest.mark.parametrize(
    ("first", "keys", "asked"),
    [
        ([], ["p"], "**/plan*"),
        ([], ["]", "m"], "**/remedies*"),
        (["3"], ["e", "ArrowUp"], "**/trial"),
        (["u"], ["ArrowDown"], "**/compare*"),
    ],
)
def test_a_press_before_it_stands_there_makes_nothing_then_or_later(
    screen: Page, first: list[str], keys: list[str], asked: str
) -> None:
    demo(screen)
    if "u" in first:
        press(screen, ["p", "Control+Enter"])
        arriving(screen, "13/16")
    press(screen, first)
    if "3" in first:
        expect(screen.get_by_role("listbox", name="Buffers of Longhand")).to_be_visible()
    if "u" in first:
        expect(screen.locator("[role=option]").first).to_be_visible()
    before = revision(screen)
    let_through = held_back(screen, asked)
    press(screen, keys)
    screen.keyboard.press("Control+Enter")
    expect(screen.get_by_role("alert")).to_contain_text("Nothing was made: it is still being worked out")
    let_through()
    expect(preview(screen)).to_be_visible()
    # It stands there now, and what was said too early is forgotten with what was pressed too early.
    expect(screen.get_by_role("alert")).to_have_count(0)
    screen.wait_for_timeout(500)
    assert revision(screen) == before
    screen.keyboard.press("Control+Enter")
    after = before - 1 if "u" in first else before + 1
    expect(screen.get_by_test_id("last-edit")).to_contain_text(f"Rev {after}")


def test_a_plan_with_nothing_to_make_says_so_and_does_not_lie_in_wait(screen: Page) -> None:
    """Pressed where there was nothing to make, it once made the next plan that came, which nobody had seen."""
    screen.get_by_role("button", name="Example: two voices on one box").click()
    arriving(screen, "4/4")
    press(screen, ["p"])
    panel = screen.get_by_role("complementary", name="Plan")
    expect(panel).to_contain_text("Every line has its way")
    screen.keyboard.press("Control+Enter")
    expect(screen.get_by_role("alert")).to_contain_text("Nothing was made: the plan has nothing to make")
    press(screen, ["Escape"])
    before = revision(screen)
    screen.locator("tr[data-line]").first.click()
    press(screen, ["Enter", "Escape", "n"])
    screen.get_by_label("Name of the line").fill("")
    press(screen, ["Escape", "p"])
    screen.wait_for_timeout(500)
    assert revision(screen) == before


def test_two_presses_at_once_make_it_once(screen: Page) -> None:
    demo(screen)
    before = revision(screen)
    press(screen, ["p"])
    expect(preview(screen)).to_be_visible()
    for _ in range(3):
        screen.keyboard.press("Control+Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text(f"Rev {before + 1}")
    screen.wait_for_timeout(500)
    assert revision(screen) == before + 1


PANELS = {"Plan": "p", "Snags": "s", "History": "u"}


def test_a_panel_takes_the_place_of_the_one_that_is_open(screen: Page) -> None:
    demo(screen)
    for first, second in itertools.permutations(PANELS, 2):
        press(screen, [PANELS[first]])
        expect(screen.get_by_role("complementary", name=first)).to_be_visible()
        press(screen, [PANELS[second]])
        expect(screen.get_by_role("complementary", name=second)).to_be_visible()
        expect(screen.get_by_role("complementary")).to_have_count(1)
        press(screen, ["Escape"])
        expect(screen.get_by_role("complementary")).to_have_count(0)


def test_what_is_made_after_a_remedy_is_the_plan_that_stands_there(screen: Page) -> None:
    """``]`` ``m`` Ctrl+Enter Ctrl+Z ``p``: the snags no longer lie on the plan nor keep its keys."""
    demo(screen)
    press(screen, ["]", "m"])
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    arriving(screen, "13/16")
    press(screen, ["Control+z"])
    arriving(screen, "12/16")
    press(screen, ["p"])
    expect(screen.get_by_role("complementary", name="Plan")).to_be_visible()
    expect(screen.get_by_role("complementary")).to_have_count(1)
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    expect(row(screen, "Dov")).to_contain_text("arrives")


def test_a_drop_down_of_a_form_takes_letters_and_figures_and_the_form_is_not_lost(screen: Page) -> None:
    """``n`` Tab Tab ``l`` did nothing, then ``10`` went to Gear and took the half-filled line along."""
    demo(screen)
    press(screen, ["n"])
    screen.keyboard.type("Night")
    from_ = screen.get_by_label("From", exact=True)
    from_.focus()
    screen.keyboard.type("Do")
    expect(from_.locator("option:checked")).to_have_text("Dov")
    screen.keyboard.type("10")
    expect(screen).to_have_url(re.compile("/lines$"))
    expect(screen.get_by_label("Name of the line")).to_have_value("Night")


def test_what_is_typed_and_made_at_once_is_never_told_to_be_missing(screen: Page) -> None:
    """Within a tenth of a second of the last letter it said 'say from which sources', which had been said."""
    demo(screen)
    press(screen, ["b"])
    screen.keyboard.type("alma")
    screen.keyboard.press("Control+Enter")
    expect(screen.get_by_role("alert")).to_contain_text("it is still being worked out")
