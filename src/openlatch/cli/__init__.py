"""The command line: a noun, then what is to be done with it. Decision 0027 says why.

Remote commands speak to a service over the client; service commands run one. What runs a service needs the extra
[service]; a command is loaded only when it is called.
"""

from __future__ import annotations

import contextlib
import importlib
from collections.abc import Iterator

import click
from click.shell_completion import CompletionItem

from openlatch import __version__
from openlatch.cli.command import Group
from openlatch.cli.config import PROFILE, QUIET, read
from openlatch.cli.failure import Failure

__all__ = ["SHORT_WAYS", "main"]

_COMMANDS: dict[str, dict[str, tuple[str, str]]] = {
    # section: name: (where it is, what it is for), in the order in which help shows them
    "See": {
        "search": ("search.search:search", "Find anything by a name, an address or a short form"),
        "entry": ("inventory.entry:entry", "Who has access to what: list, show, end, narrow, extend, pause it"),
        "account": ("inventory.account:account", "Shared accounts: list, show, set how critical one is"),
        "party": ("inventory.party:party", "People, teams and apps: what each can reach, who is who"),
        "app": ("inventory.app:app", "Connected apps, and what each can do where"),
        "activity": ("inventory.activity:activity", "What was done on accounts, by whom, in whose name"),
        "view": ("inventory.view:view", "Your saved views of the inventory"),
    },
    "Let in": {
        "offer": ("letting_in.offer:offer", "Offer someone access, with limits; accept or decline an offer"),
        "request": ("letting_in.request:request", "Ask for access; answer those who ask"),
        "task": ("letting_in.task:task", "What people are let in for, and the least that is enough"),
        "what-if": ("what_if.what_if:what_if", "See what changes would do, before you make them"),
    },
    "Review": {
        "flag": ("rules.flag:flag", "What is stale or risky, and why; accept a flag until a date"),
        "review": ("reviews.review:review", "Reviews that take place on a schedule"),
        "round": ("reviews.round:round_", "Rounds of reviews: decide their items, finish, report"),
    },
    "Take back": {
        "order": ("orders.order:order", "Orders: follow, retry, cancel, report one as done"),
        "batch": ("taking_back.batch:batch", "Apply one action to many entries, and see what came of it"),
        "leaver": ("taking_back.leaver:leaver", "End all access of someone who is leaving"),
        "team": ("orders.team:team", "Who is in a team; add or remove a member"),
        "secret": ("letting_in.secret:secret", "Passwords and keys that people know: list, record, change"),
        "receipt": ("orders.receipt:receipt", "The signed proof of an order; verify a receipt or a report"),
    },
    "Set up": {
        "provider": ("providers.provider:provider", "Outside services: add, read, correct levels, import lists"),
        "policy": ("rules.policy:policy", "Rules and limits: show, test, adopt or roll back the policy"),
        "people": ("people.people:people", "Who signs in here: invite, change a role, disable, remove"),
        "sign-on": ("people.sign_on:sign_on", "Services for single sign-on (OpenID Connect)"),
        "workspace": ("people.workspace:workspace", "Name, time zone and sign-in rules of the workspace"),
        "webhook": ("telling.webhook:webhook", "Addresses that are sent what happens"),
        "log": ("record.log:log", "The history of everything: read it, verify it, take it along"),
    },
    "Yourself": {
        "sign-in": ("people.session:sign_in", "Sign in to a service, and keep the token"),
        "sign-out": ("people.session:sign_out", "Revoke that token and forget it"),
        "confirm": ("people.session:confirm", "Prove who you are, before something dangerous"),
        "forgot-password": ("people.session:forgot_password", "Get a letter to choose a new password"),
        "me": ("people.me:me", "Your name, password, second factors, sessions, calendar"),
        "token": ("people.token:token", "Tokens for your programs"),
        "notice": ("telling.notice:notice", "What Open Latch has told you, and how it tells you"),
        "profile": ("people.profile:profile", "Your sign-ins on this machine, and what waits in each"),
        "answer": ("letting_in.answers:answer", "Answer a link in a letter"),
        "completion": ("completion:completion", "Print what makes your shell complete commands"),
    },
    "Run a service": {
        "service": ("service:service", "Run a service: database, web server, worker, keys"),
        "demo": ("local:demo", "Run the demo until Ctrl-C"),
        "tour": ("local:tour", "Play the whole loop on a private copy of the demo"),
    },
}
SHORT_WAYS = {
    # what is done every day, and what it is short for
    "inventory": "entry list",
    "show": "entry show",
    "end": "entry end",
    "flags": "flag list",
    "read": "provider read",
}
_MEANT = {
    # what someone new may type, and what it is called here
    "audit": "log list",
    "config": "profile",
    "history": "log list",
    "login": "sign-in",
    "logout": "sign-out",
    "members": "team show",
    "revoke": "entry end",
    "rules": "policy rules",
    "users": "people list",
    "whoami": "me show",
}
_NEEDS_SERVICE = frozenset({"service", "local"})
_PLACES = {name: where for section in _COMMANDS.values() for name, (where, _) in section.items()}


class _Root(Group):
    """The nouns and the short ways. A command's module is imported only when it is called, or asked for its help."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return [*SHORT_WAYS, *_PLACES]

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name in SHORT_WAYS:
            noun, _, verb = SHORT_WAYS[cmd_name].partition(" ")
            group = self.get_command(ctx, noun)
            return group.get_command(ctx, verb) if isinstance(group, click.Group) else None
        if cmd_name not in _PLACES:
            return None
        module, _, attribute = _PLACES[cmd_name].partition(":")
        try:
            loaded = importlib.import_module(f"openlatch.cli.{module}")
        except ModuleNotFoundError as error:
            if module not in _NEEDS_SERVICE or (error.name or "").startswith("openlatch"):
                raise
            raise Failure(
                f"“{cmd_name}” runs a service, and {error.name} is not installed.",
                "Install the rest with: pip install 'open-latch[service]'",
            ) from error
        command: click.Command = getattr(loaded, attribute)
        return command

    def words(self, ctx: click.Context) -> Iterator[tuple[str, str]]:
        """Every word by which a command could be meant, with the command: nouns, then short ways, then verbs."""
        verbs: dict[str, str] = {}
        for name in _PLACES:
            group = None
            with contextlib.suppress(Failure):
                group = self.get_command(ctx, name)
            if not isinstance(group, click.Group):
                yield name, name
                continue
            there = group.list_commands(ctx)
            yield name, f"{name} list" if "list" in there else f"{name} {there[0]}"
            for verb in there:
                verbs.setdefault(verb, f"{name} {verb}")
        yield from ((name, name) for name in SHORT_WAYS)
        verbs |= _MEANT
        yield from ((verb, command) for verb, command in verbs.items() if verb not in {*SHORT_WAYS, *_PLACES})

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        """Complete a command's name from the table: what would run it may not even be installed."""
        texts = {name: text for section in _COMMANDS.values() for name, (_, text) in section.items()}
        texts |= {name: f"Short for: {command}" for name, command in SHORT_WAYS.items()}
        named = [CompletionItem(name, help=text) for name, text in texts.items() if name.startswith(incomplete)]
        return [*named, *click.Command.shell_complete(self, ctx, incomplete)]

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Every day"):
            formatter.write_dl([(name, f"Short for: {command}") for name, command in SHORT_WAYS.items()])
        for title, section in _COMMANDS.items():
            with formatter.section(title):
                formatter.write_dl([(name, text) for name, (_, text) in section.items()])


@click.group(cls=_Root, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="openlatch")
@click.option("--profile", envvar="OPENLATCH_PROFILE", default="", help="Use this sign-in (openlatch profile list).")
@click.option("-q", "--quiet", is_flag=True, help="Print the answer alone: no progress, no hints.")
@click.pass_context
def main(ctx: click.Context, profile: str, quiet: bool) -> None:
    """Who can use your shared accounts, what is stale or risky in it, and taking it back with proof.

    \b
    openlatch NOUN --help lists what can be done with it: openlatch offer --help
    Exit codes: 0 done, 1 could not be done, 2 wrong use, 3 not signed in or not allowed,
    4 no such thing, 5 no answer, 6 the order needs a person, 7 a what-if check failed.
    """
    said = read()
    ctx.meta[PROFILE] = profile
    ctx.meta[QUIET] = quiet or bool(said.get("quiet"))
    for name, command in SHORT_WAYS.items():
        noun, _, verb = command.partition(" ")
        if verb in said.get(noun, {}):
            said.setdefault(name, said[noun][verb])
    ctx.default_map = said
