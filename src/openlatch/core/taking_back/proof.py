"""Whether what was ordered is so: what a fresh observation of a party has to show.

Nothing proves an order but what was not so before it. A change is proved by an entry that is just what the change makes
of what it was; what was given, by an entry that is just that and was not there, or was not that, when it was given. All
else is said as it is shown, and proves nothing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from openlatch.core.hours import until
from openlatch.core.orders.steps import Extent, Step, known_by
from openlatch.core.providers.observation import SHARED, Observation, ObservedEntry
from openlatch.core.providers.ports import Change, Gift
from openlatch.words import Action, Kind, State

__all__ = ["Verdict", "already_there", "noted", "verify"]

PRECISION = timedelta(seconds=1)
"""Ends that are less apart than this are the same: not every provider keeps fractions of a second."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a fresh observation says: whether all is as it was meant to be, and what was seen.

    `found` are the provider's keys of the entries that show what was given.
    """

    reached: bool
    evidence: str
    found: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class _Words:
    """How what an observation shows is said: entries by what they are, with the provider's key; days in a zone."""

    observation: Observation
    zone: str

    def entry(self, key: str, level: str = "", account: str = "") -> str:
        observed_entry = next((e for e in self.observation.entries if e.key == key), None)
        level, account = (
            (observed_entry.level, observed_entry.account) if observed_entry is not None else (level, account)
        )
        what = f"“{level}”" if level else "what they had"
        # Of an account that the party has nothing on any more, a look at the party does not tell the name.
        named = any(observed_account.key == account for observed_account in self.observation.accounts)
        return f"{what} on {self.place(account)} ({key})" if named else f"{what} ({key})"

    def place(self, account: str) -> str:
        return next(
            (
                observed_account.name
                for observed_account in self.observation.accounts
                if observed_account.key == account
            ),
            account,
        )

    def end(self, at: datetime | None) -> str:
        return "without an end" if at is None else until(at, self.zone)


def verify(observation: Observation, steps: Sequence[Step], place: int, zone: str) -> Verdict:
    """Return whether a complete observation shows what the steps before `place` did to the party of the step there.

    Days are told in `zone`.
    """
    party, words = steps[place].party, _Words(observation, zone)
    shown = {entry.key: entry for entry in observation.entries}
    done = [step for step in steps[:place] if step.party == party]
    ended_later = {step.entry for step in steps[place:] if step.call == "end"}
    wanted: dict[str, list[Step]] = {}
    for step in done:
        if step.entry and step.call in ("end", "change", "ask"):
            wanted.setdefault(step.entry, []).append(step)
    missed, seen, texts = [], [], []
    for key, theirs in wanted.items():
        if theirs[-1].change is None:
            wrong, fine = _ended(theirs[-1], words)
        else:
            wrong, fine = _changed(words, theirs, shown.get(key), gone_is_fine=key in ended_later)
        missed += wrong
        seen += fine
    for step in done:
        if step.gift is not None:
            observed_entry, said = _given(step.gift, dict(step.before), words)
            (missed if observed_entry is None else seen).append(said)
            texts += [] if observed_entry is None else [observed_entry.key]
        if step.team and step.call != "read":
            right, said = _belongs(step, observation)
            (seen if right else missed).append(said)
    if missed:
        return Verdict(reached=False, evidence="; ".join(missed))
    left = [each_entry for key, each_entry in shown.items() if key not in wanted and key not in texts]
    evidence = "; ".join([*seen, _rest(left, observation, party)])
    return Verdict(reached=True, evidence=evidence, found=tuple(texts))


def _belongs(step: Step, observation: Observation) -> tuple[bool, str]:
    """Whether a party is in a team just as a step means it, and what is to be said of it."""
    names = {party.key: party.name for party in observation.parties}
    there = any(
        (membership.team, membership.member, membership.how) == (step.team, step.party, "member")
        for membership in observation.memberships
    )
    team = step.team_name or known_by(names, step.team)
    said = f"{known_by(names, step.party)} is {'a member' if there else 'not a member'} of the team {team}"
    return there == (step.call == Action.ADD_MEMBER), said


def _rest(left: Sequence[ObservedEntry], observation: Observation, party: str) -> str:
    """What a reading shows of a party beside what an order is about: other access, and teams and apps of theirs."""
    names = {party.key: party.name for party in observation.parties}
    said = [f"{len(left)} other {'entry' if len(left) == 1 else 'entries'}"] if left else []
    for how, told in (("member", "a member of"), ("app", "connected to")):
        theirs = {
            membership.team
            for membership in observation.memberships
            if (membership.member, membership.how) == (party, how)
        }
        if theirs:
            said.append(f"{told} {', '.join(f'“{name}”' for name in sorted(names.get(text, text) for text in theirs))}")
    return f"what is left of this party there: {', '.join(said) or 'nothing'}"


def already_there(observation: Observation, steps: Sequence[Step], place: int, zone: str) -> str:
    """Return what is said if a party has just what the step after `place` is to give it; else an empty string."""
    after = steps[place + 1]
    if after.call == Action.ADD_MEMBER:
        right, said = _belongs(after, observation)
        return f"{said} already" if right else ""
    words = _Words(observation, zone)
    gift = after.gift
    there = next((entry for entry in observation.entries if gift is not None and not _unlike(gift, entry, words)), None)
    if gift is None or there is None:
        return ""
    return f"{words.entry(there.key)} is there already"


def noted(observation: Observation, steps: Sequence[Step], place: int, texts: Sequence[str]) -> tuple[Step, ...]:
    """Return the steps with what the reading at `place` leaves for later.

    By which entries it showed what was given; or, where the next step gives something, all that was there before.
    """
    kept = {place: replace(steps[place], found=tuple(texts))}
    if steps[place + 1].gift is not None:
        before = tuple((entry.key, Extent.of(entry)) for entry in observation.entries)
        kept[place + 1] = replace(steps[place + 1], before=before)
    return tuple(kept.get(n, step) for n, step in enumerate(steps))


# What was ended or changed


def _ended(step: Step, words: _Words) -> tuple[list[str], list[str]]:
    """What is there of an entry that was ended; whoever is let in again by another one is not out."""
    known = dict(step.before)
    wrong = []
    for entry in words.observation.entries:
        if entry.key == step.entry:
            wrong.append(f"{words.entry(entry.key)} is still listed")
        elif entry.account == step.account and entry.key not in known and _lets_in(entry):
            wrong.append(f"{words.entry(entry.key)} lets them in again")
    return wrong, [f"{_before(step, words)} is no longer listed"]


def _before(step: Step, words: _Words) -> str:
    """What an entry was before a step."""
    was = dict(step.before).get(step.entry)
    return words.entry(step.entry, was.level if was else "", step.account)


def _lets_in(entry: ObservedEntry) -> bool:
    """Whether an entry lets someone in by itself: sessions come and go, and what documents share is keyed anew."""
    return entry.kind not in (Kind.SESSION, Kind.OFFER) and not entry.key.startswith(SHARED)


def _changed(
    words: _Words, steps: Sequence[Step], shown: ObservedEntry | None, *, gone_is_fine: bool
) -> tuple[list[str], list[str]]:
    """What is not as these steps on one entry meant it, and what is."""
    key = steps[0].entry
    if shown is None:
        name = _before(steps[0], words)
        return ([], [f"{name} is no longer listed"]) if gone_is_fine else ([f"{name} is not listed"], [])
    was = dict(steps[0].before).get(key)
    asked = Change()
    for step in steps:
        asked = asked if step.change is None else _both(asked, step.change)
    now = Extent.of(shown)
    wrong = _differs(now, (was or now).after(asked), words)
    if was is not None and not asked.wider and now.powers is not None and was.powers is not None:
        more = [power for power in now.powers if power not in was.powers]
        wrong += [f"with more than before: {', '.join(more)}"] if more else []
    if wrong:
        return [f"{words.entry(key)} is listed {text}" for text in wrong], []
    return [], [f"{words.entry(key)} is listed {', '.join(_told(now, asked, words))}"]


def _both(first: Change, then: Change) -> Change:
    """Two changes, one after the other, as one."""
    hours_said, end_said = (
        then.hours is not None or "hours" in then.lifts,
        then.ends_at is not None or "end" in then.lifts,
    )
    kept = tuple(lift for lift in first.lifts if not (hours_said if lift == "hours" else end_said))
    return Change(
        level=then.level or first.level,
        resources=first.resources if then.resources is None else then.resources,
        ends_at=then.ends_at if end_said else first.ends_at,
        paused=first.paused if then.paused is None else then.paused,
        wider=first.wider or then.wider,
        hours=then.hours if hours_said else first.hours,
        lifts=tuple(dict.fromkeys((*kept, *then.lifts))),
    )


def _differs(now: Extent, wanted: Extent, words: _Words) -> list[str]:
    """In what one extent is not another one, as words that follow "is listed"."""
    wrong = []
    if now.level != wanted.level:
        wrong.append(f"with the level {now.level!r}, not {wanted.level!r}")
    elif now.permissions != wanted.permissions:
        wrong.append(f"with the permissions {_some(now.permissions)}, not {_some(wanted.permissions)}")
    if now.resources != wanted.resources:
        wrong.append(f"for {_some(now.resources, 'all parts')}, not {_some(wanted.resources, 'all parts')}")
    if now.hours != wanted.hours:
        wrong.append("for other hours of the week" if now.hours else "for all hours of the week")
    if not _same_end(now.ends_at, wanted.ends_at):
        wrong.append(f"{words.end(now.ends_at)}, not {words.end(wanted.ends_at)}")
    if now.state is not wanted.state:
        wrong.append(f"as {now.state}, not {wanted.state}")
    return wrong


def _told(now: Extent, change: Change, words: _Words) -> list[str]:
    """What there is of what was asked for."""
    told = [f"with the level {now.level!r}"] if change.level else []
    told += [] if change.resources is None else [f"for {_some(now.resources, 'all parts')}"]
    told += [] if change.ends_at is None and "end" not in change.lifts else [words.end(now.ends_at)]
    told += [] if change.hours is None and "hours" not in change.lifts else [str(now.hours or "at all hours")]
    return told + ([] if change.paused is None else [f"as {now.state}"])


# What was given


def _given(gift: Gift, before: Mapping[str, Extent], words: _Words) -> tuple[ObservedEntry | None, str]:
    """The entry that shows what was given, if there is one, and what is to be said of it."""
    what = f"“{gift.level}” on {words.place(gift.account)}"
    new = [entry for entry in words.observation.entries if before.get(entry.key) != Extent.of(entry)]
    observed_entry = next((entry for entry in new if not _unlike(gift, entry, words)), None)
    if observed_entry is not None:
        return observed_entry, f"{words.entry(observed_entry.key)} is listed"
    near = [
        (len(wrong), entry.key, wrong)
        for entry in new
        if entry.account == gift.account and (wrong := _unlike(gift, entry, words))
    ]
    if near:
        _, key, wrong = min(near)
        return None, f"{words.entry(key)} is listed {', '.join(wrong)}"
    return None, f"{what} is not listed" + (" anew" if len(new) < len(words.observation.entries) else "")


def _unlike(gift: Gift, entry: ObservedEntry, words: _Words) -> list[str]:
    """In what an entry is not what was given; none if it is just that."""
    now = Extent.of(entry)
    wanted = replace(
        now,
        level=gift.level,
        permissions=tuple(sorted(gift.permissions)) or now.permissions,
        resources=tuple(sorted(gift.resources)),
        hours=gift.hours,
        ends_at=gift.ends_at,
        state=State.LIVE,
    )
    wrong = [] if entry.account == gift.account else [f"on {words.place(entry.account)}"]
    # Whether it stands until it is ended or has an end already is the provider's to say, if nobody asked for one.
    kinds = {entry.kind, gift.kind}
    wrong += [] if len(kinds) == 1 or kinds == {Kind.DELEGATE, Kind.GRANT} else [f"as {entry.kind}, not {gift.kind}"]
    return wrong + _differs(now, wanted, words)


def _same_end(moment: datetime | None, other: datetime | None) -> bool:
    if moment is None or other is None:
        return moment is other
    return abs(moment - other) < PRECISION


def _some(words: Sequence[str], none: str = "none") -> str:
    return ", ".join(words) or none
