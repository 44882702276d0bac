"""Reports of rounds and batches, as they are stored, signed and sent."""

from datetime import datetime
from typing import Any, Literal

from openlatch.wire.base import Sent, Taken
from openlatch.wire.reviews.reviews import ReviewerProgress
from openlatch.words import Power, Severity

__all__ = ["Report", "ReportFact", "ReportLine", "ReportQuery", "ReportRule", "SignedReport"]


class ReportFact(Sent):
    """A line of a report's head."""

    name: str
    value: str


class ReportRule(Sent):
    """How many flags of a rule there were when it began, and are now, or were at its end."""

    rule: str
    title: str = ""
    severity: Severity
    then: int
    now: int


class ReportLine(Sent):
    """One thing of a report, counted from 1 in `place`: whose access, what was decided, what came of it, the proof.

    `receipt` is the signed receipt of its order (JWS), `showed` what the fresh reading showed.
    """

    place: int
    part: str
    party: str
    addresses: list[str]
    account: str
    provider: str
    kind: str
    level: str
    powers: list[Power]
    resources: list[str]
    outside: bool
    risk: int
    flags: list[str]
    last_used: datetime | None
    ends_at: datetime | None
    asked: str
    advice: str
    decision: str
    detail: str
    decided_by: str
    decided_at: datetime | None
    reason: str
    against_advice: bool
    outcome: str
    note: str
    order: str
    told_at: datetime | None
    proved_at: datetime | None
    showed: str
    receipt: str


class Report(Sent):
    """A review's round, a batch, or a leaver, told as a whole; `ended_at` is null while it is not over."""

    kind: Literal["review", "bulk", "leaver"]
    ref: str
    title: str
    workspace: str
    zone: str
    state: str
    begun_at: datetime
    ended_at: datetime | None
    facts: list[ReportFact]
    asked: list[ReviewerProgress]
    outcomes: dict[str, int]
    decisions: dict[str, int]
    against_advice: int
    unanswered: int
    compared: dict[str, Any] | None
    rules: list[ReportRule]
    lines: list[ReportLine]
    version: int


class SignedReport(Sent):
    """A report with the signature over its SHA-256 (JWS, RFC 7515); empty while what it tells of is not over.

    The digest is taken of `report` as it was sent, in canonical form (RFC 8785).
    """

    report: Report
    signed: str


class ReportQuery(Taken):
    """In which format a report is wanted; a PDF is printed by a job."""

    format: Literal["json", "html", "csv", "jsonl"] = "json"
