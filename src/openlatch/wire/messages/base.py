"""What all messages share: what is sent, what is taken, lists, errors, and the words that fields can be."""

from typing import Annotated, Any, Generic, Literal, TypeVar
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from openlatch.errors import Invalid

__all__ = [
    "ActionWord",
    "HowWord",
    "KindWord",
    "OrderStateWord",
    "OutcomeWord",
    "Page",
    "PageQuery",
    "PowerWord",
    "Problem",
    "Ref",
    "RoleWord",
    "Said",
    "Search",
    "SearchQuery",
    "Sent",
    "SeverityWord",
    "StateWord",
    "T",
    "Taken",
    "Text",
    "Word",
    "mistakes",
]

T = TypeVar("T")
KindWord = Literal["delegate", "grant", "app", "session", "offer", "secret", "open"]
StateWord = Literal["offered", "live", "paused", "ending", "ended"]
PowerWord = Literal["view", "edit", "publish", "export", "spend", "withdraw", "admit", "own"]
SeverityWord = Literal["low", "medium", "high", "critical"]
OutcomeWord = Literal[
    "undecided", "to come", "to do", "drafted", "waiting", "running", "told", "proved", "stuck", "cancelled", "refused",
    "kept", "gone", "done", "left open",
]  # fmt: skip
OrderStateWord = Literal["drafted", "waiting", "running", "told", "proved", "stuck", "cancelled"]
ActionWord = Literal[
    "end",
    "give-up",
    "narrow",
    "pause",
    "resume",
    "end-on",
    "close-sessions",
    "change-secret",
    "give-back",
    "extend",
    "hand-over",
    "let-in",
]
RoleWord = Literal["owner", "manager", "reviewer", "auditor", "member"]
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


def mistakes(error: ValidationError) -> list[dict[str, str]]:
    """Return where each mistake is, and what; what was given is not repeated, since it may hold a password."""
    found = error.errors(include_input=False, include_url=False, include_context=False)
    return [{"at": ".".join(map(str, one["loc"])), "problem": one["msg"]} for one in found]


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


class PageQuery(Taken):
    """Which part of a list is wanted."""

    limit: Annotated[int, Field(ge=1, le=500)] = 100
    cursor: Annotated[str, StringConstraints(max_length=2000)] | None = None


class SearchQuery(PageQuery):
    """A list, searched by part of a name or address."""

    q: Search = ""
    provider: Search = ""


HowWord = Literal["own", "delegate", "app"]
