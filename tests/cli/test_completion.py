"""What a shell completes: commands without loading them, what the service knows by its short form, and choices."""

from __future__ import annotations

import pytest
from click.shell_completion import BashComplete

from openlatch.cli import main
from openlatch.cli.connection import Carrier
from openlatch.client import Client
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal


def completed(ridge: Ridge, *words: str) -> list[str]:
    """What a shell is offered for the last word, in which nothing has to be right yet."""
    by = BashComplete(main, {"obj": Carrier(ridge.transport, ridge.pause)}, "openlatch", "_OPENLATCH_COMPLETE")
    return [item.value for item in by.get_completions(list(words[:-1]), words[-1])]


@pytest.fixture
def signed_in(run: Terminal, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("OPENLATCH_SIGN_IN", str(run.kept))


def test_commands_are_completed_from_the_table_alone(ridge: Ridge) -> None:
    assert completed(ridge, "pr") == ["provider", "profile"]
    assert set(completed(ridge, "")) >= {"inventory", "service", "demo"}
    assert completed(ridge, "policy", "ad") == ["adopt"]


@pytest.mark.usefixtures("signed_in")
def test_what_the_service_knows_is_completed_by_name_or_short_form(ridge: Ridge, client: Client) -> None:
    desk, gate = client.provider("Ticket Desk"), client.account("Gate")
    entry = next(client.entries())
    assert completed(ridge, "read", "Tick") == [desk.ref], "what has a space in it is named by its short form"
    assert "Gate" in completed(ridge, "inventory", "--account", "Ga"), "beside short forms that begin so"
    assert completed(ridge, "account", "show", gate.ref) == ["Gate"]
    assert completed(ridge, "show", entry.ref[:7]) == [e.ref for e in client.entries() if e.ref[:7] == entry.ref[:7]]
    request, review = next(client.requests()), client.reviews()[0]
    assert completed(ridge, "request", "show", request.ref) == [request.ref]
    assert completed(ridge, "review", "show", review.name[:12]) == [
        each_review.ref for each_review in client.reviews() if each_review.name.startswith(review.name[:12])
    ]
    assert completed(ridge, "inventory", "--rule", "sole-") == ["sole-administrator"]
    assert len(completed(ridge, "party", "reach", "orla")) == len(list(client.parties("orla")))
    assert completed(ridge, "party", "reach", "nobody of that name") == []


def test_choices_are_completed_and_nobody_who_is_not_signed_in_is_told_anything(
    ridge: Ridge, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("OPENLATCH_SIGN_IN", "/nowhere/sign-in.json")
    assert completed(ridge, "completion", "z") == ["zsh"]
    assert completed(ridge, "read", "Tick") == []
