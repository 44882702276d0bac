"""Proof: the signed receipt of an order, and checking receipts and reports without asking anyone."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click
from rich.text import Text

from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ORDER
from openlatch.cli.output import out, reports_errors
from openlatch.core.phrases import counted
from openlatch.errors import Invalid
from openlatch.wire.record.signatures import check, report_digest

__all__ = ["receipt"]

_FILE = click.Path(exists=True, dir_okay=False, allow_dash=True, path_type=Path)
_REPORTED = ("title", "ref", "workspace", "state", "begun_at", "ended_at", "lines")


@click.group(cls=Group)
def receipt() -> None:
    """The signed proof of an order; verify a receipt or a report."""


@receipt.command("show", example="{order} > receipt.jws")
@click.argument("order", type=ORDER)
@reports_errors
def show(order: str) -> None:
    """Print the receipt of an order, as a signed text (JWS)."""
    with connect() as client:
        click.echo(client.receipt(order))


@receipt.command("keys", example="> keys.json")
@reports_errors
def keys() -> None:
    """Print the public keys with which receipts, reports and heads of the log are checked (JWK set)."""
    with connect() as client:
        click.echo(json.dumps(client.receipt_keys(), indent=2))


@receipt.command("verify", example="receipt.jws")
@click.argument("file", type=_FILE)
@click.option("--keys", "known", type=_FILE, help="A file of public keys; without it, the service is asked for them.")
@reports_errors
def verify(file: Path, known: Path | None) -> None:
    """Check a receipt, or a report in its JSON format with every receipt in it.

    FILE can be - for standard input. With --keys nobody is asked.
    """
    text = sys.stdin.read() if str(file) == "-" else file.read_text()
    if known is not None:
        published = _keys(known)
    else:
        with connect() as client:
            published = client.receipt_keys()
    if text.lstrip().startswith("{"):
        _report(file, text, published)
    else:
        said = check(text, published)
        out().print(Text.assemble(("It holds: ", "green"), "signed by the service, and not altered since."))
        _tell({name: str(value) for name, value in said.items()})


def _keys(file: Path) -> dict[str, Any]:
    try:
        published: dict[str, Any] = json.loads(file.read_text())
    except ValueError as error:
        raise Failure(f"{file} is not JSON: {error}.", "Print the keys again: openlatch receipt keys") from error
    return published


def _report(file: Path, text: str, published: dict[str, Any]) -> None:
    """Check a report and the receipts in it."""
    try:
        document: dict[str, Any] = json.loads(text)
    except ValueError as error:
        raise Failure(f"{file} is not JSON: {error}.", "Get the report again, and check the file.") from error
    content, signed = document.get("report"), document.get("signed")
    if not isinstance(content, dict) or not isinstance(signed, str):
        raise Failure(
            f"{file} is not a report in its JSON format.", "Get it: openlatch round report ROUND --to-file report.json"
        )
    if not signed:
        raise Failure("This report is not signed: what it reports was not over.", "Get it again once that is over.")
    said = check(signed, published, "report")
    if said.get("sha256") != report_digest(content):
        raise Invalid(
            "This report does not hold: it is not what was signed.", next_step="Get the report again, unaltered."
        )
    receipts = [line["receipt"] for line in content.get("lines", []) if line.get("receipt")]
    for each in receipts:
        check(each, published)
    out().print(Text.assemble(("It holds: ", "green"), "signed by the service, and not altered since."))
    _tell({name: str(said.get(name, "")) for name in _REPORTED})
    out().print(f"  with {counted(len(receipts), 'receipt')} of orders in it, each signed.")


def _tell(said: dict[str, str]) -> None:
    for name, value in said.items():
        out().print(Text.assemble((f"  {name.replace('_', ' '):<11}", "dim"), value))
