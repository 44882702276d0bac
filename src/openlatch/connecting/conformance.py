"""The tests that every connector has to pass, to be run with pytest against a provider of one's own.

Derive a class from `Conformance`, and give it a fixture `trial` that makes a `Trial`: how to get a connector, and how
to ask the provider itself whether somebody is let in. Each test has a new one.

    class TestMine(Conformance):
        @pytest.fixture
        def trial(self, tmp_path):
            return MyTrial(tmp_path)

What goes wrong on the way is a fault: a trial that cannot bring one about skips the tests of it, and says so. For what
speaks HTTP, `Between` brings most of them about.
"""

from __future__ import annotations

import contextlib
from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import UTC, datetime
from enum import StrEnum

import httpx
import pytest

from openlatch.connecting.capabilities import VERSION, Reads
from openlatch.connecting.http import ASKS
from openlatch.core.providers.observation import Observation, ObservedEntry, complaints, merged
from openlatch.core.providers.ports import Change, Gift
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, ReadingOutcome, State

__all__ = ["Between", "Conformance", "Fault", "Trial"]

_OURS = (ProviderDown, ProviderRefused, ProviderUnreadable)
_MOST = 20
_LATER = datetime(2031, 5, 10, tzinfo=UTC)


class Fault(StrEnum):
    """What a provider does wrong."""

    AWAY = "it does not answer"
    REFUSES = "it does not accept our credentials"
    GARBAGE = "it answers with something else altogether"
    THROTTLES = "it wants to be asked more slowly"
    REPEATS = "it shows a line again, on a later page or on the same"
    VANISHES = "a line is gone between one page and the next"
    LOSES_ANSWERS = "it does what it is told, once, and the answer is lost"
    LIES = "it says that it has done what it is told, and has not"


class Trial(ABC):
    """What a connector is tried on: a provider that is made for one test, and can be asked behind its back."""

    @property
    @abstractmethod
    def settings(self) -> Mapping[str, str]:
        """The settings that the connector is made with."""

    @property
    def secret(self) -> str:
        """The secret that it is made with."""
        return "a secret for tests"

    @abstractmethod
    def connector(self) -> Reads:
        """Return a new connector to the provider."""

    @abstractmethod
    def lets_in(self, entry: ObservedEntry) -> bool:
        """Return whether whoever has this access really has it, without asking the connector."""

    def take_away(self, entry: ObservedEntry) -> None:
        """Have the access end at the provider by another hand than ours."""
        pytest.skip(f"{type(self).__name__} does not take access away by another hand")

    def fault(self, fault: Fault) -> None:
        """Have the provider be at fault from now on."""
        pytest.skip(f"{type(self).__name__} does not bring about that {fault}")

    def to_end(self, entries: Iterable[ObservedEntry]) -> ObservedEntry:
        """Return the entry that is ended in the tests: the first that can be, if this is not replaced."""
        seen = _whole(self.connector())
        own = {party.key for party in seen.parties if party.service}
        can = self.connector().abilities().ends
        found = next((e for e in entries if e.kind in can and e.party not in own and e.state is State.LIVE), None)
        if found is None:
            pytest.skip("nothing that is shown can be ended")
        return found


class Between(httpx.BaseTransport):
    """A transport between a connector and its provider, at fault as a trial wants it.

    `lies_with` is the status of an answer to what is not done. Give it to the connector as its transport, and keep it.
    """

    CAN = frozenset({Fault.AWAY, Fault.REFUSES, Fault.GARBAGE, Fault.THROTTLES, Fault.LOSES_ANSWERS, Fault.LIES})

    def __init__(self, real: httpx.BaseTransport, lies_with: int = 204) -> None:
        self._real, self._lies_with = real, lies_with
        self.fault: Fault | None = None
        self._throttled = 2

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """Send a request on, or do what the fault says."""
        asks = request.method in ASKS
        if self.fault is Fault.AWAY:
            raise httpx.ConnectError("away", request=request)
        if self.fault is Fault.REFUSES:
            return httpx.Response(403, request=request)
        if self.fault is Fault.GARBAGE:
            return httpx.Response(200, text="<!doctype html><title>Sign in</title>", request=request)
        if self.fault is Fault.THROTTLES and self._throttled:
            self._throttled -= 1
            return httpx.Response(429, headers={"Retry-After": "0"}, request=request)
        if self.fault is Fault.LIES and not asks:
            return httpx.Response(self._lies_with, request=request)
        answer = self._real.handle_request(request)
        if self.fault is Fault.LOSES_ANSWERS and not asks:
            self.fault = None
            answer.read()
            raise httpx.ReadError("closed", request=request)
        return answer


class Conformance:
    """What holds for every connector."""

    @pytest.fixture
    def trial(self) -> Trial:
        """Replaced by whoever derives from this."""
        raise NotImplementedError("give the class a fixture `trial`")

    def test_it_says_what_it_is_and_for_which_version(self, trial: Trial) -> None:
        """Its description is complete, and it is made for this version of the interface."""
        made = type(trial.connector())
        _must(getattr(made, "made_for", None) == VERSION, f"made_for is not {VERSION}")
        names = [setting.name for setting in made.about.settings]
        _must(bool(made.about.speaks.strip()), "about.speaks is empty")
        _must(len(names) == len(set(names)), "two settings have one name")
        _must(all(setting.what.strip() for setting in made.about.settings), "a setting has no explanation")

    def test_settings_that_are_missing_or_unknown_are_refused_by_name(self, trial: Trial) -> None:
        """Before anything is sent."""
        made = type(trial.connector())
        needed = [setting.name for setting in made.about.settings if setting.needed]
        for name in needed:
            left = {key: value for key, value in trial.settings.items() if key != name}
            with pytest.raises(Invalid, match=name):
                made(left, trial.secret)  # type: ignore[call-arg]
        with pytest.raises(Invalid, match="no-such-setting"):
            made({**trial.settings, "no-such-setting": "1"}, trial.secret)  # type: ignore[call-arg]

    def test_a_reading_is_whole_fits_together_and_is_the_same_twice(self, trial: Trial) -> None:
        """Keys are unique and lasting; accounts and parties are listed; kinds are those that are promised."""
        seen = _whole(trial.connector())
        _must(bool(seen.entries), "the trial shows no entry, so that nothing is tried")
        wrong = complaints(seen)
        _must(not wrong, f"a reading contradicts itself: {wrong}")
        again = _whole(trial.connector())
        _must({e.key for e in seen.entries} == {e.key for e in again.entries}, "keys differ from reading to reading")
        extra = {entry.kind for entry in seen.entries} - trial.connector().abilities().lists
        _must(not extra, f"abilities().lists does not promise {sorted(extra)}")

    def test_looking_at_somebody_shows_what_the_reading_shows(self, trial: Trial) -> None:
        """For each of them alone, and nothing for somebody who is not there."""
        connector = trial.connector()
        seen = _whole(connector)
        for party in seen.parties[:_MOST]:
            theirs = {entry for entry in seen.entries if entry.party == party.key}
            found = connector.look(party.key)
            _must(found.outcome is ReadingOutcome.COMPLETE, "look is complete, or an exception")
            _must({e.key for e in found.entries} == {e.key for e in theirs}, f"look shows others for {party.key!r}")
        _must(connector.look("nobody at all").entries == (), "look shows entries of nobody")

    def test_what_it_can_do_is_among_what_it_shows(self, trial: Trial) -> None:
        """Nothing that is not shown can be changed."""
        able = trial.connector().abilities()
        for what in ("ends", "enforces", "narrows", "pauses", "dates", "raises", "prolongs", "widens"):
            _must(getattr(able, what) <= able.lists, f"{what} has kinds that are not in lists")
        _must(able.gives_until <= able.gives, "gives_until has kinds that are not in gives")

    def test_what_is_ended_is_gone_and_nothing_else_is(self, trial: Trial) -> None:
        """Nobody is let in by it any more; a second time there is nothing left to do."""
        connector = trial.connector()
        before = _whole(connector)
        entry = trial.to_end(before.entries)
        _must(trial.lets_in(entry), "before, whoever has it is let in")
        first = connector.end(entry.key, entry.party, "end-1")
        _must(not first.already, "there was something to end")
        if first.later:
            return
        _must(not trial.lets_in(entry), "after, whoever had it is refused")
        _must(entry.key not in {e.key for e in connector.look(entry.party).entries}, "look shows it no more")
        connector.end(entry.key, entry.party, "end-1")
        _must(connector.end(entry.key, entry.party, "end-2").already, "another time nothing is left to do")
        gone = {e.key for e in before.entries} - {e.key for e in _whole(connector).entries}
        hung = {e.key for e in before.entries if e.hangs_on == entry.key}
        _must(gone <= {entry.key, *hung}, f"others are gone with it: {sorted(gone)}")

    def test_what_was_ended_by_somebody_else_is_ended_already(self, trial: Trial) -> None:
        """Between the order and the call."""
        connector = trial.connector()
        entry = trial.to_end(_whole(connector).entries)
        trial.take_away(entry)
        _must(connector.end(entry.key, entry.party, "end-1").already, "there was nothing left to do")

    def test_what_is_not_promised_is_refused_and_changes_nothing(self, trial: Trial) -> None:
        """Each part that the abilities leave out."""
        connector = trial.connector()
        able, before = connector.abilities(), _whole(connector)
        entry = before.entries[0]
        changes = ("narrows", "pauses", "dates", "raises", "prolongs", "widens")
        if not any(getattr(able, what) for what in changes):
            with pytest.raises(ProviderRefused):
                connector.change(entry.key, entry.party, Change(level=entry.level, ends_at=_LATER), "change-1")
        if not able.gives:
            with pytest.raises(ProviderRefused):
                connector.give(entry.party, Gift(entry.account, Kind.DELEGATE, entry.level), "give-1")
        for belongs, can in ((True, able.adds_members), (False, able.removes_members)):
            if not can:
                with pytest.raises(ProviderRefused):
                    connector.set_member("a team", entry.party, "team-1", belongs=belongs)
        _must(_whole(connector).entries == before.entries, "what was refused has changed something")

    def test_what_was_ended_is_given_again_as_it_was(self, trial: Trial) -> None:
        """By the key that it had, where the abilities promise that."""
        connector = trial.connector()
        entry = trial.to_end(_whole(connector).entries)
        if entry.kind not in connector.abilities().gives:
            pytest.skip("its abilities do not give this kind of access")
        connector.end(entry.key, entry.party, "end-1")
        again = Gift(
            entry.account, entry.kind, entry.level, entry.permissions, entry.resources, entry.ends_at, again=entry.key
        )
        for _ in range(2):
            connector.give(entry.party, again, "give-1")
        _must(trial.lets_in(entry), "whoever had it is let in again")
        levels = [e.level for e in connector.look(entry.party).entries if e.account == entry.account]
        _must(entry.level in levels, "look shows the same level again")

    def test_an_end_that_is_set_is_shown(self, trial: Trial) -> None:
        """At the day that was asked for, or the last one before it on which the provider can end anything."""
        connector = trial.connector()
        able = connector.abilities()
        entry = next((e for e in _whole(connector).entries if e.kind in able.dates), None)
        if entry is None:
            pytest.skip("nothing that is shown can be given an end")
        try:
            connector.change(entry.key, entry.party, Change(ends_at=_LATER), "date-1")
        except ProviderRefused:
            pytest.skip("this entry cannot be given an end")
        shown = next((e.ends_at for e in connector.look(entry.party).entries if e.key == entry.key), None)
        _must(shown is not None and shown <= _LATER, f"the end that is shown is {shown}")

    @pytest.mark.parametrize(
        ("fault", "raised"),
        [
            (Fault.AWAY, (ProviderDown,)),
            (Fault.REFUSES, (ProviderRefused,)),
            (Fault.GARBAGE, (ProviderUnreadable, ProviderRefused)),
        ],
    )
    def test_a_provider_in_trouble_is_never_taken_for_an_empty_one(
        self, trial: Trial, fault: Fault, raised: tuple[type[Exception], ...]
    ) -> None:
        """Every way to ask says which kind of trouble it is."""
        entry = trial.to_end(_whole(trial.connector()).entries)
        connector = trial.connector()
        trial.fault(fault)
        with pytest.raises(raised):
            _whole(connector)
        with pytest.raises(raised):
            connector.look(entry.party)
        with pytest.raises(_OURS):
            connector.end(entry.key, entry.party, "end-1")

    @pytest.mark.parametrize("fault", [Fault.REPEATS, Fault.VANISHES, Fault.THROTTLES])
    def test_a_reading_that_is_disturbed_is_whole_or_none(self, trial: Trial, fault: Fault) -> None:
        """It never ends well with less than is there, and a line that is shown twice counts once."""
        before = {entry.key for entry in _whole(trial.connector()).entries}
        connector = trial.connector()
        trial.fault(fault)
        try:
            seen = _whole(connector)
        except (ProviderDown, ProviderUnreadable):
            return
        keys = [entry.key for entry in seen.entries]
        _must(len(keys) == len(set(keys)), "an entry is shown twice")
        if fault is Fault.VANISHES:
            _must(set(keys) <= before, "an entry is shown that was not there")
        else:
            _must(set(keys) == before, "an entry is missing")

    def test_an_act_whose_answer_is_lost_is_done_once(self, trial: Trial) -> None:
        """It is asked for again under the same key, and ends well."""
        connector = trial.connector()
        before = _whole(connector)
        entry = trial.to_end(before.entries)
        trial.fault(Fault.LOSES_ANSWERS)
        with contextlib.suppress(ProviderDown):
            connector.end(entry.key, entry.party, "end-1")
        connector.end(entry.key, entry.party, "end-1")
        _must(not trial.lets_in(entry), "whoever had it is refused")
        gone = {e.key for e in before.entries} - {e.key for e in _whole(connector).entries}
        hung = {e.key for e in before.entries if e.hangs_on == entry.key}
        _must(gone <= {entry.key, *hung}, f"others are gone with it: {sorted(gone)}")

    def test_a_provider_that_only_says_yes_is_found_out(self, trial: Trial) -> None:
        """What a provider says is no proof: look shows what is."""
        connector = trial.connector()
        entry = trial.to_end(_whole(connector).entries)
        trial.fault(Fault.LIES)
        with contextlib.suppress(*_OURS):
            connector.end(entry.key, entry.party, "end-1")
        _must(trial.lets_in(entry), "the trial brings the fault about")
        _must(entry.key in {e.key for e in connector.look(entry.party).entries}, "look does not show what is there")


def _whole(connector: Reads) -> Observation:
    """All pages of a reading; an entry that they show twice is in it twice."""
    parts = [
        Observation(ReadingOutcome.COMPLETE, p.accounts, p.parties, p.entries, p.memberships, p.documents)
        for p in connector.pages()
    ]
    return replace(merged(parts), entries=tuple(entry for part in parts for entry in part.entries))


def _must(holds: bool, otherwise: str) -> None:
    if not holds:
        pytest.fail(otherwise, pytrace=False)
