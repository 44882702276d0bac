"""Reviews on the command line, by files of decisions, and as a calendar."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import timedelta

import httpx
import vobject

from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.operations.people import people
from openlatch.wire import messages as wire
from openlatch.words import Role
from tests.harness.acts import review
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

Spare = Callable[[], wire.Entry]


INES = f"ines.okoro@{DOMAIN}"


def test_a_round_on_the_command_line_with_a_file_of_decisions_and_what_it_refuses(
    client: Client, spare: Spare, run: Terminal
) -> None:
    entry = spare()
    run(
        "review",
        "add",
        "By a file",
        "--schedule",
        "FREQ=MONTHLY;BYDAY=1MO",
        "--reviewer",
        INES,
        "--party",
        entry.party.ref,
        "--answer-days",
        "5",
    )
    assert "every month on the first Monday" in run("review", "list")
    assert "FREQ" not in run("review", "show", "By a file")
    assert "is not a recurrence rule" in run(
        "review", "add", "Never", "--schedule", "NOW AND THEN", "--reviewer", INES, exits=1
    )
    said = run("review", "open", "By a file")
    (ref,) = re.findall(r"Round (\S+) is open", said)
    items = client.round_items(ref)
    file = run.home / "decisions.csv"
    assert f"Wrote {counted(len(items), 'item')} to" in run("round", "file", ref, "--to-file", str(file))
    head, *empty = file.read_text().splitlines()
    lines = [line.replace(",,,,,", ",keep,Still needed,,,", 1) for line in empty]
    for wrong, said in (
        (lines[-1].replace("keep", "perhaps"), f"line {len(items) + 1}: choice: it is not one of 'keep'"),
        (lines[-1].replace(f"{len(items)},", "900,", 1), f"line {len(items) + 1}: Round {ref} has no item 900"),
        (lines[-1].replace(items[-1].entry.ref, "7Q4K-BRM2"), "is about entry"),
    ):
        file.write_text("\n".join([head, *lines[:-1], wrong, ""]))
        assert said in run("round", "decide", ref, "--from-file", str(file), exits=2)
    assert client.round(ref).outcomes == {"undecided": len(items)}
    assert "not decided yet" in run("round", "finish", ref, "--count", "0", exits=1)
    run("round", "assign", ref, "--of", "Ines Okoro", "--reviewer", f"pell.varga@{DOMAIN}")
    assert {item.reviewer for item in client.round_items(ref)} == {"Pell Varga"}
    file.write_text("\n".join([head, *lines, ""]))
    assert f"{len(items)} decided" in run("round", "decide", ref, "--from-file", str(file))
    assert "closed" in run("round", "finish", ref, "--count", "0")
    assert "can be tried again" in run("round", "retry", ref, "1", exits=1)
    run("review", "change", "By a file", "--schedule", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", "--risk", "5")
    changed = client.review("By a file")
    assert (changed.where, changed.answer_days) == ({"party": entry.party.ref, "risk": 5}, 5)
    assert changed.says.startswith("every year in February on day 29")
    run("review", "pause", "By a file")
    assert "(paused)" in run("review", "list")
    reviewed, opened = client.entry(entry.ref).reviewed_at[-1], client.round(ref).opened_at
    assert reviewed > opened


def test_what_waits_for_one_of_two_people_of_one_name_is_given_away_by_address(
    ridge: Ridge, client: Client, run: Terminal
) -> None:
    other = f"ines.another@{DOMAIN}"
    with ridge.call() as call:
        people.add_first(call, "Ines Okoro", other, Role.REVIEWER, PASSWORD)
    where = {"account": "Gate", "kind": "delegate"}
    client.add_review("Two of one name", where=where, named=[INES], recurs="FREQ=YEARLY")
    opened = client.open_round("Two of one name")
    assert opened.count > 1
    run("round", "assign", opened.ref, "1", "--reviewer", other)
    refused = run("round", "assign", opened.ref, "--of", "ines okoro", "--reviewer", f"pell.varga@{DOMAIN}", exits=2)
    assert "2 people called" in refused
    assert INES in refused
    assert other in refused
    said = run("round", "assign", opened.ref, "--of", other, "--reviewer", f"pell.varga@{DOMAIN}")
    assert "1 item assigned" in said
    assert f"Ines Okoro ({INES}): 0 of {opened.count - 1}" in said
    assert "asked in this round" in run("round", "assign", opened.ref, "--of", "Nobody", "--reviewer", INES, exits=2)


def test_a_calendar_can_be_subscribed_to_and_says_the_same_to_another_library(
    ridge: Ridge, client: Client, spare: Spare, run: Terminal
) -> None:
    opened = review(client, "For a calendar", spare().party.ref)
    with ridge.client("ines.okoro") as ines:
        url = ines.make_calendar()
    web = httpx.Client(transport=ridge.transport)
    answer = web.get(url)
    assert answer.headers["Content-Type"].startswith("text/calendar")
    feed = vobject.readOne(answer.text)
    assert feed.contents["x-wr-calname"][0].value == "Open Latch for Kestrel Ridge Observatory"
    due = next(e for e in feed.vevent_list if e.summary.value.startswith("For a calendar:"))
    assert due.dtstart.value == opened.due_at.replace(microsecond=0)
    assert due.url.value == f"{ridge.url}/rounds/{opened.ref}"
    leap = [e.dtstart.value for e in feed.vevent_list if e.summary.value == "For a calendar takes place"]
    assert leap == [at for at in client.review("For a calendar").coming if at - opened.opened_at < timedelta(days=366)]
    first = [e.dtstart.value for e in feed.vevent_list if e.summary.value == "Everybody outside the circle takes place"]
    assert len(first) in (11, 12, 13)
    assert all(at.weekday() == 0 and at.day <= 7 for at in first)
    uids = [e.uid.value for e in feed.vevent_list]
    assert len(uids) == len(set(uids))
    assert web.get(url.replace(".ics", "x.ics")).status_code == 404
    assert url.rpartition("/")[2] not in run("log", "list", "--limit", "50")
