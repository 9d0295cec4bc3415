"""Two meters read, ways that there could be, an unbalanced input: on the screen, by keyboard."""

import re

from playwright.sync_api import Page, expect

from core.test_inserts import pressed
from iskelo.core.edits.edit import SetValues
from iskelo.demo.voices_on_a_mixer import voices_on_a_mixer
from rigs import heard, two_voices
from server import Server
from web.keyboard import card, make
from web.test_mending import opened
from web.test_person import press, row
from web.test_tasks import preview


def test_two_meters_are_read_and_what_stands_between_them_is_named(screen: Page, server: Server) -> None:
    opened(screen, server, voices_on_a_mixer())
    row(screen, "Dov in the mix").click()
    press(screen, ["e"])
    meters = screen.get_by_role("table", name="Meters of Dov in the mix")
    expect(meters).to_contain_text("Longhand track 1 Main L")
    said = screen.get_by_label("What the meters say")
    screen.get_by_label("What Havra 16 preamplifier 4 reads").fill("-24")
    expect(said).to_contain_text("reads what it should")
    last = screen.get_by_label("What Longhand track 1 Main L reads")
    last.fill("loud")
    expect(last).to_have_attribute("aria-invalid", "true")
    expect(said).to_contain_text("“loud” is no level")
    last.fill("-38.8")
    expect(said).to_contain_text("consumer gear against professional")
    expect(said).to_contain_text("the fader of strip Dov at −11.8 instead of 0 dB")
    expect(said).to_contain_text("If all are off alike: the fader of mix Main")
    # A louder tone reads louder everywhere.
    screen.get_by_label("Tone at the source").fill("-32")
    expect(meters.get_by_role("row", name=re.compile("Havra 16 preamplifier 4"))).to_contain_text("−18.0 dBFS")


def test_a_way_that_could_be_is_shown_with_its_switch_and_made(screen: Page, server: Server) -> None:
    opened(screen, server, heard(two_voices(), "Alma").rig, "gear")
    screen.get_by_role("button", name=re.compile("^1: Box jack in 1")).press("Enter")
    answer = screen.get_by_role("region", name="Answer for Box jack in 1")
    way = answer.get_by_role("button", name=re.compile("Phones L.*Monitor track T Alma"))
    way.press("Enter")
    expect(preview(screen)).to_contain_text("Alma heard")
    make(screen)
    expect(answer.get_by_role("button", name=re.compile("Phones L.*ms"))).to_contain_text("line Alma heard")


def test_a_lead_into_an_unbalanced_input_is_told_to_lose_half(screen: Page, server: Server) -> None:
    bench = pressed()
    bench.do(SetValues(item=bench.id("Box"), values={"drives_both_legs": True}))
    opened(screen, server, bench.rig, "gear")
    card(screen, "Phones")
    screen.get_by_label("leg 1: into an unbalanced input").press("Space")
    expect(screen.get_by_label("leg 1: into an unbalanced input")).to_be_checked()
    press(screen, ["Escape", "s"])
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("hears Box jack out 1 6.0 dB softer: it takes one of two driven legs")
