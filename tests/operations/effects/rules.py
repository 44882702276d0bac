"""Flags, risk, and the policy."""

from __future__ import annotations

from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, NotFound
from tests.operations.effects.world import World, of


@of("flags.browse")
def _(w: World) -> None:
    severities = [flag.severity for flag in w.auditor.flags()]
    order = ["critical", "high", "medium", "low"]
    assert severities == sorted(severities, key=order.index)
    assert {flag.rule for flag in w.owner.flags("lock-off")} == {"lock-off"}
    with w.refused(NotAllowed, "flags.browse"):
        list(w.member.flags())


@of("flags.show")
def _(w: World) -> None:
    flag = w.auditor.flag(w.things.flag)
    assert (flag.rule, flag.about.name in flag.reason or bool(flag.facts)) == ("sole-administrator", True)
    with w.refused(NotFound, "no flag"):
        w.auditor.flag("7Q4K-BRM2")


@of("flags.accept")
def _(w: World) -> None:
    flag = next(w.owner.flags(rule="lock-off"))
    accepted = w.manager.accept(flag.ref, "The partners still move their plates", w.day(20))
    assert (accepted.accepted and accepted.accepted.by, list(w.owner.flags(rule="lock-off"))) == ("Tobias Quill", [])
    w.owner.refuse(flag.ref)
    with w.refused(Invalid, "from today"):
        w.owner.accept(flag.ref, "too late", w.day(-1))


@of("flags.refuse")
def _(w: World) -> None:
    flag = next(w.owner.flags(rule="crowded"), None) or next(w.owner.flags(rule="too-many-administrators"))
    w.owner.accept(flag.ref, "for now", w.day(9))
    assert w.owner.refuse(flag.ref).accepted is None
    assert flag.ref in {each_flag.ref for each_flag in w.owner.flags(flag.rule)}
    with w.refused(Conflict, "."):
        w.owner.refuse(flag.ref)


@of("risks.of_account")
def _(w: World) -> None:
    risk = w.auditor.account_risk("Bookings")
    assert sum(share.points for share in risk.shares) == risk.risk
    with w.refused(NotFound, "no account"):
        w.auditor.account_risk("Nowhere")


@of("risks.of_party")
def _(w: World) -> None:
    lise = w.auditor.party_risk(f"l.hartnell@{DOMAIN}").risk
    assert lise > w.auditor.party_risk(f"orla.finch@{DOMAIN}").risk
    with w.refused(NotFound, "no party"):
        w.auditor.party_risk("Nobody at all")


@of("policy.show")
def _(w: World) -> None:
    assert f'"{DOMAIN}"' in w.auditor.policy().text
    assert w.auditor.policy(0).number == 0
    with w.refused(NotFound, "no policy"):
        w.auditor.policy(4000)


@of("policy.history")
def _(w: World) -> None:
    numbers = [policy.number for policy in w.auditor.policies()]
    assert numbers == sorted(numbers, reverse=True)
    with w.refused(NotAllowed, "policy.history"):
        w.member.policies()


@of("policy.limits")
def _(w: World) -> None:
    limits = {limit.name: limit for limit in w.auditor.policy_limits()}
    assert (limits["unused"].value, "unused-past-limit" in limits["unused"].used_by) == ("90d", True)
    assert limits["unused"].says.startswith("access that nobody has used")
    with w.refused(NotAllowed, "policy.limits"):
        w.member.policy_limits()


@of("policy.edit")
def _(w: World) -> None:
    there = w.owner.policy()
    draft = w.auditor.edit_policy(
        {"do": "limit", "name": "unused", "value": "60d"},
        {"do": "rule", "rule": "unused-past-limit", "off": True},
        {"do": "exempt", "rule": "sole-administrator", "reason": "A course", "account": "Gate"},
    )
    assert draft.changes == [
        "Turns the rule unused-past-limit off.",
        "Changes the rule sole-administrator (exempt).",
        "Limit unused: 90 days, now 60 days.",
    ]
    assert w.owner.check_policy(draft.text).changes == draft.changes
    again = w.auditor.edit_policy({"do": "rule", "rule": "unused-past-limit", "off": False}, text=draft.text)
    assert len(again.changes) == 2
    assert w.owner.policy() == there, "nothing is adopted"
    for wrong, says in (
        ({"do": "limit", "name": "unusd", "value": "60d"}, "did you mean “unused”"),
        ({"do": "rule", "rule": "sole-administrator", "when": "account.nope"}, "nope"),
        ({"do": "drop-exemption", "rule": "sole-administrator", "place": 3}, "no number 3"),
    ):
        with w.refused(Invalid, says):
            w.manager.edit_policy(wrong)
    with w.refused(NotAllowed, "policy.edit"):
        w.member.edit_policy({"do": "limit", "name": "unused", "value": "60d"})


@of("policy.catalogue")
def _(w: World) -> None:
    assert "entry.idle_since" in {field.path for field in w.auditor.policy_fields()}
    with w.refused(NotAllowed, "policy.catalogue"):
        w.member.policy_fields()


@of("policy.rules")
def _(w: World) -> None:
    standing = {rule.id: rule.standing for rule in w.auditor.rules()}
    assert standing["sole-administrator"] == len(list(w.owner.flags("sole-administrator")))
    with w.refused(NotAllowed, "policy.rules"):
        w.member.rules()


@of("policy.check")
def _(w: World) -> None:
    assert w.reviewer.check_policy(w.owner.policy().text).rules > 20
    with w.refused(Invalid, "line 1"):
        w.reviewer.check_policy("policy = maybe")


@of("policy.try")
def _(w: World) -> None:
    text = w.owner.policy().text.replace('id = "lock-off"\n', 'id = "lock-off"\noff = true\n', 1)
    (line,) = [line for line in w.reviewer.try_policy(text).lines if line.rule == "lock-off"]
    assert (line.now, line.then) == (1, 0)
    assert list(w.owner.flags("lock-off")), "trying changes nothing"
    with w.refused(Invalid, "present policy stays in force"):
        w.reviewer.try_policy("[limitz]")


@of("policy.adopt")
def _(w: World) -> None:
    present = w.owner.policy()
    text = present.text.replace('id = "lock-off"\n', 'id = "lock-off"\noff = true\n', 1)
    adopted = w.owner.adopt_policy(text, note="The lock waits", expected=present.number)
    assert (adopted.number, list(w.owner.flags("lock-off"))) == (present.number + 1, [])
    with w.refused(Changed, "in force"):
        w.owner.adopt_policy(present.text, expected=present.number)
    w.owner.return_to_policy(present.number)


@of("policy.back")
def _(w: World) -> None:
    present = w.owner.policy()
    w.owner.adopt_policy(present.text.replace("unused = ", "unused  = ", 1), note="Spaces")
    assert w.manager.return_to_policy(present.number).text == present.text
    with w.refused(NotFound, "no policy"):
        w.owner.return_to_policy(4000)
