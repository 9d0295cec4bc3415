"""The set-up list on a telephone, while the rig changes under it."""

import re

import httpx
from playwright.sync_api import Browser, Page, expect

from server import Server
from web.test_person import press
from web.test_tasks import demo


def test_the_list_is_ticked_on_a_telephone_while_the_rig_changes_under_it(
    screen: Page, browser: Browser, server: Server
) -> None:
    demo(screen)
    press(screen, ["5"])
    rig = screen.url.split("/")[4]
    expect(screen.get_by_role("group", name="Walk with a telephone")).to_contain_text("./iskelo start --walk")
    context = browser.new_context(viewport={"width": 390, "height": 780}, has_touch=True)
    phone = context.new_page()
    phone.goto(f"{server.url}/walk/{rig}")
    first = phone.get_by_label("Done: Connect Corvane 8 to the computer")
    # Read-only until somebody at the rig allows it.
    expect(first).to_be_disabled()
    expect(phone.locator("body")).to_contain_text("to look at only")
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390
    screen.get_by_label("may tick steps off").click()
    expect(first).to_be_enabled()
    phone.get_by_label("Ticked by").fill("Dov")
    first.tap()
    expect(first).to_be_checked()
    expect(screen.get_by_test_id("ticked")).to_contain_text("1/")
    expect(screen.get_by_role("region", name="Set-up list")).to_contain_text("done by Dov")
    box = first.bounding_box()
    assert box is not None
    assert min(box["width"], box["height"]) >= 24
    # The rig changes: what was ticked is something else now, and says so on the page that is open.
    with httpx.Client(base_url=f"{server.url}/api/rigs/{rig}") as api:
        state = api.get(f"{server.url}/api/rigs/{rig}").json()
        corvane = next(gear["id"] for gear in state["rig"]["gear"] if gear["name"] == "Corvane 8")
        edits = [{"edit": "set", "item": corvane, "values": {"link_kind": "PCIe-class"}}]
        api.post("/edits", json={"revision": state["revision"], "edits": edits})
        expect(phone.locator("body")).to_contain_text("changed since it was ticked")
        expect(first).not_to_be_checked()
        expect(phone.get_by_test_id("walked")).to_have_text(re.compile(r"0/\d+ done"))
        phone.get_by_label("only what is left").check()
        first.tap()
        expect(first).to_have_count(0)
        api.post("/undo", json={"revision": state["revision"] + 1})
    # The step is as it was, and so is its tick.
    expect(phone.get_by_test_id("walked")).to_have_text(re.compile(r"1/\d+ done"))
    context.close()


def test_a_telephone_whose_rig_is_gone_says_so(browser: Browser, server: Server) -> None:
    context = browser.new_context(viewport={"width": 390, "height": 780})
    phone = context.new_page()
    phone.goto(f"{server.url}/walk/00000000-0000-4000-8000-000000000000")
    expect(phone.get_by_role("alert")).to_contain_text("There is no such rig here")
    context.close()
