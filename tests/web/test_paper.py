"""The set-up list on Paper and the delay budgets on Timing, as a technician works on them."""

import io
import re
from datetime import UTC, datetime

import pypdf
from playwright.sync_api import Page, expect

from web.test_person import add, arriving, new_rig, press
from web.test_tasks import demo


def test_the_set_up_list_is_ticked_off_and_a_changed_step_loses_its_tick(screen: Page) -> None:
    demo(screen)
    press(screen, ["5"])
    page = screen.get_by_role("region", name="Set-up list")
    expect(page).to_contain_text("Open Hall")
    expect(page).to_contain_text("Corvane 8 first, then Pellow Duo")
    expect(page).to_contain_text("do not match Pellow Duo")
    press(screen, [" ", "ArrowDown", " "])
    ticked = screen.get_by_test_id("ticked")
    expect(ticked).to_contain_text("2/")
    screen.reload()
    expect(ticked).to_contain_text("2/")
    expect(screen.get_by_role("note", name="Still wrong")).to_contain_text("Cassia and Dov share channel 3")
    # The first step is to connect the box: by another link, and what was ticked is not what is to be done.
    press(screen, ["1"])
    expect(screen.locator("[data-card='Corvane 8']")).to_be_visible()
    screen.evaluate(
        """async () => {
            const id = location.pathname.split("/")[2]
            const state = await (await fetch(`/api/rigs/${id}`)).json()
            const box = state.rig.gear.find((each) => each.name === "Corvane 8")
            const edits = [{ edit: "set", item: box.id, values: { link_kind: "PCIe-class" } }]
            await fetch(`/api/rigs/${id}/edits`, {
                method: "POST",
                headers: { "Content-Type": "application/json" },
                body: JSON.stringify({ revision: state.revision, edits }),
            })
        }"""
    )
    press(screen, ["5"])
    expect(page).to_contain_text("changed since it was ticked")
    expect(ticked).to_contain_text("1/")


def test_paper_is_printed_light_and_whole_whatever_the_screen_is(screen: Page) -> None:
    demo(screen)
    press(screen, ["t", "5"])
    expect(screen.locator("html.dark")).to_have_count(1)
    screen.emulate_media(media="print")
    expect(screen.locator("html.dark")).to_have_count(0)
    expect(screen.get_by_role("navigation", name="Places")).to_be_hidden()
    # Nothing scrolls on paper: the last step stands on the page as well.
    last = screen.locator("[data-step]").last
    expect(last).to_be_attached()
    box = last.bounding_box()
    page_height = screen.evaluate("document.documentElement.scrollHeight")
    assert box is not None
    assert box["y"] + box["height"] <= page_height
    assert page_height > 800
    screen.emulate_media(media="screen")
    expect(screen.locator("html.dark")).to_have_count(1)


def test_printed_paper_keeps_its_margins_and_says_its_date_its_revision_its_pages_and_what_is_wrong(
    screen: Page,
) -> None:
    """Read back with pypdf: nothing stands nearer to an edge than 15 mm, but for the page's own number."""
    demo(screen)
    press(screen, ["5"])
    screen.locator("[data-step]").last.wait_for()
    printed = pypdf.PdfReader(io.BytesIO(screen.pdf(format="A4", prefer_css_page_size=True)))
    assert len(printed.pages) > 1
    margin = 15 / 25.4 * 72
    for number, page in enumerate(printed.pages, start=1):
        places: list[tuple[str, float, float]] = []

        def note(text: str, cm: list[float], tm: list[float], *_: object, into=places) -> None:
            if text.strip():
                into.append((text, cm[0] * tm[4] + cm[2] * tm[5] + cm[4], cm[1] * tm[4] + cm[3] * tm[5] + cm[5]))

        words = page.extract_text(visitor_text=note)
        assert f"{number} / {len(printed.pages)}" in words
        own = [place for place in places if not re.fullmatch(r"[\d\s/]*", place[0])]
        height, width = float(page.mediabox.height), float(page.mediabox.width)
        assert min(x for _, x, _ in own) >= margin - 1
        assert max(x for _, x, _ in own) <= width - margin
        assert min(y for _, _, y in own) >= margin - 1
        assert max(y for _, _, y in own) <= height - margin
    first = re.sub(r"\s+", " ", printed.pages[0].extract_text())
    assert re.search(r"rev\s*1\b", first)
    assert str(datetime.now(UTC).year) in first
    assert "12 of 16 lines arrive" in first
    assert "Cassia and Dov share" in first


def test_a_rig_without_gear_says_that_the_list_fills_by_itself(screen: Page) -> None:
    new_rig(screen, "Empty")
    press(screen, ["Escape", "5"])
    expect(screen.get_by_role("region", name="Set-up list")).to_contain_text("Nothing to set up yet")
    press(screen, ["1"])
    add(screen, "box 2x2 Pellow Duo")
    press(screen, ["Escape", "5"])
    expect(screen.get_by_role("region", name="Set-up list")).to_contain_text("Connect Pellow Duo to the computer")


def test_delay_budgets_show_late_lines_first_and_lead_to_them(screen: Page) -> None:
    demo(screen)
    press(screen, ["3", "b"])
    rows = screen.get_by_role("list", name="Delay budgets").get_by_role("listitem")
    expect(rows.first).to_contain_text("Alma, heard")
    expect(rows.first).to_contain_text("3.35 too late")
    expect(rows.nth(2)).to_contain_text("8.77 left")
    rows.first.get_by_role("button").click()
    expect(screen.get_by_role("region", name="Tape measure of Alma, heard")).to_be_visible()


def test_a_fault_is_switched_on_for_a_run_and_heard(screen: Page) -> None:
    demo(screen)
    press(screen, ["4", "f"])
    panel = screen.get_by_role("complementary", name="Faults")
    press(screen, ["jack in 2 is out"])
    panel.get_by_label("Bertil → Corvane 8 jack in 2 is out").click()
    # What the plan says of it stands there before anything is run.
    expect(panel.get_by_test_id("now-after")).to_contain_text("silent")
    press(screen, ["Control+Enter"])
    expect(panel).to_have_count(0)
    told = screen.get_by_test_id("with-faults")
    expect(told).to_contain_text("Bertil → Corvane 8 jack in 2 is out", timeout=60_000)
    expect(screen.get_by_test_id("proved")).to_contain_text("of 16 lines as wanted", timeout=60_000)
    expect(screen.get_by_text("Bertil is not heard").first).to_be_visible()
    # The rig itself is as it was, and nothing counts as proved.
    expect(screen.get_by_text("rev 1", exact=True).first).to_be_visible()
    press(screen, ["r"])
    expect(told).to_have_count(0, timeout=60_000)


def test_sheets_are_chosen_by_keys_follow_the_rig_and_are_saved(screen: Page) -> None:
    screen.get_by_role("button", name="Example: voices before the faders").click()
    arriving(screen, "12/12")
    press(screen, ["5"])
    sheets = screen.get_by_role("navigation", name="Sheets")
    expect(sheets).to_contain_text("12 lines")
    press(screen, ["."])
    page = screen.get_by_role("region", name="Line list")
    expect(page.get_by_role("table", name="Lines").locator("tbody tr")).to_have_count(12)
    expect(page).to_contain_text("every line arrives as it is wanted")
    # The choice is in the address: a reload stays there.
    screen.reload()
    expect(page).to_be_visible()
    sheets.get_by_role("button", name=re.compile("^Gangway")).first.click()
    page = screen.get_by_role("region", name="Gangway")
    strips = page.get_by_role("table", name="Strips")
    expect(strips).to_contain_text("Alma")
    # What changes in another place is changed here.
    press(screen, ["1"])
    screen.get_by_role("button", name="Gangway", exact=True).click()
    screen.get_by_role("checkbox", name="Track Bertil solo").click()
    expect(screen.get_by_test_id("last-edit")).to_contain_text("solo")
    screen.go_back()
    expect(strips.get_by_role("row", name=re.compile("Bertil"))).to_contain_text("solo")
    press(screen, [","])
    page = screen.get_by_role("region", name="Air")
    expect(page.get_by_role("table", name="Channels in", exact=True)).to_contain_text("Gully 1")
    screen.get_by_label("Paper", exact=True).select_option("Letter")
    with screen.expect_download() as download:
        screen.get_by_role("link", name="PDF").click()
    saved = download.value
    assert re.fullmatch(r"Voices before the faders, rev 2, Air, \d{4}-\d\d-\d\d\.pdf", saved.suggested_filename)
    reader = pypdf.PdfReader(saved.path())
    assert [float(each) for each in reader.pages[0].mediabox[2:]] == [612, 792]
    text = " ".join(each.extract_text() for each in reader.pages)
    assert "Channels in" in text
    assert "rev 2" in text
    # Labels: the cell's size is typed, kept in this browser, and what is none is told in place.
    sheets.get_by_role("button", name=re.compile("^Longhand")).last.click()
    page = screen.get_by_role("region", name="Longhand")
    expect(page.get_by_role("table", name="Tracks")).to_contain_text("Mix")
    screen.get_by_label("Width of a cell, mm").fill("wide")
    expect(screen.get_by_role("alert")).to_contain_text("A cell is 5 to 100 mm wide")
    screen.get_by_label("Width of a cell, mm").fill("17,5")
    expect(screen.get_by_role("alert")).to_have_count(0)
    with screen.expect_download() as download:
        screen.get_by_role("link", name="PDF").click()
    text = " ".join(each.extract_text() for each in pypdf.PdfReader(download.value.path()).pages)
    assert "Tracks 1–5" in text
    # Gear that has gone takes its sheet with it.
    screen.evaluate("history.replaceState(null, '', location.pathname + '?sheet=patch:b999')")
    screen.reload()
    expect(screen.get_by_role("region", name="Set-up list")).to_be_visible()
