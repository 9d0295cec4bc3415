"""Boxes as one, clocks that drift and lead, members that are absent: as a technician works on them."""

import re

from playwright.sync_api import Page, expect

from server import Server
from web.test_person import add, arriving, new_rig, press, row
from web.test_tasks import AT_MOST, demo, preview


def members(screen: Page):
    return screen.locator("[data-section=Members]")


def test_two_boxes_as_one_with_six_named_inputs(screen: Page) -> None:
    """48 keys in the table, at most a fifth more."""
    new_rig(screen, "Two boxes")
    for phrase in ("box 2x2 Pellow Duo", "box 4x4 Corvane", "recorder Longhand"):
        add(screen, phrase)
    press(screen, ["Escape"])
    keys = press(screen, ["1", "/", "pel", "Enter", " ", "/", "cor", "Enter", " ", "j"])
    expect(screen.get_by_label("Name of input 1")).to_be_focused()
    for name in ("Alma", "Bert", "Cass", "Dov", "Ines", "Tank"):
        keys += press(screen, [name, "Enter"])
    keys += press(screen, ["Control+Enter"])
    expect(members(screen)).to_contain_text("Pellow Duo")
    expect(screen.get_by_role("table", name="Inputs").get_by_role("row").nth(2)).to_contain_text("Corvane 1Cass")
    expect(screen.locator("[data-card=Longhand]")).to_contain_text("in6/6")
    assert keys <= AT_MOST * 48


def test_the_join_sheet_takes_another_order_another_master_and_a_box_that_is_not_matched(screen: Page) -> None:
    new_rig(screen, "Two boxes")
    for phrase in ("box 2x2 Pellow Duo", "box 4x4 Corvane", "recorder Longhand"):
        add(screen, phrase)
    press(screen, ["Escape", "/", "pel", "Enter", " ", "/", "cor", "Enter", " ", "j"])
    sheet = screen.get_by_role("form", name="Join boxes as one")
    expect(sheet).to_contain_text("Corvane is matched: it runs on its own clock.")
    sheet.get_by_label("Match Corvane").click()
    expect(sheet).to_contain_text("Corvane is not matched and will slip")
    sheet.get_by_label("Clock master").select_option("Corvane")
    expect(sheet).to_contain_text("Corvane is clock master, as you said.")
    members = sheet.get_by_role("table", name="Members").get_by_role("row")
    expect(members.first).to_contain_text("Corvanein 1–4")
    sheet.get_by_role("button", name="Move Pellow Duo up").click()
    expect(members.first).to_contain_text("Pellow Duoin 1–2")
    sheet.get_by_label("Name of the device").fill("Corvane")
    press(screen, ["Control+Enter"])
    # The name is taken by the box: the device gets a number, nothing is lost.
    expect(screen.locator("[data-card='Corvane 2']")).to_contain_text("Pellow Duo")
    press(screen, ["Control+z"])
    expect(screen.locator("[data-card='Corvane 2']")).to_have_count(0)


def test_one_box_alone_cannot_be_joined_and_the_button_says_so(screen: Page) -> None:
    new_rig(screen, "Two boxes")
    add(screen, "box 2x2 Pellow Duo")
    press(screen, ["Escape", "/", "pel", "Enter", " ", "j"])
    expect(screen.get_by_role("form", name="Join boxes as one")).to_have_count(0)
    expect(screen.get_by_role("button", name="Join")).to_be_disabled()


def test_a_drifting_pair_is_found_and_mended(screen: Page) -> None:
    demo(screen)
    expect(row(screen, "Reed organ")).to_contain_text("drifting")
    press(screen, ["3"])
    clock = screen.locator("[data-clock='Pellow Duo']")
    expect(clock).to_contain_text("against Corvane 8: 60 ppm at worst: 2.9 samples a second")
    clock.get_by_role("button").click()
    expect(screen.get_by_text("Each slip is a click")).to_contain_text("in 90 minutes")
    expect(preview(screen)).to_contain_text("Hall: Corvane 8, Pellow Duo (matched)")
    press(screen, ["Control+Enter"])
    expect(clock).not_to_contain_text("ppm at worst")
    # What is matched comes later than what is recorded with it: padded, it arrives.
    screen.get_by_role("option", name=re.compile("Members of Hall are .* samples apart")).click()
    expect(preview(screen)).to_contain_text("skewed")
    press(screen, ["Control+Enter"])
    arriving(screen, "13/16")


def test_a_pair_is_led_by_a_word_clock_chosen_on_timing(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "corv", "Enter"])
    screen.get_by_label("Word clock output").click()
    press(screen, ["Escape", "/", "pell", "Enter"])
    screen.get_by_label("Word clock input").click()
    press(screen, ["Escape", "3"])
    screen.get_by_label("Clock of Pellow Duo").select_option("word clock of Corvane 8")
    expect(preview(screen)).to_contain_text("clock from own → word clock")
    press(screen, ["Control+Enter"])
    expect(screen.locator("header")).to_contain_text("clock Corvane 8")
    press(screen, ["Control+z"])
    expect(screen.locator("header")).to_contain_text("2 clocks")


def test_an_absent_members_moved_names_are_read_and_it_is_brought_back(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "corv", "Enter"])
    screen.get_by_label("Connected to the computer").click()
    # Ten lines would go: it is shown before it is made.
    expect(preview(screen)).to_contain_text("Corvane 8")
    press(screen, ["Control+Enter", "Escape", "/", "hall", "Enter"])
    moved = screen.locator("[data-section='Moved names']")
    expect(moved).to_contain_text("Alma (1) has Pellow Duo channel 1 instead of Corvane 8 channel 1")
    expect(moved).to_contain_text("Reed organ (17) has nothing instead of Pellow Duo channel 1")
    press(screen, ["s"])
    expect(screen.get_by_text("Corvane 8 is not in Hall: 12 names moved")).to_be_visible()
    expect(preview(screen)).to_contain_text("arrives")
    press(screen, ["Control+Enter"])
    arriving(screen, "12/16")
    expect(moved).to_have_count(0)


def test_members_change_places_by_keyboard_and_names_keep_their_box(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "hall", "Enter"])
    screen.get_by_label("Member 2, Pellow Duo").focus()
    press(screen, ["Alt+ArrowUp"])
    inputs = screen.get_by_role("table", name="Inputs").get_by_role("row")
    expect(inputs.first).to_contain_text("Pellow Duo 1Reed organ L")
    expect(inputs.nth(2)).to_contain_text("Corvane 8 1Alma")
    arriving(screen, "12/16")


def test_a_program_plays_to_another_box_and_is_matched(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "cartw", "Enter"])
    screen.get_by_label("Output device").select_option("Pellow Duo")
    expect(preview(screen)).to_contain_text("plays to Pellow Duo")
    press(screen, ["Control+Enter"])
    screen.get_by_label("Match its input to the output's rate").click()
    expect(screen.get_by_label("Match its input to the output's rate")).to_be_checked()
    screen.get_by_label("Margin between the two").fill("-3")
    screen.get_by_label("Margin between the two").press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("it must be 0 or more")
    press(screen, ["Escape"])


def test_a_deck_at_44_1_by_a_driver_that_resamples_is_right_and_later(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "cartw", "Enter"])
    screen.get_by_label("Rate of the program").select_option("44.1 kHz")
    expect(preview(screen)).to_contain_text("off speed")
    press(screen, ["Control+Enter", "Escape"])
    arriving(screen, "9/16")
    press(screen, ["/", "corv", "Enter"])
    screen.get_by_label("Resamples", exact=True).click()
    arriving(screen, "12/16")
    screen.get_by_label("Resampling takes", exact=True).fill("120")
    press(screen, ["Enter", "Escape", "3"])
    deck = screen.get_by_role("row", name="Cartwheel")
    expect(deck).to_contain_text("44.1 kHz, resampled")
    # 26 + 7 + 24 + 256 in, 256 + 42 + 30 out are 641; 120 more each way.
    expect(deck).to_contain_text("881")
    press(screen, ["s"])
    expect(screen.get_by_text("The vendor driver of Corvane 8 resamples for Cartwheel")).to_be_visible()


def test_another_driver_of_a_joined_box_is_tried_and_made(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "pell", "Enter"])
    screen.get_by_role("button", name="Add a driver").click()
    screen.get_by_label("Driver kind of driver 2").select_option("wrapper")
    screen.get_by_label("Buffer of driver 2").select_option("256 = 5.33 ms")
    press(screen, ["Control+Enter"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("256")
    press(screen, ["3"])
    drivers = screen.get_by_role("group", name="Drivers of Hall")
    expect(drivers.get_by_role("button", name="Pellow Duo: vendor")).to_have_attribute("aria-pressed", "true")
    drivers.get_by_role("button", name="Pellow Duo: wrapper").click()
    expect(preview(screen)).to_contain_text("Hall")
    press(screen, ["Control+Enter"])
    expect(drivers.get_by_role("button", name="Pellow Duo: wrapper")).to_have_attribute("aria-pressed", "true")
    press(screen, ["Control+z"])
    expect(drivers.get_by_role("button", name="Pellow Duo: vendor")).to_have_attribute("aria-pressed", "true")


def test_a_joined_device_is_joined_with_one_box_more(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    add(screen, "box 4x4 Orrery")
    press(screen, ["Escape", "/", "hall", "Enter", " ", "/", "orre", "Enter", " ", "j"])
    sheet = screen.get_by_role("form", name="Join boxes as one")
    expect(sheet).to_contain_text("Hall gives its boxes, in their order: Corvane 8, Pellow Duo.")
    expect(sheet).to_contain_text("Longhand is on it, and its numbers stay")
    members = sheet.get_by_role("table", name="Members").get_by_role("row")
    expect(members.nth(2)).to_contain_text("Orreryin 19–22")
    press(screen, ["Control+Enter"])
    expect(screen.locator("[data-card*='Orrery']").filter(has_text="joined")).to_contain_text("19–22")


def test_the_example_of_two_boxes_opens_and_is_proved(screen: Page, server: Server) -> None:
    screen.get_by_role("button", name="Example: two boxes as one").click()
    arriving(screen, "6/6")
    press(screen, ["4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("6 of 6 lines as wanted", timeout=60_000)
