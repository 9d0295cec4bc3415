"""What is proved is right, and a remedy is an act: faults found, mended and proved by keyboard."""

import re

import httpx
import pytest
from playwright.sync_api import Page, expect

from core.test_verdicts import over_two_boxes
from iskelo.core.edits.additions import AddDriver, AddLine, AddProgram, AddProgramPorts, AddSources, AddTracks
from iskelo.core.edits.edit import Plug, Remove, SetDevice, SetOutputTrim, SetValues
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.formats.rig_file import write_rig
from rigs import Bench, heard, two_voices
from server import Server
from web.test_person import arriving, press, row, station
from web.test_tasks import AT_MOST, demo, preview


def opened(screen: Page, server: Server, rig: Rig, place: str = "lines") -> None:
    made = httpx.post(f"{server.url}/api/rigs/import", content=write_rig(rig), timeout=60).json()
    screen.goto(f"{server.url}/rigs/{made['id']}/{place}")
    expect(screen.get_by_test_id("arriving")).to_be_visible()


DRUMS = ("Kick", "Snare", "Hat", "Tom 1", "Tom 2", "Room")


def six_drums() -> Bench:
    """Four microphones on one box and two on another that follows its word clock and is later; all recorded."""
    bench = over_two_boxes(20)
    old = [gear.id for gear in bench.rig.gear if gear.kind in ("source", "program", "destination")]
    bench.do(Remove(items=(*old, *(line.id for line in bench.rig.lines))))
    boxes = index(bench.rig).boxes
    device = index(bench.rig).aggregates[0].id
    bench.do(AddSources(names=DRUMS), AddProgram(name="Recorder"))
    bench.do(
        *(
            Plug(from_port=bench.out(name), to_port=Port(boxes[0 if place < 4 else 1].id, "jack_in", 1 + place % 4))
            for place, name in enumerate(DRUMS)
        ),
        SetDevice(program=bench.id("Recorder"), device=device),
        AddProgramPorts(program=bench.id("Recorder"), names=tuple(f"In {name}" for name in DRUMS[:4]), first_channel=1),
        AddProgramPorts(program=bench.id("Recorder"), names=tuple(f"In {name}" for name in DRUMS[4:]), first_channel=9),
    )
    inputs = tuple(item.id for item in bench.program().inputs)
    bench.do(AddTracks(program=bench.id("Recorder"), names=tuple(f"T {name}" for name in DRUMS), inputs=inputs))
    return bench.do(
        *(
            AddLine(name=f"L {n}", from_ports=(bench.out(n),), to_ports=(Port(bench.track(f"T {n}"), "track", 1),))
            for n in DRUMS
        )
    )


def test_a_kit_of_six_over_two_boxes_is_padded_and_proved(screen: Page, server: Server) -> None:
    opened(screen, server, six_drums().rig)
    arriving(screen, "4/6")
    expect(row(screen, "L Tom 2")).to_contain_text("skewed")
    press(screen, ["s"])
    expect(preview(screen)).to_contain_text("pad to the longest")
    press(screen, ["Control+Enter"])
    arriving(screen, "6/6")
    press(screen, ["Escape", "4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("6 of 6 lines as wanted", timeout=30_000)
    expect(screen.get_by_test_id("proved-vital")).to_have_text("6")


def test_a_level_20_db_low_is_mended_where_it_was_lost(screen: Page, server: Server) -> None:
    bench = heard(two_voices(), "Alma")
    bench.do(
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
        SetValues(item=bench.id("Alma heard"), values={"lowest_dbfs": -24}),
        *(SetOutputTrim(interface=bench.id("Box"), jack_out=jack, trim_db=-20) for jack in (1, 2)),
    )
    opened(screen, server, bench.rig)
    expect(row(screen, "Alma heard")).to_contain_text("low")
    press(screen, ["/", "too quiet", "Enter", "m"])
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("Set the trim of Box jack out 1 to 0 dB, 20 dB up")
    press(screen, ["Control+Enter"])
    arriving(screen, "3/3")
    expect(screen.get_by_test_id("last-edit")).not_to_contain_text("jack in")


def test_a_member_removed_from_a_joined_device_is_told_and_mended_by_its_remedy(screen: Page, server: Server) -> None:
    opened(screen, server, six_drums().rig, "gear")
    press(screen, ["/", "both", "Enter"])
    screen.get_by_role("button", name="Take Box out").click()
    # What it takes away is shown before it is made.
    expect(preview(screen)).to_contain_text("In Kick")
    press(screen, ["Control+Enter"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("In Kick has nothing instead of Box channel 1")
    press(screen, ["s"])
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("Box is not in Both any more: 4 names of Recorder moved")
    expect(snags).to_contain_text("get their channels back")
    press(screen, ["Control+Enter"])
    arriving(screen, "4/6")
    expect(snags).not_to_contain_text("any more")


def test_a_microphone_on_channel_5_of_a_driver_that_shows_2_is_mended_in_8_keys(screen: Page, server: Server) -> None:
    bench = two_voices()
    bench.do(
        AddSources(names=("Cassia",)),
        SetValues(item=bench.box().drivers[0].id, values={"capture": 2}),
        AddDriver(interface=bench.id("Box"), kind="wrapper"),
    )
    bench.do(Plug(from_port=bench.out("Cassia"), to_port=Port(bench.id("Box"), "jack_in", 5)))
    bench.do(AddTracks(program=bench.id("Recorder"), names=("T Cassia",)))
    bench.do(
        AddLine(
            name="L Cassia", from_ports=(bench.out("Cassia"),), to_ports=(Port(bench.track("T Cassia"), "track", 1),)
        )
    )
    opened(screen, server, bench.rig)
    arriving(screen, "2/3")
    expect(row(screen, "L Cassia")).to_contain_text("the vendor driver shows 2 of 8")
    keys = press(screen, ["]", "m"])
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("The vendor driver of Box shows 2 of 8 capture channels")
    expect(preview(screen)).to_contain_text("L Cassia")
    keys += press(screen, ["Control+Enter"])
    arriving(screen, "3/3")
    assert keys <= 8


def sixteen_voices() -> Bench:
    """Sixteen microphones on two boxes of eight that are joined, each on an input and a track of its own."""
    bench = over_two_boxes(0)
    old = [gear.id for gear in bench.rig.gear if gear.kind in ("source", "program", "destination")]
    bench.do(Remove(items=(*old, *(line.id for line in bench.rig.lines))))
    boxes = index(bench.rig).boxes
    device = index(bench.rig).aggregates[0].id
    names = tuple(f"Voice {number}" for number in range(1, 17))
    bench.do(
        SetValues(item=boxes[1].id, values={"jack_in": 8, "capture": 8}),
        AddSources(names=names),
        AddProgram(name="Recorder"),
    )
    recorder = bench.id("Recorder")
    bench.do(
        *(
            Plug(from_port=bench.out(name), to_port=Port(boxes[place // 8].id, "jack_in", 1 + place % 8))
            for place, name in enumerate(names)
        ),
        SetDevice(program=recorder, device=device),
        AddProgramPorts(program=recorder, names=tuple(f"In {name}" for name in names), first_channel=1),
    )
    inputs = tuple(item.id for item in bench.program().inputs)
    bench.do(AddTracks(program=recorder, names=tuple(f"T {name}" for name in names), inputs=inputs))
    return bench.do(
        *(
            AddLine(name=n, from_ports=(bench.out(n),), to_ports=(Port(bench.track(f"T {n}"), "track", 1),))
            for n in names
        )
    )


def test_a_member_is_taken_out_and_in_again_and_sixteen_names_stand_where_they_stood(
    screen: Page, server: Server
) -> None:
    opened(screen, server, sixteen_voices().rig, "gear")
    arriving(screen, "16/16")
    press(screen, ["/", "both", "Enter"])
    screen.get_by_role("button", name="Take Box out").click()
    expect(preview(screen)).to_contain_text("8 of 16")
    press(screen, ["Control+Enter"])
    arriving(screen, "8/16")
    screen.get_by_label("Add a member").select_option("Box")
    # It stands behind the other one now; what stood on it is found there, by what it stood on and not by its number.
    arriving(screen, "16/16")
    press(screen, ["2"])
    for number, channel in ((1, 9), (8, 16), (9, 1), (16, 8)):
        expect(row(screen, f"Voice {number}")).to_contain_text("arrives")
        expect(station(screen, f"Voice {number}", "computer_in")).to_have_text(re.compile(rf"Both\s*{channel}$"))
    press(screen, ["Control+z", "Control+z"])
    arriving(screen, "16/16")


@pytest.mark.parametrize(
    ("sentence", "snag"),
    [
        ("everything sounds hollow", "Track Alma is monitored in Longhand and directly on Corvane 8"),
        ("there is no sound on four", "Cassia and Dov share channel 3"),
        ("it crackles", "Pellow Duo drifts against Corvane 8"),
        ("too much latency", "is late"),
        ("sounds phasey", "Track Alma is monitored"),
    ],
)
def test_a_sentence_about_what_is_heard_leads_to_the_cause(screen: Page, sentence: str, snag: str) -> None:
    demo(screen)
    press(screen, ["/", sentence])
    first = screen.get_by_test_id("suspects").locator("> div").nth(1)
    expect(first).to_contain_text(snag)
    # Beside the sentence: the slash, Enter, mend, apply.
    keys = 1 + press(screen, ["Enter", "m"])
    expect(screen.get_by_role("complementary", name="Snags")).to_contain_text(re.compile(re.escape(snag)))
    keys += press(screen, ["Control+Enter"])
    expect(screen.get_by_test_id("last-edit")).not_to_contain_text("Rev 1:")
    assert keys <= 10 * AT_MOST


BY_EAR = {
    "no sound on five": "You hear: nothing · Gravel tray. Nothing that Iskelo finds there could sound like that.",
    "no sound on the fourth track": "You hear: nothing · Dov. It could be, the likeliest first:Cassia and Dov",
    "the reed organ only on the left": "You hear: one side · Reed organ. Nothing that Iskelo finds there",
    "no sound on track 40": "You hear: nothing. No track has the number 40.",
    "I hear notifications on the blimp": "You hear: others. It could be, the likeliest first:",
    "Cassia comes late": "Alma, heard is late: 13.35 ms, 3.35 ms over its limit of 10 ms · also Cassia, heard",
}


def test_a_number_a_name_or_a_side_in_a_sentence_counts(screen: Page) -> None:
    demo(screen)
    suspects = screen.get_by_test_id("suspects")
    for sentence, told in BY_EAR.items():
        press(screen, ["/", "Control+a", sentence])
        expect(suspects).to_contain_text(told)
        # What it did not understand it says, and nothing else.
        expect(suspects.get_by_role("note")).to_have_text(["Not understood: “blimp”."] if "blimp" in sentence else [])
    press(screen, ["Enter"])
    expect(row(screen, "Cassia, heard")).to_have_attribute("aria-selected", "true")


def test_what_says_nothing_leads_to_a_list_of_symptoms_and_clears_in_one_key(screen: Page) -> None:
    demo(screen)
    press(screen, ["/", "it sounds strange"])
    expect(screen.get_by_test_id("suspects")).to_contain_text("What do you hear?")
    press(screen, ["Enter"])
    expect(screen.get_by_test_id("suspects")).to_contain_text("You hear: hollow")
    press(screen, ["Escape", "/", "zither", "Escape"])
    expect(row(screen, "Alma")).to_be_visible()
    press(screen, ["/", "zither", "Enter"])
    expect(screen.get_by_text("No line has “zither”")).to_be_visible()
    press(screen, ["Escape"])
    expect(row(screen, "Alma")).to_be_visible()


def test_numbers_find_ports(screen: Page) -> None:
    demo(screen)
    for typed, line in (("input 6", "Creaking door"), ("hall 17", "Reed organ"), ("t5", "Gravel tray")):
        press(screen, ["/", typed])
        expect(screen.locator("tr[data-line]")).to_have_count(1)
        expect(row(screen, line)).to_be_visible()
        press(screen, ["Escape"])


def test_no_key_changes_gear_by_accident_on_a_drop_down(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "corv", "Enter"])
    rate = screen.get_by_label("Rate", exact=True)
    rate.focus()
    press(screen, ["9", "8", "4"])
    expect(screen).to_have_url(re.compile("/check$"))
    expect(screen.get_by_test_id("last-edit")).to_contain_text("Rev 1:")
    press(screen, ["1", "/", "corv", "Enter"])
    screen.get_by_label("Rate", exact=True).select_option("96000")
    expect(screen.get_by_role("dialog")).to_contain_text("run Corvane 8 at 96 kHz")
    press(screen, ["Escape"])
    expect(screen.get_by_role("dialog")).to_have_count(0)
    expect(screen.get_by_label("Rate", exact=True)).to_have_value("48000")
    # The focus has left the drop-down: the next letter is a command.
    press(screen, ["2"])
    expect(screen).to_have_url(re.compile("/lines$"))


def test_jacks_with_microphones_in_them_are_not_taken_away_unseen(screen: Page) -> None:
    demo(screen)
    press(screen, ["1", "/", "corv", "Enter"])
    screen.get_by_label("Input jacks").fill("4")
    screen.get_by_label("Input jacks").press("Enter")
    expect(preview(screen)).to_contain_text("Gravel tray")
    press(screen, ["Escape"])
    expect(screen.get_by_label("Input jacks")).to_have_value("8")
    screen.get_by_label("Input jacks").fill("12")
    screen.get_by_label("Input jacks").press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("input jacks 8 → 12")


def test_a_drawer_never_hides_the_state_of_a_line(screen: Page) -> None:
    demo(screen)
    for width in (1280, 1024, 853):
        screen.set_viewport_size({"width": width, "height": 680})
        press(screen, ["s"])
        box = row(screen, "Dov").locator("td").last.bounding_box()
        drawer = screen.get_by_role("complementary", name="Snags").bounding_box()
        assert box is not None
        assert drawer is not None
        assert box["x"] + box["width"] <= drawer["x"] + 1
        press(screen, ["s"])


def test_what_only_corrects_a_fact_stands_apart_and_never_first(screen: Page, server: Server) -> None:
    bench = two_voices()
    bench.do(
        SetValues(item=bench.id("Recorder"), values={"one_track_per_input": True}),
    )
    bench.do(AddTracks(program=bench.id("Recorder"), names=("Spare",), inputs=(bench.id("In Alma"),)))
    opened(screen, server, bench.rig)
    press(screen, ["s"])
    snags = screen.get_by_role("complementary", name="Snags")
    expect(snags).to_contain_text("Remedy 1 of 1")
    expect(snags).to_contain_text("Disarm Spare")
    screen.keyboard.press("ArrowRight")
    expect(snags).to_contain_text("If it is really so")
    expect(snags.get_by_role("button", name=re.compile("Say so"))).to_be_visible()


def test_what_plays_is_the_chosen_track_with_a_playhead_and_is_silent_when_left(screen: Page) -> None:
    demo(screen)
    press(screen, ["4", "r"])
    expect(screen.get_by_test_id("proved")).to_contain_text("of 16 lines as wanted", timeout=30_000)
    targets = screen.locator("[data-target]")
    targets.nth(0).click()
    expect(screen.get_by_text("drawn and played")).to_be_visible()
    press(screen, [" "])
    expect(screen.get_by_role("button", name=re.compile("Stop"))).to_be_visible()
    # A line has no width, so it is never "visible": it is there, and moves.
    expect(screen.get_by_test_id("playhead")).to_have_attribute("x1", re.compile(r"^[1-9]"))
    played = screen.locator("audio").get_attribute("src") or ""
    targets.nth(1).click()
    expect(screen.locator("audio")).not_to_have_attribute("src", played)
    expect(screen.get_by_role("button", name=re.compile("Stop"))).to_be_visible()
    assert screen.evaluate("!document.querySelector('audio').paused")
    screen.evaluate("window.left = document.querySelector('audio')")
    press(screen, ["2"])
    screen.wait_for_function("window.left.paused")


def test_a_peg_is_dragged_to_a_peg_and_what_it_takes_away_is_shown_first(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    source = screen.locator('[data-card="Alma"]').get_by_role("button", name=re.compile("^1: Alma"))
    box = screen.locator('[data-card="Pellow Duo"]')
    source.drag_to(box.get_by_role("button", name=re.compile("^1: Pellow Duo jack in 1")))
    # The organ would lose its jack, and Alma hers.
    expect(preview(screen)).to_contain_text("Reed organ")
    press(screen, ["Escape"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("Rev 1:")
    out = screen.locator('[data-card="Corvane 8"]').get_by_role(
        "button", name=re.compile("^3: Corvane 8 jack out 3|^3: jack out 3")
    )
    phones = screen.locator('[data-card="Director\'s phones"]').get_by_role("button", name=re.compile("^1: "))
    out.drag_to(phones)
    expect(preview(screen)).to_be_visible()
    press(screen, ["Control+Enter"])
    expect(screen.get_by_test_id("last-edit")).to_contain_text("plugged Corvane 8 jack out 3 into Director's phones L")


def test_space_marks_wherever_the_click_fell_and_disabled_commands_say_why(screen: Page) -> None:
    demo(screen)
    press(screen, ["1"])
    expect(screen.get_by_role("button", name=re.compile("^Join"))).to_have_attribute("title", re.compile("Mark two"))
    cards = [screen.locator('[data-card="Corvane 8"]'), screen.locator('[data-card="Pellow Duo"]')]
    cards[0].get_by_role("button", name="Corvane 8", exact=True).click()
    press(screen, [" "])
    expect(cards[0]).to_contain_text("marked")
    cards[1].get_by_role("button", name=re.compile("^1: Pellow Duo jack in 1")).click()
    press(screen, [" "])
    expect(cards[1]).to_contain_text("marked")
    expect(screen.get_by_role("button", name=re.compile("^Join 2"))).to_be_enabled()


@pytest.mark.parametrize("width", [853, 1024, 1280])
def test_nothing_is_out_of_reach_in_a_narrow_window(screen: Page, width: int) -> None:
    demo(screen)
    screen.set_viewport_size({"width": width, "height": 680})
    for place in "12345":
        press(screen, [place])
        screen.wait_for_timeout(200)
        assert screen.evaluate("document.documentElement.scrollWidth") <= width
    header = screen.locator("header")
    assert screen.evaluate("(element) => element.scrollWidth - element.clientWidth", header.element_handle()) <= 0
    for words in screen.locator("nav a").all():
        assert words.evaluate("(element) => element.scrollWidth <= element.clientWidth")
