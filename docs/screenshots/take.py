"""Take the pictures of this folder anew, from a fresh demo: make screenshots."""

from __future__ import annotations

import email
import email.policy
import io
import os
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import openpyxl
from PIL import Image
from playwright.sync_api import Browser, Page, sync_playwright

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.reviews import FIRST
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire

HERE = Path(__file__).parent
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
OWNER = f"maren.ashdown@{DOMAIN}"
SCREEN = ":97"


def main() -> None:
    """Start a demo in a folder of its own, take every picture, and leave nothing behind."""
    with tempfile.TemporaryDirectory(prefix="openlatch-pictures-", dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        with Stack(Path(folder) / "stack", fast=True) as stack, sync_playwright() as playwright:
            client, token = Client.sign_in(stack.url, workspace=SLUG, address=OWNER, password=PASSWORD)
            with client:
                for provider in (one for one in client.providers() if not one.by_hand):
                    list(client.follow_reading(client.read(str(provider.id)).id))
                terminal(stack, token.secret)
                spread([entry.risk for entry in client.entries()])
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            console(browser, stack)
            browser.close()


def spread(risks: list[int]) -> None:
    """Draw how many entries have which risk, in steps of ten, for the page about risk."""
    counts = [sum(step <= risk < step + 10 for risk in risks) for step in range(0, 100, 10)]
    bars = []
    for place, count in enumerate(counts):
        height, left = round(150 * count / max(counts)), 20 + place * 56
        bars += [
            f'<rect x="{left}" y="{180 - height}" width="44" height="{height}" fill="#005f66"/>',
            f'<text x="{left + 22}" y="{172 - height}" text-anchor="middle">{count}</text>',
            f'<text x="{left + 22}" y="198" text-anchor="middle">{place * 10}–{place * 10 + 9}</text>',
        ]
    title = "Entries of the demo by risk"
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 590 210" role="img" aria-label="{title}">'
    style = "<style>text{font:12px sans-serif;fill:#5b6270}</style>"
    drawn = "\n".join([head, f"<title>{title}</title>", style, *bars, "</svg>"])
    (HERE.parent / "reference" / "risk-demo.svg").write_text(drawn + "\n")


def console(browser: Browser, stack: Stack) -> None:
    """The console's pages."""
    page = signed_in(browser, stack, "light")
    shoot(page, "inventory")
    rules(page, stack)
    page.goto(f"{stack.url}/inventory")
    page.get_by_role("row", name=re.compile(r"Brightmere Electrical.*\bGate\b")).click()
    page.get_by_role("heading", name="Why it is flagged").wait_for()
    shoot(page, "entry")
    page.get_by_role("button", name="End or narrow…").click()
    page.get_by_role("heading", name="What happens").wait_for()
    shoot(page, "end-access")
    page.get_by_label("Reason, for the log").fill("Finished in spring")
    page.get_by_role("button", name="End access", exact=True).click()
    page.get_by_text("A fresh reading of the provider shows it gone.").wait_for()
    page.goto(f"{stack.url}/parties?q=orla")
    page.get_by_role("link", name="Orla Finch").click()
    page.get_by_role("heading", name="Every way in").wait_for()
    shoot(page, "reach")
    page.goto(f"{stack.url}/parties?q=hanne")
    page.get_by_role("link", name="Hanne Prior").click()
    page.get_by_role("link", name="Start leaving…").click()
    page.get_by_label(re.compile("type how many")).wait_for()
    shoot(page, "leaver")
    listed(page, stack)
    for name in ("providers", "apps", "log"):
        page.goto(f"{stack.url}/{name}")
        shoot(page, name)
    page.goto(f"{stack.url}/people?invite=yes")
    page.get_by_label("Address").fill(f"jory.penrose@{DOMAIN}")
    page.get_by_role("button", name="Send the invitation").click()
    page.get_by_text("A letter is on its way to").wait_for()
    page.get_by_role("button", name="Ines Okoro").click()
    page.get_by_role("button", name="Disable sign-in…").click()
    shoot(page, "people")
    offered(page, stack)
    imagined(page, stack)
    reviewed(page, stack)
    shoot(signed_in(browser, stack, "dark"), "inventory-dark")
    on_a_phone(browser, stack)


def on_a_phone(browser: Browser, stack: Stack) -> None:
    """Five pages as a phone shows them, side by side."""
    context = browser.new_context(viewport={"width": 390, "height": 844}, reduced_motion="reduce")
    page = context.new_page()
    client, _ = Client.sign_in(stack.url, workspace=SLUG, address=OWNER, password=PASSWORD)
    with client:
        desk = f"/rounds/{next(one for one in client.rounds() if one.state == 'open').ref}"
        order = f"/orders?order={next(iter(client.orders())).ref}"
        parts = [{"account": "Night-Sky Plates", "needs": ["view"]}]
        wanted = {"to": "wren.hale@fenwick-college.example", "name": "Wren Hale", "parts": parts, "endless": True}
        wish = wire.OfferWish.model_validate({**wanted, "basis": "A dissertation on variables"})
        client.offer(wish, client.check_offer(wish).digest)
    answer = answering(stack)
    places = (("maren.ashdown", "/"), ("ines.okoro", desk), ("orla.finch", "/mine"), ("", answer))
    shown = []
    for who, path in (*places, ("maren.ashdown", order)):
        if who:
            page.goto(f"{stack.url}/sign-in")
            page.get_by_label("Address").fill(f"{who}@{DOMAIN}")
            page.get_by_label("Password").fill(PASSWORD)
            page.get_by_role("button", name="Sign in", exact=True).click()
            page.get_by_role("navigation", name="Places").wait_for()
        page.goto(f"{stack.url}{path}")
        page.wait_for_load_state("networkidle")
        page.get_by_text("Loading…").first.wait_for(state="hidden")
        shown.append(Image.open(io.BytesIO(page.screenshot())))
        context.clear_cookies()
    context.close()
    sheet = Image.new("RGB", (sum(one.width for one in shown) + 20 * (len(shown) - 1), shown[0].height), "#8a8f98")
    for place, one in enumerate(shown):
        sheet.paste(one, (place * (one.width + 20), 0))
    sheet.save(HERE / "phone.png")


def answering(stack: Stack) -> str:
    """The path of the link in the letter of an offer, once it was sent."""
    for _ in range(300):
        for file in stack.letters.glob("*.eml"):
            body = email.message_from_bytes(file.read_bytes(), policy=email.policy.default).get_body()
            text = body.get_content() if body is not None else ""
            found = re.search(r"http\S+?(/answer/[\w.-]+)", text) if "offers you access" in text else None
            if found:
                return found[1]
        time.sleep(0.1)
    raise LookupError("no letter has a link to answer")


def listed(page: Page, stack: Stack) -> None:
    """A list that somebody keeps, as it is matched before it is taken in."""
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    for row in (
        ("Keys and codes of Hill Road, as of May",),
        ("Place", "", "Person", "", "Period", ""),
        ("Account", "Role", "Name", "E-mail", "From", "Until", "Password"),
        ("Hill Road display", "editor", "Orla Finch", f"orla.finch@{DOMAIN}", "03/04/2025", "unlimited", "sunflower"),
        ("", "editor", "Dov Finch", f"dov.finch@{DOMAIN}", "17/02/2025", "31 Dec 2030"),
        ("Hill Road box", "key 4", "Edda Brook", "edda.brook@northcape-uni.example", "07/08/2024", "n/a"),
        ("Hill Road box", "key 5", "Lorne Dale", "ask at the gate", "02/03/2024", "?"),
        ("Hill Road box", "key 6", "Joss Finch", f"joss.finch@{DOMAIN}", "09/09/2024", "01/05/2023"),
        ("Total", "5"),
    ):
        sheet.append(row)
    for span in ("A2:B2", "C2:D2", "E2:F2", "A4:A5"):
        sheet.merge_cells(span)
    sheet.row_dimensions[6].hidden = True
    file = io.BytesIO()
    book.save(file)
    page.goto(f"{stack.url}/providers")
    page.get_by_role("link", name="Hill Road Signage", exact=True).click()
    kept = page.get_by_role("article").filter(has=page.get_by_role("heading", name="Hill Road Signage"))
    kept.get_by_role("link", name="Import a list").click()
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    page.get_by_label("The file").set_input_files({"name": "keys.xlsx", "mimeType": kind, "buffer": file.getvalue()})
    page.get_by_text("looks like a total").wait_for()
    shoot(page, "list")


def offered(page: Page, stack: Stack) -> None:
    """An offer, filled in, with what it would be."""
    page.goto(f"{stack.url}/offers/new?account=South%20Dome")
    page.get_by_role("combobox", name="To whom").fill("amara.levy@northcape-uni.example")
    page.get_by_role("button", name="Next").click()
    page.get_by_label("What they need to do there").select_option("observe")
    page.get_by_role("button", name="Next").click()
    page.get_by_label("Hours of the week, Europe/London (optional)").fill("tue,fri 19:00-04:00")
    page.get_by_label("without an end, on purpose").check()
    page.get_by_role("button", name="Next").click()
    page.get_by_label("What it is for").fill("Nights on faint variables")
    page.get_by_role("button", name="Next").click()
    page.get_by_role("heading", name="Flags it would raise").wait_for()
    page.get_by_text("would have this on South Dome without an end").wait_for()
    shoot(page, "offer")


def imagined(page: Page, stack: Stack) -> None:
    """What a proposal would change."""
    statement = {
        "effect": "allow",
        "to": [{"domain": "northcape-uni.example"}],
        "powers": ["view", "export"],
        "networks": ["192.0.2.0/26"],
        "hours": ["mon,tue 09:00-17:00"],
    }
    share = {"do": "share", "account": "Night-Sky Plates", "zone": "Europe/London"}
    changes = [
        share | {"resource": "unreleased 2026", "statements": []},
        share | {"resource": "folder 200", "statements": [statement]},
        {"do": "give", "account": "South Dome", "to": "amara.levy@northcape-uni.example", "task": "observe"},
    ]
    given = {"workspace": SLUG, "address": OWNER, "password": PASSWORD}
    with Client.sign_in(stack.url, **given)[0] as client:
        made = client.propose({"proposal": 1, "title": "Plates for North Cape", "changes": changes})
        client.worked_out(made.ref)
    page.goto(f"{stack.url}/what-if/{made.ref}")
    page.get_by_role("heading", name="Flags raised").wait_for()
    shoot(page, "what-if")


def reviewed(page: Page, stack: Stack) -> None:
    """A round at its desk, and the report of one that is closed."""
    given = {"workspace": SLUG, "address": OWNER, "password": PASSWORD}
    with Client.sign_in(stack.url, **given)[0] as client:
        desk = client.open_round(FIRST)
        done = client.open_round("After someone has left")
        client.decide(
            done.ref, [item.place for item in client.round_items(done.ref)], "end-now", reason="They have left"
        )
        client.finish_round(done.ref)
        list(client.follow_round(done.ref))
    page.goto(f"{stack.url}/rounds/{desk.ref}")
    page.get_by_role("button", name=re.compile("Last day")).wait_for()
    shoot(page, "review-desk")
    page.goto(f"{stack.url}/api/v1/rounds/{done.ref}/report?format=html")
    shoot(page, "report")


def rules(page: Page, stack: Stack) -> None:
    """What is stale or risky, and the policy behind it."""
    page.goto(f"{stack.url}/")
    page.get_by_role("button", name=re.compile("Lise Hartnell")).first.wait_for()
    shoot(page, "today")
    page.goto(f"{stack.url}/policy?show=limits")
    page.get_by_role("spinbutton", name="access that nobody has used for so long").fill("30")
    page.get_by_role("spinbutton", name="a vital account that is shared with more").fill("2")
    page.keyboard.press("Tab")
    page.get_by_text(re.compile("flags would be raised")).wait_for()
    page.get_by_role("button", name="Look at it, and adopt it").click()
    page.get_by_text(re.compile("flags now, .* then")).wait_for()
    shoot(page, "policy")


def signed_in(browser: Browser, stack: Stack, theme: str) -> Page:
    context = browser.new_context(
        viewport={"width": 1280, "height": 800},
        color_scheme="dark" if theme == "dark" else "light",
        reduced_motion="reduce",
    )
    page = context.new_page()
    page.goto(f"{stack.url}/sign-in")
    page.get_by_label("Address").fill(OWNER)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("navigation", name="Places").wait_for()
    page.goto(f"{stack.url}/inventory")
    page.get_by_role("row").nth(2).wait_for()
    return page


def shoot(page: Page, name: str) -> None:
    page.wait_for_load_state("networkidle")
    page.mouse.move(0, 799)
    page.screenshot(path=HERE / f"{name}.png")


def terminal(stack: Stack, token: str) -> None:
    """The command line, in a real terminal window on a screen of its own."""
    environment = os.environ | {
        "OPENLATCH_SERVER": stack.url,
        "OPENLATCH_TOKEN": token,
        "DISPLAY": SCREEN,
        "TERM": "xterm-256color",
    }
    environment["PATH"] = f"{Path(sys.executable).parent}:{environment['PATH']}"
    commands = "openlatch inventory --flagged --limit 4", "openlatch end $ENTRY --dry-run"
    with Client(stack.url, token) as client:
        entry = next(e for e in client.entries(q="Brightmere", provider="Ticket Desk"))
    script = "".join(f"printf '\\033[1;32m$\\033[0m %s\\n' '{c}'; {c}; echo; " for c in commands)
    script = script.replace("$ENTRY", entry.ref) + "sleep 60"
    screen = subprocess.Popen(["Xvfb", SCREEN, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1)
        look = [
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "10",
            "-bg",
            "#15181d",
            "-fg",
            "#e8e6df",
            "-b",
            "14",
            "-tn",
            "xterm-256color",
        ]
        window = subprocess.Popen(
            ["xterm", *look, "-geometry", "156x47+0+0", "-e", "sh", "-c", script], env=environment
        )
        time.sleep(9)
        subprocess.run(["import", "-window", "root", str(HERE / "command-line.png")], env=environment, check=True)
        window.terminate()
        window.wait()
    finally:
        screen.terminate()
        screen.wait()


if __name__ == "__main__":
    main()
