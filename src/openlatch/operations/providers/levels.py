"""Levels and permissions in a provider's words, what they mean in plain powers, and correcting that."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from datetime import datetime

from openlatch.core.model import Entry, Provider
from openlatch.core.powers import in_order
from openlatch.core.providers.meaning import Vocabulary
from openlatch.core.record.ledger import Event
from openlatch.errors import NotFound
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import flags
from openlatch.store.providers.words import Correction
from openlatch.words import Origin, Power

__all__ = ["WordSight", "browse", "correct", "vocabulary"]


@dataclass(frozen=True, slots=True)
class WordSight:
    """A level or a permission: its powers, who says so, and how many standing entries carry it."""

    word: str
    level: bool
    powers: tuple[Power, ...]
    origin: Origin
    entries: int
    corrected_by: str = ""
    corrected_at: datetime | None = None


def vocabulary(call: Call, provider: Provider) -> Vocabulary:
    """Return all words of a provider."""
    return Vocabulary(call.services.words(provider.connector), call.tx.words.corrected(provider.id))


@operation("levels.browse")
def browse(call: Call, provider: str) -> tuple[WordSight, ...]:
    """The words of a provider that its entries carry now, and those corrected: unknown ones first, then by use."""
    return _browse(call, call.tx.providers.find(provider))


def _browse(call: Call, provider: Provider) -> tuple[WordSight, ...]:
    words = vocabulary(call, provider)
    counts: Counter[tuple[str, bool, Origin]] = Counter()
    stated: dict[str, set[Power]] = {}
    for used in call.tx.words.used(provider.id):
        states = used.stated is not None
        unknown = words.meaning(used.level, used.permissions, used.stated).unknown
        says = used.level in unknown or states or words.origin(used.level, stated=False) is not Origin.UNKNOWN
        if says:
            counts[used.level, True, words.origin(used.level, stated=states)] += used.entries
            stated.setdefault(used.level, set()).update(used.stated or ())
        for word in dict.fromkeys(used.permissions):
            origin = words.origin(word, stated=states)
            if origin is not Origin.STATED:
                counts[word, False, origin] += used.entries
    corrections = {correction.word: correction for correction in call.tx.words.corrections(provider.id)}
    for word in corrections.keys() - {word for word, _, _ in counts}:
        counts[word, False, Origin.CORRECTED] = 0
    sights = []
    for (word, level, origin), entries in counts.items():
        powers = in_order(stated[word]) if origin is Origin.STATED else words.powers(word)
        by = corrections.get(word)
        sights.append(
            WordSight(
                word=word,
                level=level,
                powers=powers,
                origin=origin,
                entries=entries,
                corrected_by=by.by if by else "",
                corrected_at=by.at if by else None,
            )
        )
    return tuple(sorted(sights, key=lambda s: (s.origin is not Origin.UNKNOWN, not s.level, -s.entries, s.word)))


@operation("levels.correct")
def correct(call: Call, provider: str, word: str, powers: tuple[Power, ...] | None) -> tuple[WordSight, ...]:
    """Say what a word means at a provider, or with None take that back; every entry with it changes at once."""
    the_provider = call.tx.providers.find(provider)
    call.tx.facts.take_turns()
    call.tx.providers.lock(the_provider.id)
    if word not in {sight.word for sight in _browse(call, the_provider)}:
        raise NotFound(
            f"No entry of {the_provider.name} has the level or permission “{word}”. Nothing was changed.",
            next_step=f"Look at the words of {the_provider.name}, and write one exactly as it is there.",
            word=word,
        )
    before = vocabulary(call, the_provider)
    if powers is None:
        call.tx.words.forget(the_provider.id, word)
    else:
        call.tx.words.correct(the_provider.id, Correction(word, in_order(powers), call.actor.name, call.now))
    after = vocabulary(call, the_provider)
    facts = {"word": word, "before": list(before.powers(word)), "after": list(after.powers(word))}
    call.log("level.corrected", "provider", the_provider.id, **facts, taken_back=powers is None)
    _mean_anew(call, the_provider, after)
    return _browse(call, the_provider)


def _mean_anew(call: Call, provider: Provider, words: Vocabulary) -> None:
    changed: list[Entry] = []
    events: list[Event] = []
    for entry in call.tx.entries.standing(provider.id):
        means = words.meaning(entry.level, entry.permissions, entry.stated)
        if (means.powers, means.unknown) != (entry.powers, entry.unknown):
            changed.append(replace(entry, powers=means.powers, unknown=means.unknown, version=entry.version + 1))
            facts = {"before": {"powers": list(entry.powers)}, "after": {"powers": list(means.powers)}}
            events.append(call.event("entry.changed", "entry", entry.id, **facts, evidence="a level was corrected"))
    call.tx.entries.save_all(changed)
    call.log_all(events)
    flags.evaluate(call, changed)
