"""Play the fifteen journeys on a fresh demo with the mouse, and write docs/journeys.md: make journeys."""

from __future__ import annotations

import os
import re
import sys
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

from playwright.sync_api import Browser, Playwright, sync_playwright

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT))

from tests.conftest import sign_in  # noqa: E402
from tests.harness.acts import Spares  # noqa: E402
from tests.journeys.conftest import answer_path, enter  # noqa: E402
from tests.journeys.fifteen import JOURNEYS, Journey, Scene  # noqa: E402
from tests.journeys.hands import Mouse  # noqa: E402

from openlatch.demo.cast import PASSWORD  # noqa: E402 - the tests lie beside the package
from openlatch.local.stack import Stack  # noqa: E402

CLICK, KEY, WORD = 1.2, 0.25, 0.25
"""Seconds of a person: for a click with the way to it, for a key, and for a word that is read (240 a minute)."""
BEFORE = {
    "End an access, with proof": "5 clicks, by way of the inventory",
    "Let someone in": "9 clicks on one long form; the account was typed exactly, and no flag was shown beforehand",
    "Accept an offer": "2 clicks",
    "Someone leaves": "7 clicks, by way of the parties",
    "See what a change would change": "7 clicks",
    "Change a limit of the policy": "6 clicks, and a line of TOML to write",
    "Accept a flag": "5 clicks, for “Live with it for a while…”",
    "Decline a request": "5 clicks",
    "See who did something": "not possible: the log had no filters",
    "Invite a colleague": "4 clicks",
}
"""What the same took at the end of November 2026, before the console was made one: counted in its browser tests."""
PICTURES = {
    "See what to look at first": "today",
    "End an access, with proof": "end-access",
    "Let someone in": "offer",
    "Answer a review": "review-desk",
    "Someone leaves": "leaver",
    "See what a change would change": "what-if",
    "Change a limit of the policy": "policy",
    "See who did something": "log",
    "Invite a colleague": "people",
}
HEAD = """# Journeys

<!-- made by docs/site/journeys.py: make journeys -->

What people come for most, each played on a fresh demo in a browser of 1280×800, from the first page that they see after
signing in. *Clicks* and *keys* are counted, *words* are those that were not on the screen before and so may have to be
read, *waited* are the seconds in which the service or the browser worked. *A person* is an estimate: {click} seconds a
click, {key} a key, {word} a word, and the waiting. All fifteen are played by keyboard alone in the tests, and the first
afternoon, from an empty database to a first access that is ended and proved, is replayed there as well.

| journey | who | clicks | keys | words | waited | a person | before |
| --- | --- | --- | --- | --- | --- | --- | --- |
"""


def play(journey: Journey, scene: Scene, browser: Browser, url: str) -> Mouse:
    """Play one journey in a browser of its own."""
    at = journey.before(scene) if journey.before else journey.begin
    context = browser.new_context(base_url=url, viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.goto(at)
    if journey.who:
        enter(page, journey.who, PASSWORD)
        page.get_by_role("navigation", name="Places").wait_for()
    hand = Mouse(page)
    journey.play(hand, scene)
    context.close()
    return hand


def row(journey: Journey, hand: Mouse) -> str:
    person = hand.clicks * CLICK + hand.keys * KEY + hand.words * WORD + hand.seconds
    who = journey.who.replace(".", " ").title() or "someone outside"
    cells = (
        f"[{journey.title}](#{re.sub(r'[^a-z0-9]+', '-', journey.title.lower()).strip('-')})",
        who,
        hand.clicks,
        hand.keys,
        hand.words,
        f"{hand.seconds:.1f} s",
        f"{person / 60:.1f} min",
        BEFORE.get(journey.title, "not counted"),
    )
    return "| " + " | ".join(str(cell) for cell in cells) + " |"


def section(journey: Journey, hand: Mouse) -> str:
    steps = "\n".join(f"{number}. {step[0].upper()}{step[1:]}." for number, step in enumerate(hand.steps, 1))
    picture = PICTURES.get(journey.title)
    shown = f"\n\n![{journey.title}](screenshots/{picture}.png)" if picture else ""
    return f"## {journey.title}\n\nTo {journey.wants}.\n\n{steps}{shown}\n"


def main() -> None:
    """Write the page."""
    # The database's own user has to reach its folder.
    with TemporaryDirectory(dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        with Stack(Path(folder) / "stack", fast=True) as stack, sync_playwright() as playwright:
            write(stack, playwright)


def write(stack: Stack, playwright: Playwright) -> None:
    """Play all of them, one after the other, on a stack."""
    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
    spares = Spares()
    with sign_in(stack) as client:
        scene = Scene(client, lambda: spares.take(client), partial(answer_path, stack))
        played = [(journey, play(journey, scene, browser, stack.url)) for journey in JOURNEYS]
    browser.close()
    rows = "\n".join(row(*one) for one in played)
    sections = "\n".join(section(*one) for one in played)
    cores = f"Measured on {os.cpu_count()} cores shared with others.\n"
    head = HEAD.format(click=CLICK, key=KEY, word=WORD)
    (ROOT / "docs" / "journeys.md").write_text(f"{head}{rows}\n\n{cores}\n{sections}", "utf-8")


if __name__ == "__main__":
    main()
