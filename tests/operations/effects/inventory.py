"""Entries, accounts, parties, apps, activity, what is recorded by hand, and secrets that were told."""

from __future__ import annotations

import csv
import io

from openlatch.demo.cast import DOMAIN
from openlatch.errors import Conflict, Invalid, Malformed, NotAllowed, NotFound
from openlatch.wire.inventory.sheet import row
from openlatch.words import EntryOrder, State
from tests.harness.twins import twins
from tests.operations.effects.world import World, of

ORLA = f"orla.finch@{DOMAIN}"


@of("entries.browse")
def _(w: World) -> None:
    entries = list(w.auditor.entries(account="Bookings", sort="party"))
    assert [e.party.name for e in entries] == sorted((e.party.name for e in entries), key=str.casefold)
    assert {e.party.name for e in w.member.entries()} == {"Orla Finch"}
    with w.refused(Invalid, "is not a state"):
        list(w.owner.entries(state="alive"))
    with w.refused(NotFound, "no account"):
        list(w.owner.entries(account="Nowhere"))


@of("entries.summary")
def _(w: World) -> None:
    assert w.owner.summary(account="Gate").entries == len(list(w.owner.entries(account="Gate")))
    with w.refused(Invalid, "is not a kind"):
        w.owner.summary(kind="ghost")


@of("entries.show")
def _(w: World) -> None:
    entry = w.owner.entry(w.things.entry)
    assert (entry.account.name, entry.state) == ("Bookings", "live")
    assert sum(line.points for line in entry.risk_lines) == entry.risk
    with w.refused(NotFound, "no entry"):
        w.member.entry(w.things.entry)


@of("entries.export")
def _(w: World) -> None:
    rows = list(csv.DictReader(io.StringIO(w.owner.export("csv", account="Gate").decode())))
    assert [row["ref"] for row in rows] == [e.ref for e in w.owner.entries(account="Gate")]
    assert len(w.member.export("jsonl").splitlines()) == len(list(w.member.entries()))
    with w.refused(Invalid, "format"):
        w.owner.export("pdf")


@of("entries.sheet")
def _(w: World) -> None:
    for client in (w.owner, w.member):
        for order in EntryOrder:
            text = client.export("csv", state=",".join(State), sort=order).decode()
            listed = client.entries(state=",".join(State), sort=order)
            assert list(csv.DictReader(io.StringIO(text, newline=""))) == list(map(row, listed))
    with w.refused(NotAllowed, "choose by that"):
        w.member.export("csv", flagged=True)


@of("accounts.browse")
def _(w: World) -> None:
    (mast,) = w.auditor.accounts("mast")
    assert (mast.name, mast.shared_with) == (
        "Weather Mast",
        len({e.party.id for e in w.owner.entries(account=mast.ref)}),
    )
    with w.refused(NotAllowed, "accounts.browse"):
        list(w.member.accounts())


@of("accounts.show")
def _(w: World) -> None:
    assert w.owner.account("night-sky plates").id == w.owner.account(w.owner.account("Night-Sky Plates").ref).id
    with w.refused(NotFound, "no account"):
        w.owner.account("Nowhere")


@of("accounts.shares")
def _(w: World) -> None:
    shares = w.owner.shares("Night-Sky Plates", "unreleased 2026")
    assert {"anyone": True} in [to for share in shares for s in share["statements"] for to in s["to"]]
    with w.refused(NotFound, "no account"):
        w.owner.shares("Nowhere")


@of("accounts.describe")
def _(w: World) -> None:
    assert w.owner.describe_account("Lost property", criticality="minor").criticality == "minor"
    assert w.last() in ("account.described", "flag.cleared", "flag.raised")
    with w.refused(Invalid, "criticality"):
        w.owner.describe_account("Lost property", criticality="enormous")


@of("parties.browse")
def _(w: World) -> None:
    assert {"Orla Finch"} == {p.name for p in w.auditor.parties("orla.finch")}
    with w.refused(NotAllowed, "parties.browse"):
        list(w.member.parties())


@of("parties.show")
def _(w: World) -> None:
    assert w.owner.party(ORLA).id == w.owner.party(w.owner.party(ORLA).ref).id
    with w.refused(NotFound, "no party"):
        w.owner.party(f"nobody@{DOMAIN}")


@of("parties.sponsor")
def _(w: World) -> None:
    app = next(p for p in w.owner.parties("Plate Solver"))
    assert w.owner.sponsor(app.ref, f"pell.varga@{DOMAIN}").sponsor is not None
    assert w.owner.sponsor(app.ref, "").sponsor is None
    with w.refused(Invalid, "."):
        w.owner.sponsor(app.ref, f"nobody@{DOMAIN}")


@of("parties.service")
def _(w: World) -> None:
    login = next(p for p in w.owner.parties("key without a name") if not p.service)
    flagged = {flag.rule for flag in w.owner.flags(party=login.ref)}
    assert "nobody-known" in flagged
    marked = w.owner.mark_service(login.ref)
    assert (marked.service, marked.outside) == (True, False)
    left = {flag.rule for flag in w.owner.flags(party=login.ref)}
    assert not {"nobody-known", "unverified-with-weight"} & left
    assert w.owner.mark_service(login.ref, service=False).service is False
    assert {flag.rule for flag in w.owner.flags(party=login.ref)} == flagged
    with w.refused(Invalid, "is listed as an app"):
        w.owner.mark_service(next(iter(w.owner.parties("Plate Solver"))).ref)


@of("parties.reach")
def _(w: World) -> None:
    through = {via.party.name for chain in w.auditor.reach(ORLA).chains for via in chain.via}
    assert {"Guides", "Saturday crew"} <= through
    with w.refused(NotFound, "no party"):
        w.owner.reach("Nobody at all")


@of("parties.cut")
def _(w: World) -> None:
    assert "membership" in {piece.kind for piece in w.owner.smallest_cut(ORLA, "Bookings", "edit").pieces}
    with w.refused(Invalid, "power"):
        w.owner.smallest_cut(ORLA, "Bookings", "fly")


@of("apps.browse")
def _(w: World) -> None:
    (ledger,) = w.auditor.apps("ridge ledger")
    assert [(e.account.name, e.powers) for e in ledger.entries] == [("Payouts", ["view", "withdraw"])]
    with w.refused(NotAllowed, "apps.browse"):
        list(w.member.apps())


@of("activity.browse")
def _(w: World) -> None:
    done = list(w.auditor.activity(account="Night-Sky Plates", how="app"))
    assert {a.behalf_of.name for a in done if a.behalf_of} == {"Ines Okoro", "Pell Varga"}
    with w.refused(Invalid, "how"):
        list(w.owner.activity(how="sideways"))


@of("hand.keep")
def _(w: World) -> None:
    kept = w.by_hand("Edda Brook")
    assert (kept.by_hand, kept.powers, kept.vouched and kept.vouched.by) == (True, ["view"], "Maren Ashdown")
    with w.refused(Invalid, "readings of Ticket Desk show every delegate"):
        w.owner.keep("Ticket Desk", account="Gate", party="Edda Brook", kind="delegate")


@of("hand.vouch")
def _(w: World) -> None:
    kept = w.by_hand("Celia Brook")
    again = w.manager.vouch(kept.ref)
    assert (again.vouched and again.vouched.by, w.last()) == ("Tobias Quill", "entry.vouched")
    with w.refused(Conflict, "not recorded by hand"):
        w.owner.vouch(w.things.entry)


@of("hand.gone")
def _(w: World) -> None:
    kept = w.by_hand("Dov Brook")
    ended = w.owner.gone(kept.ref, "the board was repainted")
    assert (ended.state, ended.end_reason) == ("ended", "gone")
    with w.refused(Conflict, "ended already"):
        w.owner.gone(kept.ref)


def _board(w: World) -> str:
    known = {provider.name for provider in w.owner.providers()}
    return "Notice board" if "Notice board" in known else w.owner.add_provider("Notice board", "by-hand", {}).name


@of("imports.fields")
def _(w: World) -> None:
    header = w.auditor.import_template("csv").decode().strip().split(",")
    assert {"account", "party", "level", "ends_at"} <= set(header)
    with w.refused(NotAllowed, "imports.fields"):
        w.member.import_template()


@of("imports.preview")
def _(w: World) -> None:
    seen = w.owner.preview_import(_board(w), b"Keys\n\nAccount,Who,Until\nBoard,Joss Brook,2030-05-10\n")
    assert (seen.form.header, seen.counts["new"], seen.made) == (3, 1, None)
    assert "Joss Brook" not in {e.party.name for e in w.owner.entries(provider=_board(w))}
    with w.refused(Malformed, "not text"):
        w.owner.preview_import(_board(w), b"\x00\x01\xff\x00")


@of("imports.start")
def _(w: World) -> None:
    board = _board(w)
    made = w.owner.import_list(board, b"Account,Who,Until\nBoard,Isla Brook,2030-05-10\n", name="keys.csv")
    assert (made.made and made.made.state, made.counts["new"]) == ("done", 1)
    assert "Isla Brook" in {e.party.name for e in w.owner.entries(provider=board)}
    bad = w.owner.import_list(board, b"Account,Who,Until\nBoard,Joss,someday\n")
    assert (bad.made, bad.complaints[0].line) == (None, 2)
    with w.refused(NotFound, "no provider"):
        w.owner.start_import("Nowhere", b"Account,Who\nBoard,Joss\n")


@of("imports.show")
def _(w: World) -> None:
    made = w.owner.start_import(_board(w), b"Account,Who\nBoard,Edda Brook\n", name="edda.csv").made
    assert made is not None
    assert (made.state, made.done, made.total) == ("queued", 0, 1)
    assert list(w.auditor.follow_import(made.ref))[-1].counts == {"new": 1, "changed": 0, "unchanged": 0}
    with w.refused(NotFound, "no import"):
        w.auditor.list_import("AAAA-AAAA")


@of("imports.browse")
def _(w: World) -> None:
    made = w.owner.import_list(_board(w), b"Account,Who\nBoard,Finn Brook\n", name="finn.csv").made
    assert next(w.auditor.list_imports(_board(w))) == made
    with w.refused(NotFound, "no provider"):
        list(w.auditor.list_imports("Nowhere"))


@of("secrets.record")
def _(w: World) -> None:
    told = w.owner.record_secret("Gate", "Hugo Brook", "the gate code", reason="for the Saturday tour")
    assert (told.kind, told.level, told.by_hand) == ("secret", "the gate code", True)
    assert "secret-told" in {flag.rule for flag in w.owner.entry(told.ref).flags}
    with w.refused(NotFound, "no account"):
        w.owner.record_secret("Nowhere", "Hugo Brook", "a code")


# Who is the same as whom


@of("parties.perhaps")
def _(w: World) -> None:
    text, other = twins(w.ridge, "tomas")
    (pair,) = w.auditor.perhaps_the_same(text)
    assert {pair.one.party.ref, pair.other.party.ref} == {text, other}
    assert pair.reasons[0].says.startswith("Both have the address tomas@northcape-uni.example")
    with w.refused(NotFound, "no party"):
        w.owner.perhaps_the_same("Nobody at all")


@of("parties.keys")
def _(w: World) -> None:
    text, _ = twins(w.ridge, "mina")
    (key,) = w.auditor.known_as(text)
    assert (key.provider.name, key.key, key.addresses) == ("Ticket Desk", "mina-d", ["mina@northcape-uni.example"])
    with w.refused(NotFound, "no party"):
        w.owner.known_as("Nobody at all")


@of("parties.join")
def _(w: World) -> None:
    text, other = twins(w.ridge, "ada")
    said = w.manager.join(text, other, reason="They told me")
    assert (said.verdict, said.reason, said.decided_by) == ("joined", "They told me", "Tobias Quill")
    assert w.owner.party(other).ref == text
    assert len({entry.subject for entry in w.owner.entries(party=text)}) == 2
    with w.refused(Conflict, "already"):
        w.manager.join(text, other)
    with w.refused(NotAllowed, "parties.join"):
        w.auditor.join(text, other)


@of("parties.apart")
def _(w: World) -> None:
    text, other = twins(w.ridge, "bela")
    assert w.manager.keep_apart(text, other).verdict == "apart"
    assert w.owner.perhaps_the_same(text) == []
    with w.refused(Conflict, "already"):
        w.manager.keep_apart(text, text)


@of("parties.part")
def _(w: World) -> None:
    text, other = twins(w.ridge, "ciro")
    w.manager.join(text, other)
    said = w.manager.part(text, "Plate Archive", "ciro-s", reason="A namesake")
    assert (said.verdict, said.one.ref) == ("parted", text)
    assert [key.provider.name for key in w.owner.known_as(said.other.ref)] == ["Plate Archive"]
    with w.refused(Conflict, "nothing to part"):
        w.manager.part(text, "Ticket Desk", "ciro-d")
    with w.refused(Invalid, "does not know"):
        w.manager.part(text, "Plate Archive", "ciro-s")


@of("parties.undo")
def _(w: World) -> None:
    text, other = twins(w.ridge, "dina")
    said = w.manager.join(text, other)
    undone = w.manager.undo_sameness(said.ref)
    assert (undone.undone_by, w.last()) != (None, "party.joined")
    assert w.owner.party(other).ref == other
    with w.refused(Conflict, "undone already"):
        w.manager.undo_sameness(said.ref)


@of("parties.decided")
def _(w: World) -> None:
    text, other = twins(w.ridge, "edo")
    said = w.manager.keep_apart(text, other, reason="Two brothers")
    latest = next(w.auditor.sameness_decisions())
    assert (latest.ref, latest.reason, latest.undone_at) == (said.ref, "Two brothers", None)
    with w.refused(NotAllowed, "parties.decided"):
        list(w.member.sameness_decisions())
