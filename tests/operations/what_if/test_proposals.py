"""Seeing beforehand what changes would change, by a program and on the command line."""

from __future__ import annotations

import json
from typing import Any

import pytest

from openlatch.client import Client
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed
from openlatch.wire import messages as wire
from tests.harness.acts import settle
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

PLATES = "Night-Sky Plates"


CLOSED = {"do": "share", "account": PLATES, "resource": "unreleased 2026", "zone": "Europe/London", "statements": []}


def proposed(*changes: dict[str, Any], title: str = "What if") -> dict[str, Any]:
    return {"proposal": 1, "title": title, "changes": list(changes)}


def outcome(client: Client, *changes: dict[str, Any]) -> wire.ProposalOutcome:
    proposal = client.worked_out(client.propose(proposed(*changes)).ref)
    assert proposal.state == "done", proposal.runs[-1].trouble
    assert proposal.runs[-1].outcome is not None
    return proposal.runs[-1].outcome


def counted(client: Client) -> tuple[int, int, int]:
    flags = sum(1 for _ in client.flags())
    return client.summary().entries, flags, sum(1 for _ in client.parties())


def test_an_outcome_is_exact_and_working_it_out_changes_nothing(client: Client) -> None:
    before = counted(client)
    anyone = outcome(client, CLOSED)
    assert not anyone.anyone_gains
    lost = {shift.who: {power for ability in shift.lost for power in ability.powers} for shift in anyone.shifts}
    assert lost["Anyone"] == {"view", "edit"}
    assert "Pell Varga" not in lost, "a keeper has it by an entry of his own"
    assert any("Anyone can view and edit it" in flag.reason for flag in anyone.flags_cleared)
    assert any(risk.after < risk.before for risk in anyone.risks)

    narrow = {
        "effect": "allow",
        "to": [{"domain": "northcape-uni.example"}],
        "powers": ["view", "export"],
        "networks": ["192.0.2.0/26"],
        "hours": ["mon,tue 22:00-02:00"],
    }
    some = outcome(client, {**CLOSED, "resource": "folder 200", "statements": [narrow]})
    assert some.outsiders_gain
    (gains,) = [shift for shift in some.shifts if shift.gained]
    assert (gains.who, gains.outside, gains.resources) == ("Anyone at northcape-uni.example", True, ["folder 200"])
    assert [(a.powers, a.hours, a.networks) for a in gains.gained] == [
        (["view", "export"], "Mondays and Tuesdays 22:00–02:00", ["192.0.2.0/26"])
    ]
    locked = outcome(
        client,
        {"do": "lock", "account": PLATES, "locked": True},
        {
            **CLOSED,
            "resource": "folder 005",
            "statements": [{"effect": "allow", "to": [{"anyone": True}], "powers": ["view"]}],
        },
    )
    assert not locked.anyone_gains, "the lock overrides whatever the single parts say"
    assert counted(client) == before


def test_limits_teams_and_the_last_administrator_are_seen_beforehand(client: Client) -> None:
    orla = next(e for e in client.entries(q="Orla Finch", account="Bookings", state="live") if e.party.kind == "person")
    same = outcome(client, {"do": "end", "entry": orla.ref})
    assert [shift for shift in same.shifts if shift.who == "Orla Finch"] == [], "she has the same through two teams"
    mast = next(e for e in client.entries(account="Weather Mast") if "admit" in e.powers)
    assert "is the last one who can let others in" in " ".join(outcome(client, {"do": "end", "entry": mast.ref}).limits)
    passed = outcome(
        client,
        {"do": "give", "account": "Hill Road display", "to": "works@brightmere.example", "level": "board delegate"},
    )
    assert passed.outsiders_gain
    assert any("from outside at a time" in limit for limit in passed.limits)


@pytest.mark.parametrize(
    ("changes", "problem"),
    [
        ([], "changes"),
        ([{"do": "fly"}], "changes.0"),
        ([{"do": "share", "account": PLATES, "statements": [{"effect": "allow", "to": [], "powers": ["view"]}]}], "to"),
        (
            [
                {
                    "do": "share",
                    "account": PLATES,
                    "statements": [{"effect": "allow", "to": [{"anyone": True, "party": "x"}], "powers": ["view"]}],
                }
            ],
            "exactly one",
        ),
        ([{"do": "lock", "account": PLATES, "locked": True, "soon": 1}], "soon"),
    ],
)
def test_a_proposal_that_is_none_is_refused_with_the_place_of_the_mistake(
    client: Client, changes: list[dict[str, Any]], problem: str
) -> None:
    with pytest.raises(Invalid, match="The proposal cannot be used") as refused:
        client.propose(proposed(*changes))
    assert problem in refused.value.message


def test_a_change_that_cannot_be_says_which_one_and_why(client: Client, ridge: Ridge) -> None:
    for change, said in (
        ({"do": "end", "entry": "AAAA-AAAA"}, "There is no entry"),
        ({"do": "lock", "account": "Bookings", "locked": True}, "has no lock"),
        (
            {
                **CLOSED,
                "statements": [
                    {"effect": "allow", "to": [{"anyone": True}], "powers": ["view"], "hours": ["at night"]}
                ],
            },
            "cannot be read as hours",
        ),
    ):
        proposal = client.worked_out(client.propose(proposed(change)).ref)
        assert (proposal.state, proposal.runs[-1].outcome) == ("failed", None)
        assert proposal.runs[-1].trouble.startswith("Change 1 ")
        assert said in proposal.runs[-1].trouble
        with pytest.raises(Changed):
            client.apply_proposal(proposal.ref, 1)
    with ridge.client("orla.finch") as orla, pytest.raises(NotAllowed):
        orla.proposals().__next__()


def test_on_the_command_line_a_script_fails_if_an_outsider_would_gain(run: Terminal) -> None:
    file = run.home / "proposal.json"
    file.write_text(json.dumps(proposed(CLOSED, title="Close the plates")))
    said = run("what-if", "make", str(file), "--fail-if", "outsider-gains")
    assert "Nobody from outside gains anything." in said
    assert "Anyone can view and edit it" in said
    shares = json.loads(run("what-if", "shares", PLATES, "--part", "unreleased 2026"))
    shares["changes"][0]["statements"].append({"effect": "allow", "to": [{"anyone": True}], "powers": ["export"]})
    file.write_text(json.dumps(shares))
    assert "The check failed" in run("what-if", "make", str(file), "--fail-if", "outsider-gains", exits=7)
    ref = json.loads(run("what-if", "list", "-o", "json").splitlines()[0])["ref"]
    file.write_text(json.dumps(proposed(CLOSED)))
    run("what-if", "make", str(file), "--instead-of", ref, "--fail-if", "anyone-gains", "--fail-if", "flag-raised")
    first, second = run("what-if", "compare", ref, "1", "2").split("Only version 2")
    assert f"Anyone, from outside, gains export on {PLATES} (unreleased 2026)." in first
    assert f"Anyone loses view, edit on {PLATES} (unreleased 2026)." in second
    assert "would change the same" in run("what-if", "compare", ref, "1", "1")
    assert "has no version 7" in run("what-if", "compare", ref, "1", "7", exits=4)
    assert "Missing argument" in run("what-if", "compare", ref, "1", exits=2)
    assert "is not JSON" in run("what-if", "make", "-", exits=2)


def test_a_proposal_that_was_overtaken_is_not_applied(client: Client, ridge: Ridge) -> None:
    target = next(e for e in client.entries(account="Gate", state="live") if e.level == "guide")
    made = client.worked_out(client.propose(proposed({"do": "end", "entry": target.ref})).ref)
    assert settle(client, client.end(target.ref).ref).state == "proved"
    with pytest.raises((Changed, Conflict, Invalid)):
        client.apply_proposal(made.ref, 1)
    client.run_proposal(made.ref)
    assert "has already ended" in client.worked_out(made.ref).runs[-1].trouble
