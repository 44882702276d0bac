"""Flags: finding what holds now, listing it, and living with it until a date."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
from uuid import UUID

from openlatch.core.hours import end_of
from openlatch.core.model import Account, Entry, Party
from openlatch.core.record.ledger import Event
from openlatch.core.rules.advise import Advice
from openlatch.core.rules.check import EPOCH
from openlatch.core.rules.evidence import Facts, sentence
from openlatch.core.rules.flags import Acceptance, Differences, Finding, Flag, compare
from openlatch.core.rules.policy import Rule
from openlatch.core.rules.rows import Outcome
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import circles, evaluation, policies
from openlatch.operations.rules.advice import advice
from openlatch.store.inventory.entries import Listed, Mark
from openlatch.store.pages import Page
from openlatch.wire.rules.flags import FlagQuery
from openlatch.words import Subject

__all__ = [
    "TASK",
    "FlagSight",
    "accept",
    "browse",
    "evaluate",
    "evaluate_all",
    "evaluate_due",
    "evaluate_later",
    "reasons",
    "refuse",
    "show",
    "sights",
    "stored",
]

TASK = "openlatch.evaluate-in-columns"
MOST_DUE = 500
"""So many subjects are looked at again in one go for what time alone has changed."""


@dataclass(frozen=True, slots=True)
class FlagSight:
    """A flag with what it is on, what its rule says today, and what is advised."""

    flag: Flag
    rule: Rule | None
    reason: str
    facts: Facts
    accepted: bool
    entry: Listed | None = None
    account: Account | None = None
    party: Party | None = None
    advice: Advice | None = None
    past: tuple[Flag, ...] = ()


@operation("flags.browse")
def browse(call: Call, wanted: FlagQuery) -> Page[FlagSight]:
    """Flags, the worst first, each with what it is on; of an account or a party also those on its entries."""
    policies.checked_rule(call, wanted.rule)
    ids: set[UUID] | None = None
    if wanted.entry:
        listed = call.tx.entries.find(wanted.entry)
        ids = {listed.entry.id, listed.party.id}
    elif wanted.account:
        account = call.tx.accounts.find(wanted.account)
        ids = {account.id, *(e.id for e in call.tx.entries.on([account.id]))}
    elif wanted.party:
        who = call.tx.parties.find(wanted.party)
        ids = {who.id, *(e.id for e in call.tx.entries.held_by([who.id]))}
    page = call.tx.flags.browse(
        rule=wanted.rule,
        severity=wanted.severity,
        subject_ids=ids,
        subject=wanted.subject,
        state=wanted.state,
        now=call.now,
        limit=wanted.limit,
        cursor=wanted.cursor,
    )
    return Page(sights(call, page.items), page.next)


@operation("flags.show")
def show(call: Call, text: str) -> FlagSight:
    """One flag, with what it is on, what is advised, and every time that it was raised before."""
    flag = call.tx.flags.find(text)
    sight = sights(call, [flag])[0]
    advised = advice(call, sight.entry) if sight.entry else None
    return replace(sight, advice=advised, past=call.tx.flags.past(flag.rule, flag.subject_id))


@operation("flags.accept")
def accept(call: Call, text: str, why: str, until: date | None) -> FlagSight:
    """Live with a flag for a reason until the end of a day; then it comes back, as it does if it gets worse."""
    call.tx.facts.take_turns()
    flag = _standing(call, text)
    longest = policies.current(call).policy.accept_for
    last = (call.now + longest).date()
    day = until or min(last, (call.now + timedelta(days=90)).date())
    over = end_of(min(day, last), call.tx.workspace.zone) if day.year > 1900 else call.now
    if over <= call.now or day > last:
        raise Invalid(
            f"A flag can be accepted until a day from today to {last.isoformat()}, and not until {day.isoformat()}. "
            "Nothing was changed.",
            next_step="Give a day in between.",
            errors=[{"at": "until", "problem": "too early" if over <= call.now else "too late"}],
        )
    accepted = replace(flag, acceptance=Acceptance(call.actor.name, call.now, over, why, flag.severity))
    call.tx.flags.change([accepted])
    call.log(
        "flag.accepted",
        flag.subject,
        flag.subject_id,
        flag=str(flag.id),
        rule=flag.rule,
        title=policies.titles(call).get(flag.rule, flag.rule),
        why=why,
        until=over.isoformat(),
    )
    _mark_again(call, flag)
    return show(call, text)


@operation("flags.refuse")
def refuse(call: Call, text: str) -> FlagSight:
    """Take back that a flag is accepted."""
    call.tx.facts.take_turns()
    flag = _standing(call, text)
    if flag.acceptance is None:
        raise Conflict("This flag is not accepted. Nothing was changed.", next_step="Nothing has to be done.")
    call.tx.flags.change([replace(flag, acceptance=None)])
    rule = {"rule": flag.rule, "title": policies.titles(call).get(flag.rule, flag.rule)}
    call.log("flag.back", flag.subject, flag.subject_id, flag=str(flag.id), **rule, evidence="taken back")
    _mark_again(call, flag)
    return show(call, text)


def _standing(call: Call, text: str) -> Flag:
    flag = call.tx.flags.find(text)
    if flag.cleared_at is not None:
        raise Conflict(
            "This flag is no longer true, so there is nothing to accept. Nothing was changed.",
            next_step="List the flags that stand: openlatch flags",
        )
    return flag


def _mark_again(call: Call, flag: Flag) -> None:
    """Bring what hangs on a flag's acceptance up to date: the entries' marks, and when to look again."""
    document = {flag.subject: [flag.subject_id]}
    evaluate(
        call,
        entries=document.get(Subject.ENTRY, ()),
        accounts=document.get(Subject.ACCOUNT, ()),
        parties=document.get(Subject.PARTY, ()),
    )


def sights(call: Call, flags: Iterable[Flag], known: Mapping[UUID, Listed] | None = None) -> tuple[FlagSight, ...]:
    """Return flags with what each is on, and with what their rules say today; `known` are entries that are at hand."""
    every = list(flags)
    ids = {subject: [f.subject_id for f in every if f.subject is subject] for subject in Subject}
    entries = dict(known or {})
    if further := [entry_id for entry_id in ids[Subject.ENTRY] if entry_id not in entries]:
        entries |= call.tx.entries.about(further)
    parties = {listed.party.id: listed.party for listed in entries.values()}
    if further := [party_id for party_id in ids[Subject.PARTY] if party_id not in parties]:
        parties |= call.tx.parties.some(further)
    accounts = call.tx.accounts.some(ids[Subject.ACCOUNT]) if ids[Subject.ACCOUNT] else {}
    rules = policies.rules(call)
    flag_sights = []
    for flag in every:
        facts: Facts = json.loads(flag.facts)
        rule = rules.get(flag.rule)
        said = sentence(rule.reason, facts, call.tx.workspace.zone) if rule else ""
        flag_sights.append(
            FlagSight(
                flag=flag,
                rule=rule,
                reason=said or flag.reason,
                facts=facts,
                accepted=flag.accepted(call.now),
                entry=entries.get(flag.subject_id),
                account=accounts.get(flag.subject_id),
                party=parties.get(flag.subject_id),
            )
        )
    return tuple(flag_sights)


# Evaluation


def evaluate_due(call: Call) -> None:
    """Look again at the subjects whose instant has come."""
    due = call.tx.flags.due(call.now, MOST_DUE)
    evaluate(call, entries=due[Subject.ENTRY], accounts=due[Subject.ACCOUNT], parties=due[Subject.PARTY])


def evaluate(
    call: Call,
    entries: Iterable[Entry | UUID] = (),
    accounts: Iterable[UUID] = (),
    parties: Iterable[UUID] = (),
    met: Iterable[UUID] = (),
) -> None:
    """Raise, change and clear flags so that they say what holds now: of these subjects, and of what hangs on them.

    `met` are those of the parties that are new, or about whom something new is known. What is too much for one
    transaction is left to a job that is queued with it.
    """
    call.tx.facts.take_turns()
    policies.draw_circle(call, policies.current(call).policy)
    every = list(entries)
    given = {one if isinstance(one, UUID) else one.id for one in every}
    # What has ended counts no more for its account and its party, and nothing else leads to these.
    ended = [one for one in every if isinstance(one, Entry) and not one.stands]
    of_parties = {*parties, *(entry.party_id for entry in ended)}
    on_accounts = {*accounts, *(entry.account_id for entry in ended)}
    if not (given or of_parties or on_accounts):
        return
    ask = policies.in_force(call)
    of_parties |= _acquainted(call, met)
    few = max(len(given), len(of_parties), len(on_accounts)) <= evaluation.MOST_ROWS
    looked = evaluation.of_some(call, ask, given, on_accounts, of_parties) if few else None
    if looked is None:
        evaluate_later(call)
        return
    _conclude(call, ask, looked, given)


def evaluate_all(call: Call) -> None:
    """Look at the whole inventory: at once where it is small, else by a job that begins right after."""
    if call.tx.facts.count() > evaluation.MOST_ROWS:
        evaluate_later(call)
        return
    call.tx.facts.take_turns()
    ask = policies.in_force(call)
    looked = evaluation.of_everything(call, ask)
    _conclude(call, ask, looked, {flag.subject_id for flag in call.tx.flags.all_standing()})


def evaluate_later(call: Call) -> None:
    """Have everything looked at in columns, by a job that begins when this transaction is over."""
    call.tx.flags.note_everything()
    call.tx.enqueue(TASK, lock=f"flags:{call.tx.workspace.id}", once=f"flags:{call.tx.workspace.id}")


def _acquainted(call: Call, met: Iterable[UUID]) -> set[UUID]:
    """Keep what the circle makes of these parties, and of whom they resemble; return whose that changes."""
    concerned = call.tx.parties.some(met)
    if not concerned:
        return set()
    vouched = [party for party in concerned.values() if party.verified]
    more = call.tx.parties.doubtful_like(vouched)
    everyone = {**concerned, **{party.id: party for party in more}}
    seen = circles.acquaint(call, call.tx.workspace.circle, everyone.values())
    return set(call.tx.parties.acquainted({i: (a.outside, a.near, a.near_how) for i, a in seen.items()}))


def _conclude(call: Call, ask: evaluation.Ask, looked: evaluation.Looked, given: set[UUID]) -> None:
    """Store what changes among the flags of the subjects that were looked at, and beside their entries."""
    concerned, outcome = looked.concerned, looked.outcome
    ids = {*concerned.entries, *concerned.accounts, *concerned.parties} | given
    marked = call.tx.entries.marked_by(ids)
    call.tx.flags.note(
        {
            Subject.ENTRY: concerned.entries | given | marked.keys(),
            Subject.ACCOUNT: concerned.accounts,
            Subject.PARTY: concerned.parties,
        }
    )
    around = ids | marked.keys() | {party for party, _ in marked.values()}
    before = {flag.id: flag for flag in call.tx.flags.standing(around)}
    differences = compare(
        [flag for flag in before.values() if flag.subject_id in ids],
        [evaluation.found(ask.program, one) for one in outcome.found],
        now=call.now,
        policy=call.tx.workspace.policy,
        reason=reasons(call),
    )
    raised = stored(call, differences)
    standing = before | {flag.id: flag for flag in (*differences.changed, *raised)}
    for flag in differences.cleared:
        del standing[flag.id]
    _look_again(call, ids, outcome, standing.values())
    risks: dict[Subject, dict[UUID, int]] = {subject: {} for subject in Subject}
    for (subject, value), number in outcome.risks.items():
        risks[subject][value] = number
    call.tx.flags.keep_risks(risks, call.now)
    worst: dict[UUID, int] = {}
    for flag in standing.values():
        if not flag.accepted(call.now):
            worst[flag.subject_id] = max(worst.get(flag.subject_id, 0), flag.severity.rank)
    risk = risks[Subject.ENTRY]
    call.tx.entries.mark(
        Mark(entry, max(worst.get(entry, 0), worst.get(party, 0)), outside, risk.get(entry))
        for entry, (party, outside) in marked.items()
    )


def _look_again(call: Call, ids: set[UUID], outcome: Outcome, standing: Iterable[Flag]) -> None:
    """Keep when time alone may change what holds for these subjects, if that is soon."""
    upcoming = {
        value: (subject, EPOCH + timedelta(microseconds=at)) for (subject, value), at in outcome.soonest.items()
    }
    for flag in standing:
        if flag.acceptance is not None and flag.subject_id in ids:
            sooner = upcoming.get(flag.subject_id)
            until = flag.acceptance.until
            upcoming[flag.subject_id] = (flag.subject, min(until, sooner[1]) if sooner else until)
    horizon = call.now + evaluation.HORIZON
    call.tx.flags.look_again(ids, {each_value: pair for each_value, pair in upcoming.items() if pair[1] <= horizon})


def stored(call: Call, differences: Differences) -> list[Flag]:
    """Store what an evaluation changes among the flags, with its log; returns the flags that are new."""
    policy = call.tx.workspace.policy
    raised = [
        Flag(
            id=call.services.new_id(),
            rule=f.rule,
            subject=f.subject,
            subject_id=f.subject_id,
            severity=f.severity,
            facts=f.facts,
            reason=reason,
            policy=policy,
            raised_at=call.now,
        )
        for f, reason in differences.raised
    ]
    call.tx.flags.raise_all(raised)
    call.tx.flags.change(differences.changed)
    call.tx.flags.clear([flag.id for flag in differences.cleared], call.now)
    events: list[Event] = []
    back, titles = {flag.id for flag in differences.back}, policies.titles(call)
    for act, flags in (
        ("flag.raised", raised),
        ("flag.changed", [f for f in differences.changed if f.id not in back]),
        ("flag.cleared", differences.cleared),
        ("flag.back", differences.back),
    ):
        for f in flags:
            facts = {} if act == "flag.cleared" else {"severity": f.severity.value, "facts": json.loads(f.facts)}
            facts |= {"flag": str(f.id), "rule": f.rule, "title": titles.get(f.rule, f.rule)}
            events.append(call.event(act, f.subject.value, f.subject_id, **facts))
    call.log_all(events)
    return raised


def reasons(call: Call) -> Callable[[Finding], str]:
    """Return a function that says in a sentence why a finding holds."""
    rules, zone = policies.rules(call), call.tx.workspace.zone

    def said(finding: Finding) -> str:
        rule = rules[finding.rule]
        return sentence(rule.reason, json.loads(finding.facts), zone) or rule.title

    return said
