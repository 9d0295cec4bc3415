"""Programs joined by a cable, by keyboard."""

from playwright.sync_api import Page, expect

from core.test_cables import pads
from iskelo.core.edits.edit import SetValues
from server import Server
from web.keyboard import card, typed
from web.test_mending import opened
from web.test_person import add, arriving, new_rig, press
from web.test_tasks import preview


def test_a_cable_is_typed_stands_under_system_and_keeps_its_margin(screen: Page) -> None:
    new_rig(screen, "Cables")
    add(screen, "2 cable 8 Gully")
    expect(screen.locator('[data-card="Gully 2"]')).to_contain_text("cable · 48 kHz")
    expect(screen.locator('[data-card="Gully 2"]')).to_contain_text("the computer’s timer")
    card(screen, "Gully 1")
    typed(screen, "Margin", "48")
    typed(screen, "Channels", "4")
    expect(screen.locator('[data-card="Gully 1"]')).to_contain_text("0/4")
    screen.get_by_label("Margin").fill("minus")
    screen.keyboard.press("Enter")
    expect(screen.locator("body")).to_contain_text("minus")
    expect(screen.get_by_label("Margin")).to_have_value("minus")
    screen.reload()
    card(screen, "Gully 1")
    expect(screen.get_by_label("Margin")).to_have_value("48")


def test_a_cable_on_the_timer_is_let_follow_and_its_lines_arrive(screen: Page, server: Server) -> None:
    bench = pads()
    bench.do(SetValues(item=bench.id("Gully 1"), values={"clock_source": "computer"}))
    opened(screen, server, bench.rig)
    arriving(screen, "0/4")
    press(screen, ["s", "Enter"])
    expect(screen.locator("body")).to_contain_text("Let Gully 1 follow Havra")
    press(screen, ["Enter"])
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    arriving(screen, "4/4")
    press(screen, ["Escape", "1"])
    card(screen, "Gully 1")
    expect(screen.get_by_label("Clock of Gully 1").locator("option:checked")).to_have_text("follows Havra")
    # Another clock is looked at before it is taken.
    screen.get_by_label("Clock of Gully 1").focus()
    press(screen, ["ArrowDown", "the computer", "Enter"])
    expect(preview(screen)).to_contain_text("drifting")


def test_a_program_has_its_own_buffer_on_a_cable(screen: Page, server: Server) -> None:
    opened(screen, server, pads().rig, "gear")
    card(screen, "Soundcase")
    typed(screen, "Its buffer", "256")
    press(screen, ["2", "ArrowDown"])
    expect(screen.locator("body")).to_contain_text("buffer of Soundcase 256 · cable margin 32 · buffer of Hall 128")
    press(screen, ["3"])
    expect(screen.locator("body")).to_contain_text("Gully 1, cable")
