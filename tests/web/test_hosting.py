"""Programs that run in others, channels sent straight across, names that travel, by keyboard."""

from playwright.sync_api import Page, expect

from core.test_hosting import hosted, straight
from iskelo.core.edits.additions import AddSends
from iskelo.core.edits.edit import SendStraight
from server import Server
from web.keyboard import card, typed
from web.test_mending import opened
from web.test_person import arriving, press
from web.test_tasks import preview


def test_an_unmade_return_is_found_and_made(screen: Page, server: Server) -> None:
    opened(screen, server, hosted().rig)
    arriving(screen, "0/2")
    press(screen, ["s", "Enter"])
    expect(screen.locator("body")).to_contain_text("Main of Soundcase has no return in Longhand")
    press(screen, ["Enter"])
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    arriving(screen, "2/2")
    press(screen, ["Escape", "4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("2 of 2 lines as wanted", timeout=30_000)
    press(screen, ["3"])
    expect(screen.get_by_label("Soundcase in Longhand")).to_contain_text("played by hand it sounds 0.0 to 1.3 ms late")
    press(screen, ["1"])
    card(screen, "Soundcase")
    screen.get_by_label("Works ahead").select_option("long")
    press(screen, ["Escape", "3"])
    expect(screen.get_by_label("Soundcase in Longhand")).to_contain_text("21.4 to 22.7 ms late; replayed in time")


def test_a_program_is_let_run_in_another_and_given_a_device_again(screen: Page, server: Server) -> None:
    opened(screen, server, hosted().rig, "gear")
    card(screen, "Soundcase")
    device = screen.get_by_label("Device", exact=True)
    expect(device.locator("option:checked")).to_have_text("runs in Longhand")
    screen.get_by_label("Make returns for Soundcase").click()
    card(screen, "Longhand")
    expect(screen.get_by_label("Name of input 1")).to_have_value("Main")
    # A return and its output have one name, whichever is typed.
    typed(screen, "Name of input 1", "Sea and wind")
    card(screen, "Soundcase")
    expect(screen.get_by_label("Name of output 1")).to_have_value("Sea and wind")
    device.select_option(label="Havra")
    expect(screen.locator("body")).to_contain_text("the return Sea and wind of Longhand goes with it")


def test_a_straight_channel_left_in_place_is_found_doubled_and_set_back(screen: Page, server: Server) -> None:
    bench = straight()
    alma = bench.track("Alma")
    bench.do(SendStraight(item=alma, to=bench.id("Gangway")))
    buses = next(each.buses for each in bench.rig.gear if each.kind == "program" and each.name == "Longhand")
    bench.do(AddSends(program=bench.id("Longhand"), items=(alma,), to=buses[0].id))
    opened(screen, server, bench.rig)
    arriving(screen, "0/1")
    press(screen, ["s", "Enter"])
    expect(screen.locator("body")).to_contain_text("Alma, heard arrives 2 times, 10.00 ms apart")
    expect(screen.locator("body")).to_contain_text("Set track Alma back to Room")
    press(screen, ["Enter", "Control+Enter"])
    arriving(screen, "1/1")
    press(screen, ["Escape", "1"])
    card(screen, "Longhand")
    screen.get_by_label("Send track Alma straight to Gangway").click()
    expect(screen.get_by_label("Set track Alma back")).to_be_visible()
    screen.get_by_label("Set track Alma back").click()
    expect(screen.get_by_label("Send track Alma straight to Gangway")).to_be_visible()


def test_a_name_is_changed_once_and_seen_everywhere(screen: Page, server: Server) -> None:
    opened(screen, server, straight().rig, "gear")
    screen.get_by_label("Names travel").click()
    expect(screen.get_by_label("Names travel")).to_be_checked()
    card(screen, "Longhand")
    typed(screen, "Name of track 1", "Dov")
    expect(screen.get_by_label("Name of input 1")).to_have_value("Dov")
    expect(screen.locator('[data-card="Dov"]')).to_be_visible()
    press(screen, ["Escape", "2"])
    expect(screen.locator("body")).to_contain_text("Dov, heard")
    screen.keyboard.press("Control+z")
    expect(screen.locator("body")).to_contain_text("Alma, heard")
