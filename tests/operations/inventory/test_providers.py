"""The inventory over all kinds of entry: what words mean, what is recorded by hand, lists, and everyone's own view."""

from __future__ import annotations

import io
from email.utils import parseaddr
from typing import Any
from uuid import uuid4

import openpyxl
import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Conflict, Invalid, Malformed, NotAllowed, NotFound
from openlatch.wire import messages as wire
from openlatch.wire.inventory.sheet import COLUMNS
from tests.harness.acts import events, read, settle
from tests.harness.ridge import Ridge

LETTER = "Members' Letter"


@pytest.fixture
def by_hand(client: Client) -> str:
    """A provider of its own that is recorded by hand."""
    return client.add_provider(f"Notice board {uuid4().hex[:8]}", "by-hand", {}).name


def table(*rows: str) -> bytes:
    return "\n".join(rows).encode()


def entries(client: Client, provider: str) -> list[wire.Entry]:
    return list(client.entries(provider=provider, sort="party"))


def test_every_kind_of_entry_is_there_each_with_what_its_provider_knows(client: Client) -> None:
    the_entries: dict[str, wire.Entry] = {}
    for entry in client.entries():
        the_entries.setdefault(entry.kind, entry)
    assert set(the_entries) == {"delegate", "grant", "app", "session", "offer", "secret", "open"}
    nights = next(e for e in client.entries(q="amara.levy", provider="Dome Control"))
    assert nights.hours is not None
    assert nights.hours.text == "Tuesdays and Fridays 19:00–04:00"
    app = next(e for e in client.entries(kind="app", q="Star Chart", provider="Plate Archive"))
    assert (app.party.publisher, app.last_used, app.use_known) == ("Star Chart Press", None, True)
    tablet = next(e for e in client.entries(kind="session", q="Gate tablet"))
    assert (tablet.device, tablet.network) == ("tablet", "192.0.2.41")
    # Another test may have ended it by now; what is known of its use stays.
    used = next(e for e in client.entries(q="Brightmere", provider="Ticket Desk", state="live,ending,ended"))
    assert used.uses is not None
    assert (set(used.uses), used.used_powers) == ({"view", "edit"}, [])


@pytest.mark.parametrize(("who", "parts"), [("northcape-uni", 61), ("lakeside-institute", 61), ("folder 091", 1)])
def test_what_a_sharing_document_gives_is_taken_back_there_and_nothing_else(apart: Ridge, who: str, parts: int) -> None:
    client = apart.client()
    before = {e.ref for e in client.entries(provider="Plate Archive")}
    (entry,) = client.entries(provider="Plate Archive", q=who)
    assert (entry.powers, len(entry.resources), entry.given_by) == (["view"], parts, "Pell Varga")
    order = settle(client, client.end(entry.ref).ref)
    assert order.state == "proved", order.why
    read(client, "Plate Archive")
    assert {e.ref for e in client.entries(provider="Plate Archive")} == before - {entry.ref}


def test_limits_and_denies_of_documents_are_worked_out(client: Client) -> None:
    limited, denied = (next(e for e in client.entries(q=f"folder {n}")) for n in (266, 301))
    assert limited.hours is not None
    assert (limited.hours.text, limited.network) == (
        "Wednesdays and Saturdays 10:00–17:30",
        "192.0.2.0/26, 2001:db8:1::/48",
    )
    assert denied.powers == ["view"]
    assert client.account("Night-Sky Plates").locked is False


def test_activity_is_told_apart_by_who_acted_and_in_whose_name(client: Client) -> None:
    read(client, "Plate Archive")
    done = list(client.activity(account="Night-Sky Plates"))
    solved = [a for a in done if a.what == "solved a plate"]
    assert {(a.how, a.party.name, a.behalf_of and a.behalf_of.name) for a in solved} == {
        ("app", "Plate Solver", "Ines Okoro"),
        ("app", "Plate Solver", "Pell Varga"),
    }
    pell = list(client.activity(party="pell.varga@kestrelridge.example", account="Night-Sky Plates"))
    assert {a.id for a in pell} == {
        a.id for a in done if a.party.name == "Pell Varga" or (a.behalf_of and a.behalf_of.name == "Pell Varga")
    }
    outside = next(a for a in client.activity(how="delegate") if a.party.name == "Brightmere Electrical")
    assert (outside.behalf_of, outside.account.name) == (None, "Gate")
    assert len({a.id for a in done}) == len(done) == len({(a.party.id, a.at, a.what) for a in done})


def test_a_word_nobody_explained_is_unknown_until_somebody_does(client: Client) -> None:
    (entry,) = [e for e in client.entries(provider="Volunteer Roll", unknown=True) if "badge printer" in e.unknown]
    assert "publish" not in entry.powers
    words = {w.word: w for w in client.levels("Volunteer Roll")}
    assert (words["badge printer"].origin, words["badge printer"].entries) == ("unknown", 1)
    after = {w.word: w for w in client.correct_level("Volunteer Roll", "badge printer", ["publish", "view"])}
    assert (after["badge printer"].powers, after["badge printer"].corrected_by) == (
        ["view", "publish"],
        "Maren Ashdown",
    )
    known = client.entry(entry.ref)
    assert (known.unknown, "publish" in known.powers) == ([], True)
    assert "entry.changed" in events(client, entry)
    read(client, "Volunteer Roll")
    assert "publish" in client.entry(entry.ref).powers, "a reading keeps what the holder said"
    client.correct_level("Volunteer Roll", "badge printer", None)
    assert client.entry(entry.ref).unknown == ["badge printer"]
    with pytest.raises(NotFound, match="No entry"):
        client.correct_level("Volunteer Roll", "roll emperor", ["own"])


def test_what_the_holder_says_goes_before_what_the_provider_states(client: Client) -> None:
    before = {e.ref: e.powers for e in client.entries(provider="Live Sky") if e.level == "moderator"}
    assert before
    client.correct_level("Live Sky", "moderator", ["view"])
    try:
        assert all(client.entry(ref).powers == ["view"] for ref in before)
    finally:
        client.correct_level("Live Sky", "moderator", None)
    assert {ref: client.entry(ref).powers for ref in before} == before


def test_addresses_that_merely_resemble_a_known_one_are_matched_to_nobody_and_reported(client: Client) -> None:
    flags = {f.facts["addresses"][0]: f for f in client.flags(rule="address-near-miss")}
    assert flags["exchange@kestreIridge.example"].facts["known"] == "kestrelridge.example"
    assert flags[f"tquil@{DOMAIN}"].facts["known"] == f"tobias.quill@{DOMAIN}"
    assert client.party(f"tquil@{DOMAIN}").id != client.party(f"tobias.quill@{DOMAIN}").id


def test_apps_are_shown_by_account_and_what_is_open_to_anyone_is_one_query(client: Client) -> None:
    apps = {app.party.name: app for app in client.apps("ledger")}
    assert [(e.account.name, e.powers) for e in apps["Ridge Ledger"].entries] == [("Payouts", ["view", "withdraw"])]
    anyone = list(client.entries(kind="open"))
    changeable = list(client.entries(kind="open", power="edit"))
    assert [e.resources for e in changeable] == [["unreleased 2026"]]
    assert len(anyone) > len(changeable)
    assert {e.provider.name for e in anyone} == {"Plate Archive", "Front Office Mail"}


def test_whoever_connected_an_app_reaches_what_the_app_does(client: Client) -> None:
    chains = client.reach(f"l.hartnell@{DOMAIN}").chains
    through = {c.via[0].party.name: c for c in chains if c.via}
    assert through["Ridge Ledger"].via[0].how == "app"
    assert "withdraw" in through["Ridge Ledger"].entry.powers
    assert {c.entry.kind for c in chains if not c.via} >= {"delegate", "secret"}, "secrets they know are theirs too"


def test_an_entry_kept_by_hand_is_vouched_for_and_ends_when_somebody_says_so(client: Client, by_hand: str) -> None:
    kept = client.keep(
        by_hand, account="Display", party="Ivo Marsh", addresses=[f"ivo.marsh@{DOMAIN}"], powers=["edit"]
    )
    assert (kept.by_hand, kept.powers, kept.party.id) == (True, ["edit"], client.party(f"ivo.marsh@{DOMAIN}").id)
    assert kept.vouched is not None
    assert (kept.vouched.by, kept.vouched.worn_off) == ("Maren Ashdown", False)
    same = client.keep(
        by_hand, account="Display", party="Ivo Marsh", addresses=[f"ivo.marsh@{DOMAIN}"], powers=["view"]
    )
    assert (same.id, same.powers) == (kept.id, ["view"])
    with pytest.raises(Conflict, match="there is nothing to read"):
        client.read(by_hand)
    again = client.vouch(kept.ref)
    assert again.vouched is not None
    assert again.vouched.at > kept.vouched.at
    gone = client.gone(kept.ref, "the board was sold")
    assert (gone.state, gone.end_reason) == ("ended", "gone")
    assert events(client, kept) == [
        "entry.found",
        "entry.vouched",
        "entry.changed",
        *["entry.vouched"] * 2,
        "entry.ended",
    ]
    with pytest.raises(Conflict, match="ended already"):
        client.vouch(kept.ref)


def test_an_order_for_what_is_kept_by_hand_is_proved_once_somebody_says_that_it_is_gone(
    client: Client, by_hand: str
) -> None:
    kept = client.keep(by_hand, account="Display", party="Ivo Marsh", addresses=[f"ivo.marsh@{DOMAIN}"])
    order = settle(client, client.end(kept.ref).ref)
    assert (order.state, client.entry(kept.ref).state) == ("waiting", "ending")
    assert client.gone(kept.ref, "the board was sold").end_reason == "revoked"
    assert next(
        o
        for o in client._follow(lambda: client.order(order.ref), lambda o: o.state == "proved", 0.2)
        if o.state == "proved"
    ).receipt


def test_vouching_wears_off_and_is_said_wherever_it_matters(client: Client) -> None:
    signage = client.provider("Hill Road Signage")
    assert (signage.by_hand, signage.stale, signage.worn_off) == (True, False, 1)
    worn = [e.party.name for e in entries(client, signage.name) if e.vouched and e.vouched.worn_off]
    assert worn == ["Lantern Works"]


def test_what_readings_show_is_not_kept_by_hand_and_readings_leave_alone_what_is(client: Client) -> None:
    with pytest.raises(Invalid, match="readings of Ticket Desk show every delegate"):
        client.keep("Ticket Desk", account="Gate", party="Someone", kind="delegate")
    entry = next(e for e in client.entries(provider="Ticket Desk", q="Orla"))
    with pytest.raises(Conflict, match="not recorded by hand"):
        client.vouch(entry.ref)
    with pytest.raises(Invalid, match="that readings of Ticket Desk show"):
        client.keep("Ticket Desk", account="Bookings", party="Orla", kind="secret", key=entry.key)
    assert not client.entry(entry.ref).by_hand
    told = client.keep("Ticket Desk", account="Gate", party="Hugo Alder", kind="secret", level="gate code")
    assert told.account.id == entry.account.id or told.account.name == "Gate"
    assert read(client, "Ticket Desk").state == "complete"
    assert client.entry(told.ref).state == "live", "that no reading shows it ends nothing"
    client.gone(told.ref)


@pytest.mark.parametrize("kind", ["csv", "xlsx"])
def test_a_list_is_looked_through_then_taken_and_comes_back_the_same(client: Client, by_hand: str, kind: str) -> None:
    rows = (
        ["Who", "E-mail", "Account", "Role", "Until", "Powers", "Favourite star"],
        [f"=Nova; {kind}", f"nova.{kind}@alder.example", "Display", "sign keeper", "2030-05-10", "view, edit", "Vega"],
        [
            "Star Alder",
            f"star.{kind}@alder.example",
            "Display",
            "board delegate",
            "",
            "",
            "Deneb",
        ],
    )
    content = table(*(";".join(f'"{cell}"' for cell in row) for row in rows))
    if kind == "xlsx":
        book, file = openpyxl.Workbook(), io.BytesIO()
        for number, row in enumerate(rows, 1):
            for place, cell in enumerate(row, 1):
                book.worksheets[0].cell(number, place).value = cell
                book.worksheets[0].cell(number, place).data_type = "s"
        book.save(file)
        content = file.getvalue()
    trial = client.preview_import(by_hand, content, kind)
    assert (trial.made, trial.counts, trial.complaints) == (None, {"new": 2, "changed": 0, "unchanged": 0}, [])
    assert [line.cells[0] for line in trial.lines] == [row[0] for row in rows], "the sheet as it is"
    assert {c.header: c.field for c in trial.columns}["Favourite star"] == ""
    assert entries(client, by_hand) == []
    done = client.import_list(by_hand, content, kind, form=wire.ImportForm(columns={"Favourite star": "basis"}))
    assert done.made is not None
    assert (done.made.state, done.made.done, done.counts["new"]) == ("done", 2, 2)
    assert [an_import.ref for an_import in client.list_imports(by_hand)] == [done.made.ref]
    known = client.preview_import(by_hand, content, kind)
    assert known.remembered
    assert {c.header: c.field for c in known.columns}["Favourite star"] == "basis", "as it was matched the last time"
    first, second = entries(client, by_hand)
    assert (first.party.name, first.basis, first.unknown, first.powers) == (
        f"=Nova; {kind}",
        "Vega",
        [],
        ["view", "edit"],
    )
    assert (second.unknown, second.vouched.by if second.vouched else "") == (["board delegate"], "Maren Ashdown")
    exported = client.export(kind, provider=by_hand)
    again = client.import_list(by_hand, exported, kind)
    assert (again.complaints, again.counts) == ([], {"new": 0, "changed": 0, "unchanged": 2})
    if kind == "csv":
        worked_out = {"vouched_at", "last_seen"}
        kept = [place for place, name in enumerate(COLUMNS) if name not in worked_out]
        lines = [client.export(kind, provider=by_hand).decode().splitlines(), exported.decode().splitlines()]
        one, other = ([[line.split(",")[p] for p in kept[:20]] for line in text] for text in lines)
        assert one == other


def test_one_bad_line_takes_nothing_and_is_named(client: Client, by_hand: str) -> None:
    content = table("Account,Who,Until", "Display,Orla,2030-05-10", "Display,Dov,next week", "Display,Orla,")
    outcome = client.import_list(by_hand, content)
    assert outcome.made is None
    assert [(c.line, c.column) for c in outcome.complaints] == [(3, "Until"), (4, "")]
    assert entries(client, by_hand) == []
    guessed = client.preview_import(by_hand, "Account,Who\nDisplay,André\n".encode("latin-1"))
    assert (guessed.lines[1].cells[1], guessed.remarks[0].line) == ("André", 0)
    with pytest.raises(Malformed, match="not a spreadsheet"):
        client.import_list(by_hand, content, "xlsx")
    readings_show = client.import_list("Ticket Desk", table("Account,Who", "Gate,Orla"))
    assert "readings of Ticket Desk show every delegate" in readings_show.complaints[0].problem


def test_a_member_gives_up_their_own_and_nobody_elses(ridge: Ridge, client: Client) -> None:
    with ridge.client("orla.finch") as member:
        own = next(e for e in member.entries(provider="Volunteer Roll"))
        with pytest.raises(NotAllowed):
            member.end(own.ref)
        plan = member.plan(own.ref, "give-up")
        assert (plan.action, plan.party.name) == ("give-up", "Orla Finch")
        order = settle(member, member.give_up(own.ref, reason="Too many Saturdays", digest=plan.digest).ref)
        assert (order.state, member.entry(own.ref).end_reason) == ("proved", "given-up")
        assert own.ref not in {e.ref for e in member.entries()}
        foreign = next(e for e in client.entries(provider="Ticket Desk", q="Dov"))
        with pytest.raises(NotFound):
            member.give_up(foreign.ref)
    with pytest.raises(NotAllowed, match="not your own"):
        client.give_up(foreign.ref)


def test_everyone_finds_what_others_let_them_into(client: Client) -> None:
    mine = list(client.entries(mine=True))
    assert {e.party.name for e in mine} >= {"Maren Ashdown"}
    assert all(f"maren.ashdown@{DOMAIN}" in e.party.addresses for e in mine)
    assert len({e.provider.name for e in mine}) > 2


def test_views_are_kept_for_oneself(ridge: Ridge, client: Client) -> None:
    name = f"Apps / {uuid4().hex[:6]}"
    client.save_view(name, "kind=app")
    view = client.save_view(name, "kind=app&flagged=true")
    assert [v.query for v in client.views() if v.name == name] == ["kind=app&flagged=true"]
    with ridge.client("tobias.quill") as other:
        assert name not in {v.name for v in other.views()}
        with pytest.raises(NotFound):
            other.remove_view(view.id)
    client.remove_view(view.id)
    assert name not in {v.name for v in client.views()}


def test_what_the_holder_says_of_an_account_stays_when_it_is_read_again(client: Client) -> None:
    assert client.describe_account("South Dome", criticality="normal", practice=True).practice
    read(client, "Dome Control")
    again = client.account("South Dome")
    assert (again.criticality, again.practice) == ("normal", True)
    client.describe_account("South Dome", criticality="vital", practice=False)


@pytest.mark.parametrize(
    ("provider", "wanted"),
    [
        ("Volunteer Roll", {"q": "kira.finch"}),
        ("Donation Box", {"q": "Thank-you"}),
        ("Plate Archive", {"kind": "open", "power": "edit"}),
        ("Live Sky", {"kind": "offer"}),
    ],
)
def test_an_end_is_carried_out_and_proved_at_every_kind_of_provider(
    apart: Ridge, provider: str, wanted: dict[str, Any]
) -> None:
    client = apart.client()
    entry = next(e for e in client.entries(provider=provider, **wanted) if e.party.kind != "team")
    order = settle(client, client.end(entry.ref).ref)
    why = "withdrawn" if entry.kind == "offer" else "revoked"
    assert (order.state, client.entry(entry.ref).end_reason) == ("proved", why)
    assert order.receipt is not None
    assert entry.key in order.receipt.showed
    reading = read(client, provider)
    assert (reading.state, reading.counts["gone"]) == ("complete", 0)


def test_a_teams_own_access_is_not_ended_where_that_cannot_be_done(client: Client) -> None:
    entry = next(e for e in client.entries(provider="Volunteer Roll") if e.party.kind == "team")
    with pytest.raises(Conflict, match="take from the team"):
        client.end(entry.ref)


def test_what_anyone_can_do_is_part_of_the_reach_and_of_the_plan(client: Client) -> None:
    (pell,) = list(client.parties(q="Pell Varga"))
    chains = [chain for chain in client.reach(pell.ref).chains if chain.entry.account.name == "Night-Sky Plates"]
    opened = [chain for chain in chains if [via.how for via in chain.via] == ["open"]]
    assert {chain.via[0].party.name for chain in opened} == {"Anyone"}
    assert all(chain.idle for chain in opened), "a keeper has all of it himself"
    own = next(chain for chain in chains if not chain.via and chain.entry.kind == "delegate")
    assert "view" in own.loses, "anyone comes to some folders, and he to all"
    (anyway,) = [
        consequence for consequence in client.plan(own.entry.ref).consequences if consequence.kind == "open-anyway"
    ]
    assert anyway.text.startswith("Anyone can do this whatever happens to it, and so can Pell Varga: view")


def test_what_a_session_or_a_secret_is_called_is_no_level_that_anybody_is_given(client: Client) -> None:
    def levels(account: str, level: str) -> list[str]:
        entry = next(e for e in client.entries(account=account, state="live") if e.level == level)
        return client.plan(entry.ref).levels

    assert "mast reader" in levels("North Dome", "night assistant")
    assert "signed in" not in levels("North Dome", "night assistant")
    secret = next(e for e in client.entries(kind="secret", state="live"))
    offered = [choice.level for choice in client.fit(secret.account.ref, needs=["view"]).choices]
    assert secret.level not in offered
    with pytest.raises(Invalid, match="has no level"):
        client.command(
            next(e.ref for e in client.entries(account="North Dome", kind="grant")), "narrow", level="signed in"
        )


NEAR = {
    "hollis@northcape-un1.example": "northcape-uni.example",  # the domain of a partner
    "works@brightmere.exampl": "brightmere.example",
    f"jori.penrose@{DOMAIN}": f"jory.penrose@{DOMAIN}",  # someone who is known
    f"inez.okoro@{DOMAIN}": f"ines.okoro@{DOMAIN}",  # someone who signs in
    f"Jory Penrose <jp@{DOMAIN}>": f"jory.penrose@{DOMAIN}",  # a name that is known at that domain
}


@pytest.mark.parametrize("who", NEAR)
def test_an_address_that_resembles_anything_known_is_not_taken_without_a_word(client: Client, who: str) -> None:
    name, address = parseaddr(who)
    with pytest.raises(Invalid) as told:
        client.record_secret("Bookings", who, "the door code")
    with pytest.raises(Invalid) as kept:
        client.keep("Hill Road Signage", account="Hall", addresses=[address], party=name)
    for refused in (told, kept):
        assert NEAR[who] in refused.value.message
        assert refused.value.fields["errors"][0]["kind"] == "near-miss"
    parts = [{"account": "Bookings", "level": "guide"}]
    wish = wire.OfferWish.model_validate({"to": address, "name": name, "endless": True, "parts": parts})
    assert NEAR[who] in next(remark.text for remark in client.check_offer(wish).remarks if remark.kind == "near-miss")


def test_an_address_that_is_said_to_be_somebody_elses_is_known_from_then_on(client: Client) -> None:
    kept = client.record_secret("Bookings", f"maren.ashdow@{DOMAIN}", "the door code", somebody_else=True)
    assert kept.party.addresses == [f"maren.ashdow@{DOMAIN}"]
    assert client.record_secret("Bookings", f"maren.ashdow@{DOMAIN}", "the safe").party.id == kept.party.id


def test_a_member_sees_their_own_providers_and_only_the_flags_that_are_meant_for_them(
    ridge: Ridge, client: Client
) -> None:
    orla = ridge.client("orla.finch")
    own = {entry.provider.id for entry in client.entries(party=f"orla.finch@{DOMAIN}")}
    seen = orla.providers()
    assert {provider.id for provider in seen} == own < {provider.id for provider in client.providers()}
    assert all((provider.settings, provider.latest) == ({}, None) for provider in seen)
    elsewhere = next(provider for provider in client.providers() if provider.id not in own)
    with pytest.raises(NotFound):
        orla.provider(elsewhere.name)
    for entry in orla.entries():
        whole = client.entry(entry.ref)
        shown = {flag.rule for flag in entry.flags}
        assert shown == {flag.rule for flag in whole.flags} & {"unused-past-limit", "never-used", "live-past-end"}
        assert orla.entry(entry.ref).risk_lines == []
    for wanted in ({"flagged": True}, {"rule": "never-used"}, {"risk": 5}):
        with pytest.raises(NotAllowed, match="cannot choose by that"):
            list(orla.entries(**wanted))  # type: ignore[arg-type]
    assert orla.summary().flagged == sum(bool(entry.flags) for entry in orla.entries())


def test_a_complete_reading_never_tells_of_more_entries_than_there_are(client: Client) -> None:
    for provider in client.providers():
        if provider.latest is not None:
            assert provider.latest.seen == provider.latest.total, provider.name
