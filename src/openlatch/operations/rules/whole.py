"""Looking at a whole inventory in columns, and storing what that changes: in turn, or beside everybody else."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import TYPE_CHECKING
from uuid import UUID

from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.flags import Finding, compare
from openlatch.core.rules.frames import Everything, Frames
from openlatch.deferred import deferred
from openlatch.operations.call import Call
from openlatch.operations.rules import evaluation, flags, policies
from openlatch.store.inventory.entries import Mark
from openlatch.words import Severity, Subject

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["begin_beside", "evaluate_beside", "evaluate_everything"]

BATCH = 20_000
"""So many new flags are stored at once."""


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
    flags.evaluate(call, meanwhile[Subject.ENTRY], meanwhile[Subject.ACCOUNT], meanwhile[Subject.PARTY])
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
    frame = evaluation.findings(ask.program, every)
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
    reason, policy = flags.reasons(call), call.tx.workspace.policy
    flags.stored(call, compare(standing, _findings(differing), now=call.now, policy=policy, reason=reason))
    # A first look raises more than should be in memory at once.
    for some in raised.iter_slices(BATCH):
        flags.stored(call, compare((), _findings(some), now=call.now, policy=policy, reason=reason))


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
