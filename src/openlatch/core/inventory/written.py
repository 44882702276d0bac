"""Days and times as people write them in lists, and what they write where there is none."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from openlatch.words import DayOrder

__all__ = ["says_nothing", "says_unknown", "says_without_end", "settled_order", "to_instant"]

_MONTHS = {
    name: number
    for number, names in enumerate(
        (
            "jan january januar janvier enero januari gennaio",
            "feb february februar fevrier février febrero februari febbraio",
            "mar march märz maerz mars marzo maart",
            "apr april avril abril aprile",
            "may mai mayo mei maggio",
            "jun june juni juin junio giugno",
            "jul july juli juillet julio luglio",
            "aug august août aout agosto augustus",
            "sep sept september septembre septiembre settembre",
            "oct october oktober octobre octubre ottobre okt",
            "nov november novembre noviembre",
            "dec december dezember décembre decembre diciembre dicembre dez",
        ),
        1,
    )
    for name in names.split()
}
_TIME = r"(?:[T ,]+(?:at )?(\d{1,2}):(\d\d)(?::(\d\d)(?:\.\d+)?)?)?"
_NUMBERS = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d\d)\.?" + _TIME)
_YEAR_FIRST = re.compile(r"(\d{4})([./])(\d{1,2})\2(\d{1,2})" + _TIME)
_DAY_NAME = re.compile(r"^(?:[^\W\d_]{2,10}\.?,?\s+)(?=\d|[^\W\d_])")
_NAMED = re.compile(r"(\d{1,2})(?:st|nd|rd|th|\.)?[ .-]*(?:of )?([^\W\d_]+)\.?[ ,.-]*(\d{4}|\d\d)" + _TIME)
_NAME_FIRST = re.compile(r"([^\W\d_]+)\.?[ -]*(\d{1,2})(?:st|nd|rd|th)?[ ,-]+(\d{4}|\d\d)" + _TIME)
_NOTHING = frozenset(("", "-", "–", "—", "n/a", "na", "n.a.", "none", "nil", "null", "k.a.", "-/-", "./."))
_NO_END = _NOTHING | frozenset(
    (
        "no end",
        "never",
        "unlimited",
        "permanent",
        "permanently",
        "indefinite",
        "indefinitely",
        "open",
        "open-ended",
        "forever",
        "ongoing",
        "no expiry",
        "no expiration",
        "does not expire",
        "never expires",
        "until revoked",
        "∞",
        "unbefristet",
        "illimité",
        "indefinido",
        "no limit",
        "without end",
    )
)
_NOT_KNOWN = frozenset(("?", "??", "unknown", "not known", "tbd", "tbc", "tba", "unbekannt", "inconnu", "desconocido"))
_FAR = re.compile(r"(?<!\d)9[89]\d\d(?!\d)")
"""Who writes such a year means that there is no end."""


def says_nothing(text: str) -> bool:
    """Return whether a cell says that there is nothing to say."""
    return text.strip().casefold() in _NOTHING


def says_without_end(text: str) -> bool:
    """Return whether a cell says that there is no end: nothing, “unlimited”, or a year far beyond any."""
    plain = text.strip().casefold()
    return plain in _NO_END or (bool(_FAR.search(plain)) and re.fullmatch(r"[\d./: t+z-]+", plain) is not None)


def says_unknown(text: str) -> bool:
    """Return whether a cell says that nobody knows."""
    return text.strip().casefold() in _NOT_KNOWN


def settled_order(texts: Iterable[str]) -> tuple[DayOrder | None, bool]:
    """Return which number of a column's dates is the day, None if none of them says; and whether that matters.

    What has a number beyond 12 says it; with dots, the day comes first, as where that is written.
    """
    day = month = dotted = doubtful = 0
    for text in texts:
        found = _NUMBERS.fullmatch(text.strip())
        if found is None:
            continue
        first, second = int(found[1]), int(found[3])
        if first > 12 or second > 12:
            day += first > 12
            month += second > 12
        elif first != second:
            dotted += found[2] == "."
            doubtful += 1
    if day or month:
        return (DayOrder.DAY_FIRST if day >= month else DayOrder.MONTH_FIRST), doubtful > 0
    if doubtful and dotted == doubtful:
        return DayOrder.DAY_FIRST, True
    return None, doubtful > 0


def to_instant(text: str, zone: ZoneInfo, order: DayOrder | None, *, last_day: bool = False) -> datetime:
    """Return the instant that a cell means; a day alone is its start in a zone, or as a last day its end.

    Raises ValueError for what is not a date, or is ambiguous because nobody has said which number is the day.
    """
    plain = text.strip()
    moment, whole_day = _iso(plain)
    if moment is None:
        moment, whole_day = _by_people(plain, order)
    if whole_day and last_day:
        moment += timedelta(days=1)
    return moment if moment.tzinfo else moment.replace(tzinfo=zone)


def _iso(text: str) -> tuple[datetime | None, bool]:
    try:
        return datetime.fromisoformat(text), re.fullmatch(r"\d{4}-?\d\d-?\d\d", text) is not None
    except ValueError:
        return None, False


def _by_people(text: str, order: DayOrder | None) -> tuple[datetime, bool]:
    plain = text if _NAME_FIRST.fullmatch(text) else _DAY_NAME.sub("", text)
    if (found := _NUMBERS.fullmatch(plain)) is not None:
        number, other = int(found[1]), int(found[3])
        day, month = _of_two(number, other, order)
        return _at(date(_year(found[4]), month, day), found.groups()[4:])
    if (found := _YEAR_FIRST.fullmatch(plain)) is not None:
        return _at(date(int(found[1]), int(found[3]), int(found[4])), found.groups()[4:])
    if (found := _NAMED.fullmatch(plain)) is not None and found[2].casefold() in _MONTHS:
        return _at(date(_year(found[3]), _MONTHS[found[2].casefold()], int(found[1])), found.groups()[3:])
    if (found := _NAME_FIRST.fullmatch(plain)) is not None and found[1].casefold() in _MONTHS:
        return _at(date(_year(found[3]), _MONTHS[found[1].casefold()], int(found[2])), found.groups()[3:])
    raise ValueError("not a date")


def _of_two(number: int, other: int, order: DayOrder | None) -> tuple[int, int]:
    """The day and the month of two numbers."""
    if number == other:
        return number, other
    if order is None:
        raise ValueError("either may be the day")
    day, month = (number, other) if order is DayOrder.DAY_FIRST else (other, number)
    if month > 12:
        raise ValueError("against the order of its column")
    return day, month


def _year(text: str) -> int:
    return int(text) if len(text) == 4 else 2000 + int(text) if int(text) < 70 else 1900 + int(text)


def _at(day: date, clock: tuple[str | None, ...]) -> tuple[datetime, bool]:
    hour, minute, second = (int(text) if text else 0 for text in clock)
    return datetime(day.year, day.month, day.day, hour, minute, second), clock[0] is None  # noqa: DTZ001 - see above
