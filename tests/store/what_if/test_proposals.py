"""What a what-if says where it cannot look at everything."""

from __future__ import annotations

import pytest

from openlatch.errors import Invalid
from openlatch.operations.rules import evaluation, policies
from openlatch.operations.what_if.proposals import checked, outcome
from tests.store.conftest import Holder


def test_a_policy_is_never_tried_on_some_of_the_inventory_only(holder: Holder, monkeypatch: pytest.MonkeyPatch) -> None:
    with holder.as_() as call:
        text = policies.latest(call).text
        file = checked({"proposal": 1, "title": "Another", "changes": [{"do": "policy", "text": text}]})
        assert outcome(call, file)["policy"] == [], "the policy in force, once more, changes nothing"
        monkeypatch.setattr(evaluation, "MOST_ROWS", call.tx.facts.count() - 1)
        with pytest.raises(Invalid, match="there are more") as refused:
            outcome(call, file)
    assert "openlatch policy try" in refused.value.next_step
