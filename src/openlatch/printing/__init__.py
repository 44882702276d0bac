"""Reports as files: a page to read, the same to print, a sheet, lines, and the whole with its signature."""

from __future__ import annotations

import base64
import csv
import hashlib
import io
import json
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from openlatch.core.hours import moment
from openlatch.core.reviews.reports import digest, what_remains
from openlatch.deferred import deferred
from openlatch.wire.flat import defused
from openlatch.wire.inventory.sheet import in_cell
from openlatch.words import Outcome, Tone

if TYPE_CHECKING:
    import jinja2
else:
    jinja2 = deferred("jinja2")
weasyprint = deferred("weasyprint")  # takes a second, and more memory than all the rest

__all__ = ["CONTENT_TYPES", "PDF", "File", "pdf", "written"]

HERE = Path(__file__).parent
ASSETS = HERE.parent / "web" / "console" / "assets"
PRINTED = 1500
"""So many lines are printed; a table of more pages is read by nobody, and the sheet has all of them."""
CONTENT_TYPES = {
    "json": "application/json",
    "html": "text/html; charset=utf-8",
    "csv": "text/csv; charset=utf-8",
    "jsonl": "application/jsonl",
}
PDF = "application/pdf"
_FACES = (
    ("Newsreader", "newsreader-latin-wght"),
    ("Atkinson", "atkinson-hyperlegible-next-latin-wght"),
    ("Geist Mono", "geist-mono-latin-wght"),
)
_COLOURS = {
    Tone.GOOD: "#2f6b46",
    Tone.STAYS: "#8aa3a1",
    Tone.WAITS: "#b98a2f",
    Tone.GOING: "#5b7fa6",
    Tone.BAD: "#a8442a",
    Tone.NONE: "#c3cac8",
}
_BANDS = ((0, 19), (20, 39), (40, 59), (60, 79), (80, 100))


@dataclass(frozen=True, slots=True)
class File:
    """A report as a file; `inline` if a browser shows it, under a policy of its own."""

    content: bytes
    content_type: str
    name: str
    inline: bool = False
    policy: str = ""


def written(report: Mapping[str, Any], signed: str, form: str) -> File:
    """Return a plain report with its signature as a file of that form."""
    content = _WRITERS[form](report, signed)
    policy = _policy() if form == "html" else ""
    return File(content, CONTENT_TYPES[form], _name(report, form), inline=form == "html", policy=policy)


def pdf(report: Mapping[str, Any], signed: str) -> File:
    """Return a plain report as it is printed, which takes seconds."""
    page = _page(report, signed, PRINTED)
    content: bytes = weasyprint.HTML(string=page, base_url="openlatch://report/", url_fetcher=_typeface).write_pdf()
    return File(content, PDF, _name(report, "pdf"))


def _name(report: Mapping[str, Any], form: str) -> str:
    return f"{report['kind']}-{report['ref']}.{form}"


def _json(report: Mapping[str, Any], signed: str) -> bytes:
    return json.dumps({"report": report, "signed": signed}, ensure_ascii=False, indent=1).encode() + b"\n"


def _jsonl(report: Mapping[str, Any], signed: str) -> bytes:
    return b"".join(json.dumps(line, ensure_ascii=False).encode() + b"\n" for line in report["lines"])


def _csv(report: Mapping[str, Any], signed: str) -> bytes:
    text = io.StringIO()
    lines = report["lines"]
    names = list(lines[0]) if lines else ["place"]
    writer = csv.writer(text, lineterminator="\r\n")  # as RFC 4180 has it
    writer.writerow(names)
    for line in lines:
        writer.writerow([defused(in_cell(line[name])) for name in names])
    return text.getvalue().encode()


def _html(report: Mapping[str, Any], signed: str) -> bytes:
    return _page(report, signed, len(report["lines"])).encode()


def _typeface(url: str, *_rest: Any, **_more: Any) -> Any:
    """A report fetches nothing but its own typefaces."""
    file = ASSETS / url.rpartition("/")[2]
    if file not in [known for _, known in _files()]:
        raise ValueError(f"{url} is not a part of a report")
    return weasyprint.urls.URLFetcherResponse(url, file.read_bytes(), {"Content-Type": "font/woff2"}, 200)


_WRITERS: Mapping[str, Callable[[Mapping[str, Any], str], bytes]] = {
    "json": _json,
    "html": _html,
    "csv": _csv,
    "jsonl": _jsonl,
}


def _page(report: Mapping[str, Any], signed: str, most: int) -> str:

    def instant(text: str | None) -> str:
        return moment(datetime.fromisoformat(text), report["zone"]) if text else ""

    return (
        _templates()
        .get_template("report.html")
        .render(
            report=report,
            signed=signed,
            digest=digest(report),
            style=_style(),
            lines=report["lines"][:most],
            left_out=max(0, len(report["lines"]) - most),
            remains=what_remains(report["lines"]),
            outcomes=_shares(report["outcomes"]),
            colours={tone.value: colour for tone, colour in _COLOURS.items()},
            shade=lambda word: Outcome(word).tone.value,
            bands=_bands(report["lines"]),
            most_flags=max((max(value["then"], value["now"]) for value in report["rules"]), default=1),
            instant=instant,
        )
    )


def _shares(outcomes: Mapping[str, int]) -> list[dict[str, Any]]:
    """The bar of what came of everything: widths in thousandths, what is well first."""
    order = list(Tone)
    every = sum(outcomes.values()) or 1
    documents, x = [], 0.0
    tones = {word: Outcome(word).tone for word in outcomes}
    for word, number in sorted(outcomes.items(), key=lambda pair: (order.index(tones[pair[0]]), pair[0])):
        width = 1000 * number / every
        documents.append({"word": word, "number": number, "shade": tones[word].value, "x": x, "width": width})
        x += width
    return documents


def _bands(lines: list[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """How many lines there are in each fifth of risk, and how many of them stay as they are."""
    every: Counter[tuple[int, int]] = Counter()
    kept: Counter[tuple[int, int]] = Counter()
    for line in lines:
        band = next(band for band in _BANDS if band[0] <= line["risk"] <= band[1])
        every[band] += 1
        kept[band] += line["decision"] in ("keep", "")
    most = max(every.values(), default=1) or 1
    return [
        {
            "from": band[0],
            "to": band[1],
            "every": every[band],
            "kept": kept[band],
            "height": 100 * every[band] / most,
            "still": 100 * kept[band] / most,
        }
        for band in _BANDS
    ]


@cache
def _templates() -> jinja2.Environment:
    return jinja2.Environment(
        loader=jinja2.FileSystemLoader(HERE),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )


@cache
def _style() -> str:
    faces = "".join(
        f'@font-face {{ font-family: "{family}"; src: url("/assets/{file.name}") format("woff2"); '
        "font-weight: 200 800; }\n"
        for family, file in _files()
    )
    return faces + (HERE / "report.css").read_text()


@cache
def _files() -> tuple[tuple[str, Path], ...]:
    """The typefaces of the built console, as far as there are any."""
    found = ((family, next(iter(sorted(ASSETS.glob(f"{stem}-normal-*.woff2"))), None)) for family, stem in _FACES)
    return tuple((family, file) for family, file in found if file is not None)


@cache
def _policy() -> str:
    """What the page may do: show itself, in its own style and the console's typefaces."""
    style = base64.b64encode(hashlib.sha256(_style().encode()).digest()).decode()
    return (
        f"default-src 'none'; style-src 'sha256-{style}'; font-src 'self'; base-uri 'none'; form-action 'none'; "
        "frame-ancestors 'none'"
    )
