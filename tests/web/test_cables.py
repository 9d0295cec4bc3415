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


def test_sixteen_stereo_sounds_each_on_its_own_track_by_cables_from_a_blank_rig(screen: Page) -> None:
    """'Sixteen sampler outputs, each on its own track, through cables of 8': at most 62 keys, line check green."""
    new_rig(screen, "Pads")
    expect(screen.get_by_role("textbox", name="Add gear")).to_be_focused()
    keys = press(screen, ["sam 16", "Enter"])
    expect(screen.locator('[data-card="Sampler"]')).to_contain_text("16/16")
    keys += press(screen, ["rec", "Enter"])
    expect(screen.locator('[data-card="Recorder"]')).to_be_visible()
    keys += press(screen, ["Escape", "2", "b"])
    keys += press(screen, ["sam 1-16", "Tab", "rec new"])
    expect(screen.get_by_role("form", name="Batch of lines")).to_contain_text("of 16")
    keys += press(screen, ["Control+Enter"])
    arriving(screen, "0/16")
    keys += press(screen, ["p"])
    expect(preview(screen)).to_be_visible()
    expect(screen.locator("body")).to_contain_text("Add cable Cable 4 of 8 channels")
    keys += press(screen, ["Control+Enter"])
    arriving(screen, "16/16")
    keys += press(screen, ["4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("16 of 16 lines as wanted", timeout=30_000)
    assert keys <= 62
    # All of it is one undo, and is there again after a reload.
    screen.keyboard.press("Control+z")
    arriving(screen, "0/16")
    screen.keyboard.press("Control+Shift+z")
    screen.reload()
    arriving(screen, "16/16")
