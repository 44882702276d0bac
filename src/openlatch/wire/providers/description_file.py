"""The file that describes a provider with an interface of its own (TOML, docs/guide/described.md)."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from openlatch.words import Kind, Power, Side

__all__ = ["DescriptionFile", "ValueForm"]

Line = Annotated[str, StringConstraints(min_length=1, max_length=500, pattern=r"^[^\x00-\x1f]*$")]
Name = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,39}$")]
Parameter = Annotated[str, StringConstraints(pattern=r"^[A-Za-z][A-Za-z0-9_.]{0,39}$")]
Address = Annotated[str, StringConstraints(min_length=1, max_length=2000, pattern=r"^/[^\x00-\x20]*$")]
PathText = Annotated[str, StringConstraints(min_length=1, max_length=300, pattern=r"^\$[^\x00-\x1f]*$")]
Statuses = Annotated[list[Annotated[int, Field(ge=200, le=599)]], Field(max_length=20)]


class Part(BaseModel):
    """A table of the file; what it does not know is refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)


class ValueForm(Part):
    """A value with what is made of it: read as an instant or a day, or looked up in a table."""

    value: Annotated[Line | list[Line], Field(description="a path, a text, or several of them put together")]
    form: Annotated[
        Literal["instant", "epoch", "epoch-ms", "day", "last-day", "lower"] | None,
        Field(
            alias="as",
            description="how it is read: RFC 3339, seconds or milliseconds since 1970, a day, a last day; or lowered",
        ),
    ] = None
    table: Annotated[dict[str, str], Field(max_length=500, description="what each text means")] = {}
    otherwise: Annotated[str, Field(max_length=200, description="what any other means")] = ""
    zone: Annotated[str, Field(max_length=60, description="of instants and days that name none")] = "UTC"


Value = Line | list[Line] | ValueForm


class WhenForm(Part):
    """A condition on a line: its value is one of these texts, or none of them."""

    value: Value
    texts: Annotated[list[str], Field(alias="is", min_length=1, max_length=100)] = []
    none_of: Annotated[list[str], Field(alias="not", max_length=100)] = []


class SignIn(Part):
    """How requests prove whose they are; the secret itself is never in the file."""

    how: Literal["none", "bearer", "basic", "header", "client-credentials", "refresh"] = "bearer"
    header: Annotated[str, StringConstraints(pattern=r"^[A-Za-z][A-Za-z0-9-]{0,60}$")] = "X-Api-Key"
    token_url: Annotated[str, Field(max_length=2000)] = ""
    scope: Annotated[str, Field(max_length=500)] = ""


class JoinForm(Part):
    """The line of another list that belongs to a line."""

    list: Name
    mine: Value
    theirs: Value
    name: Annotated[Name, Field(alias="as")]


class ListForm(Part):
    """A list that is asked for, page by page."""

    name: Name
    url: Annotated[Address, Field(description="URI Template (RFC 6570), below the provider's address")]
    items: PathText = "$[*]"
    paging: Literal["none", "page", "offset", "cursor", "link"] = "none"
    first: Annotated[int, Field(ge=0, le=1, description="number of the first page")] = 1
    size: Annotated[int, Field(ge=1, le=10_000)] = 100
    next: Annotated[PathText | None, Field(description="where the next cursor is")] = None
    each: Annotated[Name | None, Field(description="the list for each of whose lines it is asked")] = None
    given: Annotated[dict[Name, Value], Field(alias="with")] = {}
    joins: Annotated[list[JoinForm], Field(max_length=10)] = []
    called: Annotated[
        dict[Literal["page", "offset", "cursor", "size"], Parameter],
        Field(description="what these are called in the address, where that is something else"),
    ] = {}
    name_as: Annotated[
        Name | None, Field(description="where lines are members of an object: what the name of each is called in it")
    ] = None
    item_as: Annotated[
        Name | None, Field(description="where items are texts or numbers: what each is called in its line")
    ] = None


class Lines(Part):
    """What lines of a list become."""

    source: Annotated[Name, Field(alias="from")]
    when: Annotated[list[WhenForm], Field(max_length=10)] = []


class AccountForm(Lines):
    """Lines that are accounts."""

    key: Value
    name: Value | None = None


class PartyForm(Lines):
    """Lines that are people, teams or apps, or that say who has an entry."""

    key: Value
    name: Value | None = None
    kind: Value = "person"
    addresses: Annotated[list[Value], Field(max_length=10)] = []
    status: Value | None = None
    verified: Annotated[Value | None, Field(description="whether the service has made sure of who it is")] = None
    publisher: Value | None = None
    home: Value | None = None
    sponsor: Annotated[Value | None, Field(description="the e-mail address of whoever answers for it")] = None


class EntryForm(Lines):
    """Lines that are access; `key` names what an act needs in its address."""

    name: Name | None = None
    kind: Annotated[Kind, Field(strict=False)] = Kind.DELEGATE
    key: Annotated[dict[Name, Value], Field(min_length=1, max_length=6)]
    account: Value
    party: Value
    level: Value | None = None
    permissions: Annotated[list[Value], Field(max_length=10)] = []
    resources: Annotated[list[Value], Field(max_length=10)] = []
    state: Value | None = None
    given_at: Value | None = None
    given_by: Value | None = None
    accepted_at: Annotated[Value | None, Field(description="when whoever has it took it up")] = None
    reviewed_at: Annotated[
        Value | None, Field(description="when the service had it looked at; one instant or a list of them")
    ] = None
    last_used: Value | None = None
    ends_at: Value | None = None
    basis: Value | None = None
    device: Value | None = None
    network: Value | None = None


class MembershipForm(Lines):
    """Lines that say who is in a team."""

    team: Value
    member: Value
    since: Value | None = None


class ActivityForm(Lines):
    """Lines that say what was done."""

    key: Value
    at: Value
    account: Value
    party: Value
    what: Value | None = None
    power: Annotated[Value | None, Field(description="the power that it took, in our words")] = None
    entry: Annotated[
        dict[Name, Value], Field(max_length=6, description="the parts of the key of the entry that was used")
    ] = {}


class ActForm(Part):
    """A request that changes or gives an entry, or a membership, and what each status of an answer means."""

    do: Literal["end", "level", "pause", "resume", "date", "give", "join", "leave"]
    of: Annotated[
        Name,
        Field(description="the entries that it is for, by their name or that of their list; the list of memberships"),
    ]
    send: Literal["POST", "PUT", "PATCH", "DELETE"]
    url: Annotated[
        Address,
        Field(
            description="URI Template, with the parts of the entry's key, {party}, {level}, {until}; to give, with "
            "{party}, {account}, {level}, {until}; for memberships, with {team}, {member}"
        ),
    ]
    body: Annotated[
        Any, Field(description="JSON, with the same names in braces; {name:number} where it wants a number")
    ] = None
    level_as: Annotated[
        dict[str, str | int], Field(max_length=500, description="what levels are called in the request")
    ] = {}
    until_as: Annotated[
        Literal["instant", "epoch", "epoch-ms", "day", "last-day"], Field(description="how the end is written")
    ] = "instant"
    zone: Annotated[str, Field(max_length=60, description="of a day in {until}")] = "UTC"
    done: Statuses = [200, 204]
    gone: Annotated[Statuses, Field(description="there was nothing left to do")] = []
    later: Annotated[Statuses, Field(description="it was taken, and takes a while")] = []
    refused: Annotated[Statuses, Field(description="the provider does not do it, and will not if asked again")] = []
    says: Annotated[PathText | None, Field(description="where an answer says why")] = None


class FindForm(Part):
    """A request that finds somebody by an address or a handle, and says what keeps them from being let in."""

    url: Annotated[Address, Field(description="URI Template with {who}")]
    key: Annotated[Value, Field(description="of whoever is found; empty for nobody")]
    name: Value | None = None
    nobody: Annotated[Statuses, Field(description="statuses that say that nobody is known by that")] = [404]
    hindrances: Annotated[PathText | None, Field(description="what keeps them from being let in")] = None
    hindrance: Annotated[Value, Field(description="a short name of one, the same each time")] = "$.kind"
    reason: Annotated[Value, Field(description="what it is, in words")] = "$.reason"


class LimitsForm(Part):
    """What the service itself does not let anyone pass."""

    opt_in: Annotated[bool, Field(description="whether people have to agree to be invited first")] = False
    never: Annotated[
        list[Annotated[Power, Field(strict=False)]], Field(description="powers that nobody is let in with")
    ] = []


class DescriptionFile(Part):
    """How a provider is read and changed by its own interface (HTTP and JSON), version 1."""

    description: Literal[1]
    title: Annotated[str, Field(max_length=200)] = ""
    sign_in: SignIn = SignIn()
    lists: Annotated[list[ListForm], Field(min_length=1, max_length=30)]
    accounts: Annotated[list[AccountForm], Field(min_length=1, max_length=10)]
    parties: Annotated[list[PartyForm], Field(min_length=1, max_length=10)]
    entries: Annotated[list[EntryForm], Field(min_length=1, max_length=20)]
    memberships: Annotated[list[MembershipForm], Field(max_length=10)] = []
    activity: Annotated[list[ActivityForm], Field(max_length=10)] = []
    levels: Annotated[dict[str, list[Annotated[Power, Field(strict=False)]]], Field(max_length=500)] = {}
    acts: Annotated[list[ActForm], Field(max_length=50)] = []
    find: FindForm | None = None
    limits: LimitsForm = LimitsForm()
    given_again_by: Annotated[
        Side, Field(strict=False, description="who can give access again that was ended: the holder, the party, either")
    ] = Side.HOLDER
