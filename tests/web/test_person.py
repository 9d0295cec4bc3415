"""What a technician does, from a blank rig, in the real screens."""

import io
import json
import re
from pathlib import Path

import pytest
import soundfile
from playwright.sync_api import Page, expect

from server import Server
from web.keyboard import make


def new_rig(screen: Page, name: str) -> None:
    screen.get_by_label("Name of a new rig").fill(name)
    screen.keyboard.press("Enter")
    expect(screen.get_by_role("button", name=name, exact=True)).to_be_visible()


def add(screen: Page, phrase: str) -> None:
    """Type gear into the add line of Gear."""
    field = screen.get_by_role("textbox", name="Add gear")
    field.fill(phrase)
    field.press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text(phrase.rsplit(maxsplit=1)[-1])


def line(screen: Page, source: str, purpose: str, within: str = "") -> None:
    """State a line in the strip of Lines; the strip must be open."""
    strip = screen.get_by_role("form", name="New line")
    strip.get_by_label("From", exact=True).select_option(source)
    strip.get_by_label("Purpose").select_option(purpose)
    strip.get_by_label("Longest delay in ms").fill(within)
    strip.get_by_label("Longest delay in ms").press("Enter")
    name = source if purpose == "record" else f"{source}, heard"
    expect(row(screen, name)).to_be_visible()


def row(screen: Page, name: str):
    return screen.locator(f'tr[data-line="{name}"]')


def station(screen: Page, name: str, column: str):
    return row(screen, name).locator(f'[data-station="{column}"]')


def patch(screen: Page, name: str, column: str, typed: str) -> None:
    """Open a station of a line, type, take the choice."""
    station(screen, name, column).dblclick()
    field = screen.locator("input[role=combobox]")
    field.fill(typed)
    expect(screen.locator("[role=option]").first).to_be_visible()
    field.press("Enter")
    expect(field).to_have_count(0)


def arriving(screen: Page, words: str) -> None:
    expect(screen.get_by_test_id("arriving")).to_have_text(words)


def small_rig(screen: Page, name: str) -> None:
    """Two microphones, a box, a recorder, headphones; nothing joined yet."""
    new_rig(screen, name)
    add(screen, "mic Alma, Bertil")
    add(screen, "box 8x8 Corvane 8")
    add(screen, "recorder Longhand")
    add(screen, "headphones Phones")


def test_two_microphones_to_a_recorder_heard_within_10_ms_and_a_green_line_check(screen: Page) -> None:
    small_rig(screen, "Two microphones")
    screen.keyboard.press("Escape")
    screen.keyboard.press("2")
    screen.keyboard.press("n")
    line(screen, "Alma", "record")
    line(screen, "Bertil", "record")
    line(screen, "Alma", "listen", "10")
    screen.keyboard.press("Escape")
    arriving(screen, "0/3")
    expect(station(screen, "Alma", "box_in")).to_have_text("not plugged in")

    # By hand, station by station.
    patch(screen, "Alma", "box_in", "corvane 8 1")
    patch(screen, "Alma", "program_in", "new input")
    expect(row(screen, "Alma")).to_contain_text("arrives")
    patch(screen, "Bertil", "box_in", "corvane 8 2")
    patch(screen, "Bertil", "program_in", "new input")
    arriving(screen, "2/3")
    for column, number in (("box_in", "2"), ("computer_in", "2"), ("program_in", "2"), ("track", "2")):
        expect(station(screen, "Bertil", column)).to_contain_text(number)

    # The rest by the remedy: the smallest change that lets Alma be heard.
    row(screen, "Alma, heard").click()
    screen.keyboard.press("m")
    expect(screen.get_by_test_id("now-after")).to_contain_text("arrives, ~1.23 ms")
    make(screen)
    arriving(screen, "3/3")
    screen.keyboard.press("Escape")
    row(screen, "Alma").click()
    expect(screen.get_by_role("region", name="Tape measure of Alma")).to_contain_text("185")
    screen.keyboard.press("=")
    expect(screen.get_by_role("table", name="Adds up, Through the computer")).to_contain_text("wait: capture buffer")

    screen.keyboard.press("4")
    screen.keyboard.press("r")
    expect(screen.get_by_test_id("proved")).to_contain_text("3 of 3 lines as wanted", timeout=30_000)
    detail = screen.get_by_role("table", name="Alma at Longhand track 1 Alma")
    expect(detail).to_contain_text("185.00")
    expect(detail).to_contain_text("0.00")

    # The proof stands until something on a line's way changes.
    expect(screen.get_by_test_id("proved-vital")).to_have_text("3")
    screen.keyboard.press("1")
    screen.get_by_role("button", name="Corvane 8", exact=True).click()
    screen.get_by_label("Buffer", exact=True).select_option("64")
    screen.get_by_role("dialog").get_by_role("button", name="Apply").click()
    expect(screen.get_by_role("link", name="proved 1 · stale 2")).to_be_visible()
    screen.get_by_role("link", name=re.compile("Lines")).first.click()
    expect(row(screen, "Bertil")).to_contain_text("stale")
    expect(row(screen, "Alma, heard")).not_to_contain_text("stale")


def test_a_silent_track_is_found_and_mended_from_snags(screen: Page) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")
    screen.keyboard.press("]")
    expect(row(screen, "Dov")).to_have_attribute("aria-selected", "true")
    expect(station(screen, "Dov", "program_in")).to_have_text("takes 3, not 4")
    screen.keyboard.press("m")
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("Cassia and Dov share channel 3")
    expect(snags.get_by_label("What follows from it")).to_contain_text("Dov is silent")
    expect(snags.get_by_test_id("now-after")).to_contain_text("arrives, 6.60 ms")
    arriving(screen, "12/16")
    make(screen)
    arriving(screen, "13/16")
    expect(row(screen, "Dov")).to_contain_text("arrives")
    screen.keyboard.press("Control+z")
    arriving(screen, "12/16")
    screen.keyboard.press("Control+Shift+z")
    arriving(screen, "13/16")
    # The rest of the demo: monitored twice, a clock that runs free, and a box whose
    # rate is matched, so that it comes later than what is recorded with it.
    first = ("arrives, 1.23 ms", "", "14/16")
    steps = (first, ("drifting", "", "14/16"), ("skewed", "drifting", "15/16"), ("late", "", "16/16"))
    for preview, before, rest in steps:
        expect(snags.get_by_test_id("now-after")).to_contain_text(preview)
        if before:
            # The step before says what it leads to, too: it must have gone.
            expect(snags.get_by_test_id("now-after")).not_to_contain_text(before)
        make(screen)
        arriving(screen, rest)
    # And a risk that no line tells: the computer's beeps in the director's ears.
    expect(snags).to_contain_text("The computer's own sounds play through Corvane 8")
    make(screen)
    # What is left is a note: what matching the second box costs.
    expect(snags).to_contain_text("Matching Pellow Duo costs")
    expect(snags.get_by_text("worst first")).to_have_text("1, worst first")


CSV = """Line;Mic;Box input;Track;Purpose;Limit
Voice 1;Alma;1;;record;
Voice 2;Bertil;2;;record;
Voice 3;Cassia;99;;record;
Voice 4;Dov;4;;record;
Tray;Gravel tray;5;;record;
Door;Creaking door;6;;record;
Thunder;Thunder sheet;7;;record;
Tank;Tank hydrophone;8;;record;
Alma heard;Alma;;Phones;listen;10 ms
Bertil heard;Bertil;;Phones;listen;10 ms
Tray heard;Gravel tray;;Phones;listen;soon
Door heard;Creaking door;;Phones;listen;12,5
"""


def test_a_csv_of_12_rows_with_two_bad_ones(screen: Page, tmp_path: Path) -> None:
    new_rig(screen, "From a list")
    add(screen, "box 8x8 Corvane 8")
    add(screen, "recorder Longhand")
    add(screen, "headphones Phones")
    file = tmp_path / "inputs.csv"
    file.write_bytes(CSV.encode("latin-1"))
    screen.get_by_role("link", name=re.compile("Lines")).first.click()
    screen.get_by_label("Input list file").set_input_files(file)
    table = screen.get_by_role("table", name="Rows of the list")
    expect(table.locator("[data-row]")).to_have_count(12)
    expect(table.locator('[data-row="4"]')).to_contain_text("Corvane 8 has no jack in 99; it has 8")
    expect(table.locator('[data-row="12"]')).to_contain_text("'soon' is no delay in milliseconds")
    screen.get_by_role("button", name=re.compile("Make 10 lines")).click()
    arriving(screen, "7/10")
    expect(table.locator("[data-row]")).to_have_count(2)
    # The refused rows are mended in place.
    screen.get_by_label("Box input, row 4").fill("3")
    screen.get_by_label("Limit, row 12").fill("10")
    screen.get_by_role("button", name=re.compile("Make 2 lines")).click()
    arriving(screen, "8/12")
    expect(row(screen, "Voice 3")).to_contain_text("arrives")
    screen.keyboard.press("Control+z")
    arriving(screen, "7/10")


@pytest.mark.server_away
def test_undo_after_a_restart(screen: Page, server: Server) -> None:
    small_rig(screen, "Restarted")
    screen.get_by_role("button", name="Corvane 8", exact=True).click()
    screen.get_by_label("Buffer", exact=True).select_option("64")
    screen.get_by_role("dialog").get_by_role("button", name="Apply").click()
    expect(screen.get_by_test_id("last-edit")).to_contain_text("128 → 64")
    server.restart()
    screen.reload()
    expect(screen.get_by_test_id("last-edit")).to_contain_text("128 → 64")
    screen.keyboard.press("Control+z")
    screen.get_by_role("button", name="Corvane 8", exact=True).click()
    expect(screen.get_by_label("Buffer", exact=True)).to_have_value("128")
    screen.get_by_role("button", name="Redo").click()
    expect(screen.get_by_label("Buffer", exact=True)).to_have_value("64")


def test_export_and_import(screen: Page, tmp_path: Path) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")
    with screen.expect_download() as download:
        screen.get_by_role("link", name="Export").click()
    file = tmp_path / "rig.json"
    download.value.save_as(file)
    document = json.loads(file.read_text())
    document["name"] = "Carried over"
    file.write_text(json.dumps(document))
    screen.get_by_role("link", name="Rigs").click()
    screen.get_by_label("Rig file").set_input_files(file)
    expect(screen.get_by_role("button", name="Carried over", exact=True)).to_be_visible()
    arriving(screen, "12/16")
    expect(row(screen, "Alma, heard")).to_contain_text("doubled +1")
    # A file that does not validate is refused with the place and the reason, and nothing is made of it.
    document["gear"][9]["rate_hz"] = 12
    file.write_text(json.dumps(document))
    screen.get_by_role("link", name="Rigs").click()
    screen.get_by_label("Rig file").set_input_files(file)
    expect(screen.get_by_role("alert")).to_contain_text("rig.json, gear › 9 › interface › rate_hz")
    expect(screen.get_by_role("alert")).to_contain_text("it must be 8000 or more")
    expect(screen.get_by_role("link", name="Carried over")).to_have_count(1)


def test_a_line_check_survives_a_reload_and_its_take_can_be_heard_and_kept(screen: Page) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")
    screen.keyboard.press("4")
    screen.keyboard.press("r")
    expect(screen.get_by_role("progressbar")).to_be_visible()
    screen.reload()
    expect(screen.get_by_test_id("proved")).to_contain_text("12 of 16 lines as wanted", timeout=60_000)
    screen.keyboard.press("x")
    exceptions = screen.get_by_role("table", name="Heard ledger").locator("tbody tr")
    expect(exceptions).to_have_count(5)
    screen.locator('tr[data-target="Director\'s phones L"]').click()
    expect(screen.get_by_role("table", name="Alma at Director's phones L, copy 2")).to_contain_text("641.00")
    screen.get_by_role("button", name=re.compile("Play")).click()
    expect(screen.get_by_role("button", name=re.compile("Stop"))).to_be_visible()
    with screen.expect_download() as download:
        screen.get_by_role("link", name=re.compile("15 channels")).click()
    info = soundfile.info(io.BytesIO(Path(download.value.path()).read_bytes()))
    assert (info.channels, info.samplerate) == (15, 48_000)


def test_a_line_check_can_be_cancelled(screen: Page) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")
    screen.keyboard.press("4")
    screen.keyboard.press("r")
    screen.get_by_role("button", name="Cancel").click()
    expect(screen.get_by_role("status")).to_contain_text("The check was cancelled")


def test_bad_input_is_told_in_place_and_nothing_is_lost(screen: Page) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")
    screen.keyboard.press("1")
    screen.get_by_role("button", name="Corvane 8", exact=True).click()
    jacks = screen.get_by_role("textbox", name="Input jacks")
    jacks.fill("many")
    jacks.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("“many” is no number")
    jacks.fill("1000")
    jacks.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("Corvane 8, input jacks: it must be 128 or less")
    expect(jacks).to_have_value("1000")
    expect(jacks).to_have_attribute("aria-invalid", "true")
    jacks.press("Escape")
    expect(jacks).to_have_value("8")
    screen.get_by_label("Name of the gear").fill("Longhand")
    screen.get_by_label("Name of the gear").press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("taken by another piece of gear")
    screen.get_by_role("link", name=re.compile("Lines")).first.click()
    row(screen, "Alma").click()
    screen.keyboard.press("Enter")
    name = screen.get_by_label("Name of line 1")
    name.fill("Bertil")
    name.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("is taken by another")
    expect(name).to_have_value("Bertil")
    name.press("Escape")
    expect(row(screen, "Alma")).to_be_visible()
    expect(screen.get_by_text("rev 1", exact=True)).to_be_visible()
    arriving(screen, "12/16")


@pytest.mark.parametrize("key", ["1", "2", "3", "s", "?"])
def test_keys_do_nothing_while_something_is_typed(screen: Page, key: str) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")
    screen.keyboard.press("/")
    screen.keyboard.type(key)
    expect(screen.get_by_label("Find a line")).to_have_value(key)
    expect(screen).to_have_url(re.compile("/lines$"))


def test_another_windows_edit_is_seen_and_a_stale_one_is_refused_with_the_newer_state(
    screen: Page, server: Server
) -> None:
    small_rig(screen, "Two windows")
    other = screen.context.new_page()
    other.goto(screen.url)
    other.get_by_role("button", name="Two windows", exact=True).click()
    other.get_by_label("Name of the rig").fill("Renamed there")
    other.keyboard.press("Enter")
    expect(screen.get_by_role("button", name="Renamed there", exact=True)).to_be_visible()
    other.close()


def press(screen: Page, keys: list[str]) -> int:
    """Press keys one after the other, what is to be made when it stands there; a word counts its letters."""
    for key in keys:
        if len(key) > 1 and key not in KEYS_OF_ONE and "+" not in key:
            screen.keyboard.type(key)
        elif key == "Control+Enter":
            make(screen)
        else:
            screen.keyboard.press(key)
    return sum(len(key) if len(key) > 1 and key not in KEYS_OF_ONE and "+" not in key else 1 for key in keys)


KEYS_OF_ONE = ("Enter", "Tab", "Escape", "ArrowUp", "ArrowDown")


def test_from_a_blank_rig_to_two_microphones_recorded_and_heard_in_few_keys(screen: Page) -> None:
    """The first task of the keystroke table: 52 keys there, at most 1.2 times as many here."""
    new_rig(screen, "In few keys")
    expect(screen.get_by_role("textbox", name="Add gear")).to_be_focused()
    gear = ["2 mic", "Enter", "box 2x2", "Enter", "rec", "Enter", "head", "Enter", "Escape"]
    keys = press(screen, gear)
    expect(screen.get_by_test_id("last-edit")).to_contain_text("added headphones")
    keys += press(screen, ["2", "b", "mic 1-2", "Tab", "rec new", "Tab", "head", "Tab", "Tab", "10", "Control+Enter"])
    arriving(screen, "0/4")
    keys += press(screen, ["p"])
    plan = screen.get_by_role("complementary", name="Plan")
    expect(plan.get_by_test_id("now-after")).to_contain_text("4 of 4")
    keys += press(screen, ["Control+Enter"])
    arriving(screen, "4/4")
    assert keys <= 1.2 * 52
    expect(screen.locator("tr[data-line]")).to_have_count(4)


def test_a_phrase_or_batch_that_is_not_understood_says_so_and_stays_as_typed(screen: Page) -> None:
    new_rig(screen, "Not understood")
    field = screen.get_by_role("textbox", name="Add gear")
    field.fill("4 spoons")
    field.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("no gear is called 'spoons'; type for example 4 mic")
    expect(field).to_have_value("4 spoons")
    field.fill("2 mic")
    field.press("Enter")
    expect(screen.get_by_role("alert")).to_have_count(0)
    press(screen, ["Escape", "2", "b", "mic 3"])
    expect(screen.get_by_role("status")).to_contain_text("there are 2 called 'mic', so no number 3")
    expect(screen.get_by_label("From", exact=True)).to_have_attribute("aria-invalid", "true")


def test_the_history_is_told_compared_named_and_gone_through(screen: Page) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")
    row(screen, "Dov").click()
    screen.keyboard.press("m")
    expect(screen.get_by_test_id("now-after")).to_be_visible()
    make(screen)
    arriving(screen, "13/16")
    press(screen, ["Escape", "u"])
    history = screen.get_by_role("complementary", name="History")
    expect(history.get_by_role("option")).to_have_count(2)
    expect(history.get_by_role("option").first).to_contain_text("Longhand, Dov: channel 3 → 4")
    history.get_by_label("Name of revision 2").fill("Dress")
    history.get_by_label("Name of revision 2").press("Enter")
    expect(history.get_by_role("option").first).to_contain_text("“Dress”")
    screen.keyboard.press("ArrowDown")
    expect(history.get_by_test_id("now-after")).to_contain_text("Dov")
    expect(history.get_by_test_id("now-after")).to_contain_text("silent")
    expect(history.get_by_test_id("now-after")).to_contain_text("settingsLonghand, input Dov, channels43")
    make(screen)
    arriving(screen, "12/16")
    expect(screen.get_by_text("rev 1", exact=True)).to_be_visible()
    screen.keyboard.press("Escape")
    expect(history).to_have_count(0)
    screen.keyboard.press("Control+Shift+z")
    arriving(screen, "13/16")


def test_the_first_example_opens_with_two_lines_silent_and_one_plan_mends_every_line(screen: Page) -> None:
    screen.get_by_role("button", name="Open the example").click()
    arriving(screen, "26/31")
    for name in ("Dov", "Fire"):
        expect(row(screen, name)).to_contain_text("silent")
    screen.keyboard.press("p")
    drawer = screen.get_by_role("complementary", name="Plan")
    expect(drawer.get_by_role("region", name="Steps at Hall")).to_contain_text("Take Gully 3 into Hall")
    expect(drawer.get_by_role("region", name="Remedies")).to_have_count(0)
    screen.keyboard.press("a")
    expect(drawer.get_by_role("checkbox")).to_be_checked()
    expect(drawer.get_by_role("region", name="Remedies")).to_contain_text("Match the rate of Pellow Duo in Hall")
    make(screen)
    arriving(screen, "31/31")
    screen.keyboard.press("4")
    screen.keyboard.press("r")
    expect(screen.get_by_test_id("proved")).to_contain_text("31 of 31 lines as wanted", timeout=240_000)
    # One plan is one step back, and a reload forgets neither.
    screen.reload()
    arriving(screen, "31/31")
    expect(screen.get_by_role("button", name="Undo")).to_be_enabled()
    screen.keyboard.press("Control+z")
    arriving(screen, "26/31")
