"""Every command is run once as people type it, in a terminal of eighty columns, and once more as programs read it."""

from __future__ import annotations

import json
import re
import shlex
from collections.abc import Iterator
from pathlib import Path

import click
import pytest

from openlatch.cli import main
from openlatch.cli.connection import Carrier
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from tests.harness.acts import Desk, Spares, settle
from tests.harness.furniture import PLATES, Furniture
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

COLUMNS = 80
LIST = "list.csv"
POLICY = "policy.toml"
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
    "calendar": ("", "/calendar/"),
    "change-secret": ("{by_hand} --dry-run", "cannot use it any more"),
    "close-sessions": ("{tablet} --dry-run", "Nothing was changed."),
    "completion": ("bash", "_OPENLATCH_COMPLETE"),
    "confirm": (f"--password {PASSWORD}", "Confirmed: you are Maren Ashdown"),
    "describe": ("Gate --criticality vital", "Gate: vital."),
    "end": ("{entry} --dry-run", "Ask Ticket Desk to remove the delegate"),
    "end-on": ("{entry} 2030-05-10 --dry-run", "Wait until 10 May 2030 is over"),
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
    "inventory": ("--limit 9", "9 of"),
    "keep": ("'Hill Road Signage' --account 'Hill Road display' --party 'Edda Brook'", "Edda Brook"),
    "leaver": ("{party} --dry-run", "things"),
    "levels": ("'Ticket Desk'", "cashier"),
    "log": ("--limit 5", "Maren Ashdown"),
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
    "pause": ("{entry} --dry-run", "Nothing was changed."),
    "people": ("", f"tobias.quill@{DOMAIN}"),
    "people add": (f"Sabine sabine.thorne@{DOMAIN} --role member --password 'four words in a row'", "can sign in as"),
    "policy adopt": (f"{POLICY} --yes", "Back: openlatch policy back 1"),
    "policy back": ("1", "is in force"),
    "policy check": (POLICY, "No mistakes in its"),
    "policy fields": ("", "entry.idle_since"),
    "policy history": ("", "committee agreed on."),
    "policy show": ("", "[limits]"),
    "policy try": (POLICY, "secret-known-to"),
    "proposal": ("{proposal}", "A lock"),
    "proposals": ("", "{proposal}"),
    "providers": ("", "Ticket Desk"),
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
    "review resume": ("Ours", "comes round"),
    "review show": ("Ours", "ines.okoro"),
    "reviews": ("", "Everybody outside the circle"),
    "risk": ("Bookings", "of 100"),
    "round assign": (f"{{round}} 1 --to ines.okoro@{DOMAIN}", "Ines Okoro"),
    "round decide": ("{round} keep 1 --reason 'Still needed'", "1 decided"),
    "round finish": ("{decided} --yes", "closed"),
    "round leave-open": (f"{{settling}} 1 --reason 'Away until May' --owner tobias.quill@{DOMAIN}", "is closed"),
    "round pause": ("{round}", "rests; due"),
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
    "sign-out": ("", "Signed out."),
    "sponsor": (f"{{party}} tobias.quill@{DOMAIN}", "answers for"),
    "tasks": ("", "saturday-bookings"),
    "told": ("Gate 'Finn Dale' 'the gate code'", "Kept ("),
    "tokens": ("", "client"),
    "views": ("", "Plates"),
    "vouch": ("{by_hand}", "You vouch for {by_hand}"),
    "webhooks": ("", "offer, request"),
    "what-if": (PROPOSAL, "Anyone"),
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
LISTS = {name for name, one in COMMANDS.items() if any("--output" in p.opts for p in one.params)}


ONCE = {"review add", "review change"}
"""What can be done once only is not done again for programs."""
REFUSED = {"round try-again": 1}
"""What has nothing to do in the demo is tried for what it says then."""


@pytest.fixture(scope="module")
def more(furnished: Ridge, things: Furniture) -> dict[str, str]:
    """What some commands need beyond one of each thing, by short form."""
    found: dict[str, str] = {}
    with furnished.client() as maren, furnished.client("ines.okoro") as ines:
        spares = Spares([maren.entry(ref) for ref in (things.entry, things.guide)])
        cashier = next(e for e in maren.entries(account="Bookings") if e.level == "cashier" and "spend" in e.powers)
        owning = next(e for e in maren.entries(account="Weather Mast") if "own" in e.powers)
        found |= {"cashier": cashier.ref, "owning": owning.ref, "ended": maren.order(things.order).entry.ref}
        found["second"] = next(e for e in maren.entries(account="Weather Mast", q="jory") if e.ref != owning.ref).ref
        found["tablet"] = next(maren.entries(kind="session", q="Gate tablet")).ref
        found["own"] = next(maren.entries(party=f"maren.ashdown@{DOMAIN}", provider="Donation Box")).ref
        found["kept"] = maren.keep("Hill Road Signage", account="Hill Road display", party="Finn Crane").ref
        paused = spares.take(maren)
        settle(maren, maren.command(paused.ref, "pause").ref)
        found["paused"] = paused.ref
        desk = Desk(furnished, transport=furnished.transport)
        named = [f"ines.okoro@{DOMAIN}"]
        for name, choice in (("Ours", ""), ("Decided", "keep"), ("Closed", "keep"), ("Settling", "end-now")):
            entry = spares.take(maren)
            where = {"party": entry.party.ref, "account": "Bookings"}
            maren.add_review(name, where=where, named=named, recurs="FREQ=YEARLY")
            if not choice:
                continue
            opened = maren.open_round(name)
            if choice == "end-now":
                desk.refuse(entry, "consent is missing")
            places = [item.place for item in maren.round_items(opened.ref)]
            for place in places:
                ines.decide(opened.ref, [place], choice if place == 0 else "keep", reason="So it is")
            if name != "Decided":
                maren.finish_round(opened.ref)
                furnished.drain()
            found[name.lower()] = opened.ref
        desk.close()
    return found


@pytest.fixture(scope="module")
def home(furnished: Ridge, things: Furniture, more: dict[str, str], tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the files that commands are given."""
    folder = tmp_path_factory.mktemp("home")
    change = {"do": "lock", "account": PLATES, "locked": True}
    (folder / LIST).write_text("Account,Who\nHill Road display,Isla Brook\n")
    (folder / PROPOSAL).write_text(json.dumps({"proposal": 1, "title": "A lock", "changes": [change]}))
    with furnished.client() as maren:
        stricter = maren.policy().text.replace("secret_known_to = 1 ", "secret_known_to = 9 ", 1)
        (folder / POLICY).write_text(stricter)
        (folder / "receipt.jws").write_text(maren.receipt(things.order))
        (folder / "closed.json").write_bytes(maren.round_report(more["closed"]))
    return folder


@pytest.fixture
def terminal(furnished: Ridge, home: Path) -> Terminal:
    """A terminal of eighty columns, in which the owner is signed in."""
    made = Terminal(home, Carrier(furnished.transport, furnished.pause), COLUMNS)
    made.kept.unlink(missing_ok=True)
    with furnished.client() as maren:
        token = str(maren._http.headers["Authorization"]).partition(" ")[2]
        me = maren.tokens()[0]
    kept = {"server": furnished.url, "token": token, "token_id": str(me.id), "workspace": SLUG}
    made.kept.write_text(json.dumps(kept))
    made.environment = {
        "OPENLATCH_DATABASE_URL": furnished.service.settings.database_url,
        "OPENLATCH_SECRET_KEYS": ",".join(furnished.service.settings.secret_keys),
    }
    return made


def test_no_command_is_left_out() -> None:
    assert set(TYPED) | ELSEWHERE == set(COMMANDS)


def typed(command: str, things: Furniture, more: dict[str, str], server: str) -> tuple[list[str], str]:
    words, says = TYPED[command]
    known = {**things.as_mapping(), **more}
    return [*command.split(), *shlex.split(words.replace("SERVER", server).format(**known))], says.format(**known)


@pytest.mark.parametrize("command", sorted(TYPED))
def test_a_command_says_in_eighty_columns_what_it_did_and_names_nothing_by_halves(
    furnished: Ridge, terminal: Terminal, things: Furniture, more: dict[str, str], command: str
) -> None:
    words, says = typed(command, things, more, furnished.url)
    said = terminal(*words, exits=REFUSED.get(command, 0))
    assert says in " ".join(said.split()) or says in said, said
    if command in LISTS:
        assert max((len(line) for line in said.splitlines()), default=0) <= COLUMNS, said
    for cut in re.findall(r"\b[0-9A-HJKMNP-TV-Z]{4}-[0-9A-HJKMNP-TV-Z]{0,3}…", said):
        raise AssertionError(f"{cut} cannot be typed:\n{said}")


@pytest.mark.parametrize("command", sorted((LISTS & set(TYPED)) - ONCE))
def test_what_programs_read_is_one_json_value_or_one_a_line(
    furnished: Ridge, terminal: Terminal, things: Furniture, more: dict[str, str], command: str
) -> None:
    words, _ = typed(command, things, more, furnished.url)
    said = terminal(*words, "--output", "json")
    for value in [said] if said.startswith("{\n") else said.splitlines():
        assert isinstance(json.loads(value), dict), value
