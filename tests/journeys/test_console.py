"""The console in a real browser: the loop by mouse and keyboard, what is written when something fails, and WCAG."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from datetime import UTC, datetime

from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.demo.cast import PASSWORD
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from openlatch.words import Criticality
from tests.harness.acts import Desk
from tests.journeys.conftest import choose_list, enter, faults_of, provider_page, sign_in

Spare = Callable[[], wire.Entry]


def test_sign_in_filter_to_flagged_open_end_access_see_proved(
    stack: Stack, page: Page, client: Client, desk: Desk
) -> None:
    entry = next(e for e in client.entries(q="Brightmere", provider="Ticket Desk"))
    sign_in(page)
    page.get_by_role("button", name=re.compile("have a flag")).click()
    expect(page).to_have_url(re.compile("flagged=true"))
    page.get_by_label("Search people, addresses, accounts").fill("brightmere")
    expect(page).to_have_url(re.compile("q=brightmere"))
    page.get_by_role("row", name=re.compile(r"Brightmere Electrical.*\bGate\b")).click()

    panel = page.get_by_role("complementary", name="Brightmere Electrical on Gate")
    expect(panel.get_by_text("Rewiring of the gate, finished in spring").first).to_be_visible()
    panel.get_by_text("Last used on").click()
    expect(panel.get_by_text("unused-past-limit")).to_be_visible()
    panel.get_by_role("button", name="End or narrow…").click()
    expect(panel.get_by_text("One payment depends on it")).to_be_visible()
    assert desk.effects(entry) == 0

    panel.get_by_label("Reason, for the log").fill("Finished in spring")
    panel.get_by_role("button", name="End access", exact=True).click()
    expect(panel.get_by_text("A fresh reading of the provider shows it gone.")).to_be_visible()
    expect(panel.get_by_text("It has ended, so it has no flags.")).to_be_visible()
    assert (desk.effects(entry), client.entry(entry.ref).state) == (1, "ended")

    page.keyboard.press("Escape")
    expect(panel).to_be_hidden()
    expect(
        page.get_by_text("No entry matches.").or_(page.get_by_role("row", name=re.compile("Brightmere")).first)
    ).to_be_visible()
    page.get_by_role("link", name=re.compile("^Orders")).click()
    expect(page.get_by_role("row", name=re.compile("proved.*Brightmere.*Finished in spring"))).to_be_visible()
    page.get_by_role("link", name="Log").click()
    expect(page.get_by_text("Proved the order about Brightmere Electrical on Gate").first).to_be_visible()


def test_the_address_of_a_view_brings_it_back_and_back_closes_the_panel(page: Page, client: Client) -> None:
    entry = next(client.entries(account="Gate", sort="party"))
    sign_in(page, to=f"/inventory?account=Gate&sort=party&entry={entry.ref}")
    panel = page.get_by_role("complementary")
    expect(panel.get_by_role("heading", name=entry.party.name)).to_be_visible()
    page.keyboard.press("Escape")
    expect(panel).to_be_hidden()
    page.get_by_role("row", name=re.compile(entry.party.name)).first.click()
    expect(panel).to_be_visible()
    page.go_back()
    expect(panel).to_be_hidden()
    expect(page).to_have_url(re.compile("account=Gate"))
    page.get_by_role("button", name="Same from the command line").click()
    expect(page.get_by_text("openlatch inventory --account Gate --sort party")).to_be_visible()


def test_the_inventory_is_walked_with_the_keyboard_alone(page: Page, client: Client) -> None:
    first, second, *_ = client.entries(sort="party")
    sign_in(page, to="/inventory?sort=party")
    page.get_by_role("row", name=re.compile(first.party.name)).first.wait_for()
    panel = page.get_by_role("complementary")
    page.keyboard.press("j")
    expect(panel.get_by_text(first.ref, exact=False).first).to_be_visible()
    page.keyboard.press("j")
    expect(panel.get_by_text(second.ref, exact=False).first).to_be_visible()
    page.keyboard.press("e")
    expect(panel.get_by_role("heading", name=f"End access for {second.party.name}?")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    expect(panel).to_be_hidden()


def test_anything_is_found_from_any_page_by_keyboard(page: Page, client: Client) -> None:
    entry = next(client.entries(account="Gate"))
    sign_in(page, to="/providers")
    page.get_by_role("link", name="Ticket Desk", exact=True).wait_for()
    page.keyboard.press("/")
    page.keyboard.type("orla.finch@")
    expect(page.get_by_role("option", name=re.compile("^party Orla Finch"))).to_be_visible()
    assert faults_of(page) == []
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Orla Finch", level=1)).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type(entry.ref.lower())
    expect(page.get_by_role("option", name=re.compile(f"^entry {entry.party.name}"))).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=entry.party.name, level=1)).to_be_visible()
    expect(page.get_by_role("region", name="Entry")).to_contain_text(f"Entry {entry.ref}")
    page.keyboard.press("/")
    page.keyboard.type("settings")
    expect(page.get_by_role("option", name="page Settings")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Settings", level=1)).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("no such thing anywhere")
    expect(page.get_by_text("Nothing matches.")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()
    page.keyboard.press("g")
    page.keyboard.press("b")
    expect(page.get_by_role("heading", name="Leavers", level=1)).to_be_visible()


def test_a_provider_that_breaks_off_is_told_and_read_again(page: Page, desk: Desk) -> None:
    sign_in(page, to="/providers")
    article = provider_page(page, "Ticket Desk")
    with desk.fault(break_after=40):
        article.get_by_role("button", name="Read again", exact=True).click()
        expect(article.get_by_text("broke off; nothing was taken as gone")).to_be_visible()
    with desk.fault(hide=60):
        article.get_by_role("button", name="Read again", exact=True).click()
        expect(article.get_by_role("button", name=re.compile("are gone: read again and end 60"))).to_be_visible()
    article.get_by_role("button", name="Read again", exact=True).click()
    expect(article.get_by_text(re.compile("^ ?complete: "))).to_be_visible()
    expect(article.get_by_role("button", name=re.compile("are gone: read again"))).to_be_hidden()


def test_a_list_is_put_in_order_narrowed_saved_taken_along_and_gone_through_by_keys(page: Page, client: Client) -> None:
    sign_in(page, to="/accounts")
    page.get_by_role("button", name="Risk", exact=True).click()
    expect(page.get_by_role("columnheader", name="Risk")).to_have_attribute("aria-sort", "descending")
    first = next(client.accounts(sort="risk"))
    expect(page.get_by_role("row").nth(1)).to_contain_text(first.name)
    page.get_by_role("button", name="+ Filter").click()
    page.get_by_role("menuitem", name="vital").click()
    vital = list(client.accounts(criticality=Criticality.VITAL, sort="risk"))
    expect(page.get_by_role("row")).to_have_count(len(vital) + 1)
    page.get_by_role("button", name="Columns").click()
    page.get_by_label("Known secrets").check()
    page.keyboard.press("Escape")
    expect(page.get_by_role("columnheader", name="Known secrets")).to_be_visible()
    expect(page.get_by_role("button", name="View Vital accounts")).to_have_count(0)
    page.get_by_role("button", name="View not saved").click()
    page.get_by_label("A name for this view").fill("Vital, with secrets")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name="View Vital, with secrets", exact=True)).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as download:
        page.get_by_role("menuitem", name="CSV").click()
    rows = list(csv.DictReader(io.StringIO(download.value.path().read_text(), newline="")))
    assert [row["ref"] for row in rows] == [account.ref for account in vital]
    page.get_by_role("heading", name="Accounts").click()
    page.keyboard.press("j")
    page.keyboard.press("j")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=vital[1].name, level=1)).to_be_visible()
    page.go_back()
    expect(page.get_by_role("row")).to_have_count(len(vital) + 1)


def test_a_party_shows_its_reach_and_an_account_who_is_on_it(page: Page, client: Client) -> None:
    sign_in(page, to="/parties?q=orla")
    page.get_by_role("link", name="Orla Finch").click()
    expect(page.get_by_role("img", name=re.compile("What Orla Finch can do:.*directly to Bookings"))).to_be_visible()
    page.get_by_label("Account", exact=True).select_option("Bookings")
    expect(page.get_by_text("Remove Orla Finch from the team Saturday crew.")).to_be_visible()
    expect(page.get_by_text("nobody else loses anything")).to_be_visible()
    page.get_by_label("Power", exact=True).select_option("own")
    expect(page.get_by_text("this party cannot do that there")).to_be_visible()
    page.get_by_role("link", name="Accounts").click()
    page.get_by_role("link", name="Gate", exact=True).click()
    expect(page.get_by_role("heading", name="Gate")).to_be_visible()
    with page.expect_response(lambda answer: answer.request.method == "PUT"):
        page.get_by_label("How critical it is: how much harm its loss would do").select_option("vital")
    page.get_by_role("link", name="Filter and export these entries").click()
    expect(page).to_have_url(re.compile(r"/inventory.account=[0-9A-Z]{4}-[0-9A-Z]{4}"))
    expect(page.get_by_role("button", name="Remove the filter account Gate")).to_be_visible()
    assert client.account("Gate").criticality == "vital"
    client.describe_account("Gate", criticality="normal")


def test_an_order_that_is_stuck_says_why_and_is_called_off(page: Page, spare: Spare, desk: Desk) -> None:
    entry = spare()
    desk.refuse(entry, "consent is missing")
    sign_in(page, to=f"/inventory?entry={entry.ref}")
    panel = page.get_by_role("complementary")
    panel.get_by_role("button", name="End or narrow…").click()
    panel.get_by_role("button", name="End access", exact=True).click()
    expect(panel.get_by_text("consent is missing")).to_be_visible()
    panel.get_by_role("button", name="Cancel it").click()
    expect(panel.get_by_text("stays as it was")).to_be_visible()
    desk.refuse(entry, None)


def test_a_member_finds_their_own_access_and_no_button_to_end_it(page: Page) -> None:
    sign_in(page, "orla.finch")
    expect(page.get_by_role("heading", name="My access")).to_be_visible()
    expect(page.get_by_role("link", name="Log")).to_be_hidden()
    bookings = page.get_by_role("article", name="Bookings")
    expect(bookings).to_contain_text("You can view and edit")
    expect(bookings.get_by_role("button", name="Look at it, or give it up")).to_be_visible()
    page.get_by_role("article", name="Newsletter").get_by_role("button", name="Look at it").click()
    expect(page.get_by_text("Only managers and owners can end access")).to_be_visible()


def test_a_wrong_password_and_an_unknown_address_are_answered_in_words(page: Page) -> None:
    page.goto("/inventory?flagged=true")
    enter(page, "ivo.marsh", "not the password")
    expect(page.get_by_role("alert")).to_contain_text("Check all three and try again")
    enter(page, "ruth.calder", PASSWORD)
    expect(page).to_have_url(re.compile("/inventory.flagged=true"))
    page.get_by_role("navigation", name="Places").wait_for()
    page.goto("/nowhere")
    expect(page.get_by_text("There is no page at this address.")).to_be_visible()


def test_a_list_is_looked_through_put_right_and_imported(page: Page, client: Client) -> None:
    client.add_provider("Orchard Sign", "by-hand", {})
    sign_in(page, to="/providers")
    lines = (
        "Keys of the orchard;;;\nWhere;Person;Which;Until\nOrchard sign;Greta Dale;keeper;03/04/2030\n"
        "Orchard sign;Finn Dälé;helper;\nTotal;2;;\n"
    )
    choose_list(page, "Orchard Sign", lines.encode("cp1252"))
    expect(page.get_by_text("read as Windows-1252")).to_be_visible()
    expect(page.get_by_text("looks like a total")).to_be_visible()
    expect(page.get_by_role("button", name="Import it")).to_have_count(0)
    page.get_by_label("Which number is the day in Until").select_option("day-first")
    expect(page.get_by_text("It changes 2 new, 0 changed, 0 unchanged")).to_be_visible()
    page.get_by_label("What Which is").select_option("level")
    expect(page.get_by_label("What Which is")).to_have_value("level")
    page.get_by_role("button", name="Import it").click()
    expect(page.get_by_text("Imported: 2 new")).to_be_visible()
    page.get_by_role("link", name="See its entries").click()
    page.get_by_role("row", name=re.compile("Finn Dälé.*helper")).click()
    panel = page.get_by_role("complementary")
    expect(panel.get_by_text("What it allows is not known yet.")).to_be_visible()
    panel.get_by_role("button", name="It has ended").click()
    expect(panel.get_by_text(re.compile("ended .*gone"))).to_be_visible()
    (greta,) = client.entries(provider="Orchard Sign")
    assert (greta.party.name, greta.level, f"{greta.ends_at:%Y-%m-%d}") == ("Greta Dale", "keeper", "2030-04-03")


def test_a_provider_is_added_and_an_entry_kept_by_hand_until_its_last_day(page: Page, client: Client) -> None:
    sign_in(page, to="/providers")
    page.get_by_role("button", name="Add a provider").click()
    form = page.get_by_role("form", name="Add a provider")
    form.get_by_label("Name").fill("Harbour Board")
    form.get_by_label("How it is read").select_option("feed")
    form.get_by_label("url").fill("harbour board")
    form.get_by_role("button", name="Add it, and read it now").click()
    expect(form.get_by_text("which is not an address")).to_be_visible()
    form.get_by_label("How it is read").select_option("by-hand")
    form.get_by_role("button", name="Add it").click()
    shown = page.get_by_role("article").filter(has=page.get_by_role("heading", name="Harbour Board"))
    expect(shown).to_be_visible()
    shown.get_by_role("button", name="Record an entry by hand").click()
    shown.get_by_label("Kind").select_option("grant")
    shown.get_by_role("combobox", name="Account").fill("Harbour lights")
    shown.get_by_label("Who").fill("Greta Dale")
    shown.get_by_label("I know what it allows").check()
    shown.get_by_label("publish").check()
    shown.get_by_label("Last day").fill("2027-06-30")
    shown.get_by_role("button", name="Record it").click()
    shown.get_by_text("Greta Dale on Harbour lights").wait_for()
    shown.get_by_role("status").get_by_role("link").click()
    expect(page.get_by_text("30 Jun 2027", exact=True)).to_be_visible()
    (kept,) = client.entries(provider="Harbour Board")
    assert (kept.powers, kept.unknown, kept.vouched and kept.vouched.by) == (["publish"], [], "Maren Ashdown")
    # Through the end of that day in the observatory's zone, which is an hour ahead in summer.
    assert kept.ends_at == datetime(2027, 6, 30, 23, tzinfo=UTC)


def test_columns_are_chosen_and_kept_in_the_address(page: Page) -> None:
    sign_in(page, to="/inventory?q=amara.levy")
    page.get_by_role("button", name="Columns").click()
    page.get_by_role("checkbox", name="Reason").check()
    page.get_by_role("checkbox", name="Span").uncheck()
    expect(page.get_by_role("columnheader", name="Reason")).to_be_visible()
    expect(page.get_by_role("columnheader", name="Span")).to_be_hidden()
    page.reload()
    expect(page.get_by_role("cell", name="Nine nights on faint variables, agreed by Ines Okoro")).to_be_visible()
    page.get_by_role("button", name="Same from the command line").click()
    expect(page.get_by_text("openlatch inventory amara.levy --columns where,as,powers,basis,why")).to_be_visible()


def test_what_was_done_on_an_account_is_told_apart_and_its_history_shown(page: Page, client: Client) -> None:
    account = client.account("Night-Sky Plates")
    sign_in(page, to=f"/accounts/{account.ref}")
    expect(page.get_by_text("Not locked: its parts can be open to anyone.")).to_be_visible()
    page.get_by_role("main").get_by_role("link", name="Activity").click()
    page.get_by_role("button", name=re.compile("^apps")).click()
    expect(page.get_by_role("row", name=re.compile("Plate Solver.*Ines Okoro.*solved a plate")).first).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("Pell Varga.*their own"))).to_have_count(0)
    page.get_by_role("link", name="History").click()
    expect(page.get_by_role("row", name=re.compile("Found Star Chart Weekly on Night-Sky Plates"))).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("on Bookings"))).to_have_count(0)


def test_somebody_says_what_a_word_means_and_its_entries_show_it(page: Page, client: Client) -> None:
    sign_in(page, to="/providers")
    shown = provider_page(page, "Dome Gateway")
    shown.get_by_role("button", name="What its levels mean").click()
    shown.get_by_role("button", name=re.compile("Say what command: .*read-mast means")).click()
    shown.get_by_label("view", exact=True).check()
    shown.get_by_role("button", name="Save").click()
    expect(shown.get_by_role("row", name=re.compile("read-mast.*view.*Maren Ashdown"))).to_be_visible()
    entry = next(client.entries(provider="Dome Gateway", q="weather mast"))
    assert (entry.powers, entry.unknown) == (["view"], [])
    client.correct_level("Dome Gateway", "command: /usr/local/bin/read-mast", None)


def test_a_view_is_saved_found_again_and_deleted(page: Page) -> None:
    sign_in(page)
    page.get_by_role("button", name=re.compile("^View")).click()
    page.get_by_role("button", name="Open to anyone, to change").click()
    expect(page.get_by_role("row", name=re.compile("Anyone.*unreleased 2026"))).to_be_visible()
    page.get_by_label("Search people, addresses, accounts").fill("plates")
    expect(page).to_have_url(re.compile("q=plates"))
    page.get_by_role("button", name=re.compile("View not saved")).click()
    page.get_by_label("A name for this view").fill("Plates that anyone can change")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name="Delete the view Plates that anyone can change")).to_be_visible()
    page.goto("/inventory")
    page.get_by_role("button", name=re.compile("^View")).click()
    page.get_by_role("button", name="Plates that anyone can change", exact=True).click()
    expect(page).to_have_url(re.compile("kind=open.*q=plates|q=plates.*kind=open"))
    page.get_by_role("button", name=re.compile("View Plates that")).click()
    page.get_by_role("button", name="Delete the view Plates that anyone can change").click()
    expect(page.get_by_role("button", name="Plates that anyone can change", exact=True)).to_be_hidden()


def test_a_member_gives_up_what_they_no_longer_want(page: Page, client: Client) -> None:
    sign_in(page, "orla.finch")
    page.get_by_role("article", name="School groups").get_by_role("button", name="give it up").click()
    panel = page.get_by_role("complementary")
    panel.get_by_role("button", name="Give it up…").click()
    expect(panel.get_by_text("only the holder can let you in again")).to_be_visible()
    panel.get_by_role("button", name="Give it up", exact=True).click()
    expect(panel.get_by_text("A fresh reading of the provider shows it gone.")).to_be_visible()
    ended = next(client.entries(provider="Front Office Mail", q="orla", state="ended"))
    assert ended.end_reason == "given-up"
