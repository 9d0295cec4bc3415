"""A press is answered by what stands on the screen, or by nothing; one panel is open; what is typed is not lost."""

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


def fields_of(screen: Page, *labels: str) -> list[str]:
    return [screen.get_by_label(label, exact=True).input_value() for label in labels]


def test_what_is_half_typed_outlives_escape_another_place_and_a_reload(screen: Page) -> None:
    demo(screen)
    labels = ("From", "Record to", "Within")
    wanted = ["Bertil", "Longhand new", "12"]
    press(screen, ["b", "Bertil", "Tab", "Longhand new", "Tab", "Tab", "Tab", "12", "Escape"])
    expect(screen.get_by_role("form", name="Batch of lines")).to_have_count(0)
    press(screen, ["b"])
    assert fields_of(screen, *labels) == wanted
    press(screen, ["Escape", "1", "a", "box 4x4 Cor"])
    screen.reload()
    expect(screen.get_by_role("textbox", name="Add gear")).to_have_value("box 4x4 Cor")
    press(screen, ["2", "b"])
    assert fields_of(screen, *labels) == wanted
    # What was made is no longer half typed, and what nobody wants any more is emptied in one press.
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    expect(screen.get_by_role("form", name="Batch of lines")).to_have_count(0)
    press(screen, ["b"])
    assert fields_of(screen, *labels) == ["", "", ""]
    press(screen, ["Cassia"])
    screen.get_by_role("button", name="Clear").click()
    press(screen, ["Escape", "b"])
    assert fields_of(screen, *labels) == ["", "", ""]


def test_names_for_a_joined_device_outlive_escape(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "pel", "Enter", " ", "/", "wherry", "Enter", " ", "j"])
    screen.get_by_label("Name of input 1", exact=True).fill("Ines")
    press(screen, ["Escape", "j"])
    expect(screen.get_by_label("Name of input 1", exact=True)).to_have_value("Ines")


def test_a_list_that_was_closed_is_gone_on_with_after_a_reload(screen: Page) -> None:
    demo(screen)
    rows = b"Name,Box input,Track\nInes,Corvane 8 / 99,\nTank,Corvane 8 / 98,\n"
    screen.get_by_label("Input list file").set_input_files(
        [{"name": "inputs.csv", "mimeType": "text/csv", "buffer": rows}]
    )
    name = screen.get_by_label(re.compile("^Name, row")).first
    name.fill("Ines Weir")
    name.press("Enter")
    press(screen, ["Escape"])
    screen.reload()
    screen.get_by_role("button", name="Go on with inputs.csv").click()
    expect(screen.get_by_label(re.compile("^Name, row")).first).to_have_value("Ines Weir")
    screen.get_by_role("button", name="Discard").click()
    expect(screen.get_by_role("button", name="Go on with")).to_have_count(0)


def test_a_reason_stands_beside_its_field_and_goes_with_the_place(screen: Page) -> None:
    """It stood at the bottom of the window, 700 px away, and was there on every other place, too."""
    demo(screen)
    press(screen, ["1", "a", "bxo 4x4", "Enter"])
    field, reason = screen.get_by_role("textbox", name="Add gear"), screen.get_by_role("alert")
    expect(reason).to_contain_text("no gear is called 'bxo'")
    expect(field).to_have_value("bxo 4x4")
    assert apart_px(screen, "Add gear") < 30
    press(screen, ["Escape", "2"])
    expect(screen.get_by_role("alert")).to_have_count(0)
    press(screen, ["1", "/", "corvane 8", "Enter"])
    trim = screen.get_by_label("Trim of jack in 1", exact=True)
    trim.fill("loud")
    trim.press("Enter")
    expect(reason).to_contain_text("“loud” is no number")
    expect(reason).to_have_count(1)
    assert apart_px(screen, "Trim of jack in 1") < 30
    # What was refused is still there to be mended, and the reason goes as soon as it is.
    trim.fill("30")
    expect(reason).to_have_count(0)
    trim.press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("30")


def apart_px(screen: Page, label: str) -> float:
    """How far the reason stands below or above its field."""
    field = screen.get_by_role("textbox", name=label, exact=True).bounding_box()
    reason = screen.get_by_role("alert").bounding_box()
    assert field is not None
    assert reason is not None
    return max(reason["y"] - field["y"] - field["height"], field["y"] - reason["y"] - reason["height"])


def test_a_refused_phrase_is_not_lost_under_the_next_one(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "a"])
    let_through = held_back(screen, "**/phrase")
    press(screen, ["3 mcis", "Enter", "mic Ines", "Enter", "box"])
    let_through()
    reason = screen.get_by_role("alert")
    expect(reason).to_contain_text("“3 mcis” was not added")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("Ines")
    expect(screen.get_by_role("textbox", name="Add gear")).to_have_value("box")
    reason.get_by_role("button", name="Type it again").click()
    expect(screen.get_by_role("textbox", name="Add gear")).to_have_value("3 mcis")


def test_the_next_phrase_keeps_the_letters_that_were_typed_while_the_first_was_made(screen: Page) -> None:
    """The first letter of the next feed went with the answer to the one before."""
    screen.get_by_role("button", name="Example: main mix and raw voices").click()
    arriving(screen, "12/12")
    press(screen, ["1", "/", "hav", "Enter", "e"])
    expect(screen.get_by_label("What feeds it")).to_be_focused()
    let_through = held_back(screen, "**/edits")
    press(screen, ["in 12 raw", "Enter", "in 1"])
    let_through()
    expect(screen.get_by_test_id("last-edit")).to_contain_text("in 12 raw")
    press(screen, ["4 raw"])
    expect(screen.get_by_label("What feeds it")).to_have_value("in 14 raw")


def test_the_list_of_faults_is_walked_with_arrows(screen: Page) -> None:
    demo(screen)
    press(screen, ["4", "f"])
    faults = screen.get_by_role("complementary", name="Faults")
    find = faults.get_by_label("Find a fault")
    expect(find).to_be_focused()
    expect(faults.get_by_role("checkbox").first).to_be_visible()
    press(screen, ["ArrowDown", "ArrowDown", "Enter"])
    expect(faults.get_by_role("checkbox").nth(1)).to_be_checked()
    expect(faults.get_by_role("checkbox").nth(1)).to_be_focused()
    screen.keyboard.press("End")
    expect(faults.get_by_role("checkbox").last).to_be_focused()
    screen.keyboard.press("Home")
    press(screen, ["ArrowUp"])
    expect(find).to_be_focused()
    press(screen, ["phantom"])
    expect(faults.get_by_role("checkbox").first).to_be_checked()


def test_a_key_that_is_pressed_before_the_sheets_are_there_goes_to_the_next_one(screen: Page) -> None:
    demo(screen)
    let_through = held_back(screen, "**/sheets")
    press(screen, ["5"])
    expect(screen.get_by_role("region", name="Set-up list")).to_be_visible()
    press(screen, ["."])
    let_through()
    expect(screen).to_have_url(re.compile(r"sheet=lines"))
