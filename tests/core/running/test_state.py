"""What is said of a service is what is so of it, and nothing is said where all is well."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.running.state import KEY_AGE, LONG, NOBODY_WORKS, State, troubles

NOW = datetime(2027, 3, 2, 9, 30, tzinfo=UTC)
WELL = State(
    at=NOW,
    workers=2,
    last_sign=NOW,
    waiting=3,
    waiting_since=NOW - LONG,
    failed=0,
    unsealed=4,
    unsealed_since=NOW - LONG,
    last_reading=NOW,
    behind=(),
    sends_letters=True,
    letters=2,
    mail_trouble="",
    key_made_at=NOW - KEY_AGE,
    database_bytes=1,
)
SECOND = timedelta(seconds=1)
WRONG = {
    "waiting_since": (NOW - LONG - SECOND, "3 jobs wait, the oldest since"),
    "failed": (1, "1 job failed"),
    "unsealed_since": (NOW - LONG - SECOND, "4 events could not be sealed"),
    "behind": (("Plate Catalogue", "Live Sky"), "Plate Catalogue and Live Sky were not read"),
    "mail_trouble": ("it refuses the sender", "2 letters could not be sent: it refuses the sender"),
    "key_made_at": (NOW - KEY_AGE - SECOND, "The key that encrypts secrets was made at"),
}
"""What can be wrong, each with a value that is only just so, and what is said then."""


@given(st.sets(st.sampled_from(sorted(WRONG))), st.booleans())
def test_each_trouble_is_told_once_and_none_that_is_not_there(wrong: set[str], working: bool) -> None:
    state = replace(WELL, workers=int(working), **{name: WRONG[name][0] for name in wrong})  # type: ignore[arg-type]
    said = [trouble.says for trouble in troubles(state, "Europe/London")]
    for name, (_, says) in WRONG.items():
        # Where nobody works, that is why jobs and events wait, and all that is said of it.
        there = name in wrong and (working or not name.endswith("_since"))
        assert sum(says in each for each in said) == there
    assert sum(NOBODY_WORKS in each for each in said) == (not working)
    assert len(said) == len({each for each in wrong if working or not each.endswith("_since")}) + (not working)


def test_no_worker_is_told_first_with_the_last_sign_of_one_in_the_zone_of_the_holder() -> None:
    (first, *_) = troubles(replace(WELL, workers=0, failed=2), "America/New_York")
    assert first.says.endswith("The last sign of one was at 2 March 2027, 04:30.")
    assert "service work" in first.next
    (never, *_) = troubles(replace(WELL, workers=0, last_sign=None), "UTC")
    assert never.says == NOBODY_WORKS
