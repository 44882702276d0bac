"""A directory that speaks SCIM 2.0 (RFC 7643, RFC 7644) as far as clients of directories need it, and fails on demand.

In addition to the faults of every stand-in it knows:

short_pages      at most N resources to a page, whatever was asked for
total_off        that many is added to totalResults
no_patch         PATCH is answered 501, as RFC 7644 lets a server do
no_filter        searching is answered 400, invalidFilter
meddle           the next N times a user or a group is fetched, someone else changes it right after
refuse           an object of id to the reason for which changing that user or group is refused
ignore           the next N changes are answered with yes, and nothing is done
taken_out        a list of user ids that someone at the directory has taken out of every group
"""

from __future__ import annotations

import json
import re
from typing import Any

from werkzeug.routing import Rule
from werkzeug.wrappers import Request, Response

from openlatch.simulator.stand_in import StandIn

__all__ = ["ScimStandIn"]

LIST = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
ERROR = "urn:ietf:params:scim:api:messages:2.0:Error"
_ONE_MEMBER = re.compile(r'members\[value eq ("(?:[^"\\]|\\.)*")\]', re.IGNORECASE)
_FILTER = re.compile(r'members\.value eq ("(?:[^"\\]|\\.)*")', re.IGNORECASE)


class ScimStandIn(StandIn):
    """The WSGI app."""

    def rules(self) -> list[Rule]:
        rules = []
        for noun in ("Users", "Groups"):
            rules.append(Rule(f"/{noun}", endpoint=self._list, methods=["GET"], defaults={"noun": noun}))
            rules.append(Rule(f"/{noun}/<identifier>", endpoint=self._one, methods=["GET"], defaults={"noun": noun}))
            rules.append(
                Rule(f"/{noun}/<identifier>", endpoint=self._change, methods=["PATCH", "PUT"], defaults={"noun": noun})
            )
        return rules

    def fill(self, seed: dict[str, Any]) -> None:
        for noun in ("Users", "Groups"):
            for item in seed[noun]:
                meta = {"resourceType": noun[:-1], "version": 'W/"1"', **item.get("meta", {})}
                self.add(noun, item["id"], item | {"meta": meta})

    def _list(self, request: Request, noun: str) -> Response:
        if self.fault("garbage"):
            return _scim({"schemas": [LIST], "totalResults": "many"})
        documents = [self._without_taken_out(item) for item in self.items(noun)]
        if "filter" in request.args:
            match = _FILTER.fullmatch(request.args["filter"])
            if match is None or self.fault("no_filter"):
                return _error(400, "this filter is not supported", scimType="invalidFilter")
            wanted = json.loads(match[1])
            documents = [g for g in documents if any(m["value"] == wanted for m in g.get("members", []))]
        start = max(1, int(request.args.get("startIndex", "1")))
        count = min(int(request.args.get("count", "100")), int(self.fault("short_pages") or 100))
        shown = documents[start - 1 : start - 1 + count]
        total = len(documents) + int(self.fault("total_off") or 0)
        body: dict[str, Any] = {"schemas": [LIST], "totalResults": total, "startIndex": start}
        # RFC 7644, 3.4.2: Resources is there only if there are any.
        return _scim(body | ({"itemsPerPage": len(shown), "Resources": shown} if shown else {}))

    def _one(self, _request: Request, noun: str, identifier: str) -> Response:
        document = next((item for item in self.items(noun) if item["id"] == identifier), None)
        if document is None:
            return _error(404, f"there is no {identifier}")
        document = self._without_taken_out(document)
        response = _scim(document, headers={"ETag": document["meta"]["version"]})
        if self.spend("meddle"):
            self._store(noun, document)
        return response

    def _without_taken_out(self, resource: dict[str, Any]) -> dict[str, Any]:
        out = self.fault("taken_out") or []
        if not out or "members" not in resource:
            return resource
        return resource | {"members": [value for value in resource["members"] if value["value"] not in out]}

    def _change(self, request: Request, noun: str, identifier: str) -> Response:
        document = next((item for item in self.items(noun) if item["id"] == identifier), None)
        if document is None:
            return _error(404, f"there is no {identifier}")
        if request.method == "PATCH" and self.fault("no_patch"):
            return _error(501, "PATCH is not supported")
        reason = (self.fault("refuse") or {}).get(identifier)
        if reason:
            return _error(403, reason)
        wanted = request.headers.get("If-Match")
        if wanted not in (None, "*", document["meta"]["version"]):
            return _error(412, "changed since it was read")
        body = json.loads(request.get_data())
        changes = body if request.method == "PUT" else {}
        for operation in body.get("Operations", []):
            value, path = operation.get("value"), operation.get("path", "")
            if path.startswith("members"):
                changes["members"] = _members_after(changes.get("members", document.get("members", [])), operation)
            else:
                changes |= {path: value} if path else value
        if self.spend("ignore"):
            return _scim(document, headers={"ETag": document["meta"]["version"]})
        if document.get("active", True) and changes.get("active") is False:
            self.effect(identifier)
        document |= {name: value for name, value in changes.items() if name not in ("schemas", "meta", "id")}
        self._store(noun, document)
        return _scim(document, headers={"ETag": document["meta"]["version"]})

    def _store(self, noun: str, resource: dict[str, Any]) -> None:
        number = int(re.sub(r"\D", "", resource["meta"]["version"])) + 1
        resource["meta"]["version"] = f'W/"{number}"'
        body = [json.dumps(resource), noun, resource["id"]]
        self._db.execute("update items set body = ? where noun = ? and key = ?", body)


def _members_after(members: list[dict[str, Any]], operation: dict[str, Any]) -> list[dict[str, Any]]:
    """A group's members after an operation of a PATCH; without a filter, a removal is of all of them."""
    if operation["op"].lower() == "remove":
        match = _ONE_MEMBER.fullmatch(operation["path"])
        return [m for m in members if match is not None and m["value"] != json.loads(match[1])]
    added = [m for m in operation["value"] if m["value"] not in {member["value"] for member in members}]
    return [*members, *added]


def _scim(body: object, status: int = 200, headers: dict[str, str] | None = None) -> Response:
    return Response(json.dumps(body), status, headers, content_type="application/scim+json")


def _error(status: int, detail: str, **more: str) -> Response:
    return _scim({"schemas": [ERROR], "status": str(status), "detail": detail, **more}, status)
