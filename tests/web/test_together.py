"""Programs on one computer that keep time together and talk to somebody far away, by keyboard."""

from pathlib import Path

import mido
from playwright.sync_api import Page, expect

from core.test_calls import ready
from core.test_sync import beds
from server import Server
from web.keyboard import card, typed
from web.test_mending import opened
from web.test_person import add, arriving, new_rig, press
from web.test_tasks import preview


def test_one_program_is_recorded_into_another_in_time_from_a_blank_rig(screen: Page) -> None:
    """Clock, the offset read, trimmed, proved nought: at most 46 keys."""
    new_rig(screen, "Beds")
    keys = press(screen, ["player 1", "Enter"])
    expect(screen.locator('[data-card="Player"]')).to_be_visible()
    keys += press(screen, ["rec", "Enter"])
    expect(screen.locator('[data-card="Recorder"]')).to_be_visible()
    keys += press(screen, ["Escape", "2", "b"])
    keys += press(screen, ["deck", "Tab", "rec new"])
    expect(screen.get_by_role("form", name="Batch of lines")).to_contain_text("Deck")
    keys += press(screen, ["Control+Enter"])
    arriving(screen, "0/1")
    keys += press(screen, ["p"])
    expect(preview(screen)).to_be_visible()
    keys += press(screen, ["Control+Enter"])
    arriving(screen, "1/1")
    keys += press(screen, ["3", "n"])
    expect(screen.get_by_role("form", name="New sync link")).to_be_visible()
    keys += press(screen, ["Enter"])
    together = screen.get_by_role("region", name="Sync and calls")
    expect(together).to_contain_text("elsewhere at every start: let messages be stamped")
    expect(together).to_contain_text("Stamp, and set")
    keys += press(screen, ["x"])
    expect(together).to_contain_text("clips lie where they were played")
    keys += press(screen, ["4", "r"])
    expect(screen.get_by_test_id("clips")).to_contain_text("in time", timeout=30_000)
    expect(screen.get_by_test_id("proved")).to_contain_text("1 of 1 lines as wanted")
    assert keys <= 46
    # Each is one undo, and is there again after a reload.
    press(screen, ["3"])
    screen.keyboard.press("Control+z")
    expect(together).to_contain_text("elsewhere at every start")
    screen.reload()
    expect(together).to_contain_text("elsewhere at every start")


def test_who_does_not_mind_the_clock_is_let_follow(screen: Page, server: Server) -> None:
    opened(screen, server, beds().rig, "timing")
    together = screen.get_by_role("region", name="Sync and calls")
    screen.get_by_label("Whether Longhand follows").select_option("false")
    expect(together).to_contain_text("Longhand runs at its own tempo")
    press(screen, ["s", "Enter"])
    expect(screen.locator("body")).to_contain_text("Let Longhand follow the clock")
    press(screen, ["Enter", "Control+Enter", "Escape"])
    expect(together).to_contain_text("elsewhere at every start")
    offset = screen.get_by_label("Sync offset from Cartwheel to Longhand", exact=True)
    offset.fill("soon")
    offset.press("Enter")
    expect(screen.locator("body")).to_contain_text("soon")
    offset.fill("5.667")
    offset.press("Enter")
    expect(together).to_contain_text("5.3 ms")


def test_a_far_end_that_hears_itself_gets_a_mix_of_everybody_else(screen: Page, server: Server) -> None:
    opened(screen, server, ready().rig)
    arriving(screen, "5/5")
    press(screen, ["s", "Enter"])
    expect(screen.locator("body")).to_contain_text("What Ines says comes back to Ines, 92 to 252 ms later")
    press(screen, ["Enter"])
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    expect(screen.locator("body")).to_contain_text("All but Ines")
    arriving(screen, "5/5")
    press(screen, ["Escape", "3"])
    call = screen.get_by_label("Call Ines")
    expect(call).to_contain_text("hears Alma, Music bed, not itself; one way 50 to 132 ms")
    press(screen, ["4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("5 of 5 lines as wanted", timeout=30_000)


def test_a_call_is_typed_told_how_long_it_takes_and_heard(screen: Page) -> None:
    new_rig(screen, "Call")
    add(screen, "mic Alma")
    add(screen, "call Farline")
    expect(screen.locator('[data-card="Farline"]')).to_contain_text("ear1/1")
    card(screen, "Farline")
    typed(screen, "Delay in ms least, to Far end", "300")
    expect(screen.locator("body")).to_contain_text("the least delay, 300 ms, is above the most, 120 ms")
    press(screen, ["Escape", "2", "n"])
    screen.get_by_label("Purpose").select_option("listen")
    expect(screen.get_by_label("To", exact=True)).to_contain_text("Far end, of Farline")
    screen.get_by_role("button", name="Add line").click()
    expect(screen.locator("body")).to_contain_text("Alma, for Far end")


def test_a_song_is_read_from_a_midi_file_and_written_again(screen: Page, server: Server, tmp_path: Path) -> None:
    opened(screen, server, beds().rig, "gear")
    card(screen, "Cartwheel")
    song = mido.MidiFile(type=0, ticks_per_beat=480)
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(96)))
    track.append(mido.MetaMessage("marker", text="Lamp lit", time=960))
    song.tracks.append(track)
    path = tmp_path / "song.mid"
    song.save(path)
    screen.get_by_label("Song file of Cartwheel").set_input_files(path)
    expect(screen.get_by_label("Tempo")).to_have_value("96")
    expect(screen.locator("body")).to_contain_text("1 marker")
    with screen.expect_download() as told:
        screen.get_by_text("Write one").click()
    again = mido.MidiFile(told.value.path())
    assert [each.text for each in again.tracks[0] if each.type == "marker"] == ["Lamp lit"]
    path.write_bytes(b"no song")
    screen.get_by_label("Song file of Cartwheel").set_input_files(path)
    expect(screen.locator("body")).to_contain_text("this is no Standard MIDI file that can be read")
