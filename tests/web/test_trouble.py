"""When the server, its answer or a revision is lost: what the screens say of it is true, and lead out of it."""

import httpx
import psycopg
import pytest
from playwright.sync_api import Page, Route, expect
from psycopg.types.json import Jsonb

from server import Server
from web.test_person import small_rig

MAYBE = "This change may have been made or not"


def change_the_buffer(screen: Page, samples: str) -> None:
    screen.get_by_role("button", name="Corvane 8", exact=True).click()
    screen.get_by_label("Buffer", exact=True).select_option(samples)
    screen.get_by_role("dialog").get_by_role("button", name="Apply").click()


@pytest.mark.server_away
def test_a_change_whose_answer_was_lost_is_told_as_made_once_the_rig_is_read_again(screen: Page) -> None:
    small_rig(screen, "Lost answer")
    lost = []

    def made_but_lost(route: Route) -> None:
        lost.append(route.fetch().status)
        route.abort()

    screen.route("**/edits", made_but_lost, times=1)
    change_the_buffer(screen, "64")
    alert = screen.locator("footer").get_by_role("alert")
    expect(alert).to_contain_text("Iskelo answers again. The rig is at revision")
    expect(alert).to_contain_text("128 → 64")
    assert lost == [200]
    expect(screen.get_by_test_id("last-edit")).to_contain_text("128 → 64")


@pytest.mark.server_away
def test_a_change_that_was_never_made_is_told_so_and_can_be_made_again(screen: Page) -> None:
    small_rig(screen, "Never made")
    screen.route("**/edits", lambda route: route.abort(), times=1)
    change_the_buffer(screen, "64")
    alert = screen.locator("footer").get_by_role("alert")
    expect(alert).to_contain_text("That change was not made; make it again")
    expect(screen.get_by_label("Buffer", exact=True)).to_have_value("128")
    change_the_buffer(screen, "256")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("128 → 256")
    expect(alert).to_have_count(0)


@pytest.mark.server_away
def test_while_nothing_answers_the_screen_says_that_the_change_may_have_been_made(screen: Page) -> None:
    small_rig(screen, "Away")
    gone = [True]

    def away(route: Route) -> None:
        if gone:
            problem = {"title": "x", "status": 503, "detail": f"The database does not answer. {MAYBE}.", "place": ""}
            route.fulfill(status=503, json=problem, content_type="application/problem+json")
        else:
            route.continue_()

    screen.route("**/api/rigs/*", away)
    screen.route("**/api/rigs/*/edits", away)
    change_the_buffer(screen, "64")
    alert = screen.locator("footer").get_by_role("alert")
    expect(alert).to_contain_text(MAYBE)
    gone.clear()
    expect(alert).to_contain_text("That change was not made; make it again")


def test_a_rig_that_cannot_be_read_opens_read_only_and_goes_back(screen: Page, server: Server) -> None:
    small_rig(screen, "Spoilt")
    change_the_buffer(screen, "64")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("128 → 64")
    rig = screen.url.split("/rigs/")[1].split("/")[0]
    head = httpx.get(f"{server.url}/api/rigs/{rig}").json()["revision"]
    with psycopg.connect(server.database_url) as connection:
        # As a newer Iskelo, or a disk, may leave it; under another number, for the server holds what it made.
        connection.execute(
            "INSERT INTO revision (rig_id, number, parent, delta, edits, words, made_at, depth, version, rig_name, "
            "gear_count, line_count) SELECT rig_id, number + 1, number, %s, edits, 'spoilt', made_at, depth + 1, "
            "version, rig_name, gear_count, line_count FROM revision WHERE rig_id = %s AND number = %s",
            (Jsonb({"cores": {"=": 100_000}}), rig, head),
        )
        connection.execute("UPDATE rig SET head = %s WHERE id = %s", (head + 1, rig))
    screen.reload()
    banner = screen.get_by_role("alert").filter(has_text="cannot be read")
    expect(banner).to_contain_text(f"Revision {head + 1} of this rig cannot be read: cores: it must be 256 or less.")
    expect(banner).to_contain_text(f"You see revision {head}; nothing can be changed")
    change_the_buffer(screen, "256")
    expect(screen.locator("footer").get_by_role("alert")).to_contain_text("it cannot be changed")
    screen.get_by_role("button", name=f"Go back to revision {head}").click()
    expect(banner).to_have_count(0)
    change_the_buffer(screen, "256")
    expect(screen.get_by_test_id("last-edit")).to_contain_text("64 → 256")
