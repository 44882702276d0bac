"""The policy: what is in force, checking and trying another, adopting it, and going back."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.rules import adoption, policies, trials
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.web.rules.render import field_of, rule_of, trial_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/policy", query=wire.PolicyQuery, returns=wire.Policy)
def get_policy(call: Call, query: wire.PolicyQuery) -> wire.Policy:
    """The policy in force, or an earlier one by its number."""
    return filled(wire.Policy, policies.show(call, query.number))


@routes.route("GET", "/policy/history", returns=wire.PolicyList)
def list_policies(call: Call) -> wire.PolicyList:
    """Every policy that was adopted, the latest first."""
    return wire.PolicyList(items=[filled(wire.Policy, one) for one in policies.history(call)])


@routes.route("GET", "/policy/catalogue", returns=wire.CatalogueList)
def list_fields(call: Call) -> wire.CatalogueList:
    """Every field that a condition can name."""
    return wire.CatalogueList(items=[field_of(*pair) for pair in policies.catalogue(call)])


@routes.route("GET", "/policy/limits", returns=wire.LimitList)
def list_limits(call: Call) -> wire.LimitList:
    """The limits of the policy in force, each with the rules that use it."""
    return wire.LimitList(items=[filled(wire.PolicyLimit, limit) for limit in policies.limits(call)])


@routes.route("POST", "/policy/edit", body=wire.PolicyEdit, returns=wire.PolicyDraft)
def edit_policy(call: Call, body: wire.PolicyEdit) -> wire.PolicyDraft:
    """A policy with changes by its parts, as a file to be tried and adopted; nothing is adopted."""
    text, changes = policies.edit(call, body.text, body.changes)
    return wire.PolicyDraft(text=text, changes=list(changes))


@routes.route("GET", "/rules", returns=wire.RuleList)
def list_rules(call: Call) -> wire.RuleList:
    """The rules of the policy in force, each with its flags."""
    return wire.RuleList(items=[rule_of(rule) for rule in policies.browse_rules(call)])


@routes.route("POST", "/policy/check", body=wire.PolicyText, returns=wire.PolicyVerdict)
def check_policy(call: Call, body: wire.PolicyText) -> wire.PolicyVerdict:
    """Check a policy; every mistake is named with its place."""
    rules, changes = policies.check(call, body.text)
    return wire.PolicyVerdict(rules=rules, changes=list(changes))


@routes.route("POST", "/policy/try", body=wire.PolicyText, returns=wire.Trial)
def try_policy(call: Call, body: wire.PolicyText) -> wire.Trial:
    """Try a policy against the present inventory; nothing is changed."""
    return trial_of(trials.trial(call, body.text))


@routes.route("POST", "/policy/adopt", body=wire.PolicyWish, returns=wire.Policy)
def adopt_policy(call: Call, body: wire.PolicyWish) -> wire.Policy:
    """Put a policy in force."""
    return filled(wire.Policy, adoption.adopt(call, body.text, body.note, body.expected))


@routes.route("POST", "/policy/back", body=wire.PolicyNumber, returns=wire.Policy)
def go_back(call: Call, body: wire.PolicyNumber) -> wire.Policy:
    """Put an earlier policy in force again, under a new number."""
    return filled(wire.Policy, adoption.back(call, body.number))
