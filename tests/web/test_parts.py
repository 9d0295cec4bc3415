"""Parts on the screen, by keyboard: kept, brought in, fitted to a smaller box; one undo; a rig found and duplicated."""

import re

import httpx
from playwright.sync_api import Page, expect

from server import Server
from web.keyboard import card, choose, make, typed
from web.test_person import add, new_rig, press
from web.test_tasks import demo


def buses(screen: Page, *names: str) -> None:
    for number, bus in enumerate(names, start=1):
        screen.get_by_role("button", name="Add bus", exact=True).press("Enter")
        typed(screen, f"Name of bus {number}", bus)
        expect(screen.get_by_test_id("last-edit")).to_contain_text(bus)


def keep_as(screen: Page, name: str, left_out: tuple[str, ...] = ()) -> None:
    press(screen, ["p"])
    drawer = screen.get_by_label("Parts", exact=True)
    form = drawer.get_by_role("form", name="Keep a part")
    for kind in left_out:
        form.get_by_label(kind, exact=True).press("Space")
    form.get_by_label("Keep as").fill(name)
    form.get_by_label("Keep as").press("Enter")
    expect(drawer.get_by_role("button", name=f"Bring in {name}")).to_be_visible()


def no_parts(server: Server) -> None:
    with httpx.Client(base_url=f"{server.url}/api", timeout=60) as api:
        for part in api.get("/parts").json():
            api.delete(f"/parts/{part['id']}")


def bring(screen: Page, name: str):
    """Find a part by its name and begin to bring it in; gives its form."""
    finder = screen.get_by_label("Find a part")
    finder.fill(name)
    finder.press("Enter")
    form = screen.get_by_role("form", name=f"Bring in {name}")
    expect(form.get_by_test_id("now-after")).to_be_visible()
    return form


def names_of_buses(screen: Page) -> list[str]:
    return [each.input_value() for each in screen.locator('[aria-label^="Name of bus "]').all()]


def test_the_buses_of_a_program_come_into_a_rig_that_has_some_in_use(screen: Page, server: Server) -> None:
    no_parts(server)
    new_rig(screen, "First evening")
    for phrase in ("box 4x4 Corvane", "recorder Longhand"):
        add(screen, phrase)
    card(screen, "Longhand")
    buses(screen, "Voices", "Winds")
    keep_as(screen, "Two buses", ("settings",))
    press(screen, ["Escape"])
    screen.get_by_role("link", name="Rigs", exact=True).press("Enter")
    new_rig(screen, "Second evening")
    for phrase in ("box 4x4 Corvane", "recorder Longhand"):
        add(screen, phrase)
    card(screen, "Longhand")
    buses(screen, "Voices", "Strings")
    screen.get_by_role("button", name="Add track", exact=True).press("Enter")
    choose(screen, "Output of track Track 1", "bus Voices")
    press(screen, ["p"])
    form = bring(screen, "Two buses")
    told = form.get_by_role("table", name="What becomes of everything")
    expect(told).to_contain_text("Voicesstays as it isin use: Track 1")
    expect(told).to_contain_text("Windscomes new")
    expect(told).to_contain_text("Stringsnot in the part")
    form.get_by_label("remove the 1 that nobody uses").press("Space")
    expect(told).to_contain_text("Stringsremoved")
    make(screen)
    expect(form).to_have_count(0)
    expect(screen.get_by_label("Name of bus 2")).to_have_value("Winds")
    assert names_of_buses(screen) == ["Voices", "Winds"]
    press(screen, ["Escape"])
    screen.keyboard.press("Control+z")
    card(screen, "Longhand")
    expect(screen.get_by_label("Name of bus 2")).to_have_value("Strings")
    assert names_of_buses(screen) == ["Voices", "Strings"]


def test_what_a_box_is_set_to_is_fitted_to_a_smaller_one(screen: Page, server: Server) -> None:
    no_parts(server)
    new_rig(screen, "Large")
    add(screen, "box 8x8 Corvane")
    card(screen, "Corvane")
    typed(screen, "Trim of jack in 2", "20")
    typed(screen, "Trim of jack in 7", "11")
    keep_as(screen, "Corvane as it was")
    press(screen, ["Escape"])
    screen.get_by_role("link", name="Rigs", exact=True).press("Enter")
    new_rig(screen, "Small")
    add(screen, "box 4x4 Pellow")
    card(screen, "Pellow")
    press(screen, ["p"])
    form = bring(screen, "Corvane as it was")
    # The box that is chosen is meant, and what has no place stands first.
    expect(form.get_by_label("Bring Corvane into")).to_contain_text("Pellow")
    ports = form.get_by_role("table", name="Where every channel goes")
    expect(ports.locator("tbody tr").first).to_contain_text("jack in 7")
    expect(ports.locator("tbody tr").first).to_contain_text("Pellow has 4 input jacks")
    typed_to = form.get_by_label("jack in 7 of the part goes to")
    typed_to.fill("9")
    typed_to.press("Enter")
    expect(form.get_by_role("status")).to_contain_text("there is none; it has 4")
    typed_to.fill("4")
    typed_to.press("Enter")
    expect(ports).to_contain_text("as you say")
    make(screen)
    expect(form).to_have_count(0)
    expect(screen.get_by_label("Trim of jack in 4")).to_have_value("11")
    expect(screen.get_by_label("Trim of jack in 2")).to_have_value("20")


def test_several_pieces_are_kept_as_a_template_and_a_new_rig_begins_with_it(screen: Page, server: Server) -> None:
    no_parts(server)
    demo(screen)
    press(screen, ["1"])
    for name in ("Corvane 8", "Longhand"):
        card(screen, name)
        screen.keyboard.press("Escape")
        card(screen, name)
        press(screen, [" "])
    keep_as(screen, "Hall recorder")
    press(screen, ["Escape"])
    screen.get_by_role("link", name="Rigs", exact=True).press("Enter")
    choose(screen, "Begin with", "Hall recorder")
    screen.get_by_label("Name of a new rig").fill("Next week")
    screen.get_by_label("Name of a new rig").press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("made from the part Hall recorder")
    press(screen, ["1"])
    expect(screen.locator('[data-card="Corvane 8"]').first).to_be_visible()
    expect(screen.locator('[data-card="Longhand"]').first).to_be_visible()


def test_inputs_are_refilled_from_the_device_seen_before_it_is_done(screen: Page) -> None:
    new_rig(screen, "Refilled")
    for phrase in ("box 4x4 Corvane", "recorder Longhand"):
        add(screen, phrase)
    card(screen, "Longhand")
    screen.get_by_role("button", name="Refill inputs from the device", exact=True).press("Enter")
    trial = screen.get_by_role("dialog", name="Trial: Longhand: inputs as its device has them")
    expect(trial.get_by_test_id("now-after")).to_contain_text("4 new")
    make(screen)
    expect(screen.get_by_label("Name of input 4")).to_have_value("In 4")


def test_a_rig_is_found_by_a_voice_in_it_duplicated_and_put_by(screen: Page) -> None:
    new_rig(screen, "Gale warning")
    add(screen, "mic Skua")
    press(screen, ["Escape"])
    screen.get_by_role("link", name="Rigs", exact=True).press("Enter")
    expect(screen.get_by_label("Find a rig")).to_be_visible()
    press(screen, ["/"])
    expect(screen.get_by_label("Find a rig")).to_be_focused()
    screen.keyboard.type("skua")
    found = screen.get_by_role("row", name="Gale warning Skua")
    expect(found).to_be_visible()
    found.get_by_role("button", name="Duplicate Gale warning").press("Enter")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("duplicated from Gale warning")
    screen.get_by_role("link", name="Rigs", exact=True).click()
    expect(screen.get_by_role("button", name="Put by Gale warning 2")).to_be_visible()
    screen.get_by_role("button", name="Put by Gale warning 2").press("Enter")
    expect(screen.get_by_role("button", name="Put by Gale warning 2")).to_have_count(0)
    screen.get_by_label(re.compile(r"show the \d+ put by")).check()
    screen.get_by_role("button", name="Take up Gale warning 2").press("Enter")
    expect(screen.get_by_role("button", name="Put by Gale warning 2")).to_be_visible()
