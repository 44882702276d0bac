"""Every word of the product that more than one layer speaks, once: what an entry, an order or a review can be."""

from __future__ import annotations

from enum import StrEnum

__all__ = [
    "AccountOrder",
    "Action",
    "Choice",
    "Criticality",
    "DayOrder",
    "Doubt",
    "EndReason",
    "EntryOrder",
    "FactorKind",
    "Findable",
    "HookForm",
    "How",
    "JobState",
    "Kind",
    "LinkPurpose",
    "Listable",
    "Occasion",
    "OfferState",
    "OrderState",
    "Origin",
    "Outcome",
    "PartyKind",
    "PartyOrder",
    "PartyStatus",
    "PersonState",
    "Power",
    "ProviderOrder",
    "ProviderState",
    "Reaction",
    "ReadingOutcome",
    "ReadingState",
    "Reported",
    "RequestState",
    "Resemblance",
    "Reviewers",
    "Role",
    "RoundState",
    "Scope",
    "Severity",
    "Side",
    "State",
    "Subject",
    "Telling",
    "Tone",
    "Unanswered",
    "Verdict",
]


class Power(StrEnum):
    """One plain power; the order of the members is the order in which they are always shown."""

    VIEW = "view"
    EDIT = "edit"
    PUBLISH = "publish"
    """act publicly in the holder's name"""
    EXPORT = "export"
    """take data out in bulk"""
    SPEND = "spend"
    """buy with stored payment means"""
    WITHDRAW = "withdraw"
    """take money or assets out"""
    ADMIT = "admit"
    """let others in or out"""
    OWN = "own"
    """hand over or close the account"""

    @property
    def points(self) -> int:
        """What it adds to a risk, unless a policy says otherwise."""
        return _POINTS[self]

    @property
    def moves_money(self) -> bool:
        return self in (Power.SPEND, Power.WITHDRAW)

    @property
    def admits(self) -> bool:
        """Whether it decides who else gets in."""
        return self in (Power.ADMIT, Power.OWN)


_POINTS = {
    Power.VIEW: 3,
    Power.EDIT: 6,
    Power.PUBLISH: 9,
    Power.EXPORT: 12,
    Power.SPEND: 18,
    Power.WITHDRAW: 24,
    Power.ADMIT: 18,
    Power.OWN: 24,
}


class Kind(StrEnum):
    """What sort of access an entry is."""

    DELEGATE = "delegate"
    GRANT = "grant"
    APP = "app"
    SESSION = "session"
    OFFER = "offer"
    SECRET = "secret"  # noqa: S105 - the kind of entry, not a secret
    OPEN = "open"


class State(StrEnum):
    """Where an entry stands."""

    OFFERED = "offered"
    LIVE = "live"
    PAUSED = "paused"
    ENDING = "ending"
    ENDED = "ended"


class HookForm(StrEnum):
    """How a webhook is told what happens."""

    NEWS = "news"
    """every event, as CloudEvents"""
    SECURITY_EVENTS = "security-events"
    """what ended, as Security Event Tokens"""


class Reported(StrEnum):
    """What a provider reports of someone by a security event, and is heard here."""

    SESSION_REVOKED = "session-revoked"
    CREDENTIAL_CHANGE = "credential-change"
    ACCOUNT_DISABLED = "account-disabled"
    ACCOUNT_PURGED = "account-purged"

    @property
    def says(self) -> str:
        """What has happened, as words that follow the party's name and “:”."""
        return _REPORTED[self]

    @property
    def of_the_account(self) -> bool:
        """Whether they have no account there any more, as it says, and not only to sign in anew."""
        return self in (Reported.ACCOUNT_DISABLED, Reported.ACCOUNT_PURGED)

    @property
    def usually(self) -> Reaction:
        """What is done about it where the policy does not say otherwise."""
        return Reaction.FLAG if self.of_the_account else Reaction.READ


_REPORTED = {
    Reported.SESSION_REVOKED: "their sessions were revoked",
    Reported.CREDENTIAL_CHANGE: "what they sign in with was changed",
    Reported.ACCOUNT_DISABLED: "their account was disabled",
    Reported.ACCOUNT_PURGED: "their account was deleted",
}


class Reaction(StrEnum):
    """What is done about what a provider reports; each of them with what those before it do."""

    READ = "read"
    """who it is about is read again at once"""
    FLAG = "flag"
    """they are flagged"""
    ORDER = "order"
    """their sessions are closed, or all that they hold is taken back"""


class EndReason(StrEnum):
    """Why an entry ended."""

    REVOKED = "revoked"
    EXPIRED = "expired"
    DECLINED = "declined"
    LAPSED = "lapsed"
    WITHDRAWN = "withdrawn"
    GIVEN_UP = "given-up"
    GONE = "gone"
    REPLACED = "replaced"
    PROVIDER_REMOVED = "provider-removed"
    """it may let them in still: its provider was removed here, and nobody looks at it any more"""


class Listable(StrEnum):
    """A list of which views can be saved."""

    ENTRIES = "entries"
    ACCOUNTS = "accounts"
    PARTIES = "parties"
    APPS = "apps"
    PROVIDERS = "providers"


class ProviderState(StrEnum):
    """How a provider stands: whether what is known of it is complete and fresh."""

    FAILED = "failed"
    NOT_BELIEVED = "not-believed"
    BROKEN_OFF = "broken-off"
    NOT_READ = "not-read"
    TOO_OLD = "too-old"
    NOT_VOUCHED_FOR = "not-vouched-for"
    PAUSED = "paused"
    READING = "reading"
    COMPLETE = "complete"
    BY_HAND = "by-hand"


class ProviderOrder(StrEnum):
    """In which order providers are listed."""

    NAME = "name"
    TROUBLE = "trouble"
    COMPLETE = "complete"
    ENTRIES = "entries"


class AccountOrder(StrEnum):
    """In which order accounts are listed."""

    NAME = "name"
    RISK = "risk"
    PROVIDER = "provider"
    CRITICALITY = "criticality"


class PartyOrder(StrEnum):
    """In which order parties are listed."""

    NAME = "name"
    RISK = "risk"
    KIND = "kind"


class EntryOrder(StrEnum):
    """In which order entries are listed."""

    SEVERITY = "severity"
    RISK = "risk"
    PARTY = "party"
    ACCOUNT = "account"
    LAST_USED = "last-used"
    GIVEN = "given"
    ENDS = "ends"

    @property
    def first(self) -> str:
        """What comes first."""
        return {
            EntryOrder.SEVERITY: "worst flag",
            EntryOrder.RISK: "highest risk",
            EntryOrder.PARTY: "who",
            EntryOrder.ACCOUNT: "where",
            EntryOrder.LAST_USED: "longest unused",
            EntryOrder.GIVEN: "newest",
            EntryOrder.ENDS: "soonest end",
        }[self]


class Side(StrEnum):
    """Who can give the same access again once it has ended."""

    HOLDER = "holder"
    PARTY = "party"
    EITHER = "either"


class PartyKind(StrEnum):
    """Who or what can have access."""

    PERSON = "person"
    TEAM = "team"
    APP = "app"
    ANYONE = "anyone"


class PartyStatus(StrEnum):
    """Whether a party is still about."""

    CURRENT = "current"
    LEFT = "left"
    UNKNOWN = "unknown"


class Criticality(StrEnum):
    """How much harm the loss of an account would do."""

    MINOR = "minor"
    NORMAL = "normal"
    VITAL = "vital"


class How(StrEnum):
    """Who acted: the holder's `own` people for themselves, someone on another's behalf (`delegate`), or an `app`."""

    OWN = "own"
    DELEGATE = "delegate"
    APP = "app"


class Role(StrEnum):
    """What a person may do in a workspace."""

    OWNER = "owner"
    MANAGER = "manager"
    REVIEWER = "reviewer"
    AUDITOR = "auditor"
    MEMBER = "member"


class FactorKind(StrEnum):
    """What someone proves with that it is them, beside their password."""

    CODES = "codes"
    PASSKEY = "passkey"


class LinkPurpose(StrEnum):
    """What a link in a letter about signing in is for."""

    INVITATION = "invitation"
    PASSWORD = "password"  # noqa: S105 - the word, and none itself
    ADDRESS = "address"


class PersonState(StrEnum):
    """Whether someone of a workspace can sign in: once they have taken up their invitation, and until it is ended."""

    INVITED = "invited"
    ACTIVE = "active"
    DISABLED = "disabled"
    REMOVED = "removed"


class Scope(StrEnum):
    """How far a token reaches: `change` includes `read`."""

    READ = "read"
    CHANGE = "change"


class Telling(StrEnum):
    """How someone wants to be told."""

    AT_ONCE = "at-once"
    """as it comes; what comes together is one letter"""
    DAILY = "daily"
    """once a day, all of it in one letter"""
    CONSOLE = "console"
    """in the console only"""


class JobState(StrEnum):
    """Where something stands that the service does by and by, and that someone waits for: an import, a report."""

    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"


class ReadingState(StrEnum):
    """Where a reading stands; the last three are its outcomes."""

    QUEUED = "queued"
    RUNNING = "running"
    COMPLETE = "complete"
    PARTIAL = "partial"
    FAILED = "failed"


class ReadingOutcome(StrEnum):
    """How a reading ended; only a complete one can conclude that something is gone."""

    COMPLETE = "complete"
    PARTIAL = "partial"
    FAILED = "failed"


class Origin(StrEnum):
    """Who says what a word means."""

    CORRECTED = "corrected"
    """the holder"""
    STATED = "stated"
    """the provider itself, with every entry"""
    BUILT_IN = "built-in"
    """the connector, from its protocol"""
    UNKNOWN = "unknown"
    """nobody"""


class DayOrder(StrEnum):
    """Which of two numbers of a date is the day."""

    DAY_FIRST = "day-first"
    MONTH_FIRST = "month-first"


class Subject(StrEnum):
    """What a rule can apply to."""

    ENTRY = "entry"
    ACCOUNT = "account"
    PARTY = "party"


class Severity(StrEnum):
    """How bad a flag is; `rank` is 1 for low to 4 for critical."""

    LOW = "low"
    MEDIUM = "medium"
    HIGH = "high"
    CRITICAL = "critical"

    @property
    def rank(self) -> int:
        return list(Severity).index(self) + 1

    @classmethod
    def ranked(cls, rank: int) -> Severity:
        """Return the severity of a rank."""
        return list(cls)[rank - 1]


class Resemblance(StrEnum):
    """What two parties have in common."""

    ADDRESS = "address"
    HOME = "home"
    PUBLISHER = "publisher"
    KEY = "key"
    NAME = "name"


class Doubt(StrEnum):
    """Why an address that two parties carry does not make them one by itself."""

    HANDLE = "handle"
    """it is a name that each provider gives on its own"""
    ROLE = "role"
    """it belongs to a role, and whoever has that reads it"""
    UNCONFIRMED = "unconfirmed"
    """it is outside the circle, and not confirmed of both"""


class Verdict(StrEnum):
    """What someone has said of two parties."""

    JOINED = "joined"
    """they are one; what was the second's is the first's"""
    APART = "apart"
    """they are two, however alike"""
    PARTED = "parted"
    """they were taken for one, and are two"""


class Action(StrEnum):
    """What an order does."""

    END = "end"
    """the holder takes the access back"""
    GIVE_UP = "give-up"
    """the party no longer wants it"""
    NARROW = "narrow"
    """to a level that gives less, or to some of the resources"""
    PAUSE = "pause"
    RESUME = "resume"
    END_ON = "end-on"
    """at the end of a last day"""
    CLOSE_SESSIONS = "close-sessions"
    """the open ones of the party on the account; they may sign in again"""
    CHANGE_SECRET = "change-secret"  # noqa: S105 - the act, not a secret
    """someone gives the account a new password, key or code; whoever was told the old one has nothing any more"""
    GIVE_BACK = "give-back"
    """what has ended is given again, as it was"""
    EXTEND = "extend"
    """for longer, for more parts or hours, or at a level that gives more"""
    HAND_OVER = "hand-over"
    """the account itself goes to someone else, once whoever owns it has agreed by a link"""
    LET_IN = "let-in"
    """what was offered is given, now that it was taken up"""
    ADD_MEMBER = "add-member"
    """someone is put into a team"""
    REMOVE_MEMBER = "remove-member"
    """someone is taken out of a team"""

    @property
    def does(self) -> str:
        """What it does, as a sentence about an entry or a member begins."""
        return _DOES[self]

    @property
    def ends(self) -> bool:
        """Whether the entry is to be gone in the end."""
        return self in (Action.END, Action.GIVE_UP, Action.CHANGE_SECRET)

    @property
    def of_teams(self) -> bool:
        """Whether it is about who is in a team, and not about an entry."""
        return self in (Action.ADD_MEMBER, Action.REMOVE_MEMBER)


_DOES = {
    Action.END: "End the access of",
    Action.GIVE_UP: "Give up the access of",
    Action.NARROW: "Narrow the access of",
    Action.PAUSE: "Pause the access of",
    Action.RESUME: "Resume the access of",
    Action.END_ON: "Give an end to the access of",
    Action.CLOSE_SESSIONS: "Close the sessions of",
    Action.CHANGE_SECRET: "Change the secret known to",
    Action.GIVE_BACK: "Give back the access of",
    Action.EXTEND: "Extend the access of",
    Action.HAND_OVER: "Hand over the account of",
    Action.LET_IN: "Give what was offered to",
    Action.ADD_MEMBER: "Add to a team",
    Action.REMOVE_MEMBER: "Remove from a team",
}


class OrderState(StrEnum):
    """Where an order stands."""

    DRAFTED = "drafted"
    WAITING = "waiting"
    RUNNING = "running"
    TOLD = "told"
    PROVED = "proved"
    STUCK = "stuck"
    CANCELLED = "cancelled"


class Outcome(StrEnum):
    """What came of something so far; of what became an order, the state of that order.

    What is `over` needs nobody any more, and of it nothing remains; what is `settled` is over, or someone has said who
    sees to it. Of what `rests`, nothing goes on by itself.
    """

    UNDECIDED = "undecided"
    TO_COME = "to come"
    TO_DO = "to do"
    DRAFTED = "drafted"
    WAITING = "waiting"
    RUNNING = "running"
    TOLD = "told"
    PROVED = "proved"
    STUCK = "stuck"
    CANCELLED = "cancelled"
    REFUSED = "refused"
    KEPT = "kept"
    GONE = "gone"
    DONE = "done"
    LEFT_OPEN = "left open"

    @property
    def over(self) -> bool:
        return self in (Outcome.KEPT, Outcome.GONE, Outcome.PROVED, Outcome.DONE)

    @property
    def settled(self) -> bool:
        return self.over or self is Outcome.LEFT_OPEN

    @property
    def rests(self) -> bool:
        return self.settled or self in (Outcome.STUCK, Outcome.CANCELLED, Outcome.REFUSED)

    @property
    def goes_on(self) -> bool:
        """Whether there is an order of it, about which something happens yet without anybody."""
        return self in (Outcome.DRAFTED, Outcome.WAITING, Outcome.RUNNING, Outcome.TOLD)

    @property
    def can_be_left(self) -> bool:
        """Whether it can be left open, with who sees to it: nothing goes on about it that would not need someone."""
        return self in _CAN_BE_LEFT

    @property
    def tone(self) -> Tone:
        return _OUTCOMES[self][0]

    @property
    def means(self) -> str:
        """What it means, in a few words."""
        return _OUTCOMES[self][1]


class Tone(StrEnum):
    """How something stands, for whoever looks over many of them."""

    GOOD = "good"
    STAYS = "stays"
    WAITS = "waits"
    """for someone, or for a reading"""
    GOING = "going"
    """by itself"""
    BAD = "bad"
    NONE = "none"
    """neither good nor bad, and nothing goes on"""


_OUTCOMES: dict[Outcome, tuple[Tone, str]] = {
    Outcome.KEPT: (Tone.STAYS, "stays as it is"),
    Outcome.PROVED: (Tone.GOOD, "a fresh reading shows it"),
    Outcome.DONE: (Tone.GOOD, "someone reported it"),
    Outcome.TOLD: (Tone.WAITS, "someone or the provider said yes; no reading shows it yet"),
    Outcome.RUNNING: (Tone.GOING, "in progress"),
    Outcome.WAITING: (Tone.WAITS, "continues later, or once someone has done something"),
    Outcome.TO_COME: (Tone.GOING, "not begun"),
    Outcome.DRAFTED: (Tone.GOING, "not begun"),
    Outcome.TO_DO: (Tone.NONE, "for a person to do"),
    Outcome.STUCK: (Tone.BAD, "needs a person"),
    Outcome.REFUSED: (Tone.BAD, "not possible"),
    Outcome.CANCELLED: (Tone.NONE, "cancelled"),
    Outcome.GONE: (Tone.NONE, "had ended before"),
    Outcome.LEFT_OPEN: (Tone.NONE, "someone takes care of it"),
    Outcome.UNDECIDED: (Tone.NONE, "nobody has answered yet"),
}
_CAN_BE_LEFT = frozenset(
    {Outcome.TO_DO, Outcome.TOLD, Outcome.WAITING, Outcome.STUCK, Outcome.REFUSED, Outcome.CANCELLED}
)


class OfferState(StrEnum):
    """Where an offer stands."""

    WAITING = "waiting"
    """held out: the other side has not answered"""
    TAKEN_UP = "taken-up"
    DECLINED = "declined"
    LAPSED = "lapsed"
    WITHDRAWN = "withdrawn"


class RequestState(StrEnum):
    """Where a request stands."""

    UNCONFIRMED = "unconfirmed"
    """asked from outside; whoever has the address has not said yet that it was them"""
    WAITING = "waiting"
    OFFERED = "offered"
    """answered by an offer, of all that was asked for or of less"""
    TURNED_DOWN = "turned-down"
    WITHDRAWN = "withdrawn"
    LAPSED = "lapsed"


class Choice(StrEnum):
    """What a reviewer can decide about an item."""

    KEEP = "keep"
    NARROW = "narrow"
    END_ON = "end-on"
    END_NOW = "end-now"
    PASS_ON = "pass-on"  # noqa: S105 - handing it to someone else


class RoundState(StrEnum):
    """Where a round is: answers are given, orders are carried out, everything is proved or said to be left open."""

    OPEN = "open"
    SETTLING = "settling"
    CLOSED = "closed"
    CANCELLED = "cancelled"


class Unanswered(StrEnum):
    """What becomes of what nobody answered in time."""

    KEEP = "keep"
    """it stays, and is flagged"""
    NARROW = "narrow"
    """to the level that would do, where one is known; else it stays"""
    PAUSE = "pause"
    END = "end"


class Reviewers(StrEnum):
    """Who is asked about an item."""

    NAMED = "named"
    """the people who are named, in turns"""
    ADMINISTRATORS = "administrators"
    """those of them who can let others in on the account"""
    SPONSOR = "sponsor"
    """the party's sponsor; where nobody does, whoever let it in"""


class Occasion(StrEnum):
    """What can open a round besides the calendar."""

    PARTY_LEFT = "party-left"
    ADMINISTRATOR_ADDED = "administrator-added"
    PROVIDER_BREACH = "provider-breach"
    """a provider has reported one; the round is about what lives there"""


class Findable(StrEnum):
    """What a search can find: the nouns of the product that have a page of their own."""

    ENTRY = "entry"
    ACCOUNT = "account"
    PARTY = "party"
    APP = "app"
    PROVIDER = "provider"
    PERSON = "person"
    FLAG = "flag"
    OFFER = "offer"
    REQUEST = "request"
    REVIEW = "review"
    ROUND = "round"
    ORDER = "order"
    BATCH = "batch"
