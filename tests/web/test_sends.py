"""Sends, pans and effects mixes on the screen, from a blank rig and on the demo."""

from playwright.sync_api import Page, expect

from web.keyboard import card, choose, make
from web.test_person import add, arriving, new_rig, press, row
from web.test_tasks import demo


def field(screen: Page, label: str, typed: str) -> None:
    screen.get_by_label(label, exact=True).fill(typed)
    screen.get_by_label(label, exact=True).press("Enter")


def test_a_voice_to_two_effects_buses_and_a_main_bus_named_and_heard(screen: Page) -> None:
    new_rig(screen, "Two effects")
    for phrase in ("box 2x2 Quill", "player Player", "headphones Phones"):
        add(screen, phrase)
    screen.keyboard.press("Escape")
    card(screen, "Player")
    for number, bus in enumerate(("Hall reverb", "Plate", "Mix"), start=1):
        screen.get_by_role("button", name="Add bus", exact=True).press("Enter")
        field(screen, f"Name of bus {number}", bus)
        expect(screen.get_by_test_id("last-edit")).to_contain_text(bus)
    for bus in ("Hall reverb", "Plate"):
        screen.get_by_label(f"Bus {bus} effects").press("Space")
        expect(screen.get_by_label(f"Bus {bus} effects")).to_be_checked()
        choose(screen, f"Output of bus {bus}", "bus Mix")
    voice = screen.get_by_label("Name of voice 1", exact=True).input_value()
    choose(screen, f"Output of voice {voice}", "bus Mix")
    for bus in ("Hall reverb", "Plate"):
        choose(screen, "Send what", voice)
        choose(screen, "Send to", f"bus {bus}")
        screen.get_by_role("button", name="Add send", exact=True).press("Enter")
        expect(screen.locator(f'[data-send="{voice} to bus {bus}"]')).to_be_visible()
    press(screen, ["2", "n"])
    strip = screen.get_by_role("form", name="New line")
    choose(screen, "From", f"{voice}, of Player")
    choose(screen, "Purpose", "listen")
    strip.get_by_label("Name of the line").fill("Heard")
    strip.get_by_label("Name of the line").press("Enter")
    expect(row(screen, "Heard")).to_be_visible()
    press(screen, ["Escape", "p"])
    make(screen)
    expect(row(screen, "Heard")).to_contain_text("arrives")
    screen.keyboard.press("ArrowDown")
    expect(screen.get_by_label("Tape measure of Heard")).to_contain_text("Wet, through effects")
    press(screen, ["4", "r"])
    expect(screen.locator("body")).to_contain_text("1 of 1", timeout=60_000)


def test_the_send_of_a_vocal_track_is_moved_before_the_fader_undone_and_all_are_sent_at_once(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    card(screen, "Longhand")
    screen.get_by_role("button", name="Add bus", exact=True).press("Enter")
    field(screen, "Name of bus 1", "Stairwell")
    choose(screen, "Send what", "Alma")
    screen.get_by_role("button", name="Add send", exact=True).press("Enter")
    tap = screen.get_by_label("Tap of send Alma to bus Stairwell")
    expect(tap).to_have_value("behind the fader")
    choose(screen, "Tap of send Alma to bus Stairwell", "before the fader")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("tap behind the fader → before the fader")
    screen.keyboard.press("Control+z")
    expect(tap).to_have_value("behind the fader")
    # All tracks: the one that is sent already stays.
    choose(screen, "Send what", "all tracks")
    screen.get_by_role("button", name="Add send", exact=True).press("Enter")
    expect(screen.locator("[data-send]")).to_have_count(9)
    screen.get_by_role("button", name="Add send", exact=True).press("Enter")
    expect(screen.locator("body")).to_contain_text("all of them are sent to Stairwell")
    field(screen, "Gain of send Bertil to bus Stairwell", "loud")
    expect(screen.locator("body")).to_contain_text("“loud” is no number")
    # A bus that is renamed is renamed wherever it is taken.
    field(screen, "Name of bus 1", "Tower")
    expect(screen.get_by_label("Tap of send Alma to bus Tower")).to_be_visible()
    field(screen, "Pan of track Alma", "-60")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("pan")
    screen.reload()
    card(screen, "Longhand")
    expect(screen.get_by_label("Pan of track Alma")).to_have_value("-60")
    screen.get_by_role("button", name="Remove bus Tower").press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("loses 9 sends")


def test_legs_before_the_faders_outlast_a_solo_and_those_behind_them_do_not(screen: Page) -> None:
    screen.get_by_role("button", name="Example: voices before the faders").click()
    arriving(screen, "12/12")
    press(screen, ["1"])
    card(screen, "Gangway")
    screen.get_by_role("checkbox", name="Track Bertil solo").press(" ")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("solo")
    # The four before the faders go on; in the mix and in the room the other three are gone.
    arriving(screen, "6/12")
    press(screen, ["2"])
    expect(row(screen, "Alma")).to_contain_text("arrives")
    row(screen, "Alma, in the mix").click()
    press(screen, ["m"])
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("other tracks of Gangway are soloed")
    expect(snags).to_contain_text("End all solo")
    expect(screen.get_by_test_id("now-after")).to_contain_text("12 of 12")
    make(screen)
    arriving(screen, "12/12")
    press(screen, ["Escape", "1"])
    card(screen, "Gangway")
    choose(screen, "Tap of send Alma to Alma", "behind the fader")
    # Its line says that it is wanted before the fader.
    arriving(screen, "11/12")
    screen.keyboard.press("Control+z")
    arriving(screen, "12/12")
    # Every track to one more output of its own: seven channels are left, and four are enough.
    choose(screen, "Send to", "an output of its own each")
    screen.get_by_role("button", name="Add send", exact=True).press("Enter")
    expect(screen.locator("body")).to_contain_text("its device has 16 channels out")
    choose(screen, "Send what", "Dov")
    screen.get_by_role("button", name="Add send", exact=True).press("Enter")
    expect(screen.locator('[data-send="Dov to Dov 2"]')).to_be_visible()
