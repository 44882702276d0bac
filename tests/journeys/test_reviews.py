"""A review from its letter to its report: in a browser by the keyboard alone, on the command line, and read back."""

from __future__ import annotations

import csv
import email
import json
import re
import time
from collections.abc import Callable
from email import policy
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.errors import NotFound
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.conftest import sign_in as client_of
from tests.harness.acts import review
from tests.journeys.conftest import Terminal, enter, faults_of, sign_in

Spare = Callable[[], wire.Entry]
INES = f"ines.okoro@{DOMAIN}"


def letters(stack: Stack, to: str, about: str) -> list[email.message.EmailMessage]:
    """The letters to someone that are about something, once the worker has sent one."""
    for _ in range(600):
        files = sorted(stack.letters.glob("*.eml"))
        mails = [email.message_from_bytes(file.read_bytes(), policy=policy.default) for file in files]
        messages = [mail for mail in mails if mail["To"] == to and about in mail["Subject"]]
        if messages:
            return messages
        time.sleep(0.2)
    raise AssertionError(f"nobody wrote to {to} about {about}")


def test_a_round_from_the_letter_to_the_signed_report_by_the_keyboard_alone(
    stack: Stack, client: Client, spare: Spare, page: Page, run: Terminal
) -> None:
    entry = spare()
    opened = review(client, "What one guide can do", entry.party.ref)
    items = client.round_items(opened.ref)
    ended = next(item for item in items if item.entry.id == entry.id)
    assert all(item.reviewer == "Ines Okoro" for item in items)

    # The link in the letter signs nobody in, and leads to the round once someone has signed in themselves.
    (mail,) = letters(stack, INES, "What one guide can do")
    body = mail.get_body()
    assert body is not None
    (link,) = re.findall(r"https?://\S+", body.get_content())
    assert entry.party.addresses[0] not in str(mail)
    page.goto(link)
    enter(page, "ines.okoro", PASSWORD)
    page.get_by_role("heading", name="What one guide can do").wait_for()
    assert faults_of(page) == []

    for number, item in enumerate(items):
        page.get_by_text(f"Item {item.place} of {len(items)}, {len(items) - number} open").wait_for()
        if item.place == ended.place:
            page.keyboard.press("x")
            page.keyboard.type("No longer a guide")
            page.keyboard.press("Enter")
        else:
            page.keyboard.press("k")
            if item.needs_reason:
                page.keyboard.type("Still a volunteer")
                page.keyboard.press("Enter")
    expect(page.get_by_role("status", name="How far it is")).to_contain_text("to come")
    expect(page.get_by_role("status", name="How far it is")).not_to_contain_text("undecided")
    expect(page.get_by_role("button", name=re.compile("^Finish"))).to_have_count(0)

    # A manager finishes it; what was decided is carried out, and the round closes once that is proved.
    finished = client.finish_round(opened.ref)
    assert finished.state == "settling"
    page.reload()
    page.get_by_text("everything in it is proved or left open").wait_for(timeout=60_000)
    assert client.entry(entry.ref).end_reason == "revoked"
    last = client.round(opened.ref)
    assert last.state == "closed"
    assert last.outcomes.get("proved") == 1
    assert last.compared is not None
    assert last.compared.entries.now == last.compared.entries.then - 1

    # The report is the same wherever it is asked for, and holds without asking anyone.
    run("round", "report", opened.ref, "--to-file", "report.json")
    run("receipt", "keys")
    (run.home / "keys.json").write_text(run("receipt", "keys"))
    said = run("receipt", "verify", "report.json", "--keys", "keys.json")
    assert "It holds" in said
    assert "1 receipt" in said
    assert (run.home / "report.json").read_bytes() == client.round_report(opened.ref)
    report = json.loads((run.home / "report.json").read_text())
    (line,) = [value for value in report["report"]["lines"] if value["outcome"] == "proved"]
    assert (line["decided_by"], line["reason"], line["decision"]) == ("Ines Okoro", "No longer a guide", "end-now")
    line["decided_by"] = "Someone else"
    (run.home / "altered.json").write_text(json.dumps(report))
    assert "not what was signed" in run("receipt", "verify", "altered.json", "--keys", "keys.json", exits=1)
    assert client.round_report(opened.ref, "pdf").startswith(b"%PDF")
    rows = list(csv.DictReader(client.round_report(opened.ref, "csv").decode().splitlines()))
    assert [row["outcome"] for row in rows] == [value["outcome"] for value in report["report"]["lines"]]
    page.goto(f"/api/v1/rounds/{opened.ref}/report?format=html")
    expect(page.get_by_role("heading", name="The same entries now")).to_be_visible()
    expect(page.get_by_text("No longer a guide")).to_be_visible()
    assert faults_of_plain(page) == []


def faults_of_plain(page: Page) -> list[str]:
    """What is wrong with a page in which no script may run: the list that axe would begin with."""
    page.set_viewport_size({"width": 390, "height": 844})
    texts = []
    if page.locator("html").get_attribute("lang") != "en":
        texts.append("no language")
    wider = page.locator("body").bounding_box()
    if wider is None or wider["width"] > 390:
        texts.append("wider than a phone")
    return texts


def test_a_member_and_another_workspace_see_nothing_of_reviews(stack: Stack, page: Page, client: Client) -> None:
    with client_of(stack, "orla.finch") as orla, pytest.raises(Exception, match="does not allow reviews"):
        orla.reviews()
    with pytest.raises(NotFound):
        client.round("7Q4K-BRM2")
    sign_in(page, to="/rounds/7Q4K-BRM2")
    expect(page.get_by_text("There is no round")).to_be_visible()
    page.goto("/reviews")
    page.get_by_role("heading", name="Reviews and their schedules").wait_for()
    page.get_by_role("button", name="New review…").click()
    page.get_by_role("heading", name="New review").wait_for()
    page.get_by_label("Schedule").select_option("own")
    page.get_by_label("Recurrence rule (RFC 5545)").fill("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")
    expect(page.get_by_text("never comes").first).to_be_visible()
    page.get_by_label("Recurrence rule (RFC 5545)").fill("FREQ=MONTHLY;BYDAY=-1FR")
    page.get_by_label("Maren Ashdown owner").check()
    expect(page.get_by_text("every month on the last Friday")).to_be_visible()
    assert faults_of(page) == []


def test_how_one_is_told_is_chosen_in_the_console_and_the_mail_server_may_fail(
    stack: Stack, page: Page, client: Client, spare: Spare
) -> None:
    sign_in(page, "pell.varga", "/told")
    with page.expect_response(lambda answer: answer.url.endswith("/notices/telling")):
        page.get_by_label("here only").check()
    expect(page.get_by_label("here only")).to_be_checked()
    with client_of(stack, "pell.varga") as pell:
        assert pell.me().person.telling == "console"
        pell.choose_telling("at-once")
    faults = Path(stack.letters / "faults.json")
    tobias = f"tobias.quill@{DOMAIN}"
    faults.write_text(json.dumps({"refuse": [tobias]}))
    try:
        review(client, "To nobody", spare().party.ref, named=[tobias])
        with client_of(stack, "tobias.quill") as told:
            while not (troubles := [n.trouble for n in told.notices(20) if n.trouble and "“To nobody”" in n.title]):
                time.sleep(0.2)
    finally:
        faults.unlink()
    assert "nobody of that name" in troubles[0]
