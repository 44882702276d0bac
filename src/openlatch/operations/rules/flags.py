"""Flags: finding what holds now, listing it, and living with it until a date."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import TYPE_CHECKING
from uuid import UUID

from openlatch.core.hours import end_of
from openlatch.core.model import Account, Entry, Party
from openlatch.core.record.ledger import Event
from openlatch.core.rules.advise import Advice
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.evidence import Facts, sentence
from openlatch.core.rules.flags import Acceptance, Differences, Finding, Flag, compare
from openlatch.core.rules.frames import Everything, Frames
from openlatch.core.rules.policy import Rule
from openlatch.core.rules.rows import Outcome
from openlatch.deferred import deferred
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import circles, evaluation, policies
from openlatch.operations.rules.advice import advice
from openlatch.store.inventory.entries import Listed, Mark
from openlatch.store.pages import Page
from openlatch.wire.rules.flags import FlagQuery
from openlatch.words import Severity, Subject

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = [
    "TASK",
    "FlagSight",
    "accept",
    "begin_beside",
    "browse",
    "evaluate",
    "evaluate_all",
    "evaluate_beside",
    "evaluate_due",
    "evaluate_everything",
    "evaluate_later",
    "refuse",
    "show",
    "sights",
]

TASK = "openlatch.evaluate-in-columns"
BATCH = 20_000
"""So many new flags are stored at once."""
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


def sights(call: Call, flags: Iterable[Flag]) -> tuple[FlagSight, ...]:
    """Return flags with what each is on, and with what their rules say today."""
    every = list(flags)
    ids = {subject: [f.subject_id for f in every if f.subject is subject] for subject in Subject}
    entries = call.tx.entries.about(ids[Subject.ENTRY]) if ids[Subject.ENTRY] else {}
    accounts = call.tx.accounts.some(ids[Subject.ACCOUNT]) if ids[Subject.ACCOUNT] else {}
    parties = call.tx.parties.some(ids[Subject.PARTY]) if ids[Subject.PARTY] else {}
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
        reason=_reasons(call),
    )
    raised = _store(call, differences)
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


def _store(call: Call, differences: Differences) -> list[Flag]:
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


def _reasons(call: Call) -> Callable[[Finding], str]:
    """Return a function that says in a sentence why a finding holds."""
    rules, zone = policies.rules(call), call.tx.workspace.zone

    def said(finding: Finding) -> str:
        rule = rules[finding.rule]
        return sentence(rule.reason, json.loads(finding.facts), zone) or rule.title

    return said


def evaluate_everything(call: Call) -> None:
    """Look at the whole inventory in columns, and store what that changes; nobody else evaluates meanwhile."""
    call.tx.facts.take_turns()
    _store_everything(call, _look_at_everything(call), {})


def begin_beside(call: Call) -> None:
    """Have noted what others look at from here on, before everything is looked at beside them."""
    call.tx.facts.take_turns()
    call.tx.flags.note_looks()


def evaluate_beside(call: Call) -> bool:
    """Look at the whole inventory in columns while others change it, and store what that changes.

    Only storing is done in turn. What others have looked at meanwhile they know better: that is left as it is, and
    looked at once more afterwards. Returns False, with nothing stored, if they changed so much, or the policy, that
    everything has to be looked at anew. To be called after `begin_beside`, in a transaction of its own.
    """
    before = call.tx.workspace.policy, call.tx.workspace.circle
    seen = _look_at_everything(call)
    call.tx.facts.take_turns()
    call.tx.enter_again()
    meanwhile = call.tx.flags.looks()
    if meanwhile is None or before != (call.tx.workspace.policy, call.tx.workspace.circle):
        return False
    _store_everything(call, seen, meanwhile)
    evaluate(call, meanwhile[Subject.ENTRY], meanwhile[Subject.ACCOUNT], meanwhile[Subject.PARTY])
    return True


@dataclass(frozen=True, slots=True)
class _Seen:
    """What was found in a whole inventory, in which, by which policy, and the flags that stood then."""

    ask: evaluation.Ask
    every: Everything
    frames: Frames
    kept: pl.DataFrame
    upcoming: pl.DataFrame
    """what was to be looked at again, and when"""


def _look_at_everything(call: Call) -> _Seen:
    with call.tx.snapshot() as snapshot:
        ask = policies.in_force(call)
        every, frames = evaluation.everything(call, ask, snapshot)
        return _Seen(ask, every, frames, snapshot.flags(), snapshot.upcoming())


def _store_everything(call: Call, seen: _Seen, known: Mapping[Subject, Collection[UUID]]) -> None:
    """Store what a whole evaluation changes, but for the subjects that are known better."""
    ask, every, frames = seen.ask, seen.every, seen.frames
    but = {each_id.bytes for ids in known.values() for each_id in ids}
    better = pl.DataFrame({"id": list(but)}, schema={"id": pl.Binary})
    kept = seen.kept.join(better, on="id", how="anti")
    names = pl.DataFrame(
        {"place": range(len(ask.program.rules)), "rule": [rule.rule.id for rule in ask.program.rules]},
        schema={"place": pl.Int64, "rule": pl.String},
    )
    frame = pl.concat(
        [
            flags.lazy()
            .rename({"rule": "place"})
            .join(names.lazy(), on="place", how="left")
            .select("rule", pl.lit(subject.value).alias("subject"), pl.col("id").cast(pl.Binary), "severity", "facts")
            for subject, flags in every.flags.items()
        ]
    ).collect()
    _store_differences(call, frame.join(better, on="id", how="anti"), kept)
    _look_all_again(call, every, kept, seen.upcoming, better)
    _keep_marks(call, every, frames, frame, seen.kept, better)


def _store_differences(call: Call, frame: pl.DataFrame, kept: pl.DataFrame) -> None:
    """Raise, change and clear what a whole evaluation changes among the stored flags."""
    key = ["rule", "subject", "id"]
    now = micros(call.now - EPOCH)
    both = kept.lazy().join(frame.lazy(), on=key, how="inner", suffix="_found")
    over = (pl.col("accepted_until") <= now) | (pl.col("severity_found") > pl.col("accepted"))
    differs = (pl.col("severity") != pl.col("severity_found")) | (pl.col("facts") != pl.col("facts_found"))
    changed = both.filter(differs | over.fill_null(value=False)).select("flag_id", *key)
    cleared = kept.lazy().join(frame.lazy(), on=key, how="anti").select("flag_id", *key)
    new = frame.lazy().join(kept.lazy(), on=key, how="anti")
    again = frame.lazy().join(changed, on=key, how="semi")
    raised, differing, olds = pl.collect_all([new, again, pl.concat([changed, cleared])])
    standing = call.tx.flags.some(UUID(bytes=value) for value in olds["flag_id"])
    reason, policy = _reasons(call), call.tx.workspace.policy
    _store(call, compare(standing, _findings(differing), now=call.now, policy=policy, reason=reason))
    # A first look raises more than should be in memory at once.
    for some in raised.iter_slices(BATCH):
        _store(call, compare((), _findings(some), now=call.now, policy=policy, reason=reason))


def _findings(frame: pl.DataFrame) -> list[Finding]:
    return [
        Finding(rule, Subject(subject), UUID(bytes=value), Severity.ranked(severity), facts)
        for rule, subject, value, severity, facts in frame.iter_rows()
    ]


def _look_all_again(
    call: Call, every: Everything, kept: pl.DataFrame, before: pl.DataFrame, better: pl.DataFrame
) -> None:
    """Keep what has changed of when time alone may change what holds."""
    horizon = micros(call.now + evaluation.HORIZON - EPOCH)
    accepted = kept.filter(pl.col("accepted_until") <= horizon)
    soonest = [
        frame.select(pl.lit(subject.value).alias("subject"), pl.col("id").cast(pl.Binary), "at")
        for subject, frame in every.soonest.items()
    ]
    upcoming = pl.concat([*soonest, accepted.select("subject", "id", at="accepted_until")])
    # Two things on one subject are looked at again at the sooner of their instants.
    upcoming = upcoming.group_by("subject", "id").agg(pl.col("at").min())
    key = ["subject", "id", "at"]
    over = before.join(upcoming, on=key, how="anti").join(better, on="id", how="anti")
    new = upcoming.join(before, on=key, how="anti").join(better, on="id", how="anti")
    moments = {
        UUID(bytes=value): (Subject(subject), EPOCH + timedelta(microseconds=at))
        for subject, value, at in new.select("subject", "id", "at").iter_rows()
    }
    call.tx.flags.look_again([*moments, *(UUID(bytes=value) for value in over["id"])], moments)


def _keep_marks(
    call: Call, every: Everything, frames: Frames, table: pl.DataFrame, kept: pl.DataFrame, better: pl.DataFrame
) -> None:
    """Keep beside entries, accounts and parties what has changed of their risk and their worst flag."""
    key = ["rule", "subject", "id"]
    now = micros(call.now - EPOCH)
    # As severe as it is now: one that got worse than what was accepted counts again.
    lived_with = kept.filter(pl.col("accepted_until") > now).select(*key, "accepted")
    accepted = table.join(lived_with, on=key, how="inner").filter(pl.col("accepted") >= pl.col("severity"))
    worst = table.join(accepted, on=key, how="anti").group_by("subject", "id").agg(pl.col("severity").max())

    def of(subject: Subject) -> pl.DataFrame:
        return worst.filter(subject=subject.value).select(
            pl.col("id").alias(f"{subject}_id"), pl.col("severity").alias(f"{subject}_worst")
        )

    marks = (
        frames.entries.select("entry_id", "party_id", "kept_severity", "kept_outside", "kept_risk")
        .join(every.risks[Subject.ENTRY].select("risk", entry_id="id"), on="entry_id", how="left")
        .join(frames.parties.select("party_id", "party_outside"), on="party_id", how="left")
        .join(of(Subject.ENTRY), on="entry_id", how="left")
        .join(of(Subject.PARTY), on="party_id", how="left")
        .select(
            "entry_id",
            "party_outside",
            "risk",
            "kept_severity",
            "kept_outside",
            "kept_risk",
            worst=pl.max_horizontal(pl.col("entry_worst").fill_null(0), pl.col("party_worst").fill_null(0)),
        )
        .filter(
            (pl.col("worst") != pl.col("kept_severity"))
            | (pl.col("party_outside") != pl.col("kept_outside"))
            | (pl.col("risk") != pl.col("kept_risk"))
        )
        .join(better, left_on="entry_id", right_on="id", how="anti")
    )
    call.tx.entries.mark(
        Mark(UUID(bytes=value), worst, outside, risk)
        for value, worst, outside, risk in marks.select("entry_id", "worst", "party_outside", "risk").iter_rows()
    )
    risks = {}
    for subject, frame in ((Subject.ACCOUNT, frames.accounts), (Subject.PARTY, frames.parties)):
        before = frame.select(pl.col(f"{subject}_id").alias("id"), "kept_risk")
        changed = every.risks[subject].join(before, on="id").filter(pl.col("risk") != pl.col("kept_risk"))
        changed = changed.join(better, on="id", how="anti")
        risks[subject] = {UUID(bytes=each_value): risk for each_value, risk in changed.select("id", "risk").iter_rows()}
    call.tx.flags.keep_risks(risks, call.now)
