"""The policy: its rules, and changing them with a look at what that would do first."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import confirmed, dry_run_option, reason_option, yes_option
from openlatch.cli.columns import Column, day, notches
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import one_of
from openlatch.cli.output import Listing, hint, listed, only_shown, out, output_option, print_one, reports_errors
from openlatch.cli.table import print_table
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire
from openlatch.words import Severity

__all__ = ["policy"]

_RULES: tuple[Column, ...] = (
    Column("severity", lambda r: notches(r.worst) if r.worst else Text("")),
    Column("rule", lambda r: Text(r.id, "bold" if r.standing else ""), whole=True),
    Column("on", lambda r: r.applies_to),
    Column("flags", lambda r: str(r.standing - r.accepted) if r.standing else ""),
    Column.more("accepted", lambda r: str(r.accepted) if r.accepted else ""),
    Column.prose("title", lambda r: Text(r.title).append("\noff" if r.off else "", "dim")),
)
_LINES: tuple[Column, ...] = (
    Column("rule", lambda line: line.rule),
    Column("now", lambda line: str(line.now)),
    Column("then", lambda line: str(line.then)),
    Column("raised", lambda line: Text(f"+{line.appear}", "dark_orange3") if line.appear else ""),
    Column("cleared", lambda line: Text(f"−{line.go}", "green") if line.go else ""),
    Column("changed", lambda line: str(line.change) if line.change else ""),
    Column.prose("such as", lambda line: Text("\n".join(f"{e.about.name}: {e.reason}" for e in line.examples))),
)
_FIELDS: tuple[Column, ...] = (
    Column("field", lambda f: f.path, whole=True),
    Column("type", lambda f: Text(f.type, "dim")),
    Column.prose("meaning", lambda f: Text(f.says)),
)
_ADOPTED: tuple[Column, ...] = (
    Column("policy", lambda p: str(p.number)),
    Column("adopted", lambda p: day(p.at) if p.number else ""),
    Column("by", lambda p: p.by),
    Column.prose("reason", lambda p: Text(p.note)),
    Column.prose("changes", lambda p: Text("\n".join(p.changes[:8]))),
)
_FILE = click.argument("file", type=click.Path(exists=True, dir_okay=False, allow_dash=True, path_type=Path))


@click.group(cls=Group)
def policy() -> None:
    """Rules and limits: show, test, adopt or roll back the policy.

    The policy says what is stale or risky. It is a file: print it, change it, try it, adopt it.
    """


@policy.command("rules", example="--all")
@click.option("--all", "every", is_flag=True, help="Also rules that raise no flag now.")
@listed(*_RULES)
@reports_errors
def rules(every: bool, listing: Listing) -> None:
    """List the rules in force with their flags, the worst first."""
    with connect() as client:
        found = client.rules()
    shown = [rule for rule in found if every or rule.standing or not listing.for_people]
    listing.print(shown, empty="No rule raises a flag now.")
    if len(shown) < len(found):
        hint(f"\n{counted(len(found) - len(shown), 'more rule')} without a flag now. For all: --all")


_NOISE: tuple[Column, ...] = (
    Column("rule", lambda r: Text(r.id, "bold"), whole=True),
    Column("flags", lambda r: str(r.standing - r.accepted)),
    Column("since", lambda r: day(r.since) if r.since else ""),
    Column.prose("title", lambda r: Text(r.title)),
)
_LIMITS: tuple[Column, ...] = (
    Column("limit", lambda each: Text(each.name, "bold"), whole=True),
    Column("value", lambda each: str(each.value)),
    Column.prose("meaning", lambda each: Text(each.says)),
    Column.more("rules", lambda each: ", ".join(each.used_by)),
)


@policy.command("noise")
@listed(*_NOISE)
@reports_errors
def noise(listing: Listing) -> None:
    """List the rules that nobody acts on: five flags or more, for 30 days or longer, and no order about any of them.

    Turn such a rule down by a limit (openlatch policy limits), or off (openlatch policy set RULE --off); or accept its
    flags.
    """
    with connect() as client:
        found = [rule for rule in client.rules() if rule.quiet]
    listing.print(found, empty="No rule is noise: its flags are few, new, accepted or acted on.")


@policy.command("limits")
@listed(*_LIMITS)
@reports_errors
def limits(listing: Listing) -> None:
    """List the limits of the policy in force, and which rules use each."""
    with connect() as client:
        listing.print(client.policy_limits(), empty="There are none.")


@policy.command("set", example="unused 60d --dry-run")
@click.argument("what", metavar="LIMIT_OR_RULE")
@click.argument("value", default="")
@click.option("--off/--on", "off", default=None, help="Of a rule: turn it off, or on again.")
@click.option("--severity", type=one_of(Severity), help="Of a rule: how severe its flags are.")
@dry_run_option
@reason_option
@yes_option
@reports_errors
def set_(
    what: str, value: str, *, off: bool | None, severity: str | None, dry_run: bool, reason: str, yes: bool
) -> None:
    """Change one limit to VALUE, such as 60d or 4; or turn a rule off, on, up or down.

    What it changes is shown first, then you are asked; it is adopted as a new policy.
    """
    if value:
        change: dict[str, Any] = {"do": "limit", "name": what, "value": int(value) if value.isdigit() else value}
    elif off is not None or severity is not None:
        fields = {"off": off, "severity": severity}
        change = {"do": "rule", "rule": what, **{name: each for name, each in fields.items() if each is not None}}
    else:
        raise Failure("Nothing to change is given.", "openlatch policy set unused 60d, or: policy set RULE --off", 2)
    with connect() as client:
        present = client.policy()
        draft = client.edit_policy(change)
        _tried(client.try_policy(draft.text))
        if dry_run:
            only_shown("you are asked, and then it is adopted")
            return
        confirmed(f"Adopt it in place of policy {present.number}?", yes)
        adopted = client.adopt_policy(draft.text, note=reason, expected=present.number)
    click.echo(f"Policy {adopted.number} is in force.")
    hint(f"Roll back: openlatch policy roll-back {present.number}")


@policy.command("show", example="> policy.toml")
@click.option("--number", type=int, help="An earlier policy, by its number.")
@reports_errors
def show(number: int | None) -> None:
    """Print the policy in force as a file (TOML)."""
    with connect() as client:
        click.echo(client.policy(number).text, nl=False)


@policy.command("fields")
@listed(*_FIELDS, limit=0)
@reports_errors
def fields(listing: Listing) -> None:
    """List every field that the condition of a rule can use."""
    with connect() as client:
        listing.print(client.policy_fields(), empty="There are none.")


@policy.command("check", example="policy.toml")
@_FILE
@reports_errors
def check(file: Path) -> None:
    """Check FILE (- for standard input) for mistakes, and name each with its line."""
    with connect() as client:
        verdict = client.check_policy(_read(file))
    click.echo(f"No mistakes in its {counted(verdict.rules, 'rule')}.")
    _changes(out(), verdict.changes)


@policy.command("try", example="trial.toml")
@_FILE
@output_option
@reports_errors
def try_(file: Path, output: str) -> None:
    """Test FILE on the present inventory: which flags would be raised, and which cleared. Nothing is changed."""
    with connect() as client:
        trial = client.try_policy(_read(file))
    if output != "table":
        print_one(trial, output)
        return
    _tried(trial)
    hint(f"Nothing was changed. Adopt it: openlatch policy adopt {file}")


def _tried(trial: wire.Trial) -> None:
    """Say what a policy would change, and which flags would be raised and cleared."""
    _changes(out(), trial.changes)
    told = [line for line in trial.lines if line.appear or line.go or line.change]
    if told:
        print_table(out(), _LINES, [[column.says(line) for column in _LINES] for line in told])
    else:
        out().print("No flag would be raised, cleared or changed.")
    now, then = (sum(getattr(line, name) for line in trial.lines) for name in ("now", "then"))
    out().print(f"\n{counted(now, 'flag')} now, {then} then.")


@policy.command("adopt", example="policy.toml --yes")
@_FILE
@reason_option
@yes_option
@reports_errors
def adopt(file: Path, reason: str, yes: bool) -> None:
    """Adopt FILE as the policy, after showing what it changes."""
    text = _read(file)
    with connect() as client:
        present = client.policy()
        verdict = client.check_policy(text)
        _changes(out(), verdict.changes)
        confirmed(f"Adopt it in place of policy {present.number}?", yes)
        adopted = client.adopt_policy(text, note=reason, expected=present.number)
    click.echo(f"Policy {adopted.number} is in force.")
    hint(f"Roll back: openlatch policy roll-back {present.number}")


@policy.command("history")
@listed(*_ADOPTED)
@reports_errors
def history(listing: Listing) -> None:
    """List the policies that were adopted, by whom, when and why."""
    with connect() as client:
        listing.print(client.policies(), empty="No policy was adopted yet.")


@policy.command("roll-back", example="1")
@click.argument("number", type=int)
@reports_errors
def roll_back(number: int) -> None:
    """Adopt an earlier policy again, by its number."""
    with connect() as client:
        adopted = client.return_to_policy(number)
    _changes(out(), adopted.changes)
    click.echo(f"Policy {adopted.number} is in force; it is the same as policy {number}.")


def _read(file: Path) -> str:
    return sys.stdin.read() if str(file) == "-" else file.read_text()


def _changes(to: Console, changes: list[str]) -> None:
    for change in changes:
        to.print(Text(f"  {change}"))
    if not changes:
        to.print("  It is the same as the policy in force.", style="dim")
