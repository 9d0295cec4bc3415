"""Lines that say what they pass, by keyboard: typed in a batch and in their panel, told, mended, undone, kept."""

from playwright.sync_api import Page, expect

from web.test_person import arriving, new_rig, press, row

GEAR = ["2 line", "Enter", "box 4x4", "Enter", "rec", "Enter", "outboard Press", "Enter", "head", "Enter", "Escape"]


def test_a_batch_through_gear_is_planned_through_it_and_a_line_that_goes_past_is_mended(screen: Page) -> None:
    new_rig(screen, "Through")
    press(screen, GEAR)
    expect(screen.get_by_test_id("last-edit")).to_contain_text("added headphones")
    press(screen, ["2", "b", "line 1", "Tab", "rec new", "Tab", "Tab", "Tab", "Tab", "spoon"])
    expect(screen.get_by_role("status")).to_contain_text("nothing that sound passes here is called 'spoon'")
    expect(screen.get_by_label("Through", exact=True)).to_have_attribute("aria-invalid", "true")
    press(screen, ["Control+a", "press", "Control+Enter"])
    arriving(screen, "0/1")
    press(screen, ["b", "line 2", "Tab", "rec new", "Control+Enter"])
    arriving(screen, "0/2")
    press(screen, ["p"])
    plan = screen.get_by_role("complementary", name="Plan")
    expect(plan.get_by_test_id("now-after")).to_contain_text("2 of 2")
    expect(plan).to_contain_text("Plug Line player 1 into Press in")
    press(screen, ["Control+Enter"])
    arriving(screen, "2/2")
    press(screen, ["Escape"])
    expect(row(screen, "Line player 1")).to_contain_text("Press 1 › Box")

    # What is typed of a way in the panel is understood, or refused where it stands.
    row(screen, "Line player 1").click()
    never = screen.get_by_label("What Line player 1 never passes")
    never.fill("computer")
    never.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("is in the computer, which it should never pass")
    expect(never).to_have_value("computer")
    never.press("Escape")
    through = screen.get_by_label("What Line player 1 goes through")
    expect(through).to_have_value("Press")
    through.fill("")
    through.press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("through Press → none")

    never = screen.get_by_label("What Line player 1 never passes")
    never.fill("pr")
    never.press("Enter")
    expect(row(screen, "Line player 1")).to_contain_text("other way")
    expect(screen.get_by_label("Tape measure of Line player 1")).to_contain_text(
        "it passes Press, which it never should"
    )
    arriving(screen, "1/2")
    screen.reload()
    row(screen, "Line player 1").click()
    expect(screen.get_by_label("What Line player 1 never passes")).to_have_value("Press")
    screen.keyboard.press("Escape")
    screen.keyboard.press("Control+z")
    arriving(screen, "2/2")
