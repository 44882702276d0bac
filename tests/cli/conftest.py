"""What commands are tried with: things of the demo beyond one of each, files, and a terminal of eighty columns."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest

from openlatch.cli.connection import Carrier
from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD, VOLUNTEERS
from openlatch.demo.seed import SLUG
from openlatch.operations.people import people
from openlatch.wire.messages import SignOnWish
from openlatch.words import Role
from tests.cli.commands import COLUMNS, LIST, POLICY, PROPOSAL, TRIAL
from tests.harness.acts import Desk, Spares, settle
from tests.harness.furniture import PLATES, Furniture
from tests.harness.openid import ISSUER, Login
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal
from tests.harness.twins import twins


@pytest.fixture(scope="module")
def more(furnished: Ridge, things: Furniture) -> dict[str, str]:
    """What some commands need beyond one of each thing, by short form."""
    texts: dict[str, str] = {}
    with furnished.client() as maren, furnished.client("ines.okoro") as ines:
        spares = Spares([maren.entry(ref) for ref in (things.entry, things.guide)])
        cashier = next(e for e in maren.entries(account="Bookings") if e.level == "cashier" and "spend" in e.powers)
        owning = next(e for e in maren.entries(account="Weather Mast") if "own" in e.powers)
        texts |= {"cashier": cashier.ref, "owning": owning.ref, "ended": maren.order(things.order).entry.ref}
        texts["second"] = next(e for e in maren.entries(account="Weather Mast", q="jory") if e.ref != owning.ref).ref
        texts["tablet"] = next(maren.entries(kind="session", q="Gate tablet")).ref
        texts["grant"] = next(maren.entries(kind="grant", provider="Dome Control", q="amara")).ref
        texts["own"] = next(maren.entries(party=f"maren.ashdown@{DOMAIN}", provider="Donation Box")).ref
        texts["kept"] = maren.keep("Hill Road Signage", account="Hill Road display", party="Finn Crane").ref
        paused = spares.take(maren)
        settle(maren, maren.command(paused.ref, "pause").ref)
        texts["paused"] = paused.ref
        for name, issuer in (
            ("Ridge", ISSUER),
            ("Old", "https://old.login.example"),
            ("", "https://hill.login.example"),
        ):
            Login(furnished, issuer)
            if name:
                wish = SignOnWish(name=f"{name} Login", issuer=issuer, client_id="latch", secret="x")
                maren.add_sign_on(wish)
        desk = Desk(furnished, transport=furnished.transport)
        named = [f"ines.okoro@{DOMAIN}"]
        for name, choice in (
            ("Ours", ""),
            ("Spare", ""),
            ("Later", "nothing"),
            ("Off", "nothing"),
            ("Decided", "keep"),
            ("Closed", "keep"),
            ("Settling", "end-now"),
        ):
            entry = spares.take(maren)
            where = {"party": entry.party.ref, "account": "Bookings"}
            maren.add_review(name, where=where, named=named, recurs="FREQ=YEARLY")
            if not choice:
                continue
            opened = maren.open_round(name)
            texts[name.lower()] = opened.ref
            if choice == "nothing":
                continue
            if choice == "end-now":
                desk.refuse(entry, "consent is missing")
            places = [item.place for item in maren.round_items(opened.ref)]
            for place in places:
                ines.decide(opened.ref, [place], choice if place == 1 else "keep", reason="So it is")
            if name != "Decided":
                maren.finish_round(opened.ref)
                furnished.drain()
        desk.close()
        for name in ("tomas", "mina", "ada", "edo"):
            texts[name], texts[f"{name}_too"] = twins(furnished, name)
        maren.join(texts["ada"], texts["ada_too"])
        for name in ("invited", "leaving", "disabled", "disabled_too"):
            texts[name] = f"{name.replace('_', '.')}@{DOMAIN}"
            if name.startswith("disabled"):
                with furnished.call() as call:
                    people.add_first(call, name.title(), texts[name], Role.MEMBER, PASSWORD)
            else:
                maren.invite(texts[name], "member")
        maren.disable_person(texts["disabled"])
        maren.pause_provider("Plate Archive")
        texts["volunteer"], texts["warden"] = VOLUNTEERS[0].address, VOLUNTEERS[6].address
        refused = spares.take(maren)
        desk = Desk(furnished, transport=furnished.transport)
        desk.refuse(refused, "consent is missing")
        texts["stuck_too"] = settle(maren, maren.end(refused.ref).ref).ref
        desk.close()
        texts["my_request"] = maren.ask("Night-Sky Plates", ["edit"], reason="To correct a label").ref
        texts["webhook_too"] = maren.add_webhook("https://ledger.kestrelridge.example/other").ref
        maren.save_view("Spare", "kind=app")
        maren.listen("Plate Archive", "https://feed.example", "https://feed.example/keys")
        texts |= _leavers(furnished, maren)
        texts["said"] = maren.keep_apart(texts["edo"], texts["edo_too"], reason="Two brothers").ref
    return texts


def _leavers(ridge: Ridge, maren: Client) -> dict[str, str]:
    """Two who leave: one by whom things are left that only people can do, and one who goes later."""
    going = next(e.party for e in maren.entries(provider="Hill Road Signage") if not e.order)
    plan = maren.plan_leaver(going.ref)
    batch = maren.leave(going.ref, count=len(plan.items))
    ridge.drain()
    places = [str(item.place) for item in maren.batch(batch.ref).items if item.outcome == "to do"]
    later = next(e.party for e in maren.entries(account="Bookings", sort="party") if e.party.ref != going.ref)
    waits = maren.leave(
        later.ref,
        count=len(maren.plan_leaver(later.ref).items),
        last_day=(ridge.clock.now + timedelta(days=30)).date(),
    )
    return {"leaving_batch": batch.ref, "to_do": places[0], "to_do_too": places[-1], "waiting_batch": waits.ref}


@pytest.fixture(autouse=True)
def _same_password(request: pytest.FixtureRequest, furnished: Ridge) -> Iterator[None]:
    """After a command that changed it, the password is the one that other tests sign in with."""
    yield
    if request.node.name.endswith("[me password]"):
        with furnished.call() as call:
            person = call.tx.people.by_address(f"maren.ashdown@{DOMAIN}")
            assert person is not None
            call.tx.people.set_password(person[0].id, call.services.passwords.hash(PASSWORD))


@pytest.fixture(scope="module")
def home(furnished: Ridge, things: Furniture, more: dict[str, str], tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the files that commands are given."""
    folder = tmp_path_factory.mktemp("home")
    change = {"do": "lock", "account": PLATES, "locked": True}
    (folder / LIST).write_text("Account,Who\nHill Road display,Isla Brook\n")
    (folder / "club.toml").write_text((Path(__file__).parents[2] / "docs" / "described" / "club.toml").read_text())
    (folder / "answers.json").write_text(json.dumps({"/v1/teams?page=1&size=2": {"data": []}}))
    (folder / PROPOSAL).write_text(json.dumps({"proposal": 1, "title": "A lock", "changes": [change]}))
    with furnished.client() as maren:
        text = maren.policy().text
        (folder / POLICY).write_text(text.replace("secret_known_to = 1 ", "secret_known_to = 9 ", 1))
        (folder / TRIAL).write_text(text.replace('unused = "90d"', 'unused = "400d"', 1))
        # There is a policy to go back to, whether one is adopted before or not.
        maren.adopt_policy(text.replace("secret_known_to = 1 ", "secret_known_to = 2 ", 1), note="Two may know it")
        (folder / "receipt.jws").write_text(maren.receipt(things.order))
        (folder / "closed.json").write_bytes(maren.round_report(more["closed"]))
        (folder / "head.jws").write_text(maren.log_head().signed)
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
