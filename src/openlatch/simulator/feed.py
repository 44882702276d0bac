"""A provider that speaks the feed protocol (docs/feed/README.md), keeps its state in a file, and fails on demand.

Whom it knows are its parties and, beyond them, those in its directory, with what would keep them from being let in. A
seed whose `strangers` is true lets in whoever has an address. Where ends are not at once, what was ended stays until a
device connects, `connects_after` seconds later.

In addition to the faults of every stand-in it knows:

break_after      the inventory breaks off with 503 after that many entries
total_off        that many is added to the announced total
hide             the last N entries are left out, and out of the total
hold             an ending is carried out, but answered only when this is set to false again
lose_answers     the next N endings are carried out, but answered 503
keep_listing     the next N looks at a party still show what was ended
orphans          a look at a party leaves out the party itself
opted_out        a list of parties' keys that have not agreed to be invited, whatever its directory says
taken_out        a list of memberships, each "team member", that someone at the provider has ended
refuse           an object of entry key to the reason for which ending it is refused, once reduced no more; of
                 “team member” to that for which changing the membership is refused
ignore           the next N calls that change something are answered with yes, and nothing is done
shorten          the next N ends that are asked for are kept as a day earlier
away             no device connects until this is false again
forget           the next N answers are not remembered under their key: asked again, they are worked out anew
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from werkzeug.routing import Rule
from werkzeug.wrappers import Request, Response

from openlatch.simulator.stand_in import StandIn, answer

__all__ = ["FeedStandIn"]

PAGE = 40
"""So many entries are on a page, unless the seed says `page`."""
_STATUS = {"accepted": 202, "refused": 409}


class FeedStandIn(StandIn):
    """The WSGI app."""

    schema = """
    create table if not exists endings (idempotency_key text primary key, outcome text, reason text);
    create table if not exists awaited (entry text, idempotency_key text, documents text, of text, at real);
    """

    def rules(self) -> list[Rule]:
        return [
            Rule("/", endpoint=self._describe, methods=["GET"]),
            Rule("/inventory", endpoint=self._inventory, methods=["GET"]),
            Rule("/parties/<path:party>/inventory", endpoint=self._party, methods=["GET"]),
            Rule("/invitees", endpoint=self._invitee, methods=["GET"]),
            Rule("/endings", endpoint=self._end, methods=["POST"]),
            Rule("/changes", endpoint=self._change, methods=["POST"]),
            Rule("/givings", endpoint=self._give, methods=["POST"]),
            Rule("/memberships", endpoint=self._set_member, methods=["POST"]),
        ]

    @property
    def _page(self) -> int:
        return int(self._seed.get("page", PAGE))

    def fill(self, seed: dict[str, Any]) -> None:
        for noun in ("accounts", "parties", "entries", "documents", "activity", "directory"):
            for item in seed.get(noun, []):
                self.add(noun, item["key"], item)
        for membership in seed.get("memberships", []):
            self.add("memberships", f"{membership['team']} {membership['member']}", membership)
        self.set_fault("refuse", seed.get("refuse", {}))

    def _describe(self, _request: Request) -> Response:
        return answer(self._seed["description"])

    def _inventory(self, request: Request) -> Response:
        if self.fault("garbage"):
            return answer({"entries": "see our web page"})
        start = int(request.args.get("cursor", "0"))
        shown = max(self.count("entries") - int(self.fault("hide") or 0), 0)
        end = min(start + self._page, shown)
        limit = self.fault("break_after")
        if limit is not None and start + self._page > int(limit):
            return answer({"reason": "out of memory"}, 503)
        page: dict[str, Any] = {"total": shown + int(self.fault("total_off") or 0)}
        if start == 0:
            page |= {noun: self.items(noun) for noun in ("accounts", "parties", "documents", "activity")}
            page["memberships"] = self._standing(self.items("memberships"))
        page["entries"] = self.some("entries", start, max(end - start, 0))
        page["next"] = str(end) if end < shown else None
        return answer(page)

    def _party(self, _request: Request, party: str) -> Response:
        theirs = self.items("entries", also_ended=self.spend("keep_listing"), where=("party", party))
        memberships = self._standing(self.items("memberships", where=("member", party)))
        listed = {party, *(m["team"] for m in memberships)}
        to, orphans = _selector(party), self.fault("orphans")
        documents = [d for d in self.items("documents") if any(to in s["to"] for s in d["statements"])]
        accounts = sorted({document["account"] for document in (*theirs, *documents)})
        return answer(
            {
                "accounts": [a for key in accounts for a in self.items("accounts", where=("key", key))],
                "parties": [p for key in listed for p in self.items("parties", where=("key", key)) if not orphans],
                "entries": theirs,
                "memberships": memberships,
                "documents": documents,
                "next": None,
            }
        )

    def _standing(self, memberships: list[dict[str, Any]]) -> list[dict[str, Any]]:
        out = self.fault("taken_out") or []
        return [membership for membership in memberships if f"{membership['team']} {membership['member']}" not in out]

    def _end(self, request: Request) -> Response:
        body = request.get_json()
        documents, to = body.get("documents", []), body.get("to")
        return self._once(request, "ended", lambda key: self._carry_out(body["entry"], key, documents, to))

    def _change(self, request: Request) -> Response:
        body = self._asked(request)
        return self._once(request, "changed", lambda key: self._amend(body, key))

    def _invitee(self, request: Request) -> Response:
        document = self._known(request.args.get("who", ""))
        return answer(
            {"key": document.get("key"), "name": document.get("name", ""), "hindrances": self._hindered(document)}
        )

    def _known(self, who: str) -> dict[str, Any]:
        """Whoever goes by a key, an address or a handle."""
        wanted = who.casefold()
        for noun in ("parties", "directory"):
            for item in self.items(noun):
                if wanted in (item["key"].casefold(), *(a.casefold() for a in item.get("addresses", []))):
                    return item
        return {}

    def _hindered(self, document: dict[str, Any]) -> list[dict[str, str]]:
        hindrances: list[dict[str, str]] = list(document.get("hindrances", []))
        if not document and not self._seed.get("strangers"):
            name = self._seed["description"]["name"]
            reason = f"Nobody is registered at {name} by that. Have them register there first."
            return [{"kind": "not-registered", "reason": reason}]
        if document and document["key"] in (self.fault("opted_out") or []):
            hindrances.append({"kind": "not-opted-in", "reason": "They have withdrawn their consent to be invited."})
        return hindrances

    def _give(self, request: Request) -> Response:
        body = self._asked(request)
        return self._once(request, "given", lambda key: self._let_in(body, key))

    def _set_member(self, request: Request) -> Response:
        body = request.get_json()
        return self._once(request, "done", lambda key: self._belong(body, key))

    def _belong(self, body: dict[str, Any], key: str) -> tuple[str, str]:
        """Have a party be in a team, or not."""
        name = f"{body['team']} {body['member']}"
        there = any(
            f"{document['team']} {document['member']}" == name for document in self._standing(self.items("memberships"))
        )
        reason = (self.fault("refuse") or {}).get(name)
        if reason:
            return "refused", reason
        if there == body["belongs"]:
            return "already-so", ""
        self._db.execute("delete from items where noun = 'memberships' and key = ?", [name])
        if body["belongs"]:
            self.add("memberships", name, {"team": body["team"], "member": body["member"]})
        self.effect(name, key)
        return "done", ""

    def _asked(self, request: Request) -> dict[str, Any]:
        """What a call asks for; or a little less, from a stand-in that shortens."""
        body: dict[str, Any] = request.get_json()
        if body.get("ends_at") and self.spend("shorten"):
            body["ends_at"] = (datetime.fromisoformat(body["ends_at"]) - timedelta(days=1)).isoformat()
        return body

    def _once(self, request: Request, yes: str, act: Callable[[str], tuple[str, str]]) -> Response:
        """Act under an idempotency key, or repeat what was answered under it; a stand-in that ignores only says yes."""
        key = request.headers.get("Idempotency-Key", "")
        if not key:
            return answer({"reason": "no Idempotency-Key"}, 400)
        known = self._db.execute("select outcome, reason from endings where idempotency_key = ?", [key]).fetchone()
        if known is None:
            with self._db:
                self._db.execute("begin")
                outcome, reason = (yes, "") if self.spend("ignore") else act(key)
                if outcome != "refused" and not self.spend("forget"):
                    self._db.execute("insert into endings values (?, ?, ?)", [key, outcome, reason])
        else:
            outcome, reason = known
        self._turn.wait_for(lambda: not self.fault("hold"))
        if self.spend("lose_answers"):
            return answer({"reason": "gateway timeout"}, 503)
        return answer({"outcome": outcome, "reason": reason}, _STATUS.get(outcome, 200))

    def _trouble(self) -> Response | None:
        self._connected()
        return super()._trouble()

    def _connected(self) -> None:
        """Devices have connected in the meantime: what waited for that has ended."""
        if self.fault("away"):
            return
        after = float(self._seed.get("connects_after", 0))
        for row in self._db.execute("select * from awaited where at <= ?", [time.time() - after]).fetchall():
            self._db.execute("delete from awaited where entry = ?", [row["entry"]])
            self._gone(row["entry"], row["idempotency_key"], json.loads(row["documents"]), json.loads(row["of"]))

    def _carry_out(self, entry: str, key: str, documents: list[str], to: dict[str, Any] | None) -> tuple[str, str]:
        """End an entry if it can be ended; where that takes a device, once it connects."""
        there = self._db.execute("select ended from items where noun = 'entries' and key = ?", [entry]).fetchone()
        reason = (self.fault("refuse") or {}).get(entry, "")
        if reason:
            return "refused", reason
        stands = bool(documents) if there is None else not there["ended"]
        if not stands:
            return "already-ended", ""
        if not self._seed["description"]["abilities"].get("at_once", True):
            self._db.execute("delete from awaited where entry = ?", [entry])
            row = [entry, key, json.dumps(documents), json.dumps(to), time.time()]
            self._db.execute("insert into awaited values (?, ?, ?, ?, ?)", row)
            return "accepted", ""
        self._gone(entry, key, documents, to)
        return "ended", ""

    def _gone(self, entry: str, key: str, documents: list[str], to: dict[str, Any] | None) -> None:
        self._db.execute("update items set ended = 1 where noun = 'entries' and key = ?", [entry])
        for document in self.items("documents"):
            if document["key"] in documents:
                self._take_out(document, to)
        self.effect(entry, key)

    def _amend(self, body: dict[str, Any], key: str) -> tuple[str, str]:
        """Change an entry to what is asked for."""
        before = next(iter(self.items("entries", where=("key", body["entry"]))), None)
        if before is None:
            return "refused", "there is no such entry any more"
        after = before | {name: body[name] for name in ("resources", "ends_at", "hours") if body.get(name) is not None}
        after |= {{"end": "ends_at", "hours": "hours"}[limit]: None for limit in body.get("lifts", [])}
        if body.get("level"):
            levels = self._seed["description"].get("levels", {})
            if body["level"] not in levels:
                return "refused", f"there is no level {body['level']!r}"
            after |= {"level": body["level"], "powers": levels[body["level"]]}
            # What kept it from being ended was the level that it had.
            self.set_fault("refuse", {k: v for k, v in (self.fault("refuse") or {}).items() if k != body["entry"]})
        if body.get("paused") is not None:
            after |= {"state": "paused" if body["paused"] else "live"}
        if after == before:
            return "already-so", ""
        self._db.execute(
            "update items set body = ? where noun = 'entries' and key = ?", [json.dumps(after), body["entry"]]
        )
        self.effect(body["entry"], key)
        return "changed", ""

    def _let_in(self, body: dict[str, Any], key: str) -> tuple[str, str]:
        """Give a party what is asked for; what it had before says what a level means that is not in the description."""
        had = next(iter(self.items("entries", also_ended=True, where=("key", body.get("again") or ""))), {})
        levels = self._seed["description"].get("levels", {})
        single = self._seed["description"].get("single") or None
        if body["level"] not in (*levels, single) and had.get("level") != body["level"]:
            return "refused", f"there is no level {body['level']!r}"
        permissions = self._seed["description"].get("permissions", {})
        who = self._known(body["party"])
        hindered = self._hindered(who)
        if hindered and not had:
            return "refused", hindered[0]["reason"]
        self._take_on(who, body["party"])
        wanted = {name: body[name] for name in ("account", "party", "kind", "level")}
        parts = {name: body.get(name, []) for name in ("resources", "permissions")}
        theirs = self.items("entries", where=("party", body["party"]))
        if any((wanted | parts).items() <= document.items() for document in theirs):
            return "already-so", ""
        if self._seed["description"]["abilities"].get("one_each") and any(
            document["account"] == body["account"] and document["kind"] in ("delegate", "grant") for document in theirs
        ):
            return "already-so", ""  # it takes whoever is in as being in, whatever else is asked for
        given: dict[str, Any] = wanted | {
            "key": f"given {key}",
            "powers": levels.get(body["level"], had.get("powers"))
            if body["level"] != single
            else sorted({power for word in body["permissions"] for power in permissions[word]}),
            "permissions": body.get("permissions", []),
            "resources": body.get("resources", []),
            "ends_at": body.get("ends_at"),
            "hours": body.get("hours"),
            "use_known": had.get("use_known", False),
        }
        self.add("entries", given["key"], given)
        self.effect(given["key"], key)
        return "given", ""

    def _take_on(self, who: dict[str, Any], key: str) -> None:
        """Have someone among the parties from now on, whether the directory knows them or not."""
        if self.items("parties", where=("key", key)):
            return
        party = {"key": key, "kind": "person", "name": who.get("name", key), "status": "current"}
        party |= {"addresses": who.get("addresses", [key]), "verified": bool(who)}
        self.add("parties", key, party)

    def _take_out(self, document: dict[str, Any], to: dict[str, Any] | None) -> None:
        """Take a selector out of all that a document allows."""
        for statement in document["statements"]:
            if statement["effect"] == "allow":
                statement["to"] = [value for value in statement["to"] if value != to]
        document["statements"] = [s for s in document["statements"] if s["to"]]
        body = json.dumps(document)
        self._db.execute("update items set body = ? where noun = 'documents' and key = ?", [body, document["key"]])


def _selector(party: str) -> dict[str, Any]:
    """The selector that a party's key stands for."""
    kind, _, value = party.partition(":")
    if party == "anyone":
        return {"anyone": True}
    return {"domain": value} if kind == "domain" else {"party": party}
