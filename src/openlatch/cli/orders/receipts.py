"""Receipts: the signed proof that an order took effect, checked anywhere and without the service."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ORDER
from openlatch.cli.output import out, reports_errors
from openlatch.wire.record.signatures import check

__all__ = ["receipt"]

_FILE = click.Path(exists=True, dir_okay=False, allow_dash=True, path_type=Path)


@click.group()
def receipt() -> None:
    """Signed proof that an order took effect: get it, and check it without asking anybody."""


@receipt.command()
@click.argument("order", type=ORDER)
@reports_errors
def show(order: str) -> None:
    """Print the receipt of ORDER: openlatch receipt show ORDER > receipt.jws"""
    with connect() as client:
        click.echo(client.receipt(order))


@receipt.command()
@reports_errors
def keys() -> None:
    """Print the public keys that receipts are checked with: openlatch receipt keys > keys.json"""
    with connect() as client:
        click.echo(json.dumps(client.receipt_keys(), indent=2))


@receipt.command()
@click.argument("file", type=_FILE)
@click.option("--keys", "known", type=_FILE, help="A file of public keys; else the service is asked.")
@reports_errors
def verify(file: Path, known: Path | None) -> None:
    """Check the receipt in FILE (- for standard input); with --keys, without asking anybody."""
    signed = sys.stdin.read() if str(file) == "-" else file.read_text()
    if known is not None:
        try:
            published = json.loads(known.read_text())
        except ValueError as error:
            raise Failure(f"{known} is not JSON: {error}.", "Print them anew: openlatch receipt keys") from error
    else:
        with connect() as client:
            published = client.receipt_keys()
    said = check(signed, published)
    out().print(Text.assemble(("It holds: ", "green"), "signed by the service, and not altered since."))
    for name, value in said.items():
        out().print(Text.assemble((f"  {name.replace('_', ' '):<11}", "dim"), str(value)))
