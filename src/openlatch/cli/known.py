"""What people name on the command line and the service knows: typed in part, a shell can complete it.

A name with a space in it is completed to its short form: that is what identifies, and needs no quotes.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable

import click
from click.shell_completion import CompletionItem

from openlatch.cli.connection import connect
from openlatch.client import Client
from openlatch.errors import OpenLatchError

__all__ = ["ACCOUNT", "BATCH", "ENTRY", "FLAG", "ORDER", "PARTY", "PROVIDER", "ROUND", "RULE", "Known"]

MOST = 200
"""So many of a kind are looked through for what begins as was typed."""
Named = tuple[str, str]
"""The short form of a thing, and its name."""


class Known(click.ParamType[str]):
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


ACCOUNT = Known(lambda client, _: ((one.ref, one.name) for one in client.accounts()))
BATCH = Known(lambda client, _: ((one.ref, "") for one in client.batches()))
ENTRY = Known(lambda client, _: ((one.ref, "") for one in client.entries()))
FLAG = Known(lambda client, _: ((one.ref, "") for one in client.flags()))
ORDER = Known(lambda client, _: ((one.ref, "") for one in client.orders()))
PARTY = Known(lambda client, begun: ((one.ref, one.name) for one in client.parties("" if "-" in begun else begun)))
PROVIDER = Known(lambda client, _: ((one.ref, one.name) for one in client.providers()))
ROUND = Known(lambda client, _: ((one.ref, "") for one in client.rounds()))
RULE = Known(lambda client, _: ((one.id, one.id) for one in client.rules()))
