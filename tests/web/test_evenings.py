"""Evenings from a blank rig by keyboard: gear typed in short, wishes typed, one plan; the keys counted."""

import pytest
from playwright.sync_api import Page, expect

from desks import desk_bench
from evenings import planned, wished
from mending import arriving as arrive
from web.test_person import arriving, new_rig, press

AT_MOST = 100
"""So many keys, where no names are typed but those that a program comes with."""

Wish = tuple[str, str, str, str]
"""From, record to, heard at, within."""

IN_SHORT: dict[str, tuple[tuple[str, ...], tuple[Wish, ...]]] = {
    "one box of two in and two out": (
        ("2 mic", "box 2x2", "rec", "player", "head"),
        (("mic", "rec new", "", ""), ("deck 1", "", "head", "")),
    ),
    "a sampler of sixteen pads": (("sam 16", "4 cable 8", "rec"), (("sampler", "rec new", "", ""),)),
    "sixteen in and sixteen out": (
        ("16 mic", "box 16x16", "rec", "player", "head"),
        (("mic", "rec new", "", ""), ("deck 1", "", "head", "")),
    ),
    "a digital mixer": (("12 mic", "havra", "rec", "head"), (("mic", "rec new", "", ""),)),
    "an analogue mixer": (
        ("mic", "inst", "analogue mixer 8", "rec"),
        (("mic", "rec new", "", ""), ("inst", "rec new", "", "")),
    ),
    "a box of eighteen in": (
        ("16 mic", "box 18x8", "mix 18", "head"),
        (("mic", "mix 1-16", "", ""), ("mic", "", "head", "")),
    ),
    "a voice over music": (
        ("mic", "box 2x2", "rec", "player", "head"),
        (("mic", "rec new", "head", "10"), ("deck 1", "", "head", "")),
    ),
    "eight inputs": (("8 mic", "box 8x8", "rec"), (("mic", "rec new", "", ""),)),
    "two strips": (("2 mic", "box 2x2", "mix 2", "head"), (("mic", "mix 1-2", "head", ""),)),
    "several sets of loudspeakers": (
        ("player", "box 8x8", "2 speaker", "head"),
        (("deck 1", "", "speaker 1-2", ""), ("deck 1", "", "head", "")),
    ),
    "which box for which program": (
        ("2 mic", "box 4x4", "box 2x2", "rec", "system", "head", "speaker"),
        (("mic", "rec new", "head", ""), ("system", "", "speaker", "")),
    ),
    "a call that everybody is on": (
        ("3 mic", "box 4x4", "call", "rec", "head"),
        (
            ("mic", "rec new", "", ""),
            ("call", "rec new", "", ""),
            ("mic", "", "far", ""),
            ("call", "", "head", ""),
        ),
    ),
    "two boxes as one": (("6 mic", "box 4x4", "box 4x4", "rec"), (("mic", "rec new", "", ""),)),
    "a stereo track": (("stereo inst", "box 4x4", "rec"), (("inst", "rec new", "", ""),)),
}


def typed(wish: Wish) -> list[str]:
    """The keys that make one wish, from the table of lines."""
    sources, record_to, heard_at, within = wish
    keys = ["b", sources, "Tab", record_to]
    keys += ["Tab", heard_at] if heard_at or within else []
    keys += ["Tab", "Tab", within] if within else []
    return [key for key in [*keys, "Control+Enter"] if key]


def counted(keys: list[str]) -> int:
    return sum(1 if key in ("Tab", "Enter", "Escape", "Control+Enter") else len(key) for key in keys)


@pytest.mark.parametrize("what", IN_SHORT)
def test_an_evening_takes_few_keys_and_its_plan_serves_all_of_it(what: str) -> None:
    gear, wishes = IN_SHORT[what]
    keys = [key for phrase in gear for key in (phrase, "Enter")] + ["Escape", "2"]
    keys += [key for wish in wishes for key in typed(wish)] + ["p", "a", "Control+Enter"]
    assert counted(keys) <= AT_MOST
    bench = desk_bench(*gear)
    wished(bench, wishes)
    planned(bench)
    assert arrive(bench.rig) == len(bench.rig.lines) > 0


@pytest.mark.parametrize("what", ["a call that everybody is on", "two boxes as one"])
def test_an_evening_is_set_up_by_keyboard_from_a_blank_rig(screen: Page, what: str) -> None:
    gear, wishes = IN_SHORT[what]
    new_rig(screen, "Evening")
    expect(screen.get_by_role("textbox", name="Add gear")).to_be_focused()
    keys = 0
    for number, phrase in enumerate(gear, start=2):
        keys += press(screen, [phrase, "Enter"])
        expect(screen.get_by_text(f"rev {number}", exact=True)).to_be_visible()
    keys += press(screen, ["Escape", "2"])
    bench = desk_bench(*gear)
    for wish in wishes:
        keys += press(screen, typed(wish))
        wished(bench, [wish])
        arriving(screen, f"{arrive(bench.rig)}/{len(bench.rig.lines)}")
    total = len(bench.rig.lines)
    keys += press(screen, ["p"])
    plan = screen.get_by_role("complementary", name="Plan")
    expect(plan.get_by_test_id("now-after")).to_contain_text(f"{total} of {total}")
    keys += press(screen, ["Control+Enter"])
    arriving(screen, f"{total}/{total}")
    assert keys <= AT_MOST
