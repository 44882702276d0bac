"""What the journeys share: a running stack, a terminal in a process of its own, and a browser."""

from __future__ import annotations

import email
import email.policy
import os
import re
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
import pytest
from playwright.sync_api import Browser, Locator, Page, expect, sync_playwright

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack
from tests.conftest import sign_in as sign_in_client
from tests.harness.acts import Desk, Spares

AXE = Path(__file__).parents[2] / "console" / "node_modules" / "axe-core" / "axe.min.js"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
PATIENCE = 120_000
"""Milliseconds; no test is about speed, and machines are shared."""
expect.set_options(timeout=PATIENCE)


@pytest.fixture
def desk(stack: Stack) -> Iterator[Desk]:
    desk = Desk(stack)
    yield desk
    desk.close()


@pytest.fixture(scope="session")
def _spares() -> Spares:
    return Spares()


@pytest.fixture
def client(stack: Stack) -> Iterator[Client]:
    """The owner of Kestrel Ridge, signed in."""
    with sign_in_client(stack) as signed_in:
        yield signed_in


# The command line in a terminal


class Terminal:
    """A person's terminal, signed in to the demo."""

    def __init__(self, home: Path) -> None:
        self.kept = home / "sign-in.json"
        self.home = home
        (home / "letter.csv").write_text(
            "Who,E-mail,Account,Kind\nHanne Prior,hanne.prior@kestrelridge.example,Newsletter,secret\n"
        )
        self._environment = os.environ | {"OPENLATCH_SIGN_IN": str(self.kept), "COLUMNS": "160", "LC_ALL": "C.UTF-8"}

    def __call__(self, *words: str, exits: int = 0, **environment: str) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "openlatch.cli", *words],
            env=self._environment | environment,
            cwd=self.home,
            capture_output=True,
            stdin=subprocess.DEVNULL,
            text=True,
            check=False,
        )
        assert done.returncode == exits, done.stdout + done.stderr
        assert "Traceback" not in done.stderr
        return done.stdout if exits == 0 else done.stdout + done.stderr


@pytest.fixture
def run(stack: Stack, tmp_path: Path) -> Terminal:
    terminal = Terminal(tmp_path)
    address = ("--address", f"maren.ashdown@{DOMAIN}", "--password", PASSWORD)
    said = terminal("sign-in", stack.url, "--workspace", SLUG, *address)
    assert "as Maren Ashdown (owner)" in said
    return terminal


def letter_to(stack: Stack, address: str, about: str) -> str:
    """The text of the letter to an address that says something, once it was sent."""
    for _ in range(400):
        for file in sorted(stack.letters.glob("*.eml"), reverse=True):
            mail = email.message_from_bytes(file.read_bytes(), policy=email.policy.default)
            body = mail.get_body()
            text = body.get_content() if body is not None else ""
            if mail["To"] == address and about in text:
                return str(text)
        time.sleep(0.1)
    raise AssertionError(f"no letter to {address} says: {about}")


def answer_path(stack: Stack, address: str, about: str) -> str:
    """The path of the link to answer in the letter to an address that says something."""
    found = re.search(r"http\S+?(/answer/\S+)", letter_to(stack, address, about))
    assert found is not None
    return found[1]


def long_ago(stack: Stack, what: str) -> None:
    """Make it 31 minutes since anyone gave their password."""
    with stack.service.store.transaction(SLUG) as tx:
        workspace_id = str(tx.workspace.id)
    with psycopg.connect(stack.service.settings.database_url) as connection:
        connection.execute("select set_config('openlatch.workspace', %s, false)", [workspace_id])
        moved = connection.execute(f"update {what} set confirmed_at = now() - interval '31 minutes'")
        assert moved.rowcount


# The console in a browser


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    flags = [*FLAGS, "--disable-component-update", "--disable-sync"]
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
        yield chromium
        chromium.close()


@contextmanager
def opened(browser: Browser, stack: Stack) -> Iterator[Page]:
    """A page that nobody is signed in on; whatever breaks the security policy or throws fails the test."""
    context = browser.new_context(base_url=stack.url, viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    page = context.new_page()
    page.set_default_timeout(PATIENCE)
    broken: list[str] = []
    page.on("pageerror", lambda error: broken.append(str(error)))
    page.on("console", lambda said: broken.append(said.text) if "Content Security Policy" in said.text else None)
    yield page
    context.close()
    assert broken == []


@pytest.fixture
def page(browser: Browser, stack: Stack) -> Iterator[Page]:
    with opened(browser, stack) as page:
        yield page


@pytest.fixture
def hers(browser: Browser, stack: Stack) -> Iterator[Page]:
    """A page in the browser of someone else."""
    with opened(browser, stack) as page:
        yield page


def sign_in(page: Page, who: str = "maren.ashdown", to: str = "/inventory") -> None:
    page.goto(to)
    enter(page, who, PASSWORD)
    page.get_by_role("navigation", name="Places").wait_for()


def at_the_door(page: Page) -> None:
    """Wait for the sign-in page, and name the workspace where it asks for it."""
    page.get_by_role("heading", name="Sign in").wait_for()
    page.get_by_label("Address", exact=True).wait_for()
    # Asked for only where the service holds several workspaces, as it does once other tests have made theirs.
    if page.get_by_label("Workspace").is_visible():
        page.get_by_label("Workspace").fill(SLUG)
        page.get_by_label("Workspace").press("Tab")


def enter(page: Page, who: str, password: str) -> None:
    at_the_door(page)
    page.get_by_label("Address").fill(f"{who}@{DOMAIN}")
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in", exact=True).click()


def faults_of(page: Page) -> list[str]:
    """What axe finds against WCAG 2.2 AA, in the light theme and, of what themes change, in the dark one."""
    page.evaluate(AXE.read_text())
    texts = _faults(page, "light", ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"])
    return texts + _faults(page, "dark", {"type": "rule", "values": ["color-contrast"]})


def _faults(page: Page, theme: str, only: object) -> list[str]:
    texts: list[str] = page.evaluate(
        """async ([theme, only]) => {
          const before = document.documentElement.dataset.theme;
          document.documentElement.dataset.theme = theme;
          await Promise.allSettled(document.getAnimations().map((one) => one.finished));
          const { violations } = await axe.run({ runOnly: only, resultTypes: ['violations'] });
          document.documentElement.dataset.theme = before;
          return violations.flatMap((v) => v.nodes.map((n) => `${theme}: ${v.id}: ${n.target}`));
        }""",
        [theme, only],
    )
    return texts


def provider_page(page: Page, name: str) -> Locator:
    """Go from the list of providers to the page of one."""
    page.get_by_role("link", name=name, exact=True).click()
    shown = page.get_by_role("article").filter(has=page.get_by_role("heading", name=name, exact=True))
    shown.wait_for()
    return shown


def choose_list(page: Page, provider: str, content: bytes) -> None:
    """Choose a list to import, as a person does."""
    provider_page(page, provider).get_by_role("link", name="Import a list").click()
    page.get_by_label("The file").set_input_files({"name": "list.csv", "mimeType": "text/csv", "buffer": content})
