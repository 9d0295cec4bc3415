"""Outboard hung in a track and heard on the twin; a pair and its halves; all by keyboard."""

from playwright.sync_api import Page, expect

from core.test_halves import organ
from core.test_inserts import pressed
from iskelo.core.edits.additions import AddTracks
from iskelo.core.edits.edit import SetValues, TypeProgramInsert
from iskelo.core.edits.phrases import gear_phrase
from rigs import heard, two_voices
from server import Server
from web.keyboard import make
from web.test_mending import opened
from web.test_person import arriving, press, row
from web.test_tasks import preview


def test_outboard_is_inserted_and_heard_in_few_keys_and_nothing_is_measured(screen: Page, server: Server) -> None:
    """'Outboard inserted, its round trip known': at most 40 keys, from the rig with the gear standing beside it."""
    bench = heard(two_voices(), "Alma").do(*gear_phrase("compressor Anvil press"))
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    bench.do(SetValues(item=bench.id("Anvil press"), values={"delay_samples": 77}))
    opened(screen, server, bench.rig)
    keys = press(screen, ["1", "/", "rec", "Enter", "i"])
    table = screen.get_by_role("region", name="Inserts of Recorder")
    expect(table.locator("tr[aria-selected=true]")).to_contain_text("T Alma")
    keys += press(screen, ["Enter", "anv", "Enter"])
    expect(screen.get_by_label("Insert of T Alma", exact=True)).to_have_value("To Anvil press › From Anvil press")
    expect(table).to_contain_text("Box jack out 3 › Anvil press › Box jack in 3")
    keys += press(screen, ["m"])
    expect(screen.get_by_role("dialog")).to_contain_text("Came back after 448 samples = 9.33 ms")
    expect(preview(screen)).to_be_visible()
    keys += press(screen, ["Control+Enter"])
    expect(screen.get_by_role("dialog")).to_have_count(0)
    expect(screen.get_by_label("Round trip that the insert of T Alma counts with")).to_have_value("448")
    # The twin played what is assumed: it is computed, and as uncertain as before.
    expect(table).to_contain_text("computed")
    expect(table).not_to_contain_text("measured")
    expect(table).to_contain_text("~448 = 9.33 ms")
    assert keys <= 40
    # In and bypassed, beside each other before it is made; then after a reload.
    press(screen, ["b"])
    expect(preview(screen)).to_contain_text("Alma heard")
    make(screen)
    expect(screen.get_by_label("Insert of T Alma", exact=True)).to_have_value(
        "To Anvil press › From Anvil press, bypassed"
    )
    screen.reload()
    expect(screen.locator('[data-card="Recorder"]').first).to_be_visible()
    press(screen, ["/", "rec", "Enter", "i"])
    expect(screen.get_by_label("Round trip that the insert of T Alma counts with")).to_have_value("448")
    screen.keyboard.press("Control+z")
    expect(screen.get_by_label("Insert of T Alma", exact=True)).to_have_value("To Anvil press › From Anvil press")


def test_what_cannot_hang_there_stays_typed_and_a_wrong_figure_is_refused(screen: Page, server: Server) -> None:
    opened(screen, server, pressed().rig, "gear")
    press(screen, ["/", "rec", "Enter", "i"])
    field = screen.get_by_label("Insert of T Bertil", exact=True)
    expect(field).to_be_visible()
    press(screen, ["ArrowDown", "Enter", "hammer", "Enter"])
    expect(field).to_have_value("hammer")
    expect(field).to_have_attribute("aria-invalid", "true")
    expect(screen.locator("body")).to_contain_text("there is no outboard gear 'hammer'; there is Anvil press")
    figure = screen.get_by_label("Round trip that the insert of T Alma counts with")
    figure.focus()
    press(screen, ["12", "Enter"])
    expect(figure).to_have_value("12")
    expect(screen.locator("body")).to_contain_text("12 samples is less than the 371 that buffers and converters take")


def test_everything_hollow_from_a_dry_path_in_a_program_in_ten_keys(screen: Page, server: Server) -> None:
    bench = pressed()
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text="dry 0"))
    opened(screen, server, bench.rig)
    keys = press(screen, ["/", "hol"])
    expect(screen.get_by_test_id("suspects")).to_contain_text("Alma heard arrives 2 times")
    keys += press(screen, ["Enter", "m"])
    expect(preview(screen)).to_be_visible()
    keys += press(screen, ["Control+Enter"])
    expect(row(screen, "Alma heard")).to_contain_text("arrives")
    assert keys <= 10


def test_a_pair_as_two_mono_tracks_its_arming_clash_read_and_mended(screen: Page, server: Server) -> None:
    bench = organ()
    bench.do(SetValues(item=bench.id("Recorder"), values={"one_track_per_input": True}))
    # Somebody armed the stereo track again beside its halves.
    pair = bench.track("T Organ")
    stereo = next(track for track in bench.program().tracks if track.id == pair).input
    opened(screen, server, bench.rig, "gear")
    press(screen, ["/", "rec", "Enter"])
    split = screen.get_by_label("Split track T Organ into two mono tracks")
    split.press("Enter")
    expect(screen.get_by_label("Name of track 1")).to_have_value("T Organ L")
    expect(screen.get_by_label("Name of track 2")).to_have_value("T Organ R")
    press(screen, ["2"])
    for name in ("Left", "Right"):
        expect(row(screen, name)).to_contain_text("arrives")
    assert stereo is not None
    both = organ(halves=True)
    both.do(AddTracks(program=both.id("Recorder"), names=("Pair",), width=2, inputs=(stereo,)))
    program = both.program()
    order = (program.tracks[-1].id, *(track.id for track in program.tracks[:-1]))
    tracks = {track.id: track for track in program.tracks}
    both.put(program.model_copy(update={"tracks": tuple(tracks[each] for each in order), "one_track_per_input": True}))
    opened(screen, server, both.rig)
    for name in ("Left", "Right"):
        expect(row(screen, name)).to_contain_text("blocked")
    press(screen, ["/", "Left", "Enter"])
    expect(screen.get_by_label("Tape measure of Left")).to_contain_text("arms a channel on one track only")
    press(screen, ["m"])
    expect(preview(screen)).to_contain_text("Left")
    make(screen)
    arriving(screen, "4/4")
