"""The log."""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime
from pathlib import Path
from typing import Any

import click
import orjson
from rich.text import Text

from openlatch.cli.columns import Column, second
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.keeping import whole
from openlatch.cli.nouns import ACCOUNT, ENTRY, PARTY
from openlatch.cli.output import Listing, hint, listed, reports_errors
from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.core.record import ledger
from openlatch.core.record.heads import Checked, Head, Start, checked
from openlatch.core.record.tree import consistent
from openlatch.wire import messages as wire
from openlatch.wire.record.signatures import check

__all__ = ["log", "verified"]

_SEALING = 30
_EMPTY = "The log is empty."
_DAY = click.DateTime(["%Y-%m-%d"])
_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


def _day(_context: click.Context, _parameter: click.Parameter, given: datetime | None) -> date | None:
    return given.date() if given is not None else None


def _who(content: dict[str, Any]) -> str:
    """Who acted, and for whom if not for themselves."""
    return f"{content['actor']}, for {content['on_behalf_of']}" if content["on_behalf_of"] else str(content["actor"])


EVENTS: tuple[Column, ...] = (
    Column("number", lambda e: str(e.number or "not sealed")),
    Column("at", lambda e: Text("\n".join(second(datetime.fromisoformat(e.content["at"]))))),
    Column.who("who and what", lambda e: Text(_who(e.content)).append(f"\n{e.says}", "bold")),
    Column.prose("about", lambda e: Text(f"{e.about.name}\n{e.about.ref}" if e.about else "")),
    Column.prose("details", lambda e: Text(e.detail, "dim")),
)


@click.group(cls=Group)
def log() -> None:
    """The history of everything: read it, verify it, take it along."""


@log.command("list", example="--account Gate")
@click.option("--account", type=ACCOUNT, default="", help="Only what is about this account, or entries on it.")
@click.option("--entry", type=ENTRY, default="", help="Only what is about this entry, or orders on it.")
@click.option("--party", type=PARTY, default="", help="Only what is about this party, or its entries.")
@click.option("--actor", default="", help="Only what was done by, or on behalf of, whoever is named like this.")
@click.option("--what", default="", help="Only these, separated by commas: order, review, order.given and such.")
@click.option("--since", type=_DAY, callback=_day, help="From this day on, such as 2027-03-31.")
@click.option("--until", type=_DAY, callback=_day, help="Through this day, such as 2027-03-31.")
@listed(*EVENTS, limit=30)
@reports_errors
def list_events(listing: Listing, **wanted: Any) -> None:
    """List what happened, the latest first."""
    with connect() as client:
        listing.print(client.events(**wanted), empty="Nothing in the log matches." if any(wanted.values()) else _EMPTY)


@log.command("export", example="log.jsonl")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@reports_errors
def export(file: Path) -> None:
    """Write the sealed log to FILE, one event a line: its number, its link and its content, as JSON.

    All of it, but for the oldest events if whoever runs the service has archived those.
    """
    with connect() as client:
        archived = _until_sealed(client).archived
        lines = 0

        def counting() -> Iterator[bytes]:
            nonlocal lines
            for piece in client.log_copy():
                lines += piece.count(b"\n")
                yield piece

        whole(file, counting())
    click.echo(f"Wrote {counted(lines, 'event')} to {click.format_filename(file)}.")
    if archived:
        click.echo(f"It begins after the first {counted(archived, 'event')}, which were archived.")
    before = "ARCHIVED… " if archived else ""
    hint(f"Check it: openlatch log verify {before}{file} --head HEAD --keys KEYS")


@log.command("head", example="--to-file head.jws")
@click.option(
    "--to-file", "file", type=click.Path(dir_okay=False, path_type=Path), help="Write it there, not to standard output."
)
@reports_errors
def head(file: Path | None) -> None:
    """Print the signed head of the log: how far it goes.

    Keep it somewhere else, and any later copy of the log can be checked against it.
    """
    with connect() as client:
        log_head = _until_sealed(client)
    if file is not None:
        file.write_text(log_head.signed + "\n")
    away = f", the first {log_head.archived:,} of them archived" if log_head.archived else ""
    click.echo(f"The log has {counted(log_head.grown, 'sealed event')}{away}. Root: {log_head.root}")
    click.echo(f"Signed, in {file}." if file is not None else log_head.signed)


@log.command("verify", example="--head head.jws")
@click.argument("files", metavar="[FILE]...", nargs=-1, type=_FILE)
@click.option("--head", "heads", multiple=True, type=_FILE, help="A file with a head that you kept; repeatable.")
@click.option("--keys", "known", type=_FILE, help="A file of public keys (openlatch receipt keys).")
@click.option("--after-link", default="", help="A link that you kept: check that it is still in the log.")
@reports_errors
def verify(files: tuple[Path, ...], heads: tuple[Path, ...], known: Path | None, after_link: str) -> None:
    """Check on this machine that nothing in the log was altered: in the service's, or in a copy in FILE.

    With --head the log is compared with heads that you kept: what they cover cannot have been altered, removed or
    added to without it showing. With FILE and --keys nobody is asked. Where old events were archived, give those files
    first, in their order.
    """
    if not files:
        with connect() as client:
            keys = client.receipt_keys() if known is None and heads else _json(known) if known else {}
            kept = [_head(path, keys) for path in heads]
            found = verified(client, kept, after_link)
    else:
        if heads and known is None:
            raise Failure("Without the public keys no head can be believed.", "Add --keys KEYS.", 2)
        kept = [_head(path, {} if known is None else _json(known)) for path in heads]
        found = checked(_joined(files), kept, [after_link])
        _fits(found, after_link)
    after = f" after the first {counted(found.began, 'event')}, which were archived" if found.began else ""
    each = f"{counted(found.held - found.began, 'event')}{after}, each fits the one before"
    many = "the head that you kept fits" if len(kept) == 1 else f"all {len(kept)} heads that you kept fit"
    fits = f", and {many}" if kept else ""
    click.echo(f"The log holds: {each}{fits}." + ("" if files else f" Last link: {found.link}"))
    if found.began:
        hint("To check what was archived too: openlatch log verify ARCHIVED… EXPORT")
    if not files and not kept:
        hint(
            "Keep its head somewhere else: openlatch log head --to-file HEAD    Later: openlatch log verify --head HEAD"
        )


def _json(file: Path) -> dict[str, Any]:
    try:
        document: dict[str, Any] = json.loads(file.read_text())
    except ValueError as error:
        raise Failure(f"{file} is not JSON: {error}.", "Print the keys again: openlatch receipt keys") from error
    return document


def _joined(files: Iterable[Path]) -> Iterator[ledger.Sealed]:
    """The events of files, one after the other."""
    for file in files:
        with file.open("rb") as lines:
            yield from _events(lines, str(file))


def _events(lines: Iterable[bytes], where: str) -> Iterator[ledger.Sealed]:
    for number, line in enumerate(lines, 1):
        try:
            value = orjson.loads(line)
            yield ledger.Sealed(value["number"], value["content"], value["link"])
        except (ValueError, KeyError, TypeError) as error:
            raise Failure(
                f"Line {number} of {where} is not an event of a log.", "Export it again: openlatch log export FILE"
            ) from error


def _head(file: Path, keys: dict[str, Any]) -> Head:
    said = check(file.read_text(), keys, "log-head")
    return Head(int(said["size"]), str(said["root"]))


def _until_sealed(client: Client) -> wire.LogHead:
    """The head of the log once all that has happened so far is in it, or after a while as far as it is."""
    for _ in range(_SEALING):
        log_head = client.log_head()
        if log_head.unsealed == 0 and log_head.grown == log_head.size:
            break
        client.pause(1)
    return log_head


def verified(client: Client, heads: Iterable[Head] = (), link: str = "") -> Checked:
    """Check the sealed log of the service, as it comes, against its head, heads that were kept, and a link.

    Of archived events the hashes alone are there: a head from before their end is proved to be one of this log.
    """
    given = list(heads)
    while True:
        there = _until_sealed(client)
        found = _checked(client, there, given, link)
        # What is archived meanwhile is missing from the copy, and nothing was altered.
        if found.broken is None or client.log_head().archived == there.archived:
            break
    _fits(found, link)
    if (found.held, found.link) != (there.size, there.link):
        raise Failure(
            f"The log was cut off: it says {there.size} events, and shows {found.held}.", "Keep this copy as evidence."
        )
    return found


def _checked(client: Client, there: wire.LogHead, heads: Sequence[Head], link: str) -> Checked:
    """Check what the service has at hand of the log up to its head, once."""
    start = Start(there.archived, there.archived_link, tuple(map(bytes.fromhex, there.archived_wholes)))
    for head in heads:
        if head.size < start.size:
            _grew(client, head, there)
    copy = itertools.takewhile(
        lambda event: event.number <= there.size, _events(_lines(client.log_copy()), "what the service sent")
    )
    later = [head for head in heads if head.size >= start.size]
    return checked(copy, [*later, Head(there.grown, there.root)], [link], start)


def _grew(client: Client, head: Head, there: wire.LogHead) -> None:
    """See to it that the log only added to what a head is of that was kept."""
    proof = [bytes.fromhex(piece) for piece in client.prove_consistency(head.size, there.grown).path]
    if not consistent(head.size, there.grown, bytes.fromhex(head.root), bytes.fromhex(there.root), proof):
        raise Failure(
            f"The log was altered: something up to event {head.size} is not as it was when that head was kept.",
            "Keep this copy and your heads as evidence.",
        )


def _lines(pieces: Iterable[bytes]) -> Iterator[bytes]:
    rest = b""
    for piece in pieces:
        *some, rest = (rest + piece).split(b"\n")
        yield from some
    if rest:
        yield rest


def _fits(found: Checked, link: str) -> None:
    if found.broken is not None and not found.held:
        raise Failure(
            f"The copy is not one of the whole log: {found.broken.why}.",
            "If older events were archived, give those files first, in their order. Otherwise keep it as evidence.",
        )
    if found.broken is not None:
        raise Failure(f"The log was altered: {found.broken.why}.", "Keep this copy and your heads as evidence.")
    if link and link not in found.links and found.began:
        raise Failure(
            f"The link that you kept is not in what came after the first {counted(found.began, 'event')}, which were "
            "archived.",
            "Look in those too: openlatch log verify ARCHIVED… EXPORT --after-link LINK",
        )
    if link and link not in found.links:
        raise Failure("The log was made anew: the link that you kept is not in it.", "Keep this copy as evidence.")
