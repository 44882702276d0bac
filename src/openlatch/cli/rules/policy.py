"""The policy: its rules, and changing them with a look at what that would do first."""

from __future__ import annotations

import sys
from pathlib import Path

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.output import Column, day, emit, notches, out, output_option, reports_errors

__all__ = ["policy", "rules"]

_RULES: tuple[Column, ...] = (
    Column("", lambda r: notches(r.worst) if r.worst else Text("")),
    Column("rule", lambda r: Text(r.id, "bold" if r.standing else "")),
    Column("on", lambda r: r.applies_to),
    Column("flags", lambda r: str(r.standing - r.accepted) if r.standing else ""),
    Column("accepted", lambda r: str(r.accepted) if r.accepted else ""),
    Column("title", lambda r: Text(r.title).append("\noff" if r.off else "", "dim")),
)
_LINES: tuple[Column, ...] = (
    Column("rule", lambda line: line.rule),
    Column("now", lambda line: str(line.now)),
    Column("then", lambda line: str(line.then)),
    Column("appear", lambda line: Text(f"+{line.appear}", "dark_orange3") if line.appear else ""),
    Column("go", lambda line: Text(f"−{line.go}", "green") if line.go else ""),
    Column("differ", lambda line: str(line.change) if line.change else ""),
    Column.prose("such as", lambda line: Text("\n".join(f"{e.about.name}: {e.reason}" for e in line.examples))),
)
_FIELDS: tuple[Column, ...] = (
    Column("field", lambda f: f.path),
    Column("is", lambda f: Text(f.type, "dim")),
    Column("says", lambda f: Text(f.says)),
)
_FILE = click.argument("file", type=click.Path(exists=True, dir_okay=False, allow_dash=True, path_type=Path))


@click.command()
@click.option("--all", "every", is_flag=True, help="Also those that raise no flag now.")
@output_option
@reports_errors
def rules(every: bool, output: str) -> None:
    """List the rules of the policy in force, each with its flags; those with the worst flags first."""
    with connect() as client:
        the_rules = client.rules()
    shown = [rule for rule in the_rules if every or rule.standing]
    emit(shown, _RULES, output, empty="No rule raises a flag now.")
    if output == "table" and len(shown) < len(the_rules):
        out().print(f"\n{len(the_rules) - len(shown)} more rules raise no flag now: --all shows them.", style="dim")


@click.group()
def policy() -> None:
    """What counts as stale or risky: see it, change it in a file, try the file, adopt it, go back."""


@policy.command()
@click.option("--number", type=int, help="An earlier one, by its number.")
@reports_errors
def show(number: int | None) -> None:
    """Print the policy in force as a file: openlatch policy show > policy.toml"""
    with connect() as client:
        click.echo(client.policy(number).text, nl=False)


@policy.command()
@output_option
@reports_errors
def fields(output: str) -> None:
    """List every field that a condition can name."""
    with connect() as client:
        emit(client.policy_fields(), _FIELDS, output, empty="")


@policy.command()
@_FILE
@reports_errors
def check(file: Path) -> None:
    """Look for mistakes in FILE (- for standard input), and name each with its line."""
    with connect() as client:
        verdict = client.check_policy(_read(file))
    click.echo(f"No mistakes in its {verdict.rules} rules.")
    _changes(out(), verdict.changes)


@policy.command(name="try")
@_FILE
@output_option
@reports_errors
def try_(file: Path, output: str) -> None:
    """Try FILE against the present inventory: which flags would appear, and which would go. Changes nothing."""
    with connect() as client:
        trial = client.try_policy(_read(file))
    if output != "table":
        emit([trial], (), output, empty="")
        return
    _changes(out(), trial.changes)
    told = [line for line in trial.lines if line.appear or line.go or line.change]
    emit(told, _LINES, output, empty="No flag would appear, go, or differ.")
    now, then = (sum(getattr(line, name) for line in trial.lines) for name in ("now", "then"))
    out().print(
        f"\n{now} flags now, {then} then. Nothing was changed. Adopt it: openlatch policy adopt {file}", style="dim"
    )


@policy.command()
@_FILE
@click.option("--note", default="", help="Why, for those who look at it later.")
@yes_option
@reports_errors
def adopt(file: Path, note: str, yes: bool) -> None:
    """Put FILE in force as the policy, after showing what it changes."""
    text = _read(file)
    with connect() as client:
        present = client.policy()
        verdict = client.check_policy(text)
        _changes(out(), verdict.changes)
        confirmed(f"Adopt it in place of policy {present.number}?", yes)
        adopted = client.adopt_policy(text, note=note, expected=present.number)
    click.echo(f"Policy {adopted.number} is in force. Back: openlatch policy back {present.number}")


@policy.command()
@output_option
@reports_errors
def history(output: str) -> None:
    """List the policies that were adopted, by whom, when and why."""
    columns: tuple[Column, ...] = (
        Column("policy", lambda p: str(p.number)),
        Column("adopted", lambda p: day(p.at) if p.number else ""),
        Column("by", lambda p: p.by),
        Column.prose("why", lambda p: Text(p.note)),
        Column.prose("what it changed", lambda p: Text("\n".join(p.changes[:8]))),
    )
    with connect() as client:
        emit(client.policies(), columns, output, empty="")


@policy.command()
@click.argument("number", type=int)
@reports_errors
def back(number: int) -> None:
    """Put policy NUMBER in force again."""
    with connect() as client:
        adopted = client.return_to_policy(number)
    _changes(out(), adopted.changes)
    click.echo(f"Policy {adopted.number} is in force, which says what policy {number} said.")


def _read(file: Path) -> str:
    return sys.stdin.read() if str(file) == "-" else file.read_text()


def _changes(to: Console, changes: list[str]) -> None:
    for change in changes:
        to.print(Text(f"  {change}"))
    if not changes:
        to.print("  It says what the policy in force says.", style="dim")
