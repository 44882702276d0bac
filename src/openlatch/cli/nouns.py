"""The things that people name on the command line: typed in part, a shell completes what the service has of them.

A name with a space in it is completed to its short form: that is what identifies, and needs no quotes.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from enum import StrEnum

import click
from click.shell_completion import CompletionItem

from openlatch.cli.connection import connect
from openlatch.client import Client
from openlatch.errors import OpenLatchError

__all__ = [
    "ACCOUNT",
    "BATCH",
    "ENTRY",
    "FLAG",
    "OFFER",
    "ORDER",
    "PARTY",
    "PROPOSAL",
    "PROVIDER",
    "REQUEST",
    "REVIEW",
    "ROUND",
    "RULE",
    "Noun",
    "one_of",
]


def one_of(words: type[StrEnum]) -> click.Choice[str]:
    """Return what takes one of the words of the product."""
    return click.Choice([word.value for word in words])


MOST = 200
"""So many of a kind are looked through for what begins as was typed."""
Named = tuple[str, str]
"""The short form of a thing, and its name."""


class Noun(click.ParamType[str]):
    """Something of the service's, by id, short form or name."""

    name = "text"

    def __init__(self, listed: Callable[[Client, str], Iterable[Named]]) -> None:
        self._listed = listed

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        """Return what begins like this; nothing where nobody is signed in or the service does not answer."""
        try:
            with ctx.scope(cleanup=False), connect() as client:
                found = list(itertools.islice(self._listed(client, incomplete), MOST))
        except OpenLatchError:
            return []
        begun = incomplete.casefold()
        return [
            CompletionItem(ref if " " in name or not name else name, help=name)
            for ref, name in found
            if ref.casefold().startswith(begun) or name.casefold().startswith(begun)
        ]


ACCOUNT = Noun(lambda client, _: ((one.ref, one.name) for one in client.accounts()))
BATCH = Noun(lambda client, _: ((one.ref, "") for one in client.batches()))
ENTRY = Noun(lambda client, _: ((one.ref, "") for one in client.entries()))
FLAG = Noun(lambda client, _: ((one.ref, "") for one in client.flags()))
OFFER = Noun(lambda client, _: ((one.ref, "") for one in client.offers()))
ORDER = Noun(lambda client, _: ((one.ref, "") for one in client.orders()))
PARTY = Noun(lambda client, begun: ((one.ref, one.name) for one in client.parties("" if "-" in begun else begun)))
PROPOSAL = Noun(lambda client, _: ((one.ref, "") for one in client.proposals()))
PROVIDER = Noun(lambda client, _: ((one.ref, one.name) for one in client.providers()))
REQUEST = Noun(lambda client, _: ((one.ref, "") for one in client.requests()))
REVIEW = Noun(lambda client, _: ((one.ref, one.name) for one in client.reviews()))
ROUND = Noun(lambda client, _: ((one.ref, "") for one in client.rounds()))
RULE = Noun(lambda client, _: ((one.id, one.id) for one in client.rules()))
