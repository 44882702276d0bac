"""How a person acts on a page: with the mouse, or by the keyboard alone; and what it costs them."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from typing import Protocol

from playwright.sync_api import Locator, Page

__all__ = ["MOST", "Hand", "Keyboard", "Mouse", "tab_to"]

NAME = """() => {
  const one = document.activeElement;
  const by = one.getAttribute('aria-labelledby') ?? '';
  const named = by.split(' ').map((id) => document.getElementById(id)?.textContent ?? '').join(' ');
  const acts = one.matches('a, button, input, select, textarea, summary, [role=gridcell]');
  const label = [...(one.labels ?? [])].map((each) => each.textContent).join(' ');
  const own = acts ? one.textContent : '';
  return [one.getAttribute('aria-label') ?? '', named, label, own].map((each) => each.trim());
}"""
MOST_SAID = 48
"""So many letters of a name are enough to find it."""
MOST = 150
"""So many presses lead through any page."""


class Hand(Protocol):
    """What a person does, each act told by the names that they see."""

    page: Page

    def press(self, name: str, inside: str = "") -> None:
        """Press a button or a link, by a part of its name; `inside` is the name of the region that it is in."""

    def fill(self, label: str, text: str) -> None:
        """Type into a field."""

    def choose(self, label: str, option: str) -> None:
        """Choose one of a list."""

    def pick(self, label: str, text: str, option: str) -> None:
        """Type a part of a name into a field that looks it up, and take what it finds."""

    def tick(self, label: str) -> None:
        """Tick a box."""

    def see(self, text: str) -> None:
        """Wait for what is to be read."""


def tab_to(page: Page, name: str, inside: str = "", *, kind: str = "*") -> None:
    """Press Tab until what has this name, and is of a kind (a CSS selector), has the focus, which has to be seen."""
    # What is typed into may have the focus already, where a dialog has just opened.
    there = kind != "*" and _is(page, name, inside, kind)
    for _ in range(0 if there else MOST):
        page.keyboard.press("Tab")
        if _is(page, name, inside, kind):
            outline = page.evaluate("getComputedStyle(document.activeElement).outlineStyle")
            assert outline != "none", f"the focus on “{name}” is not seen"
            return
    assert there, f"“{name}” is not reached by the keyboard"


def _is(page: Page, name: str, inside: str, kind: str) -> bool:
    if not page.evaluate("(kind) => document.activeElement.matches(kind)", kind):
        return False
    if inside and page.evaluate(REGION) != inside:
        return False
    return any(re.search(name, each) for each in page.evaluate(NAME))


REGION = "document.activeElement.closest('article, section, aside, nav, form')?.getAttribute('aria-label')"
BOX = "input[type=checkbox], input[type=radio]"
FIELD = f"input:not({BOX}), textarea"


class Keyboard:
    """Nothing is clicked: what is used is reached by tabbing, as anyone can who has no mouse."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def press(self, name: str, inside: str = "") -> None:
        self._shown(name)
        tab_to(self.page, name, inside)
        self.page.keyboard.press("Enter")

    def fill(self, label: str, text: str) -> None:
        tab_to(self.page, label, kind=FIELD)
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)

    def choose(self, label: str, option: str) -> None:
        tab_to(self.page, label, kind="select")
        self.page.keyboard.type(option)

    def pick(self, label: str, text: str, option: str) -> None:
        tab_to(self.page, label, kind="[role=combobox]")
        self.page.keyboard.type(text)
        self.page.get_by_role("option", name=re.compile(option)).first.wait_for()
        self.page.keyboard.press("Enter")

    def tick(self, label: str) -> None:
        tab_to(self.page, label, kind=BOX)
        self.page.keyboard.press("Space")

    def see(self, text: str) -> None:
        self.page.get_by_text(re.compile(text)).first.wait_for()

    def _shown(self, name: str) -> None:
        _named(self.page, name).first.wait_for()


class Mouse:
    """With the mouse; counts clicks, keys, words that are new on the screen, and the seconds that were waited."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.clicks = 0
        self.keys = 0
        self.words = 0
        self.seconds = 0.0
        self.steps: list[str] = []
        self._read: set[str] = set()

    def press(self, name: str, inside: str = "") -> None:
        place: Page | Locator = self.page
        if inside:
            place = self.page.locator(f"[aria-label='{inside}']").first
        what = _named(place, name).first
        said = " ".join(what.inner_text().split())
        self._act(f"press *{said[:MOST_SAID].strip()}*", lambda: self._click(what))

    def fill(self, label: str, text: str) -> None:
        field = self.page.get_by_label(re.compile(label)).first
        self.keys += len(text)
        self._act(f"type “{text}” into *{_plain(label)}*", lambda: (self._click(field), field.fill(text)))

    def choose(self, label: str, option: str) -> None:
        field = self.page.get_by_label(re.compile(label)).first
        self.clicks += 2
        value = field.locator("option").filter(has_text=re.compile(f"^\\s*{option}", re.IGNORECASE)).first
        self._act(
            f"choose *{option}* under *{_plain(label)}*",
            lambda: field.select_option(value.get_attribute("value") or value.inner_text()),
        )

    def pick(self, label: str, text: str, option: str) -> None:
        field = self.page.get_by_role("combobox", name=re.compile(label)).first
        self.keys += len(text)

        def act() -> None:
            self._click(field)
            field.fill(text)
            self._click(self.page.get_by_role("option", name=re.compile(option)).first)

        self._act(f"type “{text}” into *{_plain(label)}* and take what it finds", act)

    def tick(self, label: str) -> None:
        box = self.page.get_by_label(re.compile(label)).first
        self.clicks += 1
        self._act(f"tick *{_plain(label)}*", box.check)

    def see(self, text: str) -> None:
        begun = time.monotonic()
        self.page.get_by_text(re.compile(text)).first.wait_for()
        self.seconds += time.monotonic() - begun
        shown = set(self.page.locator("body").inner_text().split())
        self.words += len(shown - self._read)
        self._read |= shown

    def _act(self, said: str, act: Callable[[], object]) -> None:
        begun = time.monotonic()
        act()
        self.seconds += time.monotonic() - begun
        self.steps.append(said)

    def _click(self, what: Locator) -> None:
        self.clicks += 1
        what.click()


def _named(place: Page | Locator, name: str) -> Locator:
    wanted = re.compile(name)
    button, link = place.get_by_role("button", name=wanted), place.get_by_role("link", name=wanted)
    return button.or_(link).or_(place.locator("summary", has_text=wanted)).locator("visible=true")


def _plain(pattern: str) -> str:
    """A pattern as one would say it."""
    return re.sub(r"[\^$\\]|\.\*", "", pattern).strip()
