"""Services that differ in everything, each in a few lines, which repeat, throttle and lie on demand."""

from __future__ import annotations

from typing import Any

from flask import Flask, Response, jsonify, request

__all__ = ["Club", "House", "Ledger", "Rota", "Senders"]


class House:
    """A service with its state; `faults` say what goes wrong, `asked` what it was asked."""

    def __init__(self) -> None:
        self.app = Flask(type(self).__name__)
        self.faults: dict[str, Any] = {}
        self.asked: list[tuple[str, str]] = []
        self.app.before_request(self._before)
        self.rules()

    def rules(self) -> None:
        """Bind the addresses."""

    def allowed(self) -> bool:
        """Whether whoever asks has proved who they are."""
        return True

    def _before(self) -> Response | None:
        self.asked.append((request.method, request.full_path.rstrip("?")))
        if self.faults.get("throttle", 0):
            self.faults["throttle"] -= 1
            return Response(status=429, headers={"Retry-After": "0"})
        if self.faults.get("raw") is not None and request.method == "GET":
            later = request.args.get("page", "1") != "1"
            return Response('{"data": []}' if later else self.faults["raw"], content_type="application/json")
        return None if self.allowed() else Response(status=401)


class Club(House):
    """Teams with members: nested resources, page numbers, a bearer token."""

    def __init__(self) -> None:
        def member(login: str, role: str, state: str = "active", **more: Any) -> dict[str, Any]:
            user = {"login": login, "name": login.title(), "email": f"{login}@club.example", "state": state}
            return {"user": user, "role": role, "since": "2025-03-01T10:00:00Z", "seen": 1760000000, **more}

        self.teams = [{"id": f"t/{n}", "title": f"Team {n}"} for n in (1, 2, 3)]
        self.members = {
            "t/1": [member("ada", "lead"), member("bo", "guest"), member("cy", "guest", "gone")],
            "t/2": [member("ada", "guest", until="2026-12-31"), member("dee", "lead", paused=True)],
            "t/3": [],
        }
        super().__init__()

    def allowed(self) -> bool:
        return request.headers.get("Authorization") == "Bearer club-secret"

    def rules(self) -> None:
        self.app.get("/v1/teams", endpoint="teams")(lambda: self._page(self.teams))
        self.app.get("/v1/teams/<path:team>/members", endpoint="in")(lambda team: self._page(self.members[team]))
        self.app.delete("/v1/teams/<path:team>/members/<login>")(self._remove)
        self.app.patch("/v1/teams/<path:team>/members/<login>")(self._change)
        self.app.post("/v1/teams/<path:team>/members")(self._add)

    def _page(self, lines: list[Any]) -> Response:
        page = 1 if self.faults.get("same_page") else int(request.args["page"])
        size = min(int(request.args["size"]), self.faults.get("at_most", 1000))
        return jsonify(data=lines[(page - 1) * size : page * size])

    def _remove(self, team: str, login: str) -> Response:
        found = [one for one in self.members[team] if one["user"]["login"] == login]
        if not found:
            return Response(status=404)
        if len([one for one in self.members[team] if one["role"] == "lead"]) == 1 and found[0]["role"] == "lead":
            answer = jsonify(error={"message": "a team keeps one lead"})
            answer.status_code = 409
            return answer
        if not self.faults.get("lies"):
            self.members[team].remove(found[0])
        return Response(status=204)

    def _add(self, team: str) -> Response:
        wanted = request.get_json()
        users = {one["user"]["login"]: one["user"] for members in self.members.values() for one in members}
        if any(one["user"]["login"] == wanted["login"] for one in self.members[team]):
            return Response(status=409)
        if not self.faults.get("lies"):
            self.members[team].append(
                {"user": users[wanted["login"]], "role": wanted["role"], "until": wanted["until"]}
            )
        return Response(status=201)

    def _change(self, team: str, login: str) -> Response:
        (found,) = [one for one in self.members[team] if one["user"]["login"] == login]
        found.update(request.get_json())
        return jsonify(found)


class Rota(House):
    """A flat list with a cursor, a list of roles beside it, and OAuth 2.0 client credentials."""

    def __init__(self) -> None:
        holders = [
            {"ref": "p-1", "name": "Edda Brook", "type": "human", "mail": "Edda@Hill.Example"},
            {"ref": "g-7", "name": "Crew", "type": "group", "mail": None},
            {"ref": "b-3", "name": "Sky bot", "type": "bot"},
        ]
        self.crew = [{"group": "g-7", "person": "p-1", "since": "2025-02-01T00:00:00Z"}]
        self.token = "rota-token"
        self.roles = [{"id": 5, "title": "Observer", "rights": ["look"]}, {"id": 9, "title": "Operator", "rights": []}]
        self.grants = [
            {
                "id": f"g{n}",
                "instrument": f"scope {n % 2}",
                "holder": holders[n % 3],
                "role_id": 5 if n % 2 else 9,
                "status": "closed" if n == 4 else "active",
                "granted_at": "2025-01-01T00:00:00+01:00",
                "expires": "2027-02-01T00:00:00Z" if n == 5 else None,
            }
            for n in range(7)
        ]
        super().__init__()

    def allowed(self) -> bool:
        return request.path == "/oauth/token" or request.headers.get("Authorization") == f"Bearer {self.token}"

    def rules(self) -> None:
        self.app.post("/oauth/token")(self._token)
        self.app.get("/roles")(lambda: jsonify(roles=self.roles))
        self.app.get("/grants")(self._grants)
        self.app.get("/groups", endpoint="groups")(lambda: jsonify(groups=[{"ref": "g-7"}]))
        self.app.get("/groups/<group>/people", endpoint="crew")(
            lambda group: jsonify([m for m in self.crew if m["group"] == group])
        )
        self.app.put("/groups/<group>/people/<person>")(self._join)
        self.app.delete("/groups/<group>/people/<person>")(self._leave)
        self.app.post("/grants/<identifier>/revocation")(self._revoke)
        self.app.patch("/grants/<identifier>")(self._change)

    def _token(self) -> Response:
        given = request.authorization
        if given is None or (given.username, given.password) != ("latch", "rota-secret"):
            return Response(status=401)
        self.token = f"rota-token-{len(self.asked)}"
        return jsonify(access_token=self.token, token_type="Bearer", expires_in=3600)

    def _join(self, group: str, person: str) -> Response:
        self.crew.append({"group": group, "person": person, "since": "2026-02-01T00:00:00Z"})
        return Response(status=204)

    def _leave(self, group: str, person: str) -> Response:
        before = len(self.crew)
        self.crew = [m for m in self.crew if (m["group"], m["person"]) != (group, person)]
        return Response(status=204 if len(self.crew) < before else 404)

    def _grants(self) -> Response:
        if self.faults.pop("expires", 0):
            self.token = "another one"
            return Response(status=401)
        start = int(request.args.get("cursor", "0"))
        after = None if start + 3 >= len(self.grants) else str(start + 3)
        if self.faults.get("round"):
            after, start = "0", 0
        return jsonify(items=self.grants[start : start + 3], page={"next": after})

    def _revoke(self, identifier: str) -> Response:
        (found,) = [one for one in self.grants if one["id"] == identifier]
        if found["status"] == "closed":
            return Response(status=410)
        found["status"] = "closed"
        return Response(status=202)

    def _change(self, identifier: str) -> Response:
        (found,) = [one for one in self.grants if one["id"] == identifier]
        found.update(request.get_json())
        return jsonify(found)


class Ledger(House):
    """An old one: offsets, capitals, numbers for keys, one list in an odd place, and ends by PUT."""

    def __init__(self) -> None:
        def right(book: int, clerk: int, number: int, status: str = "") -> dict[str, Any]:
            mails = [f"clerk{clerk}@ledger.example"]
            who = {"Id": clerk, "Full": f"Clerk {clerk}", "Mails": mails}
            where = {"No": book, "Title": f"Fund {book}"}
            return {"Book": where, "Clerk": who, "Right": number, "Status": status, "LastMs": "1760000000000"}

        self.lines = [right(1, 11, 7), right(1, 12, 4), right(2, 11, 1), right(2, 13, 9), right(1, 13, 4, "X")]
        super().__init__()

    def allowed(self) -> bool:
        return request.headers.get("X-Ledger-Key") == "ledger-secret-key"

    def rules(self) -> None:
        self.app.get("/api.php")(self._rights)
        self.app.put("/api.php")(self._put)
        self.app.post("/api.php")(self._post)

    def _rights(self) -> Response:
        start, rows = int(request.args["start"]), int(request.args["rows"])
        rows = min(rows, self.faults.get("at_most", rows))
        return jsonify(Result={"Rows": {"Row": self.lines[start : start + rows]}})

    def _post(self) -> Response:
        wanted = request.get_json()
        book, clerk, right = wanted["Book"], wanted["Clerk"], wanted["Right"]
        if not all(isinstance(value, int) for value in (book, clerk, right)):
            return Response(status=400)
        self.lines.append(
            {
                "Book": {"No": book, "Title": f"Fund {book}"},
                "Clerk": {"Id": clerk, "Full": f"Clerk {clerk}", "Mails": []},
                "Right": right,
                "Status": "",
                "LastMs": "",
            }
        )
        return jsonify(Ok=True)

    def _put(self) -> Response:
        wanted = (int(request.args["book"]), int(request.args["clerk"]))
        (found,) = [one for one in self.lines if (one["Book"]["No"], one["Clerk"]["Id"]) == wanted]
        if found["Right"] == 7:
            answer = jsonify(Fault="the chief clerk stays")
            answer.status_code = 422
            return answer
        found.update(request.get_json())
        return jsonify(Ok=True)


class Senders(House):
    """Who may send in the name of which mailbox: nested, with a cursor and a password."""

    def __init__(self) -> None:
        self.boxes = ["desk@mail.example", "press/news@mail.example"]
        people = {"ada": "Ada", "bo": "Bo"}
        self.senders = {
            (box, login): {"login": login, "name": name, "mail": f"{login}@mail.example", "shown": login == "bo"}
            for box in self.boxes
            for login, name in people.items()
        }
        super().__init__()

    def allowed(self) -> bool:
        given = request.authorization
        return given is not None and (given.username, given.password) == ("latch", "mail-secret")

    def rules(self) -> None:
        self.app.get("/mailboxes")(self._mailboxes)
        self.app.get("/mailboxes/<path:box>/senders", endpoint="senders")(
            lambda box: jsonify([one for (of, _), one in self.senders.items() if of == box])
        )
        self.app.delete("/mailboxes/<path:box>/senders/<login>")(self._end)
        self.app.put("/mailboxes/<path:box>/senders/<login>")(self._give)

    def _mailboxes(self) -> Response:
        place = int(request.args.get("after", "0"))
        after = str(place + 1) if place + 1 < len(self.boxes) else None
        return jsonify(mailboxes=[{"address": self.boxes[place], "title": f"Box {place}"}], after=after)

    def _end(self, box: str, login: str) -> Response:
        return Response(status=204 if self.senders.pop((box, login), None) else 404)

    def _give(self, box: str, login: str) -> Response:
        shown = request.get_json()["shown"] == "true"
        self.senders[box, login] = {"login": login, "name": login.title(), "mail": None, "shown": shown}
        return Response(status=201)
