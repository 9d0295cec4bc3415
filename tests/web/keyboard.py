"""What a person does who never touches a mouse."""

import contextlib

from playwright.sync_api import Page, TimeoutError, expect

TO_BE_MADE = 'button:not([disabled]):has-text("Ctrl Enter")'
"""The button of what stands on the screen and can be made."""


LOOK_FOR_TOO_EARLY = """() => {
  window.pressedTooEarly = false
  const look = () => {
    for (const alert of document.querySelectorAll('[role="alert"]'))
      if (alert.textContent.includes("still being worked out")) window.pressedTooEarly = true
  }
  window.lookedForTooEarly?.disconnect()
  window.lookedForTooEarly = new MutationObserver(look)
  window.lookedForTooEarly.observe(document.body, { subtree: true, childList: true, characterData: true })
}"""
"""Looks from before the press on: on a busy machine the answer may be gone again before anybody asks for it."""

ANSWERED = "() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"
"""What a press is answered with stands there two frames later."""


def make(screen: Page) -> None:
    """Press Ctrl+Enter as somebody does who looks: when what is to be made stands there, and again where it did not."""
    with contextlib.suppress(TimeoutError):
        screen.locator(TO_BE_MADE).first.wait_for(timeout=10_000)
    for _ in range(20):
        screen.evaluate(LOOK_FOR_TOO_EARLY)
        screen.keyboard.press("Control+Enter")
        screen.evaluate(ANSWERED)
        if not screen.evaluate("() => window.pressedTooEarly"):
            return
        expect(screen.get_by_role("alert").filter(has_text="still being worked out")).to_have_count(0)


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
