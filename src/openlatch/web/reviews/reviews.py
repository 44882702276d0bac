"""Reviews: what takes place, its rounds, and what is decided in them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import asdict

from openlatch.operations.call import Call
from openlatch.operations.reviews import plans, reports, rounds
from openlatch.printing import CONTENT_TYPES, written
from openlatch.store.pages import every
from openlatch.web.api import Answer, Download, Routes, Upload
from openlatch.web.reviews import decision_lists
from openlatch.web.reviews.render import checked_of, item_of, review_of, round_of
from openlatch.web.sheets import READABLE, rows
from openlatch.web.taking_back.render import foreseen_of
from openlatch.wire import messages as wire
from openlatch.words import Choice, Outcome

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/reviews", returns=wire.ReviewList)
def list_reviews(call: Call) -> wire.ReviewList:
    """All reviews, by name, with when each takes place next."""
    return wire.ReviewList(items=[review_of(sight) for sight in plans.browse(call)])


@routes.route("POST", "/reviews/check", body=wire.NewReview, returns=wire.ReviewText)
def check_review(call: Call, body: wire.NewReview) -> wire.ReviewText:
    """What a review would mean; changes nothing."""
    return checked_of(plans.check(call, body))


@routes.route("POST", "/reviews", body=wire.NewReview, returns=wire.Review, status=201)
def create_review(call: Call, body: wire.NewReview) -> Answer:
    """Add a review; it takes place on its schedule from then on."""
    return Answer(review_of(plans.create(call, body)), 201)


@routes.route("GET", "/reviews/<review>", returns=wire.Review)
def get_review(call: Call, review: str) -> wire.Review:
    """One review."""
    return review_of(plans.show(call, review))


@routes.route("PUT", "/reviews/<review>", body=wire.ReviewChange, returns=wire.Review)
def change_review(call: Call, review: str, body: wire.ReviewChange) -> wire.Review:
    """Change a review; rounds that are open stay as they were opened."""
    return review_of(plans.change(call, review, body, body.version))


@routes.route("POST", "/reviews/<review>/pause", returns=wire.Review)
def pause_review(call: Call, review: str) -> wire.Review:
    """Pause a review: no round is opened until it is resumed."""
    return review_of(plans.pause(call, review, paused=True))


@routes.route("POST", "/reviews/<review>/resume", returns=wire.Review)
def resume_review(call: Call, review: str) -> wire.Review:
    """Resume a review; what it missed is not made up for."""
    return review_of(plans.pause(call, review, paused=False))


@routes.route("DELETE", "/reviews/<review>")
def remove_review(call: Call, review: str) -> None:
    """Give a review up; its rounds and reports stay."""
    plans.remove(call, review)


@routes.route("POST", "/reviews/<review>/rounds", returns=wire.Round, status=201)
def open_round(call: Call, review: str) -> Answer:
    """Open a round of a review now."""
    return Answer(round_of(plans.open_now(call, review)), 201)


@routes.route("GET", "/rounds", query=wire.RoundQuery, returns=wire.RoundList)
def list_rounds(call: Call, query: wire.RoundQuery) -> wire.RoundList:
    """Rounds, the latest first."""
    page = rounds.browse(call, query.state, query.review, query.limit, query.cursor)
    return wire.RoundList(items=[round_of(item) for item in page.items], next=page.next)


@routes.route("GET", "/rounds/<review_round>", returns=wire.Round)
def get_round(call: Call, review_round: str) -> wire.Round:
    """One round with how far it is."""
    return round_of(rounds.show(call, review_round))


@routes.route("GET", "/rounds/<review_round>/items", query=wire.RoundItemQuery, returns=wire.RoundItems)
def list_round_items(call: Call, review_round: str, query: wire.RoundItemQuery) -> wire.RoundItems:
    """The items of a round in their order: all, one's own, or those with one outcome."""
    page = rounds.items(call, review_round, query.limit, query.cursor, mine=query.mine, outcome=query.outcome or "")
    return wire.RoundItems(items=[item_of(item) for item in page.items], next=page.next)


@routes.route("POST", "/rounds/<review_round>/decisions", body=wire.DecisionWish, returns=wire.Decided)
def decide(call: Call, review_round: str, body: wire.DecisionWish) -> wire.Decided:
    """Decide items of a round: all that are named, or none."""
    return _decided(rounds.decide(call, review_round, body.places, _said(body), body.versions))


@routes.route("POST", "/rounds/<review_round>/decision-list", body=wire.DecisionList, returns=wire.Decided)
def decide_list(call: Call, review_round: str, body: wire.DecisionList) -> wire.Decided:
    """Decide items of a round by a list, each line with the entry that it is about: the whole list, or nothing."""
    return _decided(rounds.decide_list(call, review_round, _lines(enumerate(body.lines, start=1))))


@routes.route("GET", "/rounds/<review_round>/decision-file", query=wire.DecisionFileQuery, files=("text/csv",))
def get_decision_file(call: Call, review_round: str, query: wire.DecisionFileQuery) -> Download:
    """What is not decided yet in a round as a list (CSV), one item a line, to be filled in and sent back.

    One's own access is left out: someone else decides about it.
    """
    undecided = Outcome.UNDECIDED.value
    sights = every(
        lambda size, cursor: rounds.items(call, review_round, size, cursor, mine=query.mine, outcome=undecided)
    )
    content = decision_lists.written(item_of(item) for item in sights if not item.own)
    return Download(content, "text/csv; charset=utf-8", "decisions.csv")


@routes.route("POST", "/rounds/<review_round>/decision-file", takes=tuple(READABLE), returns=wire.Decided)
def decide_by_file(call: Call, review_round: str, upload: Upload) -> wire.Decided:
    """Decide items of a round by a list (CSV, or a spreadsheet): the whole list, or nothing."""

    def lines() -> Iterator[rounds.Line]:
        # Read only once it is known that whoever sent it may decide.
        yield from _lines(decision_lists.read(rows(READABLE[upload.content_type](upload.content))))

    return _decided(rounds.decide_list(call, review_round, lines()))


def _decided(given: rounds.Decided) -> wire.Decided:
    return wire.Decided(decided=given.count, instead_of=list(given.instead_of))


def _lines(several: Iterable[tuple[int, wire.DecisionLine]]) -> Iterator[rounds.Line]:
    return (rounds.Line(number, line.place, line.entry, _said(line)) for number, line in several)


def _said(body: wire.DecisionWish | wire.DecisionLine) -> rounds.Said:
    return rounds.Said(Choice(body.choice), body.reason, body.level, body.until, body.to)


@routes.route("POST", "/rounds/<review_round>/assign", body=wire.ItemAssignment, returns=wire.Round)
def assign_items(call: Call, review_round: str, body: wire.ItemAssignment) -> wire.Round:
    """Give items of a round to another reviewer."""
    return round_of(rounds.assign(call, review_round, body.places, body.to))


@routes.route("POST", "/rounds/<review_round>/pause", returns=wire.Round)
def pause_round(call: Call, review_round: str) -> wire.Round:
    """Let a round rest; the time that it rests is added to the time to answer."""
    return round_of(rounds.pause(call, review_round, paused=True))


@routes.route("POST", "/rounds/<review_round>/resume", returns=wire.Round)
def resume_round(call: Call, review_round: str) -> wire.Round:
    """Let a round go on."""
    return round_of(rounds.pause(call, review_round, paused=False))


@routes.route("POST", "/rounds/<review_round>/plan", body=wire.RoundPlanWish, returns=wire.BatchPlan)
def plan_round(call: Call, review_round: str, body: wire.RoundPlanWish) -> wire.BatchPlan:
    """What the decisions of a round would do, all together, or one more decision beside them; changes nothing."""
    said = rounds.Said(Choice(body.choice), "", body.level, body.until) if body.places else None
    return foreseen_of(rounds.plan(call, review_round, body.places, said))


@routes.route("POST", "/rounds/<review_round>/finish", body=wire.FinishWish, returns=wire.Round)
def finish_round(call: Call, review_round: str, body: wire.FinishWish) -> wire.Round:
    """End the answering before it is due: decisions become orders; with a count, only if they are so many."""
    return round_of(rounds.finish(call, review_round, body.count))


@routes.route("POST", "/rounds/<review_round>/cancel", body=wire.CancelWish, returns=wire.Round)
def cancel_round(call: Call, review_round: str, body: wire.CancelWish) -> wire.Round:
    """Call a round off; orders that were given go on."""
    return round_of(rounds.cancel(call, review_round, body.reason))


@routes.route("POST", "/rounds/<review_round>/left-open", body=wire.LeftOpenWish, returns=wire.Round)
def leave_open(call: Call, review_round: str, body: wire.LeftOpenWish) -> wire.Round:
    """Leave an item of a round open: why, and who takes care of it."""
    return round_of(rounds.leave_open(call, review_round, body.place, body.reason, body.owner))


@routes.route("POST", "/rounds/<review_round>/try-again", body=wire.Place, returns=wire.Round)
def try_item_again(call: Call, review_round: str, body: wire.Place) -> wire.Round:
    """Try once more to give the order of a decision of which none came."""
    return round_of(rounds.try_again(call, review_round, body.place))


@routes.route(
    "GET",
    "/rounds/<review_round>/report",
    query=wire.ReportQuery,
    returns=wire.SignedReport,
    files=tuple(CONTENT_TYPES.values()),
)
def round_report(call: Call, review_round: str, query: wire.ReportQuery) -> Download:
    """The report of a round: as it was signed when it was closed, or as far as it is."""
    return Download(**asdict(written(*reports.of_round(call, review_round), query.format)))
