"""Reports: get them in any format, and check one without asking anybody."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import BATCH, ROUND
from openlatch.cli.output import out, reports_errors
from openlatch.errors import Invalid
from openlatch.wire.record.signatures import check, report_digest

__all__ = ["report"]

FORMATS = ("json", "html", "pdf", "csv", "jsonl")
_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)
_format = click.option("--format", "form", type=click.Choice(FORMATS), help="By the file's name, if it is not given.")
_to = click.option(
    "--to", type=click.Path(dir_okay=False, path_type=Path), help="The file to write; standard output without it."
)


@click.group()
def report() -> None:
    """Reports of rounds and batches: who decided what, what came of it, and the proof."""


@report.command("round")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@_format
@_to
@reports_errors
def round_report(round_ref: str, form: str | None, to: Path | None) -> None:
    """Write the report of ROUND: openlatch report round 7Q4K-BRM2 --to august.pdf"""
    with connect() as client:
        _write(client.round_report(round_ref, _form(form, to)), to)


@report.command("batch")
@click.argument("batch", type=BATCH)
@_format
@_to
@reports_errors
def batch_report(batch: str, form: str | None, to: Path | None) -> None:
    """Write the report of BATCH, also of somebody who leaves."""
    with connect() as client:
        _write(client.batch_report(batch, _form(form, to)), to)


def _form(form: str | None, to: Path | None) -> str:
    named = to.suffix.removeprefix(".").lower() if to is not None else ""
    if form is None and to is not None and named not in FORMATS:
        raise Failure(f"What format {to.name} is to have cannot be told from its name.", "Give --format.", 2)
    return form or named or "json"


def _write(content: bytes, to: Path | None) -> None:
    if to is None:
        sys.stdout.buffer.write(content)
        return
    to.write_bytes(content)
    out().print(f"Written to {to}, {len(content):,} bytes.", highlight=False)


@report.command()
@click.argument("file", type=_FILE)
@click.option("--keys", "known", type=_FILE, help="A file of public keys; else the service is asked.")
@reports_errors
def verify(file: Path, known: Path | None) -> None:
    """Check the report in FILE, in its JSON form, and every receipt in it; with --keys, without asking anybody."""
    document = _json(file)
    if known is not None:
        published = _json(known)
    else:
        with connect() as client:
            published = client.receipt_keys()
    content, signed = document.get("report"), document.get("signed")
    if not isinstance(content, dict) or not isinstance(signed, str):
        raise Failure(f"{file} is not a report in its JSON form.", "Get it: openlatch report round ROUND --to F.json")
    if not signed:
        raise Failure("This report is not signed: what it tells of was not over.", "Get it again once it is.")
    said = check(signed, published, "report")
    if said.get("sha256") != report_digest(content):
        raise Invalid(
            "This report does not hold: it is not what was signed.", next_step="Get the report again, unaltered."
        )
    receipts = [line["receipt"] for line in content.get("lines", []) if line.get("receipt")]
    for receipt in receipts:
        check(receipt, published)
    out().print(Text.assemble(("It holds: ", "green"), "signed by the service, and not altered since."))
    for name in ("title", "ref", "workspace", "state", "begun_at", "ended_at", "lines"):
        out().print(Text.assemble((f"  {name.replace('_', ' '):<10}", "dim"), str(said.get(name, ""))))
    out().print(f"  and {len(receipts)} receipts of orders in it, each signed.")


def _json(file: Path) -> dict[str, object]:
    try:
        value = json.loads(file.read_text())
    except ValueError as error:
        raise Failure(f"{file} is not JSON: {error}.", "Check the file.") from error
    return value if isinstance(value, dict) else {}
