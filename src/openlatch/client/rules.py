"""Flags, risks and the policy, as the client asks for them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["RulesCalls"]


class RulesCalls(Transport):
    """Flags."""

    def flags(
        self,
        rule: str = "",
        severity: str = "",
        entry: str = "",
        *,
        account: str = "",
        party: str = "",
        state: str = "standing",
    ) -> Iterator[wire.Flag]:
        """Return flags, the worst first; `severity` means that or worse, `state` is standing, accepted or cleared."""
        wanted = {"rule": rule, "severity": severity, "entry": entry, "account": account, "party": party}
        return self._pages(wire.FlagList, "/flags", wanted | {"state": state})

    def flag(self, flag: str) -> wire.Flag:
        """Return one flag, with the facts behind it, what is advised, and when it was raised before."""
        return self._send(wire.Flag, "GET", f"/flags/{part(flag)}")

    def accept(self, flag: str, why: str, until: date | None = None) -> wire.Flag:
        """Live with a flag for a reason until the end of a day; in 90 days, if none is given."""
        body = {"why": why, "until": until.isoformat() if until else None}
        return self._send(wire.Flag, "PUT", f"/flags/{part(flag)}/acceptance", json=body)

    def refuse(self, flag: str) -> wire.Flag:
        """Take back that a flag is accepted."""
        return self._send(wire.Flag, "DELETE", f"/flags/{part(flag)}/acceptance")

    def account_risk(self, account: str) -> wire.Risk:
        """Return the risk of an account, what adds up to it, and how it has moved."""
        return self._send(wire.Risk, "GET", f"/accounts/{part(account)}/risk")

    def party_risk(self, party: str) -> wire.Risk:
        """Return the risk of a party, and what adds up to it."""
        return self._send(wire.Risk, "GET", f"/parties/{part(party)}/risk")

    def rules(self) -> list[wire.Rule]:
        """Return the rules of the policy in force, each with its flags; those with the worst flags first."""
        return self._send(wire.RuleList, "GET", "/rules").items

    def policy(self, number: int | None = None) -> wire.Policy:
        """Return the policy in force, or an earlier one by its number."""
        params = {} if number is None else {"number": number}
        return self._send(wire.Policy, "GET", "/policy", params=params)

    def policies(self) -> list[wire.Policy]:
        """Return every policy that was adopted, the latest first."""
        return self._send(wire.PolicyList, "GET", "/policy/history").items

    def policy_limits(self) -> list[wire.PolicyLimit]:
        """Return the limits of the policy in force, each with the rules that use it."""
        return self._send(wire.LimitList, "GET", "/policy/limits").items

    def edit_policy(self, *changes: Mapping[str, Any], text: str | None = None) -> wire.PolicyDraft:
        """Return the policy in force, or a `text`, with changes such as `{"do": "rule", "rule": ID, "off": True}`.

        Nothing is adopted.
        """
        body = {"text": text, "changes": [dict(change) for change in changes]}
        return self._send(wire.PolicyDraft, "POST", "/policy/edit", json=body)

    def policy_fields(self) -> list[wire.CatalogueField]:
        """Return every field that a condition can name."""
        return self._send(wire.CatalogueList, "GET", "/policy/catalogue").items

    def check_policy(self, text: str) -> wire.PolicyVerdict:
        """Check a policy without trying it; raises Invalid with every mistake and its place."""
        return self._send(wire.PolicyVerdict, "POST", "/policy/check", json={"text": text})

    def try_policy(self, text: str) -> wire.Trial:
        """Try a policy against the present inventory; nothing is changed."""
        return self._send(wire.Trial, "POST", "/policy/try", json={"text": text})

    def adopt_policy(self, text: str, *, note: str = "", expected: int | None = None) -> wire.Policy:
        """Put a policy in force; with `expected`, only if the one in force has that number."""
        body = {"text": text, "note": note, "expected": expected}
        return self._send(wire.Policy, "POST", "/policy/adopt", json=body)

    def return_to_policy(self, number: int) -> wire.Policy:
        """Put an earlier policy in force again, under a new number."""
        return self._send(wire.Policy, "POST", "/policy/back", json={"number": number})
