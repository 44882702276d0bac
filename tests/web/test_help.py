"""The pages of the documentation: everything there is has its place in them, and every link leads somewhere."""

from __future__ import annotations

import re
from functools import cache
from html.parser import HTMLParser
from pathlib import Path
from urllib.parse import unquote, urlsplit

import pytest
from flask import Flask, Response

from openlatch.core.rules.program import rules_of
from openlatch.errors import BY_CODE
from openlatch.glossary import GLOSSARY
from openlatch.operations.rules.policy_file import BUILT_IN
from openlatch.operations.rules.policy_file import read as read_policy
from openlatch.web.api import bind_errors
from openlatch.web.app import HEADERS, description
from openlatch.web.pages import HELP, POLICY, bind_console, bind_help
from openlatch.wiring import Settings
from openlatch.wiring import connectors as installed
from tests.cli.commands import COMMANDS

PAGES = sorted(HELP.rglob("*.html"))


class Looked(HTMLParser):
    """What a page links to, loads, and has as anchors; and whether anything in it is code or style of its own."""

    def __init__(self) -> None:
        super().__init__()
        self.links: list[str] = []
        self.loads: list[str] = []
        self.anchors: set[str] = set()
        self.inline: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        said = {name: value or "" for name, value in attrs}
        self.anchors |= {said[name] for name in ("id", "name") if name in said}
        if tag == "a":
            self.links.append(said.get("href", ""))
        elif tag in ("img", "script", "link", "iframe", "source"):
            self.loads.append(said.get("src") or said.get("href", ""))
        wrong = [name for name in said if name == "style" or name.startswith("on")]
        if wrong or tag == "style" or (tag == "script" and "src" not in said):
            self.inline.append(f"{tag} {wrong}")


@cache
def looked_at(page: Path) -> Looked:
    found = Looked()
    found.feed(page.read_text("utf-8"))
    return found


@cache
def words(name: str) -> str:
    text = re.sub(r"<[^>]+>", " ", (HELP / name).read_text("utf-8"))
    return " ".join(text.replace("&quot;", '"').replace("&amp;", "&").split())


def test_the_help_is_made() -> None:
    assert len(PAGES) > 60


def astray(page: Path, link: str) -> bool:
    """Whether a link of a page, within the help, leads nowhere."""
    parts = urlsplit(link)
    target = (page.parent / unquote(parts.path)).resolve() if parts.path else page
    if not target.is_file():
        return True
    return (
        bool(parts.fragment) and target.suffix == ".html" and unquote(parts.fragment) not in looked_at(target).anchors
    )


@pytest.mark.parametrize("page", PAGES, ids=lambda page: str(page.relative_to(HELP)))
def test_every_link_leads_somewhere_and_nothing_comes_from_elsewhere(page: Path) -> None:
    found = looked_at(page)
    assert [load for load in found.loads if urlsplit(load).netloc] == []
    own = [link for link in [*found.links, *found.loads] if not urlsplit(link).scheme and link not in ("", "/")]
    assert [link for link in own if astray(page, link)] == []
    assert found.inline == []


def test_everything_there_is_has_its_place_in_the_help() -> None:
    said = {
        "reference/commands.html": [f"openlatch {name}" for name in COMMANDS],
        "reference/settings.html": [f"OPENLATCH_{name.upper()}" for name in Settings.model_fields],
        "reference/rules.html": [rule.id for rule in rules_of(read_policy(BUILT_IN, "UTC").policy)],
        "reference/errors.html": list(BY_CODE),
        "reference/glossary.html": [term.word for term in GLOSSARY],
        "reference/connectors.html": list(installed()),
    }
    lost = {(page, name) for page, names in said.items() for name in names if name not in words(page)}
    api = description()
    assert isinstance(api["paths"], dict)
    for methods in api["paths"].values():
        for one in methods.values():
            page = f"reference/api/{one['tags'][0]}.html"
            if one["operationId"] not in words(page):
                lost.add((page, one["operationId"]))
    assert lost == set()


@pytest.fixture
def app() -> Flask:
    made = Flask("openlatch.web", static_folder=None)
    made.url_map.strict_slashes = False
    bind_errors(made)
    bind_help(made)
    bind_console(made)

    @made.after_request
    def finish(answer: Response) -> Response:
        for name, value in HEADERS.items():
            answer.headers.setdefault(name, value)
        return answer

    return made


def test_the_service_answers_the_help_with_a_policy_that_only_its_search_is_let_off(app: Flask) -> None:
    browser = app.test_client()
    assert browser.get("/help").headers["Location"].endswith("/help/")
    for path, policy in (("", POLICY), ("guide/start.html", POLICY), ("search.html", POLICY.rpartition(";")[0])):
        with browser.get(f"/help/{path}") as answer:
            assert (answer.status_code, answer.mimetype) == (200, "text/html")
            assert answer.headers["Content-Security-Policy"] == policy


@pytest.mark.parametrize("path", ["nowhere.html", "../pages.py", "%2e%2e/pages.py", "guide", "guide/"])
def test_what_is_no_page_of_the_help_is_not_found(app: Flask, path: str) -> None:
    with app.test_client().get(f"/help/{path}") as answer:
        assert answer.status_code == 404
        assert answer.mimetype == "application/problem+json"
