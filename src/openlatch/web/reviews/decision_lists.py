"""Lists of decisions as files: written for whoever decides in a sheet of their own, and read back."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from pydantic import ValidationError

from openlatch.errors import Invalid
from openlatch.web.sheets import Rows
from openlatch.wire.base import mistakes
from openlatch.wire.flat import defused
from openlatch.wire.messages import DecisionLine, RoundItem

__all__ = ["read", "written"]

FIELDS = tuple(DecisionLine.model_fields)
SHOWN = ("party", "account", "now", "powers", "risk", "advice")
"""What stands beside, for whoever decides; it is not read back."""


def written(items: Iterable[RoundItem]) -> bytes:
    """Return items as CSV, one a line, with empty columns for what is decided about each."""
    text = io.StringIO()
    sheet = csv.writer(text, lineterminator="\r\n")  # as RFC 4180 has it
    sheet.writerow([*FIELDS, *SHOWN])
    for item in items:
        facts = item.facts
        beside = (facts.party, facts.account, facts.level, ", ".join(facts.powers), str(facts.risk), item.advice)
        about = {"place": str(item.place), "entry": item.entry.ref}
        sheet.writerow([*(about.get(field, "") for field in FIELDS), *(defused(text) for text in beside)])
    return text.getvalue().encode()


def read(rows: Rows) -> list[tuple[int, DecisionLine]]:
    """Return the decisions of a list, by the numbers of their lines; raises Invalid with every line that is none.

    The first row names the columns, in any order; a line without a choice decides nothing, and is left out.
    """
    header = [name.strip().casefold() for name in rows[0][1]] if rows else []
    missing = [name for name in ("place", "entry", "choice") if name not in header]
    if missing:
        raise _wrong([("line 1", f"there is no column “{name}”") for name in missing], "The list cannot be read")
    found: list[tuple[int, DecisionLine]] = []
    wrong: list[tuple[str, str]] = []
    for number, cells in rows[1:]:
        texts = dict(zip(header, cells, strict=False))
        given = {name: texts.get(name, "").strip() for name in FIELDS}
        if not given["choice"]:
            continue
        try:
            found.append((number, DecisionLine.model_validate(given | {"until": given["until"] or None})))
        except ValidationError as error:
            first = mistakes(error)[0]
            wrong.append((f"line {number}", f"{first['at']}: {first['problem']}"))
    if wrong:
        raise _wrong(wrong, f"{len(wrong)} of {len(found) + len(wrong)} lines cannot be taken")
    if not found:
        raise _wrong([("line 2", "no line has a choice")], "There is no decision in the list")
    return found


def _wrong(problems: Sequence[tuple[str, str]], what: str) -> Invalid:
    return Invalid(
        f"{what}. Nothing was decided.",
        next_step=f"Its columns are {', '.join(FIELDS)}. Correct it, and send the whole list again.",
        errors=[{"at": at, "problem": problem} for at, problem in problems],
    )
