"""Leads that go back into a box: a loop found by what is heard, explained, opened by its remedy; all by keyboard."""

import re

from playwright.sync_api import Page, expect

from server import Server
from web.keyboard import card, choose, make, typed
from web.test_person import add, arriving, new_rig, press, row


def crosspoint(screen: Page, jack_in: str, jack_out: str, gain: str) -> None:
    for label, text in (("Direct from jack in", jack_in), ("Direct to jack out", jack_out)):
        screen.get_by_label(label, exact=True).focus()
        screen.keyboard.press("Control+a")
        screen.keyboard.type(text)
    screen.keyboard.press("Enter")
    typed(screen, f"Gain of direct {jack_in} to {jack_out}", gain)


def test_a_lead_from_an_output_back_into_an_input_howls_and_is_opened_by_its_remedy(screen: Page) -> None:
    new_rig(screen, "Going round")
    for phrase in ("line Alma", "box 4x4 Corvane", "outboard Stairwell", "headphones Phones"):
        add(screen, phrase)
    screen.keyboard.press("Escape")
    card(screen, "Corvane")
    choose(screen, "Source at jack in 1", "Alma")
    choose(screen, "Source at jack in 2", "Stairwell out")
    typed(screen, "Trim of jack in 1", "-22")
    typed(screen, "Trim of jack in 2", "0")
    for crossing in (("1", "1", "0"), ("1", "2", "0"), ("2", "1", "0"), ("2", "2", "2")):
        crosspoint(screen, *crossing)
    card(screen, "Stairwell")
    choose(screen, "Leg 1 from", "Corvane out 2")
    typed(screen, "Delay", "480")
    screen.get_by_label("Effects (wet)").press("Space")
    card(screen, "Phones")
    screen.get_by_label("Stereo").press("Space")
    choose(screen, "Leg 1 from", "Corvane out 1")
    press(screen, ["2", "n"])
    strip = screen.get_by_role("form", name="New line")
    choose(screen, "From", "Alma")
    choose(screen, "Purpose", "listen")
    strip.get_by_label("Name of the line").focus()
    screen.keyboard.type("Alma, heard")
    screen.keyboard.press("Enter")
    expect(row(screen, "Alma, heard")).to_contain_text("howls")
    # Found by what is heard, and opened.
    press(screen, ["Escape", "/"])
    screen.keyboard.type("it howls")
    expect(screen.locator("body")).to_contain_text(re.compile("goes round", re.I))
    press(screen, ["Escape", "s"])
    drawer = screen.get_by_label("Snags", exact=True)
    expect(drawer).to_contain_text("Corvane jack in 2 → Corvane jack out 2 → Stairwell in → Corvane jack in 2")
    expect(drawer).to_contain_text("+2.0 dB every 11.23 ms: it grows by 178 dB a second")
    screen.keyboard.press("Enter")
    expect(drawer).to_contain_text("Stop direct monitoring of jack in 2 at jack out 2 of Corvane")
    make(screen)
    expect(row(screen, "Alma, heard")).not_to_contain_text("howls")
    press(screen, ["Escape"])
    screen.keyboard.press("Control+z")
    expect(row(screen, "Alma, heard")).to_contain_text("howls")
    screen.reload()
    expect(row(screen, "Alma, heard")).to_contain_text("howls")


def test_the_example_of_outboard_on_an_insert_opens_and_is_proved(screen: Page, server: Server) -> None:
    screen.get_by_role("button", name="Example: outboard on an insert").press("Enter")
    arriving(screen, "5/5")
    press(screen, ["4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("5 of 5 lines as wanted", timeout=60_000)
