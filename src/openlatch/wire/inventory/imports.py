"""Lists that people keep: what is in them, how they are taken, and what becomes of it."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Page, Sent, Taken, Word
from openlatch.words import DayOrder, JobState

__all__ = [
    "Complaint",
    "Import",
    "ImportColumn",
    "ImportForm",
    "ImportLine",
    "ImportList",
    "ImportNote",
    "ImportOutcome",
    "ImportQuery",
    "ImportSheet",
    "TemplateQuery",
]

Number = Annotated[int, Field(ge=1, le=1_000_000)]


class ImportForm(Taken):
    """How a sheet is to be taken; what is left out is proposed from what is there.

    `header` is the line that names the columns, the last of `headers` lines that do so together. `columns` are fields
    by header, "" for one that is left out; `orders` say by header which number of a date is the day. `hidden` and
    `struck` say whether such lines are taken; `skip` are lines that are left out, and `take` some that are taken though
    they look like no entry.
    """

    sheet: Word | None = None
    header: Number | None = None
    headers: Literal[1, 2] | None = None
    columns: dict[str, str] = Field(default={})
    orders: dict[str, DayOrder] = Field(default={})
    hidden: bool = False
    struck: bool = False
    skip: list[Number] = Field(default=[])
    take: list[Number] = Field(default=[])


class TemplateQuery(Taken):
    """How an empty list is written: a spreadsheet also says what belongs in which column."""

    format: Literal["csv", "xlsx"] = "xlsx"
    separator: Literal["comma", "semicolon", "tab"] = "comma"


class ImportQuery(Taken):
    """How a list is to be taken: an ImportForm as JSON, and what the file is called.

    Without a form it is taken as the last list with these columns was, or as it seems.
    """

    form: Annotated[str, Field(max_length=100_000, description='such as {"columns": {"Who": "party"}}')] = ""
    name: Word = ""


class Complaint(Sent):
    """What is wrong with a list, or has to be seen before it is taken; `line` 0 is the file itself."""

    line: int
    column: str
    problem: str


class ImportColumn(Sent):
    """How a column was taken: as which field (empty: left out), or `derived`: worked out, and so left out; or `secret`:
    left out since it says that what is in it is secret.

    Where it matters which number of its dates is the day, `order` says it, or `asks` is true and someone has to.
    """

    header: str
    field: str
    derived: bool
    secret: bool = False
    order: DayOrder | None = None
    asks: bool = False


class ImportSheet(Sent):
    """A sheet of a file, with how many lines it has."""

    name: str
    lines: int
    hidden: bool


class ImportNote(Sent):
    """A line that is left out, unless someone says that it is to be taken, with why."""

    line: int
    why: str


class ImportLine(Sent):
    """A line of the sheet as it is; what seems to be a secret is not repeated."""

    line: int
    cells: list[str]


class Import(Sent):
    """A list that is taken in: how far it is, and what it brought; `trouble` says why it could not go on."""

    id: UUID
    ref: str
    name: str
    state: JobState
    asked_by: str
    asked_at: datetime
    total: int
    done: int
    counts: dict[str, int]
    trouble: str
    finished_at: datetime | None


class ImportOutcome(Sent):
    """What a list would change, and how it is taken; with complaints it changes nothing, and none can be begun.

    `made` is the import that was begun. `lines` are the first of the sheet and those about which something is said, in
    a preview only. `remembered` is whether it is taken as the last list with these columns was.
    """

    counts: dict[str, int]
    columns: list[ImportColumn]
    complaints: list[Complaint]
    fields: dict[str, str]
    remarks: list[Complaint] = Field(default=[])
    notes: list[ImportNote] = Field(default=[])
    sheets: list[ImportSheet] = Field(default=[])
    form: ImportForm
    lines: list[ImportLine] = Field(default=[])
    remembered: bool = False
    made: Import | None = None


class ImportList(Page[Import]):
    """The imports of a provider, the latest first."""
