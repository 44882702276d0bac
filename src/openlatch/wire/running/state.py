"""How the service stands, as a message of the API."""

from pydantic import AwareDatetime

from openlatch.wire.base import Sent

__all__ = ["ServiceState", "ServiceTrouble"]


class ServiceTrouble(Sent):
    """Something that is wrong with the service, and what somebody can do about it."""

    says: str
    next: str


class ServiceState(Sent):
    """How the service stands; jobs, events and letters are those of the workspace.

    `workers` are at work; `last_sign` is when one last gave a sign of life. `waiting` jobs could begin, the oldest
    since `waiting_since`; `failed` were given up within a day. `unsealed` events are not in the log yet. `behind` are
    the providers that were to be read and are not. `letters` could not be sent yet, `mail_trouble` is why.
    `database_bytes` is how large the database is, of all workspaces together.
    """

    version: str
    at: AwareDatetime
    workers: int
    last_sign: AwareDatetime | None
    waiting: int
    waiting_since: AwareDatetime | None
    failed: int
    unsealed: int
    unsealed_since: AwareDatetime | None
    last_reading: AwareDatetime | None
    behind: list[str]
    sends_letters: bool
    letters: int
    mail_trouble: str
    key_made_at: AwareDatetime | None
    database_bytes: int
    troubles: list[ServiceTrouble]
