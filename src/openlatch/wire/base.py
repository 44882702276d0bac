"""What all messages share: what is sent, what is taken, lists, errors, and the words that fields can be."""

from typing import Annotated, Any, Generic, Literal, TypeVar
from uuid import UUID

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, StringConstraints, ValidationError
from pydantic_core import ErrorDetails

from openlatch.errors import Invalid

__all__ = [
    "NO_WORKER",
    "Page",
    "PageQuery",
    "Problem",
    "Ref",
    "Said",
    "Search",
    "Sent",
    "T",
    "Taken",
    "Text",
    "Unsaid",
    "Word",
    "Written",
    "mistakes",
]

T = TypeVar("T")
Unsaid = BeforeValidator(lambda value: value or None)
"""An empty word in a query says nothing."""
Text = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200, pattern=r"^[^\x00]*$")]
Said = Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")]
Word = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^\x00]*$")]
Search = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^\x00]*$")]


class Sent(BaseModel):
    """Something that the service sends."""

    model_config = ConfigDict(frozen=True, defer_build=True)


class Taken(BaseModel):
    """Something that the service takes: a field it does not know is a mistake, not a wish.

    Made by whoever sends it, it raises Invalid where a field cannot be as it is.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    def __init__(self, **fields: Any) -> None:
        try:
            super().__init__(**fields)
        except ValidationError as error:
            errors = mistakes(error)
            raise Invalid(
                f"“{errors[0]['at']}” cannot be as given: {errors[0]['problem']}. Nothing was sent.",
                next_step="Correct it, and try again.",
                errors=errors,
            ) from error

    # What is read from a message is not made by this: pydantic then validates by itself, and raises its own error.
    __init__.__pydantic_base_init__ = True  # type: ignore[attr-defined]


NO_WORKER = "Openlatch-No-Worker"
"""The header of an answer while no worker is at work; it says what that means."""
_PROBLEMS = {
    "missing": "it is missing",
    "literal_error": "it is not one of {expected}",
    "enum": "it is not one of {expected}",
    "string_too_long": "it is longer than {max_length} letters",
    "string_too_short": "it is shorter than {min_length} letters",
    "string_type": "it is not text",
    "string_pattern_mismatch": "it is not written as it has to be ({pattern})",
    "too_long": "there are more than {max_length}",
    "too_short": "there are fewer than {min_length}",
    "int_type": "it is not a whole number",
    "int_parsing": "it is not a whole number",
    "int_from_float": "it is not a whole number",
    "greater_than_equal": "it is less than {ge}",
    "less_than_equal": "it is more than {le}",
    "bool_type": "it is neither true nor false",
    "bool_parsing": "it is neither true nor false",
    "uuid_parsing": "it is not an id",
    "uuid_type": "it is not an id",
    "date_type": "it is not a date, such as 2027-03-31",
    "date_parsing": "it is not a date, such as 2027-03-31",
    "date_from_datetime_parsing": "it is not a date, such as 2027-03-31",
    "date_from_datetime_inexact": "it is not a date, such as 2027-03-31",
    "datetime_type": "it is not a date and time, such as 2027-03-31T18:00:00Z",
    "datetime_parsing": "it is not a date and time, such as 2027-03-31T18:00:00Z",
    "datetime_from_date_parsing": "it is not a date and time, such as 2027-03-31T18:00:00Z",
    "timezone_aware": "it names no time zone",
    "list_type": "it is not a list",
    "dict_type": "it is not a set of names and values",
    "model_attributes_type": "it is not a set of names and values",
    "model_type": "it is not a set of names and values",
    "json_invalid": "it is not JSON",
    "extra_forbidden": "there is no such field",
}
"""What is wrong with a value, by the kind of mistake that the reader of messages finds."""


def mistakes(error: ValidationError) -> list[dict[str, str]]:
    """Return where each mistake is, and the first of each place; what was given may be a password, and is left out."""
    error_detailses = error.errors(include_input=False, include_url=False)
    told = {
        ".".join(str(part) for part in value["loc"] if part != "[key]"): _problem(value)
        for value in reversed(error_detailses)
    }
    return [{"at": at, "problem": problem} for at, problem in reversed(told.items())]


def _problem(details: ErrorDetails) -> str:
    said = _PROBLEMS.get(details["type"])
    return said.format(**details.get("ctx", {})) if said is not None else details["msg"].removeprefix("Value error, ")


class Problem(Sent):
    """An error, as in RFC 9457; `code` is stable, `next` says what to do, `errors` lists places and problems."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    next: str = ""
    errors: list[dict[str, str]] = []
    facts: dict[str, Any] = {}


class Page(Sent, Generic[T]):
    """Some items of a list, and the cursor that continues it, or null at the end."""

    items: list[T]
    next: str | None = None


class Ref(Sent):
    """A thing that something else is about: its id, the short form, and its name."""

    id: UUID
    ref: str
    name: str


class Written(Taken):
    """How a list is written to a file.

    `separator` is what stands between the cells of CSV: a comma, as RFC 4180 has it; or a semicolon or a tab, as
    spreadsheets expect it where a comma is part of numbers. With these the file begins with a byte order mark.
    """

    format: Literal["csv", "jsonl", "xlsx"] = "csv"
    separator: Literal["comma", "semicolon", "tab"] = "comma"


class PageQuery(Taken):
    """Which part of a list is wanted."""

    limit: Annotated[int, Field(ge=1, le=500)] = 100
    cursor: Annotated[str, StringConstraints(max_length=2000)] | None = None
