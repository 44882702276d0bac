"""What-if: proposals, what each would change, and carrying one out."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any
from uuid import UUID

from pydantic import ValidationError

from openlatch.core.ids import ref_of
from openlatch.core.inventory.matching import domains, stands_for
from openlatch.core.model import Party
from openlatch.core.providers.observation import SHARED
from openlatch.core.providers.sharing import ANYONE, Document, Selector, Statement
from openlatch.core.rules.evidence import sentence
from openlatch.core.rules.flags import Finding
from openlatch.core.rules.policy import Rule
from openlatch.core.rules.program import rules_of
from openlatch.core.what_if.shifts import Picture, Shift, shifts, someone
from openlatch.errors import Conflict, Invalid, OpenLatchError
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import circles, evaluation, policies
from openlatch.operations.rules.policy_file import read
from openlatch.operations.what_if.rehearse import Imagined, as_they_are, imagine
from openlatch.store.pages import Page
from openlatch.store.what_if.proposals import Proposal, Run
from openlatch.wire.base import mistakes
from openlatch.wire.what_if.proposal_file import ProposalFile
from openlatch.words import Severity, Subject

__all__ = [
    "TASK",
    "ProposalSight",
    "browse",
    "change",
    "checked",
    "opened",
    "outcome",
    "propose",
    "run",
    "run_again",
    "shift_said",
    "show",
]

TASK = "openlatch.what-if"
_Key = tuple[str, UUID]
_BUDGET = 50_000
"""So many stretches of addresses are told apart; past that the answer is a summary, which is as quick and exact."""
_MOST_LINES = 2000
"""So many lines of an outcome are kept; more are counted."""


@dataclass(frozen=True, slots=True)
class ProposalSight:
    """A proposal with its versions, the latest last."""

    proposal: Proposal
    runs: tuple[Run, ...]

    @property
    def latest(self) -> Run:
        return self.runs[-1]


# What people ask for


@operation("proposals.create")
def propose(call: Call, body: Mapping[str, Any]) -> ProposalSight:
    """Keep a proposal, and have worked out what it would change; nothing else is changed by it."""
    file = checked(body)
    proposal = Proposal(call.services.new_id(), file.title, call.actor.name, call.now, 1)
    call.tx.proposals.add(proposal)
    _ask(call, proposal, 1, file)
    return _sight(call, proposal)


@operation("proposals.change")
def change(call: Call, text: str, body: Mapping[str, Any]) -> ProposalSight:
    """Put another version in the place of a proposal, and have that worked out; earlier ones are kept beside it."""
    proposal = opened(call, text)
    _ask(call, proposal, proposal.runs + 1, checked(body))
    return show(call, text)


@operation("proposals.run_again")
def run_again(call: Call, text: str) -> ProposalSight:
    """Have a proposal worked out anew, against what there is now."""
    proposal = opened(call, text)
    _ask(call, proposal, proposal.runs + 1, checked(_sight(call, proposal).latest.body))
    return show(call, text)


@operation("proposals.browse")
def browse(call: Call, limit: int, cursor: str | None) -> Page[ProposalSight]:
    """Proposals, the latest first."""
    page = call.tx.proposals.browse(limit, cursor)
    return Page(tuple(_sight(call, item) for item in page.items), page.next)


@operation("proposals.show")
def show(call: Call, text: str) -> ProposalSight:
    """One proposal with its versions, by id or short form."""
    return _sight(call, call.tx.proposals.find(text))


def checked(body: Mapping[str, Any]) -> ProposalFile:
    """Return a proposal that was read and checked; raises Invalid with every mistake and its place."""
    try:
        return ProposalFile.model_validate_json(json.dumps(body))
    except ValidationError as error:
        errors = mistakes(error)[:100]
        first = errors[0]
        raise Invalid(
            f"The proposal cannot be used: {first['at'] or 'the file'}: {first['problem']}. Nothing was changed.",
            next_step="Correct it; docs/reference/proposal.schema.json describes the format.",
            errors=errors,
        ) from error


def opened(call: Call, text: str) -> Proposal:
    """Return a proposal that can still be changed or applied, held; refuses (Conflict) one that was applied."""
    proposal = call.tx.proposals.find(text, lock=True)
    if proposal.applied_at is not None:
        raise Conflict(
            f"Proposal {proposal.ref} was applied already. Nothing was changed.",
            next_step="Make a new one.",
            ref=proposal.ref,
        )
    return proposal


def _ask(call: Call, proposal: Proposal, number: int, file: ProposalFile) -> None:
    body = file.model_dump(mode="json", exclude_defaults=False)
    call.tx.proposals.run(proposal.id, Run(number, body, call.actor.name, call.now), file.title)
    call.log("proposal.asked", "proposal", proposal.id, number=number, title=file.title, changes=len(file.changes))
    call.tx.enqueue(TASK, proposal_id=str(proposal.id), number=number)


def _sight(call: Call, proposal: Proposal) -> ProposalSight:
    return ProposalSight(proposal, call.tx.proposals.runs(proposal.id))


# Working it out, as the worker does


def run(call: Call, proposal_id: UUID, number: int) -> None:
    """Work out what a version of a proposal would change, and keep that beside it."""
    proposal = call.tx.proposals.find(str(proposal_id))
    version = call.tx.proposals.runs(proposal.id)[number - 1]
    if version.finished_at is not None:
        return
    try:
        document = outcome(call, checked(version.body))
        call.tx.proposals.finish(proposal.id, number, call.now, document, "")
    except OpenLatchError as error:
        said = error.message if not error.next_step else f"{error.message} {error.next_step}"
        call.tx.proposals.finish(proposal.id, number, call.now, None, said)


def outcome(call: Call, file: ProposalFile) -> dict[str, Any]:
    """Return what a proposal would change, and leave everything as it is."""
    ask = policies.in_force(call)
    in_force = policies.current(call).policy
    with call.tx.tried():
        made = imagine(call, file)
        proposed = ask
        changes: tuple[str, ...] = ()
        if made.policy:
            tried = read(made.policy, call.tx.workspace.zone)
            changes = policies.changes(in_force, tried.policy)
            proposed = evaluation.Ask(tried.policy, tried.program, circles.circle_of(call, tried.policy))
        concerned = _concerned(call, made)
        present = {account: as_they_are(call, account, made) for account in made.accounts}
        after = _Seen.taken(call, proposed, concerned, {**present, **made.documents})
    before = _Seen.taken(call, ask, concerned, present)
    everyone = {**before.parties, **after.parties}
    lines = _shifts(call, before, after, everyone)
    flags = _flags(call, ask, proposed, before, after, everyone)
    names = {**before.names, **after.names}
    risks = _risks(before, after, names)
    document = {
        "shifts": lines[:_MOST_LINES],
        "more_shifts": max(0, len(lines) - _MOST_LINES),
        **flags,
        "limits": list(dict.fromkeys(made.limits)),
        "risks": risks,
        "policy": list(changes),
        "outsiders_gain": any(line["outside"] and line["gained"] for line in lines),
        "anyone_gains": any(line["gained"] for line in lines),
        "read_at": _read_at(call, made),
    }
    return document | {"sentences": _sentences(document)}


@dataclass(frozen=True, slots=True)
class _Concern:
    entries: frozenset[UUID]
    accounts: frozenset[UUID]
    parties: frozenset[UUID]
    everything: bool


@dataclass(frozen=True, slots=True)
class _Seen:
    """The part of the inventory that a proposal touches, before it or after it."""

    picture: Picture
    parties: Mapping[UUID, Party]
    above: Mapping[UUID, Collection[UUID]]
    selectors: Mapping[UUID, Selector]
    found: Mapping[tuple[str, UUID], Finding]
    risks: Mapping[tuple[Subject, UUID], int]
    names: Mapping[UUID, str]
    outside: frozenset[UUID]
    domains: frozenset[str]

    @classmethod
    def taken(
        cls, call: Call, ask: evaluation.Ask, concerned: _Concern, put: Mapping[UUID, tuple[Document, ...]]
    ) -> _Seen:
        """Look at everything that hangs on the accounts that are touched, as this transaction shows it now."""
        entries = call.tx.entries.on(concerned.accounts)
        documents = _documents(call, put)
        holders = {entry.party_id for entry in entries} | concerned.parties
        named = {UUID(s.value) for d in documents for statement in d.statements for s in statement.to if _known(s)}
        teams = holders | named
        everybody = teams | call.tx.memberships.below(teams)
        parties = call.tx.parties.some(everybody)
        above = call.tx.memberships.above(everybody)
        circle = ask.drawn or call.tx.workspace.circle
        locked = {str(a.id) for a in call.tx.accounts.some(concerned.accounts).values() if a.locked}
        looked = (
            evaluation.of_everything(call, ask)
            if concerned.everything
            else evaluation.of_some(call, ask, concerned.entries, concerned.accounts, concerned.parties)
        )
        outcome_ = looked.outcome if looked is not None else None
        some = [evaluation.found(ask.program, one) for one in outcome_.found] if outcome_ else []
        names = dict(call.tx.accounts.names(concerned.accounts)) | {party_id: p.name for party_id, p in parties.items()}
        names |= {
            e.id: f"{parties[e.party_id].name} on {names[e.account_id]}" for e in entries if e.party_id in parties
        }
        return cls(
            picture=Picture(tuple(e for e in entries if not e.key.startswith(SHARED)), documents, frozenset(locked)),
            parties=parties,
            above=above,
            selectors={each_party_id: s for each_party_id, p in parties.items() if (s := stands_for(p)) is not None},
            found={(finding.rule, finding.subject_id): finding for finding in some},
            risks=dict(outcome_.risks) if outcome_ else {},
            names=names,
            outside=frozenset(each_id for each_id, party in parties.items() if not circle.holds(party)),
            domains=circle.domains,
        )


def _concerned(call: Call, made: Imagined) -> _Concern:
    """What has to be looked at, before as well as after; refuses a policy that could only be tried on some of it."""
    if made.policy and call.tx.facts.count() > evaluation.MOST_ROWS:
        raise Invalid(
            f"Another policy is worked out together with other changes for up to {evaluation.MOST_ROWS} entries, and "
            "there are more. Nothing was worked out.",
            next_step="Test it on its own, on the policy's page or openlatch policy try FILE, and leave it out here.",
        )
    return _Concern(
        frozenset(made.entries), frozenset(made.accounts), frozenset(made.parties), everything=bool(made.policy)
    )


def _known(selector: Selector) -> bool:
    try:
        return selector.kind == "party" and bool(UUID(selector.value))
    except ValueError:
        return False


def _documents(call: Call, put: Mapping[UUID, tuple[Document, ...]]) -> tuple[Document, ...]:
    """The documents of accounts, with parties by the text of their ids."""
    the_documents: list[Document] = []
    for account_id, documents in put.items():
        provider_id = call.tx.accounts.get(account_id).provider_id
        ids = {key: some_id for key, (some_id, _) in call.tx.parties.keys_at(provider_id).items()} if documents else {}
        the_documents += [
            replace(document, statements=tuple(_by_id(statement, ids) for statement in document.statements))
            for document in documents
        ]
    return tuple(the_documents)


def _by_id(statement: Statement, ids: Mapping[str, UUID]) -> Statement:
    to = frozenset(
        Selector("party", str(ids[selector.value])) if selector.kind == "party" and selector.value in ids else selector
        for selector in statement.to
    )
    return statement if to == statement.to else replace(statement, to=to)


# Telling it


def _shifts(call: Call, before: _Seen, after: _Seen, everyone: Mapping[UUID, Party]) -> list[dict[str, Any]]:
    """Who gains and loses what, those outside the circle first, and who gains before who only loses."""
    mailboxes = {party_id: domains(party) for party_id, party in everyone.items() if party_id not in after.selectors}
    above = {mailbox: {*before.above.get(mailbox, ()), *after.above.get(mailbox, ())} for mailbox in mailboxes}
    selectors = {**before.selectors, **after.selectors}
    zone = call.tx.workspace.zone
    names = {**before.names, **after.names}
    lines = [
        line
        for shift in shifts(before.picture, after.picture, someone(mailboxes, above), selectors, zone, budget=_BUDGET)
        for line in _lines(shift, names, after)
    ]
    return sorted(
        lines,
        key=lambda document: (
            not document["outside"],
            not document["gained"],
            document["who"],
            document["account"]["name"],
        ),
    )


def _lines(shift: Shift, names: Mapping[UUID, str], seen: _Seen) -> Iterable[dict[str, Any]]:
    account = UUID(shift.account)
    same = {
        "account": {"id": shift.account, "ref": ref_of(account), "name": names[account]},
        "resources": list(shift.resources),
        "gained": [asdict(ability) for ability in shift.gained],
        "lost": [asdict(ability) for ability in shift.lost],
    }
    # Whoever is matched by nothing of their own is one of many, whether they are known or not.
    many = all(s == ANYONE or s.kind == "domain" for s in shift.matched_by)
    for party in () if many else shift.parties:
        party_id = UUID(party)
        who = {"who": names.get(party_id, party), "party": ref_of(party_id), "outside": party_id in seen.outside}
        yield {**who, **same}
    if many or not shift.parties:
        yield {
            "who": _whoever(shift.matched_by),
            "party": "",
            "outside": _strange(shift.matched_by, seen.domains),
            **same,
        }


def _whoever(matched_by: Collection[Selector]) -> str:
    narrow = [selector for selector in matched_by if selector != ANYONE]
    if not narrow:
        return "Anyone"
    return f"Anyone at {narrow[0].value}" if narrow[0].kind == "domain" else narrow[0].value


def _strange(matched_by: Collection[Selector], domains: Collection[str]) -> bool:
    """Whether those whom nobody knows by name are outside the circle."""
    return not any(selector.kind == "domain" and selector.value in domains for selector in matched_by)


def _flags(
    call: Call,
    ask: evaluation.Ask,
    proposed: evaluation.Ask,
    before: _Seen,
    after: _Seen,
    everyone: Mapping[UUID, Party],
) -> dict[str, Any]:
    old = {rule.id: rule for rule in rules_of(ask.policy)}
    new = {rule.id: rule for rule in rules_of(proposed.policy)}
    names = {**before.names, **after.names}
    zone = call.tx.workspace.zone

    def told(
        findings: Mapping[tuple[str, UUID], Finding], keys: Iterable[tuple[str, UUID]], by: Mapping[str, Rule]
    ) -> Any:
        lines = []
        for key in keys:
            finding, rule = findings[key], by[key[0]]
            said = sentence(rule.reason, json.loads(finding.facts), zone) or rule.title
            lines.append(
                {
                    "rule": rule.id,
                    "title": rule.title,
                    "severity": finding.severity.value,
                    "subject": finding.subject.value,
                    "about": names.get(finding.subject_id, ""),
                    "reason": said,
                }
            )
        return sorted(
            lines, key=lambda line: (-Severity(line["severity"]).rank, line["rule"], line["about"], line["reason"])
        )

    raised = after.found.keys() - before.found.keys()
    cleared = before.found.keys() - after.found.keys()
    changed = {
        k for k in before.found.keys() & after.found.keys() if before.found[k].severity != after.found[k].severity
    }
    return {
        "flags_raised": told(after.found, raised, new),
        "flags_cleared": told(before.found, cleared, old),
        "flags_changed": told(after.found, changed, new),
    }


def _risks(before: _Seen, after: _Seen, names: Mapping[UUID, str]) -> list[dict[str, Any]]:
    """How the risk of accounts and parties moves, what moves most first."""
    lines = []
    for key in before.risks.keys() | after.risks.keys():
        subject, some_id = key
        was, is_ = before.risks.get(key, 0), after.risks.get(key, 0)
        if subject is not Subject.ENTRY and was != is_:
            lines.append({"subject": subject.value, "about": names.get(some_id, ""), "before": was, "after": is_})
    return sorted(lines, key=lambda line: (-abs(line["after"] - line["before"]), line["subject"], line["about"]))


def _read_at(call: Call, made: Imagined) -> list[dict[str, Any]]:
    """How old what is known is, provider by provider."""
    accounts = call.tx.accounts.some(made.accounts).values()
    providers = [
        call.tx.providers.get(provider_id) for provider_id in sorted({account.provider_id for account in accounts})
    ]
    return [
        {
            "provider": provider.name,
            "read_at": provider.last_complete.isoformat() if provider.last_complete else None,
            "stale": provider.stale(call.now),
        }
        for provider in providers
    ]


def _sentences(document: Mapping[str, Any]) -> list[str]:
    """The outcome in a few sentences, what matters most first."""
    said = []
    gains = [value for value in document["shifts"] if value["gained"]]
    outside = [gain for gain in gains if gain["outside"]]
    for value in outside[:10]:
        said.append(shift_said(value, "gained", "from outside, gains"))
    if len(outside) > 10:
        said.append(f"{len(outside) - 10} more from outside gain something.")
    if not outside:
        said.append("Nobody from outside gains anything.")
    inside = len(gains) - len(outside)
    if inside:
        said.append(f"{inside} in the circle {'gains' if inside == 1 else 'gain'} something.")
    losses = [value for value in document["shifts"] if value["lost"]]
    for value in losses[:5]:
        said.append(shift_said(value, "lost", "loses"))
    if len(losses) > 5:
        said.append(f"{len(losses) - 5} more lose something.")
    said += document["limits"]
    raised, cleared = len(document["flags_raised"]), len(document["flags_cleared"])
    if raised or cleared:
        said.append(f"{raised} {'flag is' if raised == 1 else 'flags are'} raised, {cleared} cleared.")
    return said


def shift_said(document: Mapping[str, Any], which: str, verb: str) -> str:
    """Return a sentence about what someone gains or loses: `one` of the `shifts` of an outcome."""
    told = "; ".join(_can(ability) for ability in document[which])
    on = document["account"]["name"]
    if document["resources"]:
        left = len(document["resources"]) - 2
        on += f" ({', '.join(document['resources'][:2])}{f' and {left} more' if left > 0 else ''})"
    return f"{document['who']}{', ' if 'outside' in verb else ' '}{verb} {told} on {on}."


def _can(ability: Mapping[str, Any]) -> str:
    limits = [
        "in part" if ability["in_part"] else "",
        ability["hours"],
        _from("from", ability["networks"]),
        _from("from anywhere but", ability["but"]),
        ability["witness"],
    ]
    more = ", ".join(filter(None, limits))
    return ", ".join(ability["powers"]) + (f" ({more})" if more else "")


def _from(word: str, networks: Sequence[str]) -> str:
    left = len(networks) - 3
    return f"{word} {', '.join(networks[:3])}{f' and {left} more' if left > 0 else ''}" if networks else ""
