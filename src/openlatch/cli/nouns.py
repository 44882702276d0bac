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
    "WEBHOOK",
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


ACCOUNT = Noun(lambda client, _: ((account.ref, account.name) for account in client.accounts()))
BATCH = Noun(lambda client, _: ((batch.ref, "") for batch in client.batches()))
ENTRY = Noun(lambda client, _: ((entry.ref, "") for entry in client.entries()))
FLAG = Noun(lambda client, _: ((flag.ref, "") for flag in client.flags()))
OFFER = Noun(lambda client, _: ((offer.ref, "") for offer in client.offers()))
ORDER = Noun(lambda client, _: ((order.ref, "") for order in client.orders()))
PARTY = Noun(lambda client, begun: ((party.ref, party.name) for party in client.parties("" if "-" in begun else begun)))
PROPOSAL = Noun(lambda client, _: ((proposal.ref, "") for proposal in client.proposals()))
PROVIDER = Noun(lambda client, _: ((provider.ref, provider.name) for provider in client.providers()))
REQUEST = Noun(lambda client, _: ((request.ref, "") for request in client.requests()))
REVIEW = Noun(lambda client, _: ((review.ref, review.name) for review in client.reviews()))
ROUND = Noun(lambda client, _: ((review_round.ref, "") for review_round in client.rounds()))
RULE = Noun(lambda client, _: ((rule.id, rule.id) for rule in client.rules()))
WEBHOOK = Noun(lambda client, _: ((webhook.ref, "") for webhook in client.webhooks()))
