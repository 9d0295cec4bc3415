"""Mixers on the screen, by keyboard: feeds typed, strips muted, reasons read, remedies applied, returns switched."""

import pytest
from playwright.sync_api import Page, expect

from desks import desk_bench, heard_at, mixer_of, outboard_on, plugged, recorded, strip_of
from iskelo.core.edits.additions import AddLine, AddOutboard
from iskelo.core.edits.edit import SetValues, TypeFeeds, TypeStripFeeds
from iskelo.core.rig.ports import Port
from rigs import Bench
from server import Server
from web.keyboard import make
from web.test_mending import opened
from web.test_person import press, row
from web.test_tasks import preview


def havra() -> Bench:
    bench = desk_bench("havra", "4 mic Alma, Bertil, Cassia, Dov", "recorder 6", "headphones Phones")
    return plugged(bench, "Havra 16", {"Alma": 1, "Bertil": 2, "Cassia": 3, "Dov": 4})


def on_tracks(bench: Bench) -> Bench:
    """Four lines for what is raw on tracks 3 to 6, one for the main mix on tracks 1 and 2."""
    recorded(bench, "Alma", "Bertil", "Cassia", "Dov", first=3)
    tracks = bench.program().tracks
    ends = (Port(tracks[0].id, "track", 1), Port(tracks[1].id, "track", 1))
    return bench.do(AddLine(name="Main", from_ports=(bench.out("Alma"),), to_ports=ends, alone=False))


def test_the_main_pair_and_four_raw_feeds_by_few_keys_then_muted(screen: Page, server: Server) -> None:
    """'Main pair and four raw feeds to USB 1-6' of the table: 26 keys there, at most 31 here."""
    opened(screen, server, on_tracks(havra()).rig)
    keys = press(screen, ["1", "/", "hav", "Enter", "e"])
    feeds = screen.get_by_label("What feeds it")
    expect(feeds).to_be_focused()
    keys += press(screen, ["main", "Enter"])
    rows = screen.get_by_label("Feeds", exact=True).locator("li")
    expect(rows.nth(0)).to_contain_text("Main L")
    expect(screen.locator("form").filter(has=feeds)).to_contain_text("usb 3")
    keys += press(screen, ["in 1-4 raw"])
    expect(screen.get_by_role("status").filter(has_text="in 1–4 raw to channels 3–6")).to_contain_text("in place of")
    keys += press(screen, ["Enter"])
    for place, words in enumerate(("Main L", "Main R", "in 1 raw", "in 2 raw", "in 3 raw", "in 4 raw")):
        expect(rows.nth(place)).to_contain_text(words)
    assert keys <= 31
    press(screen, ["Escape"])
    for strip in range(1, 5):
        screen.get_by_label(f"Strip Strip {strip} mute", exact=True).press("Space")
        expect(screen.get_by_label(f"Strip Strip {strip} mute", exact=True)).to_be_checked()
    screen.keyboard.press("2")
    expect(row(screen, "Main")).to_contain_text("blocked")
    for name in ("Alma", "Bertil", "Cassia", "Dov"):
        expect(row(screen, f"L {name}")).to_contain_text("arrives")
    screen.reload()
    expect(row(screen, "Main")).to_contain_text("blocked")


def test_a_feed_that_cannot_be_is_refused_in_place_and_nothing_typed_is_lost(screen: Page, server: Server) -> None:
    opened(screen, server, havra().rig, "gear")
    press(screen, ["/", "hav", "Enter", "k"])
    field = screen.get_by_label("What feeds it")
    expect(field).to_be_focused()
    press(screen, ["group"])
    expect(screen.get_by_role("status").filter(has_text="could be Group 1, Group 2")).to_be_visible()
    press(screen, ["Enter"])
    expect(field).to_have_value("group")
    press(screen, [" 1", "Enter"])
    expect(field).to_have_value("")
    expect(screen.get_by_label("Feeds", exact=True).locator("li").nth(0)).to_contain_text("Group 1 L")
    strip = screen.get_by_label("Feeds of strip Strip 1", exact=True)
    strip.focus()
    screen.keyboard.press("Control+a")
    press(screen, ["main, aux 1 -6 pre", "Enter"])
    expect(strip).to_have_value("Main · Aux 1 −6 pre")
    strip.focus()
    screen.keyboard.press("Control+a")
    press(screen, ["kazoo", "Enter"])
    expect(strip).to_have_value("kazoo")
    expect(strip).to_have_attribute("aria-invalid", "true")
    expect(screen.locator("body")).to_contain_text("nothing in Havra 16 is called 'kazoo'")


def test_a_player_in_the_consumer_return_is_missing_and_mended(screen: Page, server: Server) -> None:
    bench = desk_bench("wherry", "line Cassette", "recorder 2")
    plugged(bench, "Wherry", {"Cassette": 7}, trim_db=0)
    recorded(bench, "Cassette")
    opened(screen, server, bench.rig)
    press(screen, ["/", "L Cassette", "Enter"])
    expect(screen.get_by_label("Tape measure of L Cassette")).to_contain_text("never reaches the computer")
    expect(screen.get_by_label("Tape measure of L Cassette")).to_contain_text("behind the send to the computer")
    press(screen, ["m"])
    expect(preview(screen)).to_be_visible()
    make(screen)
    expect(row(screen, "L Cassette")).to_contain_text("arrives")


def test_guitar_and_voice_onto_two_tracks_by_the_second_pair(screen: Page, server: Server) -> None:
    bench = desk_bench("analogue mixer 8 Ketch", "mic Voice", "instrument Guitar", "recorder 2")
    plugged(bench, "Ketch", {"Voice": 1, "Guitar": 2}, trim_db=10)
    recorded(bench, "Voice", "Guitar")
    opened(screen, server, bench.rig)
    for name in ("L Voice", "L Guitar"):
        expect(row(screen, name)).to_contain_text("blocked")
    press(screen, ["1", "/", "ketch", "Enter", "k"])
    screen.keyboard.press("Escape")
    for strip, pan in ((1, "-100"), (2, "100")):
        screen.get_by_label(f"Strip Strip {strip} key", exact=True).press("Space")
        expect(screen.get_by_label(f"Strip Strip {strip} key", exact=True)).to_be_checked()
        field = screen.get_by_label(f"Pan of strip Strip {strip}", exact=True)
        field.focus()
        press(screen, [pan, "Enter"])
        expect(field).to_have_value(pan)
    screen.keyboard.press("2")
    for name in ("L Voice", "L Guitar"):
        expect(row(screen, name)).to_contain_text("arrives")


def test_everything_sounds_hollow_from_a_dry_path_beside_an_insert(screen: Page, server: Server) -> None:
    """'Everything sounds hollow' of the table: at most 10 keys."""
    bench = havra()
    bench.do(AddOutboard(name="Press"))
    outboard_on(bench, "Havra 16", "Strip 1", "Press", 5, 9, dry=True)
    bench.do(TypeStripFeeds(strip=strip_of(bench, "Havra 16", "Strip 9").id, text=""))
    heard_at(bench, "Alma", "Havra 16", 11)
    opened(screen, server, bench.rig)
    keys = press(screen, ["/", "hol", "Enter"])
    expect(screen.get_by_label("Tape measure of Alma heard")).to_contain_text("68 samples")
    keys += press(screen, ["m"])
    expect(preview(screen)).to_contain_text("doubled")
    make(screen)
    expect(row(screen, "Alma heard")).to_contain_text("arrives")
    assert keys + 1 <= 10
    press(screen, ["4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("1 of 1 lines as wanted", timeout=60_000)


@pytest.mark.parametrize("theme", ["day", "night"])
def test_rehearsal_with_all_returns_on_and_off_again(screen: Page, server: Server, theme: str) -> None:
    bench = havra()
    heard_at(bench, "Alma", "Havra 16", 11)
    opened(screen, server, bench.rig, "gear")
    if theme == "night":
        screen.keyboard.press("t")
    press(screen, ["/", "hav", "Enter", "k"])
    screen.keyboard.press("Escape")
    expect(screen.get_by_role("button", name="Source of strip Strip 1", exact=True)).to_have_text("jack 1")
    screen.keyboard.press("r")
    expect(screen.get_by_role("button", name="Source of strip Strip 1", exact=True)).to_have_text("return 1")
    screen.keyboard.press("2")
    expect(row(screen, "Alma heard")).to_contain_text("blocked")
    press(screen, ["1", "/", "hav", "Enter", "k", "Escape", "r"])
    screen.keyboard.press("2")
    expect(row(screen, "Alma heard")).to_contain_text("arrives")


def test_what_a_mixer_contains_stands_in_its_table(screen: Page, server: Server) -> None:
    bench = havra()
    bench.do(TypeFeeds(mixer=bench.id("Havra 16"), number=17, text="aux 1"))
    bench.do(SetValues(item=strip_of(bench, "Havra 16", "Strip 2").id, values={"muted": True}))
    assert mixer_of(bench, "Havra 16").mixes[0].name == "Main"
    opened(screen, server, bench.rig, "gear")
    press(screen, ["/", "hav", "Enter", "k"])
    panel = screen.get_by_role("region", name="Mixer Havra 16")
    expect(panel.locator('[data-strip="Strip 1"]')).to_contain_text("Alma")
    expect(panel.locator('[data-mix="Main"]')).to_contain_text("Alma, Cassia, Dov")
    expect(panel.get_by_label("Feeds", exact=True).locator("li").nth(16)).to_contain_text("Aux 1")
