"""What a security event says, whom it means, and what a reading bears out."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.providers.observation import Observation
from openlatch.core.providers.security_events import (
    EVENTS,
    EventStream,
    Refused,
    Subject,
    borne_out,
    key_of,
    meant,
    reports,
)
from openlatch.words import PartyStatus, ReadingOutcome, Reported
from tests.factories import observed, observed_party

NOW = datetime(2026, 5, 10, 12, tzinfo=UTC)
STREAM = EventStream(uuid4(), uuid4(), "https://login.example", "https://us.example", "", "", "Maren", NOW)
ORLA, BEA, CREW = (UUID(int=n) for n in (1, 2, 3))
EVENT = next(name for name, reported in EVENTS.items() if reported is Reported.ACCOUNT_DISABLED)
JUNK = st.none() | st.booleans() | st.integers() | st.text(max_size=5) | st.lists(st.text(max_size=3), max_size=2)


def claims(**more: Any) -> dict[str, Any]:
    right = {"iss": STREAM.issuer, "aud": STREAM.audience, "jti": "one", "iat": int(NOW.timestamp())}
    return {**right, "sub_id": {"format": "opaque", "id": "orla"}, "events": {EVENT: {}}, **more}


@given(st.sampled_from(sorted(EVENTS)), st.integers(0, 7 * 86400), st.booleans())
def test_what_is_right_is_heard(event: str, age: int, listed: bool) -> None:
    audience: Any = ["https://another.example", STREAM.audience] if listed else STREAM.audience
    (heard,) = reports(claims(aud=audience, events={event: {}, "urn:other": {}}), STREAM, NOW + timedelta(seconds=age))
    assert (heard.jti, heard.reported, heard.subject, heard.at) == ("one", EVENTS[event], Subject(("orla",)), NOW)


@pytest.mark.parametrize(
    ("wrong", "err"),
    [
        ({"iss": "https://login.example/"}, "invalid_issuer"),
        ({"iss": None}, "invalid_issuer"),
        ({"aud": "https://us.example/"}, "invalid_audience"),
        ({"aud": []}, "invalid_audience"),
        ({"aud": None}, "invalid_audience"),
        ({"jti": ""}, "invalid_request"),
        ({"jti": 7}, "invalid_request"),
        ({"jti": "x" * 1001}, "invalid_request"),
        ({"iat": None}, "invalid_request"),
        ({"iat": True}, "invalid_request"),
        ({"iat": int((NOW + timedelta(minutes=3)).timestamp())}, "invalid_request"),
        ({"iat": int((NOW - timedelta(days=8)).timestamp())}, "invalid_request"),
        ({"events": None}, "invalid_request"),
        ({"events": {}}, "invalid_request"),
        ({"events": {f"urn:{n}": {} for n in range(11)}}, "invalid_request"),
    ],
)
def test_what_is_not_right_is_refused_with_the_word_of_the_protocol(wrong: dict[str, Any], err: str) -> None:
    with pytest.raises(Refused) as caught:
        reports(claims(**wrong), STREAM, NOW)
    assert caught.value.err == err
    assert caught.value.why


@given(st.dictionaries(st.sampled_from(["iss", "aud", "jti", "iat", "events", "sub_id", "subject"]), JUNK))
def test_whatever_is_sent_is_heard_or_refused(junk: dict[str, Any]) -> None:
    try:
        heard = reports(claims(**junk), STREAM, NOW)
    except Refused:
        return
    assert all(report.at is not None and report.at <= NOW for report in heard)


@pytest.mark.parametrize(
    ("said", "names"),
    [
        ({"format": "iss_sub", "iss": STREAM.issuer, "sub": "orla"}, Subject(("orla",))),
        ({"subject_type": "iss-sub", "iss": STREAM.issuer, "sub": "orla"}, Subject(("orla",))),
        ({"format": "iss_sub", "iss": "https://another.example", "sub": "orla"}, Subject()),
        ({"format": "email", "email": "orla@ridge.example"}, Subject((), ("orla@ridge.example",))),
        ({"format": "account", "uri": "acct:orla@ridge.example"}, Subject((), ("orla@ridge.example",))),
        (
            {
                "format": "aliases",
                "identifiers": [
                    {"format": "opaque", "id": "orla"},
                    {"format": "email", "email": "orla@ridge.example"},
                    {"format": "phone_number", "phone_number": "+1"},
                ],
            },
            Subject(("orla",), ("orla@ridge.example",)),
        ),
        (
            {
                "format": "complex",
                "user": {"format": "opaque", "id": "orla"},
                "session": {"format": "opaque", "id": "s"},
            },
            Subject(("orla",)),
        ),
        ({"user": {"format": "opaque", "id": "orla"}}, Subject(("orla",))),
        ({"format": "did", "url": "did:example:1"}, Subject()),
        ("orla", Subject()),
    ],
)
def test_whoever_is_named_is_found_in_either_place(said: Any, names: Subject) -> None:
    at_the_top = reports(claims(sub_id=said), STREAM, NOW)[0]
    within = reports(claims(sub_id=None, events={EVENT: {"subject": said}}), STREAM, NOW)[0]
    assert at_the_top.subject == within.subject == names


def test_aliases_of_aliases_come_to_an_end() -> None:
    endless: dict[str, Any] = {"format": "aliases", "identifiers": []}
    endless["identifiers"] = [endless] * 30
    assert reports(claims(sub_id=endless), STREAM, NOW)[0].subject == Subject()


KEYS = {"user:orla": ORLA, "user:bea": BEA, "group:bea": CREW, "crew": CREW}


@pytest.mark.parametrize(
    ("keys", "addresses", "carrying", "whose"),
    [
        (("user:orla",), (), {}, ORLA),
        (("orla",), (), {}, ORLA),
        (("bea",), (), {}, None),  # a person and a team have that behind what is put before it
        (("crew",), (), {}, CREW),
        (("nobody",), (), {}, None),
        ((), ("orla@ridge.example",), {"orla@ridge.example": {ORLA}}, ORLA),
        ((), ("Orla@Ridge.example",), {"orla@ridge.example": {ORLA}}, ORLA),
        ((), ("orla@ridge.example",), {"orla@ridge.example": {ORLA, BEA}}, None),
        ((), ("far@ridge.example",), {"far@ridge.example": {UUID(int=9)}}, None),  # not of this provider
        (("orla",), ("bea@ridge.example",), {"bea@ridge.example": {BEA}}, None),
        (("orla",), ("orla@ridge.example",), {"orla@ridge.example": {ORLA}}, ORLA),
        (("orla",), ("far@ridge.example",), {}, ORLA),
        (("gone",), ("orla@ridge.example",), {"orla@ridge.example": {ORLA}}, None),  # the address has a new owner
        ((), (), {}, None),
    ],
)
def test_whom_it_means_is_sure_or_nobody(
    keys: tuple[str, ...], addresses: tuple[str, ...], carrying: dict[str, set[UUID]], whose: UUID | None
) -> None:
    assert meant(Subject(keys, addresses), KEYS, carrying) == whose


@given(
    st.dictionaries(st.text("ab:", min_size=1, max_size=4), st.sampled_from([ORLA, BEA])), st.text("ab:", max_size=4)
)
def test_a_name_is_the_key_of_one_or_of_nobody(keys: dict[str, UUID], name: str) -> None:
    found = key_of(name, keys)
    assert found is None or found == name or (name not in keys and found.endswith(f":{name}"))
    assert (found == name) == (name in keys)


@given(st.sampled_from(Reported), st.sampled_from(PartyStatus), st.booleans(), st.booleans(), st.booleans())
def test_an_account_that_a_reading_shows_is_not_gone(
    reported: Reported, status: PartyStatus, there: bool, holds: bool, discreet: bool
) -> None:
    party = replace(observed_party("orla"), status=status)
    seen = Observation(
        ReadingOutcome.COMPLETE,
        parties=(party,) if there else (),
        entries=(observed("e", "orla"),) if there and holds else (),
    )
    borne = borne_out(reported, "orla", seen, discreet=discreet)
    if not reported.of_the_account:
        assert borne
    elif status is PartyStatus.CURRENT and there:
        assert not borne
    elif there:
        assert borne == (status is PartyStatus.LEFT or (not holds and not discreet))
    else:
        assert borne is not discreet
