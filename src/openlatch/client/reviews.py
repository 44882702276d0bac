"""Reviews and rounds, as the client asks for them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from typing import Any, Unpack

from openlatch.client.transport import Transport, part, plain
from openlatch.client.wanted import ReviewChange, ReviewFields
from openlatch.wire import messages as wire

__all__ = ["ReviewsCalls"]


def _review(name: str, fields: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "name": name,
        **{
            field: value.isoformat() if hasattr(value, "isoformat") else value
            for field, value in fields.items()
            if value is not None
        },
    }


class ReviewsCalls(Transport):
    """Reviews and rounds."""

    def reviews(self) -> list[wire.Review]:
        """Return all reviews, with when they come round next."""
        return self._send(wire.ReviewList, "GET", "/reviews").items

    def review(self, review: str) -> wire.Review:
        """Return one review, by id, short form or name."""
        return self._send(wire.Review, "GET", f"/reviews/{part(review)}")

    def check_review(self, name: str, **fields: Unpack[ReviewFields]) -> wire.ReviewText:
        """Return what a review would mean, by the fields of wire.NewReview; changes nothing."""
        return self._send(wire.ReviewText, "POST", "/reviews/check", json=_review(name, fields))

    def add_review(self, name: str, **fields: Unpack[ReviewFields]) -> wire.Review:
        """Store a review, by the fields of wire.NewReview; it takes place by itself from then on."""
        return self._send(wire.Review, "POST", "/reviews", json=_review(name, fields))

    def change_review(self, review: str, name: str, **fields: Unpack[ReviewChange]) -> wire.Review:
        """Change a review to these fields; with `version`, only if nobody changed it since."""
        return self._send(wire.Review, "PUT", f"/reviews/{part(review)}", json=_review(name, fields))

    def pause_review(self, review: str, *, resume: bool = False) -> wire.Review:
        """Let a review come round no more, or again."""
        return self._send(wire.Review, "POST", f"/reviews/{part(review)}/{'resume' if resume else 'pause'}")

    def remove_review(self, review: str) -> None:
        """Give a review up; its rounds and reports stay. Raises Conflict while a round of it is not closed."""
        self._request("DELETE", f"/reviews/{part(review)}")

    def cancel_round(self, round_: str, reason: str) -> wire.Round:
        """Call a round off that is not closed; orders that were given go on. Whoever was asked is told why."""
        return self._send(wire.Round, "POST", f"/rounds/{part(round_)}/cancel", json={"reason": reason})

    def open_round(self, review: str) -> wire.Round:
        """Open a round of a review now."""
        return self._send(wire.Round, "POST", f"/reviews/{part(review)}/rounds")

    def rounds(self, state: str = "", *, review: str = "") -> Iterator[wire.Round]:
        """Return rounds, the latest first; `state` as for orders, several separated by commas."""
        return self._pages(wire.RoundList, "/rounds", {"state": state, "review": review})

    def round(self, round_: str) -> wire.Round:
        """Return one round, by id or short form, with how far it is."""
        return self._send(wire.Round, "GET", f"/rounds/{part(round_)}")

    def round_items(self, round_: str, *, mine: bool = False, outcome: str = "") -> list[wire.RoundItem]:
        """Return the items of a round in their order: all, one's own to answer, or those with one outcome."""
        wanted = {"mine": mine, "outcome": outcome}
        return list(self._pages(wire.RoundItems, f"/rounds/{part(round_)}/items", wanted))

    def decide(
        self,
        round_: str,
        places: Sequence[int],
        choice: str,
        *,
        reason: str = "",
        level: str = "",
        until: date | None = None,
        to: str = "",
        versions: Mapping[int, int] | None = None,
    ) -> wire.Decided:
        """Decide items of a round by their places, counted from 1: all of them or none.

        Returns how many they are, and who was asked about them instead.
        """
        body = {
            "places": list(places),
            "choice": choice,
            "reason": reason,
            "level": level,
            "until": until.isoformat() if until else None,
            "to": to,
            "versions": dict(versions or {}),
        }
        return self._send(wire.Decided, "POST", f"/rounds/{part(round_)}/decisions", json=body)

    def decide_list(self, round_: str, lines: Sequence[wire.DecisionLine]) -> wire.Decided:
        """Decide items of a round by a list, each line with the entry that it is about: the whole list, or nothing.

        Raises Invalid with each bad line in `fields["errors"]`.
        """
        body = wire.DecisionList(lines=list(lines)).model_dump(mode="json")
        return self._send(wire.Decided, "POST", f"/rounds/{part(round_)}/decision-list", json=body)

    def decision_file(self, round_: str, *, mine: bool = False) -> bytes:
        """Return what is not decided yet in a round as CSV, one item a line, to be filled in and sent back."""
        return self._request("GET", f"/rounds/{part(round_)}/decision-file", params=plain({"mine": mine})).content

    def decide_by_file(self, round_: str, content: bytes, file_format: str = "csv") -> wire.Decided:
        """Decide items of a round by a list (`csv` or `xlsx`): the whole list, or nothing.

        Raises Invalid with each bad line in `fields["errors"]`.
        """
        path, headers = f"/rounds/{part(round_)}/decision-file", {"Content-Type": wire.LISTS[file_format]}
        return self._send(wire.Decided, "POST", path, content=content, headers=headers)

    def assign_items(self, round_: str, places: Sequence[int], to: Sequence[str]) -> wire.Round:
        """Give items of a round to others, by address; among several they are split, each for whole accounts."""
        body = {"places": list(places), "to": list(to)}
        return self._send(wire.Round, "POST", f"/rounds/{part(round_)}/assign", json=body)

    def round_report(self, round_: str, form: str = "json") -> bytes:
        """Return the report of a round as a file: `json` (with its signature), `html`, `pdf`, `csv` or `jsonl`."""
        return self._report(f"/rounds/{part(round_)}", form)

    def pause_round(self, round_: str, *, resume: bool = False) -> wire.Round:
        """Let a round rest, or go on."""
        return self._send(wire.Round, "POST", f"/rounds/{part(round_)}/{'resume' if resume else 'pause'}")

    def plan_round(
        self,
        round_: str,
        places: Sequence[int] = (),
        choice: str = "end-now",
        *,
        level: str = "",
        until: date | None = None,
    ) -> wire.BatchPlan:
        """Return what the decisions of a round would do together, or one about these items beside them."""
        body = {
            "places": list(places),
            "choice": choice,
            "level": level,
            "until": until.isoformat() if until else None,
        }
        return self._send(wire.BatchPlan, "POST", f"/rounds/{part(round_)}/plan", json=body)

    def finish_round(self, round_: str, *, count: int | None = None) -> wire.Round:
        """End the answering of a round before it is due; with `count`, only if its decisions become so many orders."""
        return self._send(wire.Round, "POST", f"/rounds/{part(round_)}/finish", json={"count": count})

    def leave_open(self, round_: str, place: int, reason: str, owner: str) -> wire.Round:
        """Say that an item of a round is left open, why, and by address who sees to it."""
        body = {"place": place, "reason": reason, "owner": owner}
        return self._send(wire.Round, "POST", f"/rounds/{part(round_)}/left-open", json=body)

    def try_item_again(self, round_: str, place: int) -> wire.Round:
        """Try once more to give the order of a decision of which none came."""
        return self._send(wire.Round, "POST", f"/rounds/{part(round_)}/try-again", json={"place": place})

    def follow_round(self, round_: str, *, every: float = 0.5, within: float | None = None) -> Iterator[wire.Round]:
        """Yield a round whenever it has moved on, until nothing in it goes on by itself."""
        return self._follow(lambda: self.round(round_), lambda review_round: review_round.rests, every, within)
