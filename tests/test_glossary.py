"""One word for one thing: each noun is the same on the command line, in the API and on the pages of the console."""

from __future__ import annotations

import re
from pathlib import Path

import click

from openlatch.cli import SHORT_WAYS, main
from openlatch.glossary import GLOSSARY
from openlatch.web.app import description

ROOT = Path(__file__).parents[1]
ROUTER = (ROOT / "console" / "src" / "app" / "router.ts").read_text()
PLACES = (ROOT / "console" / "src" / "app" / "places.ts").read_text()
OF_THIS_MACHINE = {"profile"}
"""Nouns of the command line that are no thing of a workspace."""
OTHER_PAGES = {"Today", "Import a list", "Perhaps the same", "Let someone in", "Your workspaces", "Page not found"} | {
    "My access",
    "Rule",
    "New rule",
    "Describe a provider",
}
"""Pages that are an act or a view, and no noun's own."""


def nouns() -> set[str]:
    context = click.Context(main)
    names = [name for name in main.list_commands(context) if name not in SHORT_WAYS]
    return {name for name in names if isinstance(main.get_command(context, name), click.Group)}


def titles() -> set[str]:
    """The titles of the pages that people see when they are signed in."""
    routes = re.findall(r"meta: \{([^}]*)\}", ROUTER)
    return {re.findall(r'title: "([^"]+)"', meta)[0] for meta in routes if "bare" not in meta}


def test_every_noun_of_the_command_line_is_in_the_glossary_and_every_word_of_it_is_a_command() -> None:
    words = {term.word for term in GLOSSARY}
    assert nouns() - OF_THIS_MACHINE == words - {"search"}
    assert len(words) == len(GLOSSARY)


def test_every_operation_of_the_api_stands_under_the_tag_of_one_noun() -> None:
    api = description()
    tags = {tag["name"]: tag["description"] for tag in api["tags"]}
    used = {tag for methods in api["paths"].values() for operation in methods.values() for tag in operation["tags"]}
    assert used == set(tags)
    assert tags == {term.tag: term.meaning for term in GLOSSARY}
    paths = [path for term in GLOSSARY for path in term.paths]
    assert len(paths) == len(set(paths))


def test_every_page_has_the_title_of_a_noun() -> None:
    known = {term.page for term in GLOSSARY} | {term.word.capitalize() for term in GLOSSARY} | OTHER_PAGES
    assert titles() <= known
    assert {term.page for term in GLOSSARY if term.page} <= titles()


def test_a_place_is_called_as_its_page_is() -> None:
    places = set(re.findall(r'to: "[^"]+",\s*name: "([^"]+)"', PLACES))
    assert places
    assert places <= titles()
