"""Every command as people type it, with what it has to say then, on the demo with one of each thing."""

from __future__ import annotations

import shlex
from collections.abc import Iterator, Mapping

import click

from openlatch.cli import SHORT_WAYS, main
from openlatch.cli.command import Command, shown
from openlatch.demo.cast import DOMAIN, PASSWORD, VOLUNTEERS

COLUMNS = 80
LIST = "list.csv"
POLICY = "policy.toml"
TRIAL = "trial.toml"
"""Another one than any that is adopted here, in whichever order."""
PROPOSAL = "proposal.json"
SAYS: dict[str, str] = {
    # what a command has to say when its own example is typed; {…} is one of the things in the demo
    "account change": "Gate: vital.",
    "account export": "to accounts.xlsx.",
    "account levels": "observer",
    "account list": "Weather Mast",
    "account show": "of 100",
    "activity list": "looked at the day's bookings",
    "answer": "Bram Finch can view on Night-Sky Plates until the end of",
    "app export": "to apps.csv.",
    "app list": "Ridge Ledger",
    "batch cancel": "is cancelled.",
    "batch done": "Done: item {to_do} of batch",
    "batch follow": "4 of 4 items need you.",
    "batch leave-open": "Left open: item {to_do_too} of batch",
    "batch list": "{batch}",
    "batch report": "to batch.json.",
    "batch show": "4 refused",
    "batch start": "Nothing was changed.",
    "completion": "_OPENLATCH_COMPLETE",
    "confirm": "Confirmed: you are Maren Ashdown",
    "entry close-sessions": "Nothing was changed.",
    "entry end": "Ask Ticket Desk to remove the delegate",
    "entry export": "to gate.xlsx.",
    "entry extend": "Nothing was changed.",
    "entry give-back": "Nothing was changed.",
    "entry give-up": "Nothing was changed.",
    "entry hand-over": "Nothing was changed.",
    "entry list": "9 of",
    "entry mark-ended": "is recorded as ended: Finn Crane",
    "entry narrow": "Nothing was changed.",
    "entry pause": "Nothing was changed.",
    "entry record": "Edda Brook on Hill Road display. You vouch for it.",
    "entry resume": "Nothing was changed.",
    "entry show": "guide",
    "entry vouch": "You vouch for {by_hand}",
    "flag accept": "Accepted until the end of",
    "flag explain": "Name a second administrator",
    "flag list": "can still spend, withdraw and admit",
    "flag reopen": "Open again: ",
    "forgot-password": "a letter is on its way",
    "leaver list": "leaves",
    "leaver start": "leaves: ",
    "log export": "events to log.jsonl.",
    "log head": "sealed events. Root: ",
    "log list": "Maren Ashdown",
    "log verify": "The log holds: ",
    "me add-codes": "Scan this with your app, or type into it:",
    "me address": "A letter is on its way to",
    "me calendar": "/calendar/",
    "me change": "You are Maren Ashdown",
    "me end-session": "0 sessions ended.",
    "me factors": "You have no second factor. Add one: openlatch me add-codes",
    "me password": "Your password is changed",
    "me recovery-codes": "You have no second factor, so there is nothing to recover.",
    "me remove-factor": "You have no second factor called “phone”.",
    "me sessions": "not signed in to the console anywhere",
    "me show": "owner of Kestrel Ridge Observatory",
    "notice change": "You get one letter a day",
    "notice list": "“Everybody outside the circle” is due",
    "offer accept": "is to someone else.",
    "offer change": "Nothing was changed.",
    "offer decline": "is to someone else.",
    "offer list": "{offer}",
    "offer make": "Amara Levy can",
    "offer postpone": "is to someone else.",
    "offer send-again": "A new letter goes to bram.finch",
    "offer show": "waiting, ",
    "offer withdraw": "withdrawn",
    "order cancel": "is cancelled.",
    "order done": "done, says Maren Ashdown",
    "order follow": "proved",
    "order list": "consent is",
    "order retry": "proved",
    "order show": "Left in spring",
    "party alike": "Both have the address tomas@northcape-uni.example",
    "party change": "sponsored by Tobias Quill <",
    "party decisions": "Edo Rell",
    "party export": "to outsiders.csv.",
    "party join": "are one now. Undo it: openlatch party undo",
    "party keep-apart": "are kept apart",
    "party keys": "tomas-d",
    "party list": f"orla.finch@{DOMAIN}",
    "party part": "are two now",
    "party reach": "Saturday crew",
    "party show": "of 100",
    "party undo": "may be the same again",
    "people change": "Pell Varga is member now.",
    "people disable": "can no longer sign in",
    "people enable": "can sign in again",
    "people invite": "The link in the letter works for 7 days",
    "people invite-again": "Sent again to",
    "people list": f"tobias.quill@{DOMAIN}",
    "people remove": "Removed ",
    "people reset-factors": "Ines Okoro has no second factor.",
    "people show": "Ines Okoro <",
    "policy adopt": "Roll back: openlatch policy roll-back",
    "policy check": "No mistakes in its",
    "policy fields": "entry.idle_since",
    "policy history": "committee agreed on.",
    "policy roll-back": "is in force",
    "policy limits": "access that nobody has used",
    "policy noise": "No rule is noise",
    "policy set": "Limit unused: 90 days, now 60 days.",
    "policy rules": "sole-administrator",
    "policy show": "[limits]",
    "policy try": "unused-past-limit",
    "profile list": "kestrel-ridge",
    "profile use": "In use: kestrel-ridge",
    "provider add": "Added Orchard.",
    "provider breach": "Ticket Desk",
    "provider change": "Changed Live Sky.",
    "provider connectors": "OpenSSH authorized keys",
    "provider correct-level": "Maren Ashdown",
    "provider describe": "0 entries on 0 accounts of 0 parties, by 1 request.",
    "provider events": "Nothing was reported.",
    "provider import": "1 new",
    "provider imports": "Nothing was imported there yet",
    "provider levels": "cashier",
    "provider export": "to providers.csv.",
    "provider list": "Plate Archive",
    "provider listen": "with this secret as a bearer token",
    "provider pause": "is no longer read on its own",
    "provider read": "complete",
    "provider remove": "cannot be removed yet",
    "provider template": "list.xlsx",
    "provider resume": "is read every",
    "provider roll-back": "is reached as in version 1 again",
    "provider show": "Ticket Desk",
    "provider stop-listening": "no more security events of Plate Archive",
    "provider version": "url = http://",
    "provider versions": "1, present",
    "receipt keys": "Ed25519",
    "receipt show": "eyJ",
    "receipt verify": "holds",
    "request decline": "The dome is closed in March",
    "request list": "Four nights on the",
    "request make": "Asked (",
    "request show": "To present the winter star party",
    "request withdraw": "withdrawn",
    "review add": "everything of the kinds app",
    "review change": "has a risk of 5 or more",
    "review list": "Everybody outside the circle",
    "review open": "is open with",
    "review pause": "is paused. Resume: openlatch review resume",
    "review remove": "“Spare” is removed.",
    "review resume": "takes place again",
    "review show": "ines.okoro",
    "round assign": "Ines Okoro",
    "round cancel": "is cancelled",
    "round decide": "1 decided",
    "round file": "to decisions.csv.",
    "round finish": "closed",
    "round leave-open": "is closed",
    "round list": "Everybody outside",
    "round pause": "is paused. Resume: openlatch round resume",
    "round report": "to round.json.",
    "round resume": "goes on; due",
    "round retry": "can be tried again",
    "round show": "Everybody outside the circle, round",
    "search": "amara.levy@northcape-uni.example",
    "secret change": "cannot use it any more",
    "secret list": "{by_hand}",
    "secret record": "Recorded (",
    "service found": "Edda Brook can sign in to “hill-farm” with edda@hillfarm.example.",
    "service migrate": "Nothing to do.",
    "service new-key": "=",
    "service openapi": '"openapi": "3.1.0"',
    "service rotate-keys": "encrypted with a new key.",
    "service show": "Everything runs.",
    "sign-in": "as Ruth Calder",
    "sign-on add": "groups: guides as member",
    "sign-on change": "People sign in at Ridge Login",
    "sign-on list": "who is here or invited",
    "sign-on remove": "Removed: Old Login.",
    "sign-out": "Signed out.",
    "task fit": "is the narrowest that covers view and edit",
    "task list": "saturday-bookings",
    "team add": f"Ask Volunteer Roll to add {VOLUNTEERS[0].name}",
    "team remove": f"remove {VOLUNTEERS[6].name}",
    "team show": VOLUNTEERS[6].name,
    "token add": "latch.",
    "token list": "client",
    "token revoke": "Revoked.",
    "view add": "Saved: openlatch inventory --view 'Apps with a flag'",
    "view list": "Plates",
    "view remove": "Removed: Spare.",
    "webhook add": "It is shown only now:",
    "webhook list": "offer, request",
    "webhook pause": "Paused: ",
    "webhook remove": "Removed: ",
    "webhook resume": "Resumed: ",
    "what-if again": "A lock",
    "what-if apply": "Applied. What came of it: openlatch batch show",
    "what-if compare": "would change the same.",
    "what-if file": '"proposal": 1',
    "what-if list": "{proposal}",
    "what-if make": "Anyone",
    "what-if shares": '"anyone": true',
    "what-if show": "A lock",
    "workspace change": "Europe/London",
    "workspace show": "Kestrel Ridge Observatory (kestrel-ridge)",
}
MORE = {
    # what is typed beside the example, where a person is asked for it
    "confirm": f"--password {PASSWORD}",
    "service found": f"--password {PASSWORD}",
    "sign-in": f"--password {PASSWORD}",
    "sign-on add": "--secret x",
}
ELSEWHERE = {"demo", "service serve", "service work", "tour"} | {
    f"service {it}" for it in ("archive", "backup", "keep-wal", "restore")
}
"""These run until they are stopped, or take a server of their own; tests/local and the journeys start them."""


def commands() -> dict[str, click.Command]:
    """Every command that does something, by how it is typed."""

    def inside(group: click.Command, path: tuple[str, ...]) -> Iterator[tuple[str, click.Command]]:
        if not isinstance(group, click.Group):
            yield " ".join(path), group
        if isinstance(group, click.Group):
            context = click.Context(group)
            for name in group.list_commands(context):
                if not path and name in SHORT_WAYS:
                    continue
                command = group.get_command(context, name)
                assert command is not None
                yield from inside(command, (*path, name))

    return dict(inside(main, ()))


COMMANDS = commands()
LISTS = {name for name, command in COMMANDS.items() if any("--output" in p.opts for p in command.params)}


def typed(command: str, things: Mapping[str, str], server: str) -> tuple[list[str], str]:
    """What is typed for a command, as its own help has it, and what it has to say then."""
    known = {**things, "server": server}
    declared = COMMANDS[command]
    assert isinstance(declared, Command), f"{command} has no example"
    words = shown(declared.example, known).partition(">")[0]
    return [*command.split(), *shlex.split(words), *shlex.split(MORE.get(command, ""))], SAYS[command].format(**known)
