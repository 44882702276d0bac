"""The command line as people type it and as programs read it."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.wire import messages as wire
from tests.harness.acts import Desk
from tests.harness.databases import Databases
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

ROOT = Path(__file__).parents[2]


Spare = Callable[[], wire.Entry]


def test_the_sign_in_is_kept_for_its_owner_alone_until_the_sign_out(run: Terminal) -> None:
    assert run.kept.stat().st_mode & 0o777 == 0o600
    assert "owner of Kestrel Ridge Observatory" in run("me", "show")
    token = json.loads(run.kept.read_text())
    run("sign-out")
    assert not run.kept.exists()
    assert "Sign in with" in run("me", "show", exits=3)
    elsewhere = run("me", "show", exits=3, OPENLATCH_SERVER="https://elsewhere.example")
    assert "Nobody is signed in at https://elsewhere.example." in elsewhere, "a kept token goes to no other service"
    refused = run("me", "show", exits=3, OPENLATCH_SERVER=token["server"], OPENLATCH_TOKEN=token["token"])
    assert "was revoked" in refused


def test_an_access_is_looked_at_tried_ended_and_proved(run: Terminal, spare: Spare, desk: Desk) -> None:
    entry = spare()
    assert entry.party.name in run("show", entry.ref.lower().replace("-", ""))
    dry = run("end", entry.ref, "--dry-run")
    assert "What happens" in dry
    assert "Nothing was changed" in dry
    assert "Add --yes" in run("end", entry.ref, exits=2)
    assert desk.effects(entry) == 0
    said = run("end", entry.ref, "--yes", "--reason", "Left in spring")
    order = re.search(r"order (\w{4}-\w{4})", said)
    assert order is not None
    assert "proved" in said
    assert "Receipt" in run("order", "show", order[1])
    assert "Left in spring" in run("order", "show", order[1])
    assert "has already ended" in run("end", entry.ref, "--yes")
    history = [json.loads(line) for line in run("log", "list", "--entry", entry.ref, "-o", "json").splitlines()]
    assert {event["about"]["ref"] for event in history} == {entry.ref}
    assert "entry.ended" in {event["content"]["act"] for event in history}
    assert desk.effects(entry) == 1


def test_an_order_that_needs_a_person_has_an_exit_code_of_its_own(run: Terminal, spare: Spare, desk: Desk) -> None:
    entry = spare()
    desk.refuse(entry, "consent is missing")
    said = run("end", entry.ref, "--yes", exits=6)
    order = re.search(r"openlatch order retry (\w{4}-\w{4})", said)
    assert order is not None
    assert "cancelled" in run("order", "cancel", order[1], "--yes")
    assert "live" in run("show", entry.ref)
    desk.refuse(entry, None)


def test_lists_are_read_by_programs_and_by_people_alike(run: Terminal, client: Client) -> None:
    expected = [e.ref for e in client.entries(account="Gate")]
    lines = run("inventory", "--account", "Gate", "--limit", "0", "--output", "json").splitlines()
    assert [json.loads(line)["ref"] for line in lines] == expected
    rows = list(csv.DictReader(io.StringIO(run("inventory", "--account", "Gate", "--limit", "0", "-o", "csv"))))
    assert [row["ref"] for row in rows] == expected
    table = run("inventory", "--account", "Gate", "--limit", "0")
    assert all(ref in table for ref in expected)
    assert re.search(r"\d+ providers were read completely, the oldest .* ago|just now", table)
    assert "Hill Road Signage: recorded by hand, 1 entry not vouched for in 90 days" in table
    assert f"{client.account_risk('Gate').risk} of 100" in run("account", "show", "Gate")
    assert f"{client.party_risk(f'orla.finch@{DOMAIN}').risk} of 100" in run("party", "show", f"orla.finch@{DOMAIN}")
    flag = next(client.flags(rule="sole-administrator"))
    assert flag.reason in run("flag", "explain", flag.ref)
    assert "Accepted until" in run("flag", "accept", flag.ref, "--reason", "a second one comes in May")
    assert flag.ref in run("flags", "--accepted")
    assert "Open again" in run("flag", "reopen", flag.ref)
    assert "sole-administrator" in run("policy", "rules")
    assert "entry.idle_since" in run("policy", "fields")
    for noun in ("provider", "account", "app", "party", "flag", "order", "log", "people", "token"):
        assert run(noun, "list")
        for line in run(noun, "list", "--output", "json").splitlines():
            json.loads(line)


def test_reading_a_provider_says_what_it_saw_and_fails_aloud(run: Terminal, desk: Desk) -> None:
    assert "complete" in run("read", "ticket desk")
    with desk.fault(break_after=40):
        said = run("read", "Ticket Desk", exits=1)
    assert "partial after 40 entries" in said
    assert "Nothing was taken as gone" in said


def test_the_log_is_verified_here_and_an_alteration_on_the_way_is_named(run: Terminal) -> None:
    said = run("log", "verify")
    link = said.splitlines()[0].rpartition(" ")[2]
    assert "each fits the one before" in run("log", "verify", "--after-link", link)
    assert "made anew" in run("log", "verify", "--after-link", "0" * 64, exits=1)


@pytest.mark.parametrize(
    ("words", "exits", "says"),
    [
        (("show", "7Q4K-BRM2"), 4, "no entry"),
        (("show", "nonsense!"), 4, "no entry"),
        (("inventory", "--state", "alive"), 1, "is not a state"),
        (("inventory", "--account", "Nowhere"), 4, "no account"),
        (("read", "Nowhere"), 4, "no provider"),
        (("inventory", "--colour"), 2, "No such option"),
        (("provider", "add", "X", "--connector", "pigeon", "--secret-file", "-"), 1, "no connector"),
    ],
)
def test_a_mistake_says_what_it_is_and_what_to_do(run: Terminal, words: tuple[str, ...], exits: int, says: str) -> None:
    assert says in run(*words, exits=exits)


def test_a_service_that_is_not_there_is_told_from_one_that_refuses(run: Terminal) -> None:
    assert "does not answer" in run("me", "show", exits=5, OPENLATCH_SERVER="http://127.0.0.1:1", OPENLATCH_TOKEN="x")


def test_settings_that_are_missing_or_wrong_are_named(run: Terminal) -> None:
    assert "OPENLATCH_DATABASE_URL" in run("service", "migrate", exits=1)
    key = run("service", "new-key").strip()
    given = {"OPENLATCH_DATABASE_URL": "postgresql://127.0.0.1:1/x", "OPENLATCH_SECRET_KEYS": key}
    assert "OPENLATCH_PORT" in run("service", "serve", exits=1, **given, OPENLATCH_PORT="many")
    assert "cannot be used" in run("service", "migrate", exits=1, **given)
    assert "no usable key" in run("service", "work", exits=1, **(given | {"OPENLATCH_SECRET_KEYS": "short"}))


def test_a_workspace_is_founded_on_a_database_that_has_its_schema_and_nowhere_else(
    run: Terminal, databases: Databases
) -> None:
    owner = ("--owner", "Edda Brook", "--address", "edda@hillfarm.example", "--password", "a-long-enough-one")
    found = ("service", "found", "--workspace", "hill-farm", "--name", "Hill Farm", *owner)
    with databases.copy("template0") as empty:
        given = {"OPENLATCH_DATABASE_URL": empty, "OPENLATCH_SECRET_KEYS": run("service", "new-key").strip()}
        assert "openlatch service migrate" in run(*found, exits=1, **given)
        assert "Migrated from an empty database" in run("service", "migrate", **given)
        assert "Edda Brook can sign in" in run(*found, **given)


def test_a_first_owner_on_any_database_can_sign_in(ridge: Ridge, run: Terminal) -> None:
    given = {
        "OPENLATCH_DATABASE_URL": ridge.service.settings.database_url,
        "OPENLATCH_SECRET_KEYS": ",".join(ridge.service.settings.secret_keys),
    }
    owner = ("--owner", "Edda Brook", "--address", "edda@hillfarm.example", "--password", "a-long-enough-one")
    assert "Nothing to do" in run("service", "migrate", **given)
    parts = ("service", "found", "--workspace", "hill-farm", "--name", "Hill Farm", "--circle", "hillfarm.example")
    assert "Edda Brook can sign in" in run(*parts, *owner, **given)
    assert "already" in run(*parts, *owner, exits=1, **given)
    run("sign-in", ridge.url, "--workspace", "hill-farm", "--address", "edda@hillfarm.example", "--password", owner[-1])
    assert "owner of Hill Farm" in run("me", "show")
    assert "No entry matches." in run("inventory")


def test_a_filtered_list_is_kept_as_a_file_in_every_format_with_no_formula_in_it(
    run: Terminal, client: Client, tmp_path: Path
) -> None:
    expected = [e.ref for e in client.entries(account="Gate")]
    for kind in ("csv", "jsonl", "xlsx"):
        assert "Wrote" in run("entry", "export", str(tmp_path / f"gate.{kind}"), "--account", "Gate")
    rows = list(csv.DictReader(io.StringIO((tmp_path / "gate.csv").read_text())))
    assert [row["ref"] for row in rows] == expected
    assert [json.loads(line)["ref"] for line in (tmp_path / "gate.jsonl").read_text().splitlines()] == expected
    header, *cells = openpyxl.load_workbook(tmp_path / "gate.xlsx").active.iter_rows(values_only=True)
    assert [dict(zip(header, row, strict=True))["ref"] for row in cells] == expected
    assert "which format you want" in run("entry", "export", str(tmp_path / "gate.pdf"), exits=2)
    assert sorted(p.name for p in tmp_path.glob("*gate*")) == ["gate.csv", "gate.jsonl", "gate.xlsx"]


def test_reach_says_through_which_teams_and_what_to_end(run: Terminal) -> None:
    orla = f"orla.finch@{DOMAIN}"
    assert "Saturday crew → Volunteers" in run("party", "reach", orla) or "Guides → Volunteers" in run(
        "party", "reach", orla
    )
    said = run("party", "reach", orla, "--account", "Bookings", "--power", "edit")
    assert "Remove Orla Finch from the team Saturday crew." in said
    assert "Nobody else loses anything." in said
    assert "nothing to end" in run("party", "reach", orla, "--account", "Bookings", "--power", "own")
    assert "go together" in run("party", "reach", orla, "--account", "Bookings", exits=2)


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_every_shell_can_complete_the_commands(run: Terminal, shell: str) -> None:
    assert "_OPENLATCH_COMPLETE" in run("completion", shell)


def test_a_policy_is_taken_out_checked_tried_adopted_and_taken_back(run: Terminal, tmp_path: Path) -> None:
    file = tmp_path / "policy.toml"
    file.write_text(run("policy", "show"))
    assert re.search(r"No mistakes in its \d+ rules", run("policy", "check", str(file)))
    good = file.read_text()
    file.write_text(good.replace("entry.lets_in && entry.ends_at", "entry.lets_in && entry.end_at", 1))
    said = run("policy", "check", str(file), exits=1)
    assert re.search(r"rule live-past-end, line \d+, column \d+", said)
    assert "Did you mean entry.ends_at" in said
    file.write_text(good.replace("secret_known_to = 1 ", "secret_known_to = 9 ", 1))
    tried = run("policy", "try", str(file))
    assert "Limit secret_known_to: 1, now 9." in tried
    assert re.search(r"secret-known-to-several\s+1\s+0\s+−1", tried)
    adopted = re.search(
        r"openlatch policy roll-back (\d+)", run("policy", "adopt", str(file), "--yes", "--reason", "nine")
    )
    assert adopted is not None
    assert "nine" in run("policy", "history")
    assert "is in force" in run("policy", "roll-back", adopted[1])
    assert run("policy", "show") == good


def test_commands_that_look_change_nothing(furnished: Ridge, terminal: Terminal, things: Furniture) -> None:
    with furnished.client() as maren:
        before = maren.log_head()
        assert "sponsor" in terminal("party", "show", things.party)
        assert "openlatch me calendar --new" in terminal("me", "calendar")
        after = maren.log_head()
        assert (after.size + after.unsealed) == (before.size + before.unsealed)
        maren.sponsor(things.party, f"tobias.quill@{DOMAIN}")
        assert "Tobias Quill" in terminal("party", "show", things.party)
        assert "sponsored by nobody" in terminal("party", "change", things.party, "--no-sponsor")
        both = ("--sponsor", f"tobias.quill@{DOMAIN}", "--no-sponsor")
        assert "Give one of" in terminal("party", "change", things.party, *both, exits=2)
