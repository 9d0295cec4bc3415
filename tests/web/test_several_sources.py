"""Lines of several sources and several lines at once, by keyboard: wished for, planned, set together, kept."""

from playwright.sync_api import Page, expect

from web.test_person import arriving, new_rig, press, row

GEAR = [
    "4 mic Alma, Bertil, Cassia, Dov",
    "Enter",
    "havra",
    "Enter",
    "rec Longhand",
    "Enter",
    "head",
    "Enter",
    "Escape",
]


def test_a_main_mix_is_wished_for_planned_and_thinned(screen: Page) -> None:
    new_rig(screen, "Main mix")
    press(screen, GEAR)
    expect(screen.get_by_test_id("last-edit")).to_contain_text("added headphones")
    press(screen, ["2", "b", "main of havra", "Tab", "long new"])
    expect(screen.get_by_role("status")).to_contain_text("nothing sounds in Main of Havra 16 yet; say which sources")
    press(screen, ["Shift+Tab", "Control+a", "mic", "Control+Enter"])
    arriving(screen, "0/4")
    press(screen, ["p", "Control+Enter"])
    arriving(screen, "4/4")
    press(screen, ["Escape", "b", "main of havra", "Tab", "long new", "Control+Enter"])
    arriving(screen, "4/5")
    press(screen, ["p", "Control+Enter"])
    arriving(screen, "5/5")
    press(screen, ["Escape"])
    main = row(screen, "Main of Havra 16")
    expect(main).to_contain_text("Strip 1–4 › Main")

    # One that is taken out of the line is a stranger in its mix from then on.
    main.click()
    press(screen, ["Enter", "Tab", "without dov"])
    expect(screen.locator("#station-choices").get_by_role("option")).to_have_count(1)
    press(screen, ["Enter"])
    expect(main).to_contain_text("crowded")
    press(screen, ["Escape", "Control+z"])
    arriving(screen, "5/5")


def test_what_is_set_goes_for_all_marked_lines_and_is_undone_at_once(screen: Page) -> None:
    new_rig(screen, "Marked")
    press(screen, GEAR)
    expect(screen.get_by_test_id("last-edit")).to_contain_text("added headphones")
    press(screen, ["2", "b", "mic", "Tab", "long new", "Control+Enter"])
    arriving(screen, "0/4")
    row(screen, "Alma").click()
    press(screen, [" ", "ArrowDown", " ", "ArrowDown", " "])
    tape = screen.get_by_role("region", name="Tape measure of Cassia")
    expect(tape).to_contain_text("what is set here goes for these 3 lines")
    tag = screen.get_by_label("Tag of Cassia")
    tag.fill("Stage")
    tag.press("Enter")
    for name in ("Alma", "Bertil", "Cassia"):
        row(screen, name).click()
        expect(screen.get_by_label(f"Tag of {name}")).to_have_value("Stage")
    row(screen, "Dov").click()
    expect(screen.get_by_label("Tag of Dov")).to_have_value("")
    screen.keyboard.press("Control+z")
    row(screen, "Alma").click()
    expect(screen.get_by_label("Tag of Alma")).to_have_value("")
    screen.get_by_role("button", name="Remove 3").click()
    arriving(screen, "0/1")
