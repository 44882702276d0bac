"""What people are told: when, and in letters that say no more than they should."""

from __future__ import annotations

from datetime import timedelta
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from openlatch.connectors.smtp import message
from openlatch.core.telling.notices import DIGEST_AT, Notice, again_after, letter, when
from openlatch.words import Telling
from tests.factories import NOW

ZONES = st.sampled_from(["Europe/London", "America/New_York", "Asia/Kathmandu", "Pacific/Auckland"])


@given(st.floats(0, 800), ZONES)
def test_a_digest_comes_at_the_next_eight_o_clock_of_the_workspace(days: float, zone: str) -> None:
    now = NOW + timedelta(days=days)
    due = when(Telling.DAILY, now, zone)
    assert due is not None
    # A clock change makes a day of 25 hours at most.
    assert now < due <= now + timedelta(hours=25)
    assert due.astimezone(ZoneInfo(zone)).time() == DIGEST_AT
    assert when(Telling.AT_ONCE, now, zone) == now
    assert when(Telling.CONSOLE, now, zone) is None


@given(st.text(), st.text(), st.lists(st.builds(Notice, st.text(), st.text(), st.text(), st.just("/told")), min_size=1))
def test_no_name_or_title_breaks_out_of_its_place_in_a_letter(name: str, holder: str, notices: list[Notice]) -> None:
    made = letter("1", "orla@kestrelridge.example", name, holder, notices, "https://latch.example", settles=True)
    mail = message(made, "latch@kestrelridge.example")
    assert set(mail.keys()) == {
        "From",
        "To",
        "Subject",
        "Message-ID",
        "Auto-Submitted",
        "Content-Type",
        "Content-Transfer-Encoding",
        "MIME-Version",
    }
    assert mail["To"] == "orla@kestrelridge.example"
    assert made.text.count("https://latch.example/told") >= min(len(notices), 40)


def test_many_pieces_of_news_are_one_letter_that_counts_what_it_leaves_out() -> None:
    notices = [Notice(str(n), f"News {n}", "", f"/rounds/{n}") for n in range(60)]
    made = letter("1", "orla@kestrelridge.example", "Orla Finch", "Kestrel Ridge", notices, "", settles=False)
    assert made.subject == "Kestrel Ridge: News 0, and 59 more"
    assert "And 20 more." in made.text
    assert "/rounds/" not in made.text  # without an address of the console there is nothing to lead to


def test_a_mail_server_may_be_away_for_a_week_and_is_asked_less_and_less_often() -> None:
    waited, waits = timedelta(), list[timedelta]()
    while (wait := again_after(len(waits) + 1, waited)) is not None:
        waits.append(wait)
        waited += wait
    assert waits == sorted(waits)
    assert timedelta(days=7) <= waited < timedelta(days=7, hours=1)
    assert max(waits) <= timedelta(hours=1), "and is noticed soon once it is back"
    assert len(waits) < 200
