"""The command line. Remote commands speak to a service over the client; service commands run one.

What runs a service needs the extra [service]; its commands are loaded only when they are called.
"""

from __future__ import annotations

import importlib

import click
from click.shell_completion import CompletionItem

from openlatch import __version__
from openlatch.cli.failure import Failure

__all__ = ["main"]

_COMMANDS = {
    # name: (module, what it is for), in the order in which help shows them
    "sign-in": ("people.session", "Sign in to a service, and keep the token"),
    "holders": ("people.session", "List everyone in whose name you act, and what waits there"),
    "sign-out": ("people.session", "Forget the token, and have it refused from now on"),
    "confirm": ("people.session", "Prove again who you are, before something dangerous"),
    "whoami": ("people.session", "Show who is signed in, and where"),
    "forgot-password": ("people.session", "Have a letter sent with which you choose another password"),
    "me": ("people.me", "Show and change your own account: name, password, second factors, sessions"),
    "workspace": ("people.session", "Show the workspace, or change its name, zone or sign-in"),
    "tokens": ("people.session", "List your tokens, make or revoke one"),
    "notices": ("telling.notices", "List what you were told, or choose how you are told"),
    "calendar": ("telling.notices", "Make the secret address of your calendar"),
    "webhooks": ("telling.webhooks", "Have other programs told what happens"),
    "people": ("people.people", "List who signs in here, invite someone, change or end a sign-in"),
    "sign-on": ("people.sign_on", "List the services at which people sign in, add or remove one"),
    "providers": ("providers.providers", "List the outside services, or add one"),
    "read": ("providers.providers", "Read a provider now, and watch it"),
    "levels": ("providers.providers", "Show what a provider's levels mean in plain powers, or correct it"),
    "keep": ("inventory.by_hand", "Keep an entry by hand, where nothing can be read"),
    "vouch": ("inventory.by_hand", "Say that an entry kept by hand is still there"),
    "gone": ("inventory.by_hand", "Say that an entry kept by hand has ended"),
    "import": ("inventory.imports", "Take a list that you keep yourself (CSV or spreadsheet)"),
    "imports": ("inventory.imports", "List the lists that were taken in, and how far each is"),
    "inventory": ("inventory.inventory", "List who has access to what"),
    "export": ("inventory.inventory", "Write the inventory, or a part of it, to a file"),
    "show": ("inventory.inventory", "Show one entry with all that is known of it"),
    "accounts": ("inventory.accounts", "List the shared accounts"),
    "parties": ("inventory.parties", "List who and what has access"),
    "reach": ("inventory.parties", "Show all that a party can do, and what to end so that it cannot"),
    "apps": ("inventory.accounts", "List the connected apps, and what each reads or changes where"),
    "open": ("inventory.inventory", "List what is open to anyone"),
    "views": ("inventory.inventory", "List your saved views of the inventory, save or delete one"),
    "activity": ("inventory.accounts", "List what was done, by whom, and in whose name"),
    "describe": ("inventory.accounts", "Say how vital an account is, or that it is for practice"),
    "sponsor": ("inventory.parties", "Say who answers for a party"),
    "party": ("inventory.sameness", "Say which parties are the same, and which are not"),
    "team": ("orders.team", "See who is in a team, add somebody or remove somebody"),
    "flags": ("rules.flags", "List what is stale or risky, and why"),
    "flag": ("rules.flags", "Explain a flag: its facts, since when, what clears it, what is advised"),
    "accept": ("rules.flags", "Live with a flag for a reason until a day"),
    "risk": ("rules.flags", "Show the risk of an account or a party, and what adds up to it"),
    "rules": ("rules.policy", "List the rules, and what each flags"),
    "policy": ("rules.policy", "See, try, adopt and take back what counts as stale or risky"),
    "tasks": ("letting_in.offers", "List what people are let in for"),
    "fit": ("letting_in.offers", "Show the narrowest that lets somebody do a task on an account"),
    "offer": ("letting_in.offers", "Offer somebody access, with limits"),
    "offers": ("letting_in.offers", "List offers, or those to yourself"),
    "offered": ("letting_in.offers", "Show an offer, withdraw it, send it again, or answer it"),
    "ask": ("letting_in.requests", "Ask for access to an account"),
    "requests": ("letting_in.requests", "List what others asked for, or you"),
    "asked": ("letting_in.requests", "Show a request, turn it down, or take back your own"),
    "told": ("letting_in.requests", "Write down that somebody was told a password"),
    "what-if": ("what_if.proposals", "Show what changes would change, before anything is done"),
    "shares": ("what_if.proposals", "Print who may do what with the parts of an account, as a proposal"),
    "proposals": ("what_if.proposals", "List proposals"),
    "proposal": ("what_if.proposals", "Show what a proposal would change, compare versions, apply it"),
    "end": ("orders.orders", "Take an access back, and follow it until it is proved"),
    "give-up": ("orders.orders", "Give up an access of your own"),
    "narrow": ("orders.orders", "Narrow an access to a level that gives less, or to some parts"),
    "pause": ("orders.orders", "Put an access to rest"),
    "resume": ("orders.orders", "Let an access that is paused live again"),
    "extend": ("orders.orders", "Let somebody in for longer, for more parts or hours, or at a higher level"),
    "end-on": ("orders.orders", "Give an access a last day"),
    "give-back": ("orders.orders", "Give back an access that has ended"),
    "hand-over": ("orders.orders", "Hand an account over, once whoever owns it has agreed"),
    "answer": ("letting_in.answers", "Answer a link in a letter"),
    "close-sessions": ("orders.orders", "Sign somebody out on an account"),
    "change-secret": ("orders.orders", "Have a secret changed that somebody was told"),
    "bulk": ("taking_back.batches", "Do the same to many entries"),
    "leaver": ("taking_back.batches", "End all access of someone who is leaving"),
    "reviews": ("reviews.reviews", "List the reviews that come round"),
    "review": ("reviews.reviews", "Make reviews, and open a round"),
    "rounds": ("reviews.rounds", "List rounds of reviews"),
    "round": ("reviews.rounds", "Look at a round, decide its items, see it closed"),
    "report": ("reviews.reports", "Get the report of a round or a batch, or check one"),
    "batches": ("taking_back.batches", "List batches: orders that were given for many entries at once"),
    "batch": ("taking_back.batches", "Show what came of a batch"),
    "orders": ("orders.orders", "List orders"),
    "order": ("orders.orders", "Show an order, follow it, try it again, say it is done, or cancel it"),
    "receipt": ("orders.receipts", "Get the signed proof of an order, or check one"),
    "log": ("record.log", "Read the log, or verify that nothing in it was altered"),
    "completion": ("completion", "Print what makes your shell complete these commands"),
    "tour": ("local", "Play the whole loop on a private copy of the demo"),
    "demo": ("local", "Run the demo until Ctrl-C"),
    "migrate": ("service", "Bring the database to the schema of this version"),
    "found": ("service", "Create a workspace and its first owner"),
    "serve": ("service", "Run the service: API and console"),
    "work": ("service", "Run a worker"),
    "new-key": ("service", "Make a key for OPENLATCH_SECRET_KEYS"),
    "keys": ("service", "Look after the keys that close what is secret"),
    "openapi": ("service", "Print the API's description"),
}
_NAMES = {"import": "import_", "open": "open_", "round": "round_"}  # where a command's name is a word of the language
_NEEDS_SERVICE = {"local", "service"}
_BY_HAND = {"inventory.by_hand", "inventory.imports"}
_SECTIONS = (
    ("Look", {"providers", "inventory", "rules", "record"}),
    ("Let in", {"letting_in", "what_if"}),
    ("Review", {"reviews"}),
    ("Take back", {"orders", "taking_back"}),
    ("Keep by hand", _BY_HAND),
    ("Yourself", {"people", "telling", "completion"}),
    ("Run a service", _NEEDS_SERVICE),
)
"""The parts of the help, each with the modules or features whose commands stand there."""


def _at(module: str, homes: set[str]) -> bool:
    """Whether a command of a module stands in a part of the help."""
    return module in homes or (module not in _BY_HAND and module.partition(".")[0] in homes)


class _Lazy(click.Group):
    """A group that imports a command's module only when it is called, or asked for its help."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        module = _COMMANDS[cmd_name][0]
        try:
            loaded = importlib.import_module(f"openlatch.cli.{module}")
        except ModuleNotFoundError as error:
            if module not in _NEEDS_SERVICE or (error.name or "").startswith("openlatch"):
                raise
            raise Failure(
                f"“{cmd_name}” runs a service, and {error.name} is not installed.",
                "Install the rest with: pip install 'open-latch[service]'",
            ) from error
        command: click.Command = getattr(loaded, _NAMES.get(cmd_name, cmd_name.replace("-", "_")))
        return command

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        """Complete a command's name from the table: what would run it may not even be installed."""
        named = [
            CompletionItem(name, help=text) for name, (_, text) in _COMMANDS.items() if name.startswith(incomplete)
        ]
        return [*named, *click.Command.shell_complete(self, ctx, incomplete)]

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        for title, homes in _SECTIONS:
            with formatter.section(title):
                formatter.write_dl([(name, text) for name, (module, text) in _COMMANDS.items() if _at(module, homes)])


@click.group(cls=_Lazy, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="openlatch")
def main() -> None:
    """Who can use your shared accounts, what is stale or risky in it, and taking it back with proof.

    \b
    Exit codes: 0 done, 1 could not be done, 2 wrong use, 3 not signed in or not allowed,
    4 no such thing, 5 no answer, 6 the order needs a person, 7 a what-if is not to be.
    """
