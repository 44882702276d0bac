"""Every command as people type it, with what it has to say then, on the demo with one of each thing."""

from __future__ import annotations

import shlex
from collections.abc import Iterator

import click

from openlatch.cli import main
from openlatch.demo.cast import DOMAIN, PASSWORD, VOLUNTEERS
from openlatch.demo.seed import SLUG
from tests.harness.furniture import Furniture

COLUMNS = 80
LIST = "list.csv"
POLICY = "policy.toml"
TRIAL = "trial.toml"
"""Another one than any that is adopted here, in whichever order."""
PROPOSAL = "proposal.json"
TYPED: dict[str, tuple[str, str]] = {
    # what is typed after the command, and what has to be said; {…} is one of the things in the demo
    "accept": ("{flag} --why 'A second one comes in May'", "Accepted until the end of"),
    "accounts": ("mast", "Weather Mast"),
    "activity": ("--account Gate", "looked at the day's bookings"),
    "answer": ("{letter}", "Bram Finch can view on Night-Sky Plates until the end of"),
    "apps": ("ledger", "Ridge Ledger"),
    "ask": ("Gate --needs view --because 'To open on Sundays'", "Asked ("),
    "asked": ("{request}", "To present the winter star party"),
    "batch": ("{batch}", "4 refused"),
    "batches": ("", "{batch}"),
    "bulk": ("end --account 'Lost property' --dry-run", "4 entries"),
    "calendar": ("--new", "/calendar/"),
    "change-secret": ("{by_hand} --dry-run", "cannot use it any more"),
    "close-sessions": ("{tablet} --dry-run", "Nothing was changed."),
    "completion": ("bash", "_OPENLATCH_COMPLETE"),
    "confirm": (f"--password {PASSWORD}", "Confirmed: you are Maren Ashdown"),
    "describe": ("Gate --criticality vital", "Gate: vital."),
    "end": ("{entry} --dry-run", "Ask Ticket Desk to remove the delegate"),
    "end-on": ("{entry} 2030-05-10 --dry-run", "Wait until 10 May 2030 is over"),
    "extend": ("{grant} --no-end --all-hours --dry-run", "without an end (now "),
    "export": ("gate.csv --account Gate", "Wrote"),
    "fit": ("'South Dome' --for observe", "is the narrowest that covers view and edit"),
    "flag": ("{flag}", "Name a second administrator"),
    "flags": ("--limit 5", "can still spend, withdraw and admit"),
    "found": (
        f"--workspace hill-farm --name 'Hill Farm' --owner Edda --address edda@hillfarm.example --password {PASSWORD}",
        "Edda can sign in to “hill-farm” with edda@hillfarm.example.",
    ),
    "give-back": ("{ended} --dry-run", "Nothing was changed."),
    "give-up": ("{own} --dry-run", "Nothing was changed."),
    "gone": ("{kept} --because 'The board was sold'", "is kept as ended: Finn Crane"),
    "hand-over": ("{owning} --to {second} --dry-run", "Nothing was changed."),
    "holders": ("", "Kestrel Ridge Observatory"),
    "import": (f"'Hill Road Signage' {LIST}", "1 new"),
    "imports": ('"Members\' Letter"', "No list was taken in there yet"),
    "inventory": ("--limit 9", "9 of"),
    "keep": ("'Hill Road Signage' --account 'Hill Road display' --party 'Edda Brook'", "Edda Brook"),
    "leaver": ("{party} --dry-run", "things"),
    "keys rotate": ("", "closed with a new key."),
    "levels": ("'Ticket Desk'", "cashier"),
    "log": ("--limit 5", "Maren Ashdown"),
    "log export": ("log.jsonl", "events to log.jsonl"),
    "log head": ("", "sealed events. Root: "),
    "log verify": ("", "each fits the one before"),
    "migrate": ("", "Nothing to do."),
    "narrow": ("{cashier} --to guide --dry-run", "Nothing was changed."),
    "new-key": ("", "="),
    "notices": ("", "“Everybody outside the circle” has come round"),
    "offer": (f"finn.dale@{DOMAIN} --on Gate=guide --until 2030-05-10 --dry-run", "Finn Dale can view on Gate"),
    "offered": ("{offer}", "waiting, good until"),
    "offers": ("", "{offer}"),
    "open": ("", "Anyone can view and edit it"),
    "openapi": ("", '"openapi": "3.1.0"'),
    "order": ("{order}", "Left in spring"),
    "orders": ("", "consent is"),
    "parties": ("orla", f"orla.finch@{DOMAIN}"),
    "party alike": ("{tomas}", "Both have the address tomas@northcape-uni.example"),
    "party decisions": ("", "Edo Rell"),
    "party join": ("{mina} {mina_too} --reason 'She told me' --yes", "are one now. Undo it: openlatch party undo"),
    "party keep-apart": ("{tomas} {tomas_too}", "are kept apart"),
    "party keys": ("{tomas}", "tomas-d"),
    "party part": ("{ada} 'Plate Archive' ada-s --yes", "are two now"),
    "party undo": ("{said}", "may be the same again"),
    "pause": ("{entry} --dry-run", "Nothing was changed."),
    "people": ("", f"tobias.quill@{DOMAIN}"),
    "people invite": (f"sabine.thorne@{DOMAIN} --role member", "The link in the letter holds for 7 days"),
    "people invite-again": ("{invited}", "Sent again to"),
    "people show": (f"ines.okoro@{DOMAIN}", "Ines Okoro <"),
    "people role": (f"pell.varga@{DOMAIN} member", "Pell Varga is member now."),
    "people disable": ("{disabled_too} --yes", "can no longer sign in"),
    "people enable": ("{disabled}", "can sign in again"),
    "people remove": ("{leaving} --yes", "Removed "),
    "forgot-password": (
        f"http://localhost:8480 --workspace {SLUG} --address maren.ashdown@{DOMAIN}",
        "a letter is on its way",
    ),
    "me": ("", "owner of Kestrel Ridge"),
    "me set": ("--dates en-GB", "You are Maren Ashdown"),
    "me password": ("--new 'six quiet herons cross'", "Your password is changed"),
    "me address": (f"maren.new@{DOMAIN}", "A letter is on its way to"),
    "me add-codes": ("", "Have your app read this, or type into it:"),
    "me factors": ("", "You have no second factor: openlatch me add-codes"),
    "me recovery-codes": ("", "You have no second factor, so there is nothing to recover."),
    "me remove-factor": ("phone --yes", "You have no second factor called “phone”."),
    "people reset-factors": (f"ines.okoro@{DOMAIN} --yes", "Ines Okoro has no second factor."),
    "me sessions": ("", "not signed in to the console anywhere"),
    "policy adopt": (f"{POLICY} --yes", "Back: openlatch policy back"),
    "policy back": ("1", "is in force"),
    "policy check": (POLICY, "No mistakes in its"),
    "policy fields": ("", "entry.idle_since"),
    "policy history": ("", "committee agreed on."),
    "policy show": ("", "[limits]"),
    "policy try": (TRIAL, "unused-past-limit"),
    "proposal": ("{proposal}", "A lock"),
    "proposals": ("", "{proposal}"),
    "providers": ("", "Ticket Desk"),
    "providers change": ("'Live Sky' --read-every 20", "Changed Live Sky."),
    "providers events": ("'Live Sky'", "Nothing was reported."),
    "providers listen": (
        "'Live Sky' --issuer https://login.example --keys https://login.example/keys",
        "with this secret as a bearer token",
    ),
    "providers remove": ("'Ticket Desk' --yes", "cannot be removed yet"),
    "providers pause": ("'Live Sky'", "is not read by itself any more"),
    "providers resume": ("'Plate Archive'", "is read every"),
    "providers add": ("Orchard --connector by-hand", "Added Orchard."),
    "providers breach": ("'Ticket Desk' --since 2026-01-05 --what 'Passwords were copied'", "Ticket Desk"),
    "providers connectors": ("", "OpenSSH authorized keys"),
    "providers show": ("'Ticket Desk'", "Ticket Desk"),
    "reach": (f"orla.finch@{DOMAIN}", "Saturday crew"),
    "read": ("'Ticket Desk'", "complete"),
    "receipt keys": ("", "Ed25519"),
    "receipt show": ("{order}", "eyJ"),
    "receipt verify": ("receipt.jws", "holds"),
    "report batch": ("{batch} --to batch.json", "Written to batch.json"),
    "report round": ("{round} --to round.json", "Written to round.json"),
    "report verify": ("closed.json", "It holds"),
    "requests": ("", "Four nights on the"),
    "resume": ("{paused} --dry-run", "Nothing was changed."),
    "review add": (f"Apps --recurs FREQ=YEARLY --ask ines.okoro@{DOMAIN} --kind app", "everything of the kinds app"),
    "review change": ("Ours --risk 5", "has a risk of 5 or more"),
    "review open": ("Ours", "is open with"),
    "review pause": ("Ours", "does not come round until you resume it"),
    "review remove": ("Spare --yes", "comes round no more"),
    "review resume": ("Ours", "comes round"),
    "review show": ("Ours", "ines.okoro"),
    "reviews": ("", "Everybody outside the circle"),
    "risk": ("Bookings", "of 100"),
    "round assign": (f"{{round}} 1 --to ines.okoro@{DOMAIN}", "Ines Okoro"),
    "round cancel": ("{off} --reason 'Asked in spring already' --yes", "is called off"),
    "round decide": ("{round} keep 1 --reason 'Still needed'", "1 decided"),
    "round finish": ("{decided} --yes", "closed"),
    "round leave-open": (f"{{settling}} 1 --reason 'Away until May' --owner tobias.quill@{DOMAIN}", "is closed"),
    "round pause": ("{later}", "rests; due"),
    "round show": ("{round}", "Lantern Works"),
    "round try-again": ("{settling} 1", "can be tried again"),
    "rounds": ("", "Everybody outside"),
    "rules": ("", "sole-administrator"),
    "shares": ("'Night-Sky Plates' --part 'unreleased 2026'", '"anyone": true'),
    "show": ("{entry}", "guide"),
    "sign-in": (
        f"SERVER --workspace {SLUG} --address ruth.calder@{DOMAIN} --password {PASSWORD}",
        "as Ruth Calder",
    ),
    "sign-on": ("", "who is here or invited"),
    "sign-on add": (
        "'Hill Login' --issuer https://hill.login.example --client c --secret x --claim groups --role guides=member",
        "groups: guides as member",
    ),
    "sign-on remove": ("'Old Login' --yes", "Removed: Old Login."),
    "sign-on set": ("'Ridge Login' --asks-factor", "People sign in at Ridge Login"),
    "sign-out": ("", "Signed out."),
    "sponsor": (f"{{party}} tobias.quill@{DOMAIN}", "answers for"),
    "tasks": ("", "saturday-bookings"),
    "team add": (
        f"'Dark-sky wardens' {VOLUNTEERS[0].address} --dry-run",
        f"Ask Volunteer Roll to add {VOLUNTEERS[0].name}",
    ),
    "team remove": (f"'Dark-sky wardens' {VOLUNTEERS[6].address} --dry-run", f"remove {VOLUNTEERS[6].name}"),
    "team show": ("'Dark-sky wardens'", VOLUNTEERS[6].name),
    "told": ("Gate 'Finn Dale' 'the gate code'", "Kept ("),
    "tokens": ("", "client"),
    "views": ("", "Plates"),
    "vouch": ("{by_hand}", "You vouch for {by_hand}"),
    "webhooks": ("", "offer, request"),
    "what-if": (PROPOSAL, "Anyone"),
    "workspace": ("", "Kestrel Ridge Observatory (kestrel-ridge), days in Europe/London"),
    "whoami": ("", f"Maren Ashdown <maren.ashdown@{DOMAIN}>, owner of Kestrel Ridge Observatory"),
}
ELSEWHERE = {"demo", "serve", "tour", "work"}
"""These run until they are stopped; tests/local and the journeys start them."""


def commands() -> dict[str, click.Command]:
    """Every command that does something, by how it is typed."""

    def inside(group: click.Command, path: tuple[str, ...]) -> Iterator[tuple[str, click.Command]]:
        if not isinstance(group, click.Group) or (path and group.invoke_without_command):
            yield " ".join(path), group
        if isinstance(group, click.Group):
            context = click.Context(group)
            for name in group.list_commands(context):
                command = group.get_command(context, name)
                assert command is not None
                yield from inside(command, (*path, name))

    return dict(inside(main, ()))


COMMANDS = commands()
LISTS = {name for name, command in COMMANDS.items() if any("--output" in p.opts for p in command.params)}


def typed(command: str, things: Furniture, more: dict[str, str], server: str) -> tuple[list[str], str]:
    words, says = TYPED[command]
    known = {**things.as_mapping(), **more}
    return [*command.split(), *shlex.split(words.replace("SERVER", server).format(**known))], says.format(**known)
