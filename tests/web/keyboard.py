"""What a person does who never touches a mouse."""

from playwright.sync_api import Page, expect


def choose(screen: Page, label: str, words: str) -> None:
    """Open a drop-down by its key, type what is wanted, take it."""
    field = screen.get_by_label(label, exact=True)
    field.focus()
    screen.keyboard.press("ArrowDown")
    screen.keyboard.type(words)
    screen.keyboard.press("Enter")
    expect(field.locator("option:checked")).to_have_text(words)


def typed(screen: Page, label: str, text: str) -> None:
    screen.get_by_label(label, exact=True).focus()
    screen.keyboard.press("Control+a")
    screen.keyboard.type(text)
    screen.keyboard.press("Enter")
    expect(screen.get_by_label(label, exact=True)).to_have_value(text)


def card(screen: Page, name: str) -> None:
    """Find a piece of gear by its name, and choose it."""
    expect(screen.locator(f'[data-card="{name}"]').first).to_be_visible()
    screen.keyboard.press("Escape")
    screen.keyboard.press("/")
    expect(screen.get_by_label("Find gear")).to_be_focused()
    screen.keyboard.type(name)
    screen.keyboard.press("Enter")
    expect(screen.get_by_label("Name of the gear")).to_have_value(name)
