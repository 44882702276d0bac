"""Who may do what: every operation with the roles that reach it, declared in one table.

The table is enforced in one place, the gate of the operations; an operation that is not in here cannot run.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

from openlatch.words import Role, Scope

__all__ = ["OF_ONESELF", "OPERATIONS", "Permission"]


@dataclass(frozen=True, slots=True)
class Permission:
    """The roles that reach an operation, and the scope a token needs for it.

    A dangerous one needs that whoever acts has given their password lately.
    """

    roles: frozenset[Role]
    scope: Scope
    dangerous: bool = False


def _reads(*roles: Role) -> Permission:
    return Permission(frozenset(roles), Scope.READ)


def _changes(*roles: Role) -> Permission:
    return Permission(frozenset(roles), Scope.CHANGE)


def _dangerous(*roles: Role) -> Permission:
    return Permission(frozenset(roles), Scope.CHANGE, dangerous=True)


_EVERYONE = tuple(Role)
_STAFF = (Role.OWNER, Role.MANAGER, Role.REVIEWER, Role.AUDITOR)
_MANAGERS = (Role.OWNER, Role.MANAGER)

OPERATIONS: Mapping[str, Permission] = MappingProxyType(
    {
        "people.me": _reads(*_EVERYONE),
        "service.show": _reads(*_MANAGERS),
        "workspaces.change": _dangerous(Role.OWNER),
        "people.browse": _reads(*_STAFF),
        "people.show": _reads(*_STAFF),
        "people.invite": _dangerous(Role.OWNER),
        "people.invite_again": _changes(Role.OWNER),
        "people.role": _dangerous(Role.OWNER),
        "people.disable": _dangerous(Role.OWNER),
        "people.enable": _dangerous(Role.OWNER),
        "people.remove": _dangerous(Role.OWNER),
        "me.change": _changes(*_EVERYONE),
        "me.password": _dangerous(*_EVERYONE),
        "me.address": _dangerous(*_EVERYONE),
        "me.sessions": _reads(*_EVERYONE),
        "me.end_session": _changes(*_EVERYONE),
        "me.end_other_sessions": _changes(*_EVERYONE),
        "factors.browse": _reads(*_EVERYONE),
        "factors.begin_codes": _dangerous(*_EVERYONE),
        "factors.prove": _changes(*_EVERYONE),
        "factors.begin_passkey": _dangerous(*_EVERYONE),
        "factors.add_passkey": _changes(*_EVERYONE),
        "factors.remove": _dangerous(*_EVERYONE),
        "factors.recovery": _dangerous(*_EVERYONE),
        "people.reset_factors": _dangerous(Role.OWNER),
        "sign_ons.browse": _reads(Role.OWNER, Role.MANAGER, Role.AUDITOR),
        "sign_ons.add": _dangerous(Role.OWNER),
        "sign_ons.change": _dangerous(Role.OWNER),
        "sign_ons.remove": _dangerous(Role.OWNER),
        "tokens.make": _dangerous(*_EVERYONE),
        "tokens.browse": _reads(*_EVERYONE),
        "tokens.revoke": _changes(*_EVERYONE),
        "providers.browse": _reads(*_EVERYONE),
        "providers.connectors": _reads(*_STAFF),
        "providers.show": _reads(*_EVERYONE),
        "providers.add": _changes(*_MANAGERS),
        "providers.describe": _changes(*_MANAGERS),
        "providers.change": _dangerous(*_MANAGERS),
        "providers.versions": _reads(*_MANAGERS),
        "providers.pause": _changes(*_MANAGERS),
        "providers.removal": _reads(*_MANAGERS),
        "providers.remove": _dangerous(*_MANAGERS),
        "providers.resume": _changes(*_MANAGERS),
        "providers.report_breach": _changes(*_MANAGERS),
        "security_events.stream": _reads(*_STAFF),
        "security_events.browse": _reads(*_STAFF),
        "security_events.listen": _dangerous(*_MANAGERS),
        "security_events.stop": _dangerous(*_MANAGERS),
        "imports.fields": _reads(*_STAFF),
        "imports.preview": _reads(*_MANAGERS),
        "imports.start": _changes(*_MANAGERS),
        "imports.show": _reads(*_STAFF),
        "imports.browse": _reads(*_STAFF),
        "hand.keep": _changes(*_MANAGERS),
        "hand.vouch": _changes(*_MANAGERS),
        "hand.gone": _changes(*_MANAGERS),
        "levels.browse": _reads(*_STAFF),
        "levels.correct": _changes(*_MANAGERS),
        "readings.browse": _reads(*_STAFF),
        "readings.show": _reads(*_STAFF),
        "readings.start": _changes(*_MANAGERS),
        "accounts.browse": _reads(*_STAFF),
        "accounts.show": _reads(*_STAFF),
        "accounts.shares": _reads(*_STAFF),
        "accounts.describe": _changes(*_MANAGERS),
        "parties.browse": _reads(*_STAFF),
        "parties.show": _reads(*_STAFF),
        "parties.sponsor": _changes(*_MANAGERS),
        "parties.service": _changes(*_MANAGERS),
        "parties.reach": _reads(*_STAFF),
        "parties.perhaps": _reads(*_STAFF),
        "parties.keys": _reads(*_STAFF),
        "parties.decided": _reads(*_STAFF),
        "parties.join": _changes(*_MANAGERS),
        "parties.apart": _changes(*_MANAGERS),
        "parties.part": _changes(*_MANAGERS),
        "parties.undo": _changes(*_MANAGERS),
        "parties.cut": _reads(*_STAFF),
        # A member reaches these too, but only for entries of their own; see operations.entries.
        "entries.browse": _reads(*_EVERYONE),
        "entries.summary": _reads(*_EVERYONE),
        "entries.show": _reads(*_EVERYONE),
        "entries.export": _reads(*_EVERYONE),
        "entries.sheet": _reads(*_EVERYONE),
        "views.browse": _reads(*_EVERYONE),
        "views.save": _changes(*_EVERYONE),
        "views.remove": _changes(*_EVERYONE),
        "apps.browse": _reads(*_STAFF),
        "flags.browse": _reads(*_STAFF),
        "flags.show": _reads(*_STAFF),
        "flags.accept": _changes(*_MANAGERS),
        "flags.refuse": _changes(*_MANAGERS),
        "risks.of_account": _reads(*_STAFF),
        "risks.of_party": _reads(*_STAFF),
        "policy.show": _reads(*_STAFF),
        "policy.history": _reads(*_STAFF),
        "policy.limits": _reads(*_STAFF),
        "policy.edit": _reads(*_STAFF),
        "policy.catalogue": _reads(*_STAFF),
        "policy.rules": _reads(*_STAFF),
        "policy.check": _reads(*_STAFF),
        "policy.try": _reads(*_STAFF),
        "policy.adopt": _changes(*_MANAGERS),
        "policy.back": _changes(*_MANAGERS),
        # A member reaches the plan and the order of their own access only.
        "orders.plan": _reads(*_EVERYONE),
        "orders.browse": _reads(*_STAFF),
        "orders.show": _reads(*_EVERYONE),
        "orders.give_up": _dangerous(*_EVERYONE),
        "orders.create": _dangerous(*_MANAGERS),
        "orders.cancel": _changes(*_MANAGERS),
        "orders.try_again": _changes(*_MANAGERS),
        "orders.confirm_done": _changes(*_MANAGERS),
        "teams.memberships": _reads(*_STAFF),
        "teams.plan": _reads(*_STAFF),
        "teams.order": _dangerous(*_MANAGERS),
        "tasks.browse": _reads(*_STAFF),
        "tasks.fit": _reads(*_STAFF),
        "accounts.choices": _reads(*_STAFF),
        "offers.look_up": _reads(*_MANAGERS),
        "offers.check": _reads(*_MANAGERS),
        "offers.create": _dangerous(*_MANAGERS),
        "offers.correct": _dangerous(*_MANAGERS),
        "offers.send_again": _changes(*_MANAGERS),
        "offers.withdraw": _changes(*_MANAGERS),
        "offers.browse": _reads(*_STAFF),
        # A member reaches the offers to their own address only, and nobody answers anyone else's.
        "offers.show": _reads(*_EVERYONE),
        "offers.mine": _reads(*_EVERYONE),
        "offers.take_up": _changes(*_EVERYONE),
        "offers.decline": _changes(*_EVERYONE),
        "offers.leave": _changes(*_EVERYONE),
        "waiting.show": _reads(*_EVERYONE),
        "requests.ask": _changes(*_EVERYONE),
        "requests.browse": _reads(*_STAFF),
        # A member reaches what they asked for themselves.
        "requests.show": _reads(*_EVERYONE),
        "requests.mine": _reads(*_EVERYONE),
        "requests.turn_down": _changes(*_MANAGERS),
        "requests.withdraw": _changes(*_EVERYONE),
        "secrets.record": _changes(*_MANAGERS),
        "webhooks.browse": _reads(Role.OWNER, Role.MANAGER, Role.AUDITOR),
        "webhooks.add": _dangerous(*_MANAGERS),
        "webhooks.pause": _changes(*_MANAGERS),
        "webhooks.remove": _changes(*_MANAGERS),
        "proposals.of_offer": _reads(*_MANAGERS),
        "proposals.create": _changes(*_MANAGERS),
        "proposals.change": _changes(*_MANAGERS),
        "proposals.run_again": _changes(*_MANAGERS),
        "proposals.browse": _reads(*_STAFF),
        "proposals.show": _reads(*_STAFF),
        "proposals.compare": _reads(*_STAFF),
        "proposals.look_up": _reads(*_MANAGERS),
        "proposals.apply": _dangerous(*_MANAGERS),
        "batches.browse": _reads(*_STAFF),
        "batches.show": _reads(*_STAFF),
        "batches.plan": _reads(*_STAFF),
        "batches.create": _dangerous(*_MANAGERS),
        "batches.cancel": _changes(*_MANAGERS),
        "batches.tick": _changes(*_MANAGERS),
        "batches.leave_open": _changes(*_MANAGERS),
        "batches.report": _reads(*_STAFF),
        "leavers.plan": _reads(*_STAFF),
        "leavers.create": _dangerous(*_MANAGERS),
        "reviews.browse": _reads(*_STAFF),
        "reviews.show": _reads(*_STAFF),
        "reviews.check": _reads(*_STAFF),
        # A plan can end access by itself, when nobody answers.
        "reviews.save": _dangerous(*_MANAGERS),
        "reviews.change": _dangerous(*_MANAGERS),
        "reviews.pause": _changes(*_MANAGERS),
        "reviews.remove": _changes(*_MANAGERS),
        "reviews.open": _changes(*_MANAGERS),
        "rounds.browse": _reads(*_STAFF),
        "rounds.show": _reads(*_STAFF),
        "rounds.items": _reads(*_STAFF),
        "rounds.plan": _reads(*_STAFF),
        # A reviewer decides what is put to them; see operations.rounds.
        "rounds.decide": _changes(Role.OWNER, Role.MANAGER, Role.REVIEWER),
        "rounds.decide_list": _changes(Role.OWNER, Role.MANAGER, Role.REVIEWER),
        "rounds.assign": _changes(*_MANAGERS),
        "rounds.pause": _changes(*_MANAGERS),
        "rounds.cancel": _changes(*_MANAGERS),
        "rounds.finish": _dangerous(*_MANAGERS),
        "rounds.leave_open": _changes(*_MANAGERS),
        "rounds.try_again": _changes(*_MANAGERS),
        "rounds.report": _reads(*_STAFF),
        "prints.start": _reads(*_STAFF),
        "prints.show": _reads(*_STAFF),
        "prints.file": _reads(*_STAFF),
        "calendars.make": _changes(*_EVERYONE),
        "notices.browse": _reads(*_EVERYONE),
        "notices.choose": _changes(*_EVERYONE),
        "receipts.keys": _reads(*_EVERYONE),
        "receipts.show": _reads(*_STAFF),
        "search.find": _reads(*_EVERYONE),
        "activity.browse": _reads(*_STAFF),
        "log.browse": _reads(*_STAFF),
        "log.copy": _reads(*_STAFF),
        "log.head": _reads(*_STAFF),
        "log.proof": _reads(*_STAFF),
        "log.consistency": _reads(*_STAFF),
    }
)

OF_ONESELF = frozenset(
    name for name in OPERATIONS if name == "people.me" or name.startswith(("me.", "factors.", "tokens."))
)
"""What is reached without the second factor that the workspace demands: what it takes to get one, and one's own."""
