"""The tasks of the keystroke table in as few keys as it says, or at most a fifth more; and large rigs by keyboard."""

import io
import re
from pathlib import Path

import httpx
import openpyxl
import pytest
from playwright.sync_api import Page, expect

from big_rig import big_rig
from iskelo.formats.rig_file import write_rig
from server import Server
from usb import small_box
from web.test_person import add, arriving, new_rig, press, row, station

AT_MOST = 1.2


def demo(screen: Page) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    arriving(screen, "12/16")


def preview(screen: Page):
    return screen.get_by_test_id("now-after")


def test_no_sound_on_track_4(screen: Page) -> None:
    """'No sound on track 5' of the table: 6 keys. In the demo it is track 4 that stays silent."""
    demo(screen)
    keys = press(screen, ["/", "t4", "Enter"])
    expect(row(screen, "Dov")).to_have_attribute("aria-selected", "true")
    keys += press(screen, ["m"])
    expect(preview(screen)).to_contain_text("Dov")
    keys += press(screen, ["Control+Enter"])
    arriving(screen, "13/16")
    assert keys <= AT_MOST * 6


def test_everything_sounds_hollow(screen: Page) -> None:
    """8 keys in the table, one of them for hearing it, which comes later: so 7."""
    demo(screen)
    keys = press(screen, ["/", "hol"])
    expect(screen.get_by_test_id("suspects")).to_contain_text("Track Alma is monitored in Longhand and directly")
    keys += press(screen, ["Enter", "m"])
    expect(preview(screen)).to_contain_text("arrives, 1.23 ms")
    keys += press(screen, ["Control+Enter"])
    expect(row(screen, "Alma, heard")).to_contain_text("arrives")
    assert keys <= AT_MOST * 7


def test_a_symptom_that_nothing_here_could_cause_says_so(screen: Page) -> None:
    demo(screen)
    press(screen, ["/", "wrong p"])
    expect(screen.get_by_test_id("suspects")).to_contain_text("Nothing that Iskelo finds in this rig")


def test_a_buffer_is_chosen(screen: Page) -> None:
    """4 keys in the table."""
    demo(screen)
    keys = press(screen, ["3"])
    expect(screen.get_by_role("listbox", name="Buffers of Longhand")).to_be_visible()
    keys += press(screen, ["e", "ArrowUp"])
    expect(preview(screen)).to_contain_text("arrives, 8.02 ms")
    expect(screen.get_by_text("Trial: buffer 128")).to_be_visible()
    keys += press(screen, ["Control+Enter"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("buffer (samples) 256 → 128")
    assert keys <= AT_MOST * 4
    expect(screen.get_by_text("Trial: none")).to_be_visible()
    press(screen, ["ArrowDown"])
    expect(screen.get_by_text("Trial: buffer 256")).to_be_visible()
    press(screen, ["Escape"])
    expect(screen.get_by_text("Trial: none")).to_be_visible()


def test_everything_is_proved_on_the_twin_and_then_only_what_went_stale(screen: Page) -> None:
    """2 keys in the table."""
    demo(screen)
    keys = press(screen, ["4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("12 of 16 lines as wanted", timeout=30_000)
    assert keys <= AT_MOST * 2
    press(screen, ["/", "2"])
    row(screen, "Alma").click()
    press(screen, ["1"])
    screen.get_by_role("button", name="Corvane 8", exact=True).click()
    screen.get_by_label("Gain of direct 2 to 1").fill("-0.5")
    screen.get_by_label("Gain of direct 2 to 1").press("Enter")
    expect(screen.get_by_role("link", name=re.compile("stale 1"))).to_be_visible()
    press(screen, ["4"])
    expect(screen.get_by_role("button", name=re.compile("Only the 1 stale"))).to_be_visible()
    press(screen, ["o"])
    expect(screen.get_by_text("1 of the lines")).to_be_visible(timeout=30_000)
    expect(screen.get_by_test_id("proved-vital")).to_have_text("12")
    expect(screen.get_by_role("link", name=re.compile("stale"))).to_have_count(0)


def test_an_interface_is_swapped_for_another(screen: Page) -> None:
    """The last part of 'adapt to another box': 1 /cor⏎ w box 4x4⏎ ^⏎ ], 17 keys."""
    demo(screen)
    keys = press(screen, ["1", "/", "cor", "Enter"])
    expect(screen.get_by_label("Name of the gear")).to_have_value("Corvane 8")
    keys += press(screen, ["w", "box 4x4"])
    expect(screen.get_by_role("table", name="Where every jack goes")).to_contain_text("Gravel tray")
    expect(screen.get_by_role("table", name="Where every jack goes").locator("tr").first).to_contain_text("no jack")
    keys += press(screen, ["Control+Enter"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("swapped Corvane 8 for Box")
    keys += press(screen, ["]"])
    expect(screen.locator('tr[aria-selected="true"]')).to_be_visible()
    assert keys <= AT_MOST * 17


def test_a_column_is_filled_ascending_in_pencil_until_enter(screen: Page) -> None:
    demo(screen)
    row(screen, "Alma").click()
    for _ in range(3):
        screen.keyboard.press("Shift+ArrowDown")
    expect(screen.get_by_text("4 marked")).to_be_visible()
    press(screen, ["f"])
    expect(station(screen, "Dov", "program_in")).to_contain_text("4")
    expect(preview(screen)).to_contain_text("13 of 16")
    arriving(screen, "12/16")
    screen.get_by_label("Start").fill("99")
    expect(screen.get_by_role("status")).to_contain_text("Hall has no capture channel 99; it has 18")
    screen.get_by_label("Start").fill("1")
    expect(preview(screen)).to_be_visible()
    press(screen, ["Enter"])
    arriving(screen, "13/16")
    press(screen, ["Control+z"])
    arriving(screen, "12/16")


def test_a_range_typed_into_a_station_fills_downward_in_pencil(screen: Page) -> None:
    demo(screen)
    station(screen, "Alma", "program_in").dblclick()
    field = screen.locator("input[role=combobox]")
    field.fill("1-4")
    expect(screen.get_by_text("Enter fills 1–4 downward from this line, in pencil first.")).to_be_visible()
    field.press("Enter")
    expect(screen.get_by_text("Fill 4 lines ascending")).to_be_visible()
    expect(preview(screen)).to_contain_text("13 of 16")
    arriving(screen, "12/16")
    press(screen, ["Enter"])
    arriving(screen, "13/16")
    expect(station(screen, "Dov", "program_in")).to_contain_text("4")


def test_a_level_is_typed_in_the_unit_the_panel_reads(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    screen.get_by_role("button", name="Alma", exact=True).click()
    field = screen.get_by_label("Level", exact=True)
    for typed, shown in (("-10 dBV", "-7.78"), ("+4 dBu", "4")):
        field.fill(typed)
        field.press("Enter")
        expect(field).to_have_value(shown)
    field.fill("loud")
    field.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("loud")


def test_any_peg_lights_its_route_and_answers_what_arrives_and_where_it_goes(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    screen.locator('[data-card="Longhand"]').get_by_role("button", name=re.compile("^2: Longhand track 2")).click()
    expect(screen.get_by_test_id("way")).to_have_text(
        "a Bertil › b Corvane 8 jack in 2 › c Corvane 8 capture 2 › d Longhand in 2 Bertil › e Longhand track 2 Bertil"
    )
    lit = screen.locator('[data-card="Corvane 8"]').get_by_role("button", name=re.compile("b on the chosen way"))
    expect(lit).to_have_count(1)
    # The computer's beeps come out of the box although no line wants them.
    screen.locator('[data-card="Corvane 8"]').get_by_role("button", name=re.compile("^1: Corvane 8 jack out 1")).click()
    answer = screen.get_by_role("region", name="Answer for Corvane 8 jack out 1")
    expect(answer).to_contain_text("Beeps L")
    expect(answer).to_contain_text("no line wants it here")


def test_a_peg_that_vanished_in_another_window_says_so(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    card = screen.locator('[data-card="Longhand"]')
    peg = card.get_by_role("button", name=re.compile("^9: Longhand track 9"))
    expect(peg).to_be_visible()
    rig = screen.url.split("/rigs/")[1].split("/")[0]
    origin = screen.url.split("/rigs/")[0]
    state = httpx.get(f"{origin}/api/rigs/{rig}").json()
    track = next(g for g in state["rig"]["gear"] if g["name"] == "Longhand")["tracks"][8]["id"]
    # The page's requests are held, so that it still shows the peg that another window removes.
    screen.route("**/api/rigs/*", lambda route: None if route.request.method == "GET" else route.continue_())
    body = {"revision": 1, "edits": [{"edit": "remove", "items": [track]}]}
    httpx.post(f"{origin}/api/rigs/{rig}/edits", json=body).raise_for_status()
    card.get_by_role("button", name="Longhand", exact=True).click()
    screen.get_by_label("Name of track 9").fill("Organ")
    screen.get_by_label("Name of track 9").press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("The rig was changed meanwhile, in another window")
    expect(card.get_by_role("button", name=re.compile("track 9"))).to_have_count(0)


def test_the_catalogue_adds_keeps_and_finds(screen: Page) -> None:
    new_rig(screen, "From the catalogue")
    press(screen, ["Escape", "c"])
    drawer = screen.get_by_role("complementary", name="Catalogue")
    expect(drawer.get_by_role("button", name="Add Longhand")).to_be_visible()
    press(screen, ["word clock", "Enter"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("added Interface 16×16 word clock")
    press(screen, ["Escape"])
    expect(drawer).to_have_count(0)
    add(screen, "Farline")
    expect(screen.locator('[data-card="Farline"]')).to_contain_text("call")


def test_a_pasted_list_and_a_workbook_with_a_corrected_mapping(screen: Page, tmp_path: Path) -> None:
    new_rig(screen, "From a workbook")
    add(screen, "box 8x8 Corvane 8")
    add(screen, "recorder Longhand")
    screen.get_by_role("link", name=re.compile("Lines")).first.click()
    workbook = openpyxl.Workbook()
    sheet = workbook.active
    for cells in (
        ["The Lamp at Orrin Point"],
        ["Artist", "Mic", "Jack"],
        ["Voice 1", "Alma", 1],
        ["Voice 2", "Dov", 2],
    ):
        sheet.append(cells)
    file = tmp_path / "inputs.xlsx"
    workbook.save(file)
    screen.get_by_label("Input list file").set_input_files(file)
    expect(screen.get_by_role("note").first).to_contain_text("the header is row 2")
    expect(screen.get_by_text("column “Artist” is filled and stands for nothing yet")).to_be_visible()
    screen.get_by_label("Column for Name").select_option("Artist")
    expect(screen.get_by_label("Name, row 3")).to_have_value("Voice 1")
    screen.get_by_role("button", name=re.compile("Make 2 lines")).click()
    arriving(screen, "2/2")
    screen.evaluate(
        """() => {
          const data = new DataTransfer()
          data.setData("text/plain", "Voice 3\\tCassia\\t3\\nVoice 4\\tBertil\\t4\\n")
          window.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true }))
        }"""
    )
    expect(screen.get_by_role("note")).to_contain_text("no row with titles was found")
    # Nothing is called bad before it is said which column is what.
    expect(screen.get_by_role("button", name=re.compile("Make"))).to_have_count(0)
    screen.get_by_role("button", name="These columns are right").click()
    screen.get_by_role("button", name=re.compile("Make 2 lines")).click()
    arriving(screen, "4/4")


@pytest.mark.parametrize(
    ("name", "content", "told"),
    [
        ("inputs.xlsx", b"%PDF-1.7 not a sheet", "this is a PDF, whatever its name says"),
        ("long.csv", b"source\n" + b"x\n" * 100_000, "the list has more than 1000 rows; at most 1000 are read at once"),
        ("merged.xlsx", b"", "merged cells (B2:B3)"),
        ("odd.xlsx", b"PK\x03\x04 broken", "no XLSX workbook that can be read"),
    ],
)
def test_a_list_that_cannot_be_used_as_it_is_says_why_and_makes_nothing(
    screen: Page, tmp_path: Path, name: str, content: bytes, told: str
) -> None:
    demo(screen)
    if name == "merged.xlsx":
        workbook = openpyxl.Workbook()
        sheet = workbook.active
        for cells in (["Line", "Mic"], ["A", "Ines"], ["B", None]):
            sheet.append(cells)
        sheet.merge_cells("B2:B3")
        out = io.BytesIO()
        workbook.save(out)
        content = out.getvalue()
    file = tmp_path / name
    file.write_bytes(content)
    screen.get_by_label("Input list file").set_input_files(file)
    expect(screen.get_by_text(told)).to_be_visible()
    press(screen, ["Escape"])
    arriving(screen, "12/16")
    expect(screen.get_by_text("rev 1", exact=True)).to_be_visible()


def test_a_name_of_4000_characters_or_with_control_characters_is_refused_in_place(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    field = screen.get_by_role("textbox", name="Add gear")
    field.fill("mic " + "x" * 3990)
    field.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("at most 80 characters")
    expect(field).to_have_attribute("aria-invalid", "true")
    field.fill("mic A\u0007lma")
    field.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("holds a control character (U+0007)")
    expect(screen.get_by_text("rev 1", exact=True)).to_be_visible()


def test_letter_keys_can_be_turned_off(screen: Page) -> None:
    demo(screen)
    press(screen, ["?"])
    screen.get_by_label("Single letters are commands").uncheck()
    press(screen, ["Escape", "s"])
    expect(screen.get_by_role("complementary", name="Snags")).to_have_count(0)
    screen.reload()
    arriving(screen, "12/16")
    press(screen, ["s", "]"])
    expect(row(screen, "Dov")).to_have_attribute("aria-selected", "true")
    expect(screen.get_by_role("complementary", name="Snags")).to_have_count(0)
    press(screen, ["?"])
    screen.get_by_label("Single letters are commands").check()
    press(screen, ["Escape", "s"])
    expect(screen.get_by_role("complementary", name="Snags")).to_be_visible()


@pytest.fixture
def large(screen: Page, server: Server) -> str:
    """A made-up rig of 512 lines, open on Lines."""
    made = httpx.post(f"{server.url}/api/rigs/import", content=write_rig(big_rig(512)), timeout=60).json()
    screen.goto(f"{server.url}/rigs/{made['id']}/lines")
    expect(screen.get_by_test_id("arriving")).to_contain_text("/512")
    return str(made["id"])


def test_512_lines_fold_scroll_and_are_worked_on_by_keyboard(screen: Page, large: str) -> None:
    shown = screen.locator("tr[data-line], tr[data-run]")
    # Folded, a few dozen rows; unfolded, only those in sight are drawn.
    expect(screen.get_by_role("button", name=re.compile("Runs folded"))).to_be_visible()
    assert int(screen.get_by_role("table", name="Lines").get_attribute("aria-rowcount") or 0) < 60
    press(screen, ["v"])
    expect(screen.get_by_role("table", name="Lines")).to_have_attribute("aria-rowcount", "515")
    assert shown.count() < 80
    press(screen, ["/", "Mic 7.63", "Enter", "Escape"])
    expect(row(screen, "Mic 7.63")).to_have_attribute("aria-selected", "true")
    expect(row(screen, "Mic 7.63")).to_be_in_viewport()
    screen.keyboard.press("Enter")
    name = screen.get_by_label(re.compile("Name of line"))
    name.fill("Lamp")
    name.press("Enter")
    expect(row(screen, "Lamp")).to_be_visible()
    expect(screen.get_by_test_id("last-edit")).to_contain_text("renamed Mic 7.63 to Lamp in 4 places")
    screen.keyboard.press("Control+z")
    expect(row(screen, "Mic 7.63")).to_be_visible()


@pytest.mark.parametrize(("width", "height"), [(1024, 768), (1280, 680), (2560, 1440)])
def test_lines_fit_the_window_without_scrolling_sideways(screen: Page, width: int, height: int) -> None:
    screen.set_viewport_size({"width": width, "height": height})
    demo(screen)
    row(screen, "Alma, heard").click()
    for key in ("1", "3", "4", "2"):
        press(screen, [key])
        screen.wait_for_timeout(150)
        over = screen.evaluate("document.documentElement.scrollWidth - window.innerWidth")
        assert over <= 0, f"place {key} is {over} px too wide"
    over = screen.get_by_role("table", name="Lines").evaluate(
        "each => each.scrollWidth - each.parentElement.clientWidth"
    )
    assert over <= 0
    expect(row(screen, "Alma, heard")).to_be_in_viewport()


def test_time_to_spare_is_told_from_two_readings_of_a_load_meter(screen: Page) -> None:
    demo(screen)
    press(screen, ["3"])
    ladder = screen.get_by_role("listbox", name="Buffers of Longhand")
    # The demo's readings, 38 % at 256 and 30 % at 512: 128 is the smallest that leaves a fifth.
    expect(ladder.locator("#rung-128")).to_contain_text("smallest safe")
    expect(ladder.locator("#rung-64")).to_contain_text("clicks")
    first = screen.get_by_label("Load meter, reading 1, in per cent")
    first.fill("66")
    first.press("Enter")
    expect(ladder.locator("#rung-128")).to_contain_text("% short")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("load meter 38 % at 256, 30 % at 512 → 66 % at 256")
    first.fill("much")
    first.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("“much” is no number")
    press(screen, ["Escape", "Control+z"])
    expect(ladder.locator("#rung-128")).to_contain_text("smallest safe")


def test_another_driver_is_tried_before_it_is_taken(screen: Page) -> None:
    demo(screen)
    press(screen, ["3"])
    expect(screen.get_by_role("listbox", name="Buffers of Longhand")).to_be_visible()
    # Longhand is on Hall, two boxes joined; Cartwheel opens Corvane 8 alone.
    expect(screen.get_by_role("group", name="Drivers of Corvane 8")).to_have_count(0)
    press(screen, ["ArrowDown"])
    ways = screen.get_by_role("group", name="Drivers of Corvane 8")
    ways.get_by_role("button", name=re.compile("system, shared · 2 × 2 · 512")).click()
    expect(preview(screen)).to_contain_text("arrives, 10.54 ms")
    press(screen, ["Escape"])
    expect(preview(screen)).to_have_count(0)
    ways.get_by_role("button", name=re.compile("system, shared")).click()
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("Cartwheel: device Corvane 8, system, shared driver")
    # By that driver the room's pair is not shown: the music gets neither there nor to the radio.
    arriving(screen, "10/16")


def test_44_1_against_48_is_found_by_what_is_heard_read_and_mended(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    screen.get_by_role("button", name="Cartwheel", exact=True).click()
    screen.get_by_label("Rate of the program").select_option("44100")
    expect(preview(screen)).to_contain_text("off speed")
    press(screen, ["Control+Enter"])
    arriving(screen, "9/16")
    press(screen, ["2", "/", "wrong p"])
    expect(screen.get_by_test_id("suspects")).to_contain_text("Cartwheel is set to 44.1 kHz, and Corvane 8 runs at 48")
    press(screen, ["Enter"])
    expect(row(screen, "Music, heard")).to_contain_text("off speed")
    press(screen, ["m"])
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("What it plays is 8.8 % fast and 146.7 cents high.")
    expect(preview(screen)).to_contain_text("arrives, 6.75 ms")
    press(screen, ["Control+Enter"])
    arriving(screen, "12/16")


def test_a_measured_round_trip_is_shown_before_it_is_taken_and_an_overdub_told_in_words(screen: Page) -> None:
    demo(screen)
    press(screen, ["3"])
    expect(screen.get_by_text("An overdub lands 641 samples, 13.35 ms late; move it earlier")).to_be_visible()
    # Eight tracks and a stereo one of 24 bits at 48 kHz: 10 x 144 kB/s; the stereo file is full after 2^32 / 288000 s.
    expect(screen.get_by_text("It writes 1.44 MB/s; a file is full (4 GiB) after 4 h 8 min.")).to_be_visible()
    expect(screen.get_by_label("Measured round trip in samples")).to_have_count(0)
    press(screen, ["ArrowDown"])
    field = screen.get_by_label("Measured round trip in samples")
    field.fill("60")
    field.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("less than its buffers of 512 and its other parts of 59")
    field.fill("660")
    field.press("Enter")
    expect(preview(screen)).to_contain_text("late, 13.75 ms")
    expect(screen.get_by_test_id("last-edit")).not_to_contain_text("safety")
    field.press("Control+Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text(
        "safety offsets known none → 28 in and 61 out at 256, 48 kHz (measured)"
    )
    expect(screen.locator("#rung-256")).to_contain_text("measured")
    expect(screen.get_by_text("about 6 samples (0.125 ms) from one start to the next")).to_be_visible()
    press(screen, ["Escape", "ArrowUp"])
    expect(screen.get_by_text("An overdub lands 660 samples")).to_be_visible()


def test_a_box_is_read_from_its_usb_description_and_its_clock_from_what_its_link_asks(screen: Page) -> None:
    new_rig(screen, "From a description")
    press(screen, ["Escape", "c"])
    drawer = screen.get_by_role("complementary", name="Catalogue")
    upload = {"name": "box.bin", "mimeType": "application/octet-stream"}
    file = drawer.get_by_label("Catalogue file")
    file.set_input_files({**upload, "buffer": small_box()[:-1]})
    expect(screen.get_by_role("alert")).to_contain_text("the description is cut off")
    file.set_input_files({**upload, "buffer": small_box()})
    expect(drawer.get_by_text("Audio Class 1.0")).to_be_visible()
    drawer.get_by_role("button", name="Add USB box 1d6b:0101").click()
    drawer.get_by_role("button", name="Take USB box 1d6b:0101 out of the catalogue").click()
    press(screen, ["Escape"])
    screen.get_by_role("button", name="USB box 1d6b:0101").first.click()
    clock = screen.get_by_label("Clock measured in ppm")
    clock.fill("0x60000")
    clock.press("Enter")
    expect(screen.get_by_role("alert")).to_contain_text("asks for 24000 Hz at full speed; 48000 Hz is 0xC0000")
    clock.fill("0xC004F")
    clock.press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("clock, measured (ppm) none → 100")


def test_what_a_driver_reports_is_taken_for_its_rate_and_buffer_and_can_be_forgotten(screen: Page) -> None:
    demo(screen)
    press(screen, ["3"])
    expect(screen.get_by_text("An overdub lands 641 samples")).to_be_visible()
    press(screen, ["ArrowDown"])
    field = screen.get_by_label("Reported by the driver: samples in and samples out")
    for wrong, words in (("330", "is not two numbers"), ("330 x", "is not two numbers"), ("330 34", "less than its")):
        field.fill(wrong)
        field.press("Enter")
        expect(screen.get_by_role("alert")).to_contain_text(words)
    field.fill("330 340")
    field.press("Enter")
    expect(preview(screen)).to_contain_text("doubled, 1.23 / 13.96 ms")
    field.press("Control+Enter")
    known = screen.get_by_label("Known at 48 kHz, buffer 256", exact=True)
    expect(known).to_contain_text("41 in, 58 out, described")
    # At another rate nothing is known: the figures of before count, and the rung says nothing.
    expect(screen.locator("#rung-256")).to_contain_text("described")
    expect(screen.locator("#rung-128")).not_to_contain_text("described")
    press(screen, ["Escape"])
    screen.get_by_label("Forget what is known at 48 kHz, buffer 256").click()
    expect(known).to_have_count(0)
    press(screen, ["Control+z"])
    expect(known).to_be_visible()


def test_a_limit_is_chosen_by_what_the_line_is_for(screen: Page) -> None:
    demo(screen)
    row(screen, "Cassia, heard").click()
    expect(row(screen, "Cassia, heard")).to_contain_text("late")
    limit = screen.get_by_label("Limit of Cassia, heard")
    expect(limit).to_have_value("10")
    expect(limit).to_have_attribute("title", re.compile("performers.*common practice"))
    limit.select_option("30")
    expect(row(screen, "Cassia, heard")).to_contain_text("arrives")
    arriving(screen, "13/16")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("longest delay (ms) 10 → 30")
