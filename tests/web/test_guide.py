"""The guide tells the truth: the key sequences of every page are run from the page itself."""

import re
import shlex
from dataclasses import dataclass
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from web.keyboard import make

GUIDE = Path(__file__).parents[2] / "docs" / "guide"
PAGES = sorted(path for path in GUIDE.glob("[0-9]*.md"))
PLACES = ("gear", "lines", "timing", "check", "paper")
KEYS = {"Esc": "Escape", "Up": "ArrowUp", "Down": "ArrowDown", "Enter": "Enter", "Tab": "Tab", "Space": " "}


@dataclass(frozen=True)
class Step:
    """One line of a key sequence: a verb with what it is about, or keys and words to type, in order."""

    verb: str
    words: tuple[tuple[str, bool], ...]


def blocks(text: str, language: str) -> list[tuple[str, str]]:
    """What follows the language on the fence, and the lines of each block of it."""
    return re.findall(rf"^```{language}(?: ([^\n]*))?\n(.*?)^```$", text, re.MULTILINE | re.DOTALL)


def steps(block: str) -> list[Step]:
    found = []
    for line in block.splitlines():
        tokens = [(shlex.split(each)[0], each.startswith('"')) for each in re.findall(r'"[^"]*"|\S+', line)]
        verb, quoted = tokens[0]
        if not quoted and verb in ("start", "see", "file"):
            found.append(Step(verb, tuple(tokens[1:])))
        else:
            found.append(Step("", tuple(tokens)))
    return found


def key_of(token: str) -> str:
    """A key as the browser calls it. Raises ValueError for what is none."""
    if token in KEYS:
        return KEYS[token]
    if token.startswith("Ctrl+"):
        return f"Control+{KEYS.get(token[5:], token[5:].lower())}"
    if len(token) == 1:
        return token
    raise ValueError(f"{token!r} is no key; words to be typed stand in quotes")


def bare(text: str) -> str:
    return re.sub(r"\s+", "", text)


def shown(screen: Page) -> str:
    """What is on the screen, fields and labels too, without white space."""
    script = """() => [document.body.innerText,
        ...[...document.querySelectorAll("input, [aria-label]")].map((each) =>
            (each.value ?? "") + " " + (each.getAttribute("aria-label") ?? ""))].join(" ")"""
    return bare(screen.evaluate(script))


def see(screen: Page, words: str) -> None:
    for _ in range(400):
        if bare(words) in shown(screen):
            return
        screen.wait_for_timeout(100)
    raise AssertionError(f"{words!r} is not on the screen")


def start(screen: Page, what: str, name: str, url: str) -> None:
    screen.goto(url)
    if what == "blank":
        screen.get_by_label("Name of a new rig").fill(name)
        screen.keyboard.press("Enter")
        expect(screen.get_by_role("textbox", name="Add gear")).to_be_focused()
    else:
        screen.get_by_role("button", name=f"Example: {name}").click()


@pytest.mark.parametrize("path", PAGES, ids=lambda path: path.stem)
def test_the_keys_of_a_page_do_what_the_page_says(screen: Page, path: Path) -> None:
    text, url = path.read_text(), screen.url
    files = dict(blocks(text, "csv"))
    sequences = blocks(text, "keys")
    assert sequences, "a page of the guide shows how it is done"
    for _, block in sequences:
        assert any(step.verb == "see" for step in steps(block)), "a sequence says what stands on the screen then"
        for step in steps(block):
            if step.verb == "start":
                start(screen, step.words[0][0], step.words[1][0], url)
            elif step.verb == "see":
                see(screen, step.words[0][0])
            elif step.verb == "file":
                name = step.words[0][0]
                given = {"name": name, "mimeType": "text/csv", "buffer": files[name].encode()}
                screen.get_by_label("Input list file").set_input_files([given])
            else:
                for token, quoted in step.words:
                    if quoted:
                        screen.keyboard.type(token)
                    elif token == "Ctrl+Enter":
                        make(screen)
                    else:
                        screen.keyboard.press(key_of(token))


def test_every_page_says_where_it_belongs_and_its_links_and_pictures_are_there() -> None:
    listed = (GUIDE / "README.md").read_text()
    seen = set()
    for path in PAGES:
        text = path.read_text()
        place = re.match(r"<!-- place: (\w+)(?: first)? -->\n# ", text)
        assert place is not None, path.name
        seen.add(place[1])
        assert f"]({path.name})" in listed
        for target in re.findall(r"\]\(([^)]+)\)", text):
            assert (path.parent / target).resolve().exists(), f"{path.name}: {target}"
    assert seen == set(PLACES)


def test_what_is_no_key_is_noticed() -> None:
    with pytest.raises(ValueError, match="is no key"):
        key_of("Retrun")
    assert [step.verb for step in steps('start blank "A b"\n2 b "mic 1-2" Tab\nsee "x"')] == ["start", "", "see"]


def test_help_leads_to_the_page_of_the_place(screen: Page) -> None:
    screen.get_by_role("button", name="Example: orrin point, rehearsal").click()
    expect(screen.get_by_test_id("arriving")).to_have_text("12/16")
    titles = {
        "1": "A first rig",
        "2": "No sound on a track",
        "3": "The smallest safe buffer",
        "4": "Prove it with sound",
        "5": "Set up the room",
    }
    for key, title in titles.items():
        screen.keyboard.press(key)
        screen.keyboard.press("?")
        page = screen.get_by_role("dialog", name="Guide and keys")
        expect(page.get_by_role("heading", level=1)).to_contain_text(title)
        expect(page).to_contain_text("Keys that work here")
        screen.keyboard.press("Escape")
        expect(page).to_have_count(0)
    screen.keyboard.press("?")
    page = screen.get_by_role("dialog", name="Guide and keys")
    page.get_by_label("Page of the guide").select_option("It sounds hollow")
    expect(page.get_by_role("heading", level=1)).to_have_text("It sounds hollow")
    expect(page.get_by_role("img")).to_be_visible()
    assert page.get_by_role("img").evaluate("image => image.complete && image.naturalWidth > 0")
