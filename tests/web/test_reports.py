"""Reports as a page: each line has the number by which commands and files know it, and says what they say."""

from __future__ import annotations

from html.parser import HTMLParser
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from openlatch.printing import written
from openlatch.words import Outcome

LINE: dict[str, Any] = {
    "part": "",
    "party": "Orla Finch",
    "addresses": ["orla.finch@kestrelridge.example"],
    "account": "Gate",
    "provider": "Ticket Desk",
    "kind": "delegate",
    "level": "guide",
    "powers": ["view"],
    "resources": [],
    "outside": False,
    "risk": 20,
    "flags": [],
    "last_used": None,
    "ends_at": None,
    "asked": "Ines Okoro",
    "advice": "keep",
    "decision": "",
    "detail": "",
    "decided_by": "",
    "decided_at": None,
    "reason": "",
    "against_advice": False,
    "outcome": "undecided",
    "note": "",
    "order": "",
    "told_at": None,
    "proved_at": None,
    "showed": "",
    "receipt": "",
}
lines = st.lists(
    st.fixed_dictionaries(
        {
            "place": st.integers(1, 90_000),
            "outcome": st.sampled_from([str(one) for one in Outcome]),
            "resources": st.lists(st.sampled_from(["folder 004", "<b>folder</b> 017", "unreleased"]), unique=True),
        }
    ),
    min_size=1,
    max_size=6,
    unique_by=lambda line: line["place"],
)


class Tables(HTMLParser):
    """The rows of each table of a page, as texts, by the heading above it."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.tables: dict[str, list[list[str]]] = {}
        self._heading, self._inside = "", ""
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "h2":
            self._heading, self._inside = "", "h2"
        elif tag == "tr":
            self.tables.setdefault(self._heading, []).append([])
        elif tag == "td":
            self._inside = "td"
            self.tables[self._heading][-1].append("")

    def handle_endtag(self, tag: str) -> None:
        if tag in ("h2", "td"):
            self._inside = ""

    def handle_data(self, data: str) -> None:
        if self._inside == "h2":
            self._heading += data
        elif self._inside == "td":
            self.tables[self._heading][-1][-1] += data


def report(*own: dict[str, Any]) -> dict[str, Any]:
    counts = [{"rule": "never-used", "title": "Never used", "severity": "medium", "then": 2, "now": 1}]
    return {
        "kind": "review",
        "ref": "7Q4K-BRM2",
        "title": "Everyone outside",
        "workspace": "Kestrel Ridge",
        "zone": "Europe/London",
        "state": "open",
        "begun_at": "2026-12-01T09:00:00+00:00",
        "ended_at": None,
        "facts": [],
        "asked": [],
        "outcomes": {line["outcome"]: 1 for line in own},
        "decisions": {},
        "against_advice": 0,
        "unanswered": 0,
        "compared": None,
        # A report that was signed before rules had titles there names them by their ids.
        "rules": [*counts, {name: value for name, value in counts[0].items() if name != "title"}],
        "lines": [LINE | line for line in own],
    }


@given(lines)
def test_each_line_has_the_number_of_the_files_and_says_of_which_part_it_is(own: list[dict[str, Any]]) -> None:
    page = written(report(*own), "", "html").content.decode()
    tables = Tables(page).tables
    every = [row for row in tables["Every decision"] if row]
    assert [int(row[0]) for row in every] == [line["place"] for line in own]
    remaining = [row for row in tables.get("What remains", []) if row]
    open_ = [line for line in own if not Outcome(line["outcome"]).over]
    assert [int(row[0]) for row in remaining] == [line["place"] for line in open_]
    for row, line in zip(remaining, open_, strict=True):
        assert all(part in row[1] for part in line["resources"])
        assert row[2] == line["outcome"]
    assert [row[0] for row in tables["Flags by rule"] if row] == ["Never used", "never-used"]
    assert "<b>" not in page
