"""What all messages share: what is sent, what is taken, lists, errors, and the words that fields can be."""

from typing import Annotated, Any, Generic, Literal, TypeVar
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

__all__ = [
    "ActionWord",
    "HowWord",
    "KindWord",
    "OrderStateWord",
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
]

T = TypeVar("T")
KindWord = Literal["delegate", "grant", "app", "session", "offer", "secret", "open"]
StateWord = Literal["offered", "live", "paused", "ending", "ended"]
PowerWord = Literal["view", "edit", "publish", "export", "spend", "withdraw", "admit", "own"]
SeverityWord = Literal["low", "medium", "high", "critical"]
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
    """Something that the service takes: a field it does not know is a mistake, not a wish."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


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
