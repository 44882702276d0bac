"""The OpenAPI 3.1 document, made from the declared routes and the models they name."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from http import HTTPStatus
from typing import Any, Literal

from pydantic import BaseModel
from pydantic.json_schema import models_json_schema

from openlatch import __version__
from openlatch.glossary import GLOSSARY
from openlatch.web.api import PREFIX, Route, needed
from openlatch.wire import messages as wire
from openlatch.wire.fields import described, example

__all__ = ["PROBLEMS", "answers", "openapi", "problems", "request"]

PROBLEMS = {
    400: "What was sent cannot be read.",
    401: "Nobody is signed in, or the credentials are not valid.",
    403: "Whoever is signed in may not do this, or has to prove first that it is still them.",
    404: "What was named is not in this workspace.",
    409: "It does not go together with what there is by now.",
    412: "There is another version by now than the one that If-Match names.",
    413: "What was sent is too large.",
    422: "What was sent can be read, and something in it is wrong.",
    429: "That was asked too often; Retry-After says when it can be asked again.",
    502: "A provider refused, or answered what cannot be read.",
    503: "A provider does not answer, or the service is busy; it can be tried again.",
}
"""What can go wrong, by its status."""
Schema = dict[str, Any]
_A_FILE = {"schema": {"type": "string", "format": "binary"}}
_REFS = "#/components/schemas/{model}"


def openapi(routes: Iterable[Route]) -> dict[str, Any]:
    """Return the description of the API as an OpenAPI 3.1 document."""
    routes = list(routes)
    taken = [(r.body, "validation") for r in routes if r.body]
    sent = [(model, "serialization") for r in routes for model in (r.returns, r.refuses) if model]
    wanted: list[tuple[type[BaseModel], Any]] = [*taken, *sent, (wire.Problem, "serialization")]
    _, shared = models_json_schema(list(dict.fromkeys(wanted)), ref_template=_REFS)
    paths: dict[str, dict[str, Any]] = {}
    schemas = dict(shared["$defs"])
    for route in routes:
        if route.query is not None:
            schemas |= route.query.model_json_schema(ref_template=_REFS).get("$defs", {})
    schemas = {name: _with_fields(name, schema, schemas) for name, schema in sorted(schemas.items())}
    for route in routes:
        paths.setdefault(_path(route.rule), {})[route.method.lower()] = _operation(route, routes, schemas)
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Open Latch",
            "version": __version__,
            "license": {"name": "Apache-2.0", "identifier": "Apache-2.0"},
            "description": "Who can use your shared accounts, what is stale or risky in it, and taking it back.",
        },
        "servers": [{"url": PREFIX}],
        "tags": [{"name": term.tag, "description": term.meaning} for term in GLOSSARY],
        "paths": paths,
        "components": {
            "schemas": schemas,
            "responses": {
                str(status): {
                    "description": f"{text} What happened and what to do (RFC 9457).",
                    "content": {"application/problem+json": {"schema": _ref(wire.Problem)}},
                }
                for status, text in PROBLEMS.items()
            },
            "securitySchemes": {
                "token": {"type": "http", "scheme": "bearer"},
                "session": {"type": "apiKey", "in": "cookie", "name": "openlatch_session"},
            },
        },
    }


def _path(rule: str) -> str:
    return re.sub(r"<(?:[^:>]+:)?([^>]+)>", r"{\1}", rule)


def _with_fields(name: str, schema: Schema, shared: Mapping[str, Schema]) -> Schema:
    fields = schema.get("properties")
    if not fields:
        return schema
    return schema | {"properties": {field: described(name, field, said, shared) for field, said in fields.items()}}


def _parameter(
    where: Literal["path", "query"], name: str, schema: Schema, shared: Mapping[str, Schema], *, required: bool
) -> Schema:
    """A parameter as it is described: what it says, and an example, stand beside its schema."""
    said = described(where, name, {k: v for k, v in schema.items() if k != "title"}, shared)
    text = said.pop("description", "")
    return {"name": name, "in": where, "required": required, "description": text, "schema": said}


def _operation(route: Route, routes: Iterable[Route], shared: Mapping[str, Schema]) -> dict[str, Any]:
    parameters = [
        _parameter("path", name, _path_schema(kind), shared, required=True)
        for kind, name in re.findall(r"<(?:([^:>]+):)?([^>]+)>", route.rule)
    ]
    if route.query is not None:
        asked = route.query.model_json_schema(ref_template=_REFS)
        for name, schema in asked["properties"].items():
            required = name in asked.get("required", ())
            parameters.append(_parameter("query", name, schema, shared, required=required))
    if route.method != "GET" and not route.public:
        text = "a word of your own, such as a UUID: sent twice with the same one, the request is carried out once"
        parameters.append(
            {
                "name": "Idempotency-Key",
                "in": "header",
                "required": False,
                "description": text,
                "schema": {"type": "string", "minLength": 1, "maxLength": 200},
            }
        )
    if versioned(route, routes):
        text = "the ETag that you got: it is changed only if it is still the same, and else refused (412)"
        parameters.append(
            {"name": "If-Match", "in": "header", "required": False, "description": text, "schema": {"type": "string"}}
        )
    described: dict[str, Any] = {
        "operationId": route.name,
        "tags": [route.tag],
        "summary": route.summary,
        "parameters": parameters,
        "responses": {
            **{str(status): _answer(route, status, shared) | _links(route, routes) for status in answers(route)},
            **{str(status): _problem(route, status) for status in problems(route)},
        },
        "security": [] if route.public else [{"token": []}, {"session": []}],
    }
    if route.body is not None:
        described["requestBody"] = {
            "required": needed(route.body),
            "content": {"application/json": {"schema": _ref(route.body), "example": request(route.body, shared)}},
        }
    if route.takes:
        described["requestBody"] = {"required": True, "content": {kind: dict(_A_FILE) for kind in route.takes}}
    return described


def versioned(route: Route, routes: Iterable[Route]) -> bool:
    """Return whether what a route changes can be got at the same address, so that a version of it can be named."""
    return route.method in ("PUT", "DELETE") and any(
        other.method == "GET" and other.rule == route.rule and other.query is None and other.returns is not None
        for other in routes
    )


def problems(route: Route) -> tuple[int, ...]:
    """Return the statuses with which a route can say that something went wrong, the lowest first."""
    changes, told = route.method != "GET", bool(route.query or route.body or route.takes or "<" in route.rule)
    possible = {
        400: told or changes,
        401: changes or not route.public,
        403: not route.public,
        404: told,
        409: changes or "<" in route.rule,
        412: changes and not route.public,
        413: bool(route.body or route.takes),
        422: True,
        429: route.counted or (route.public and changes),
        502: route.calls or route.asks is not None,
        503: True,
    }
    return tuple(status for status, can in possible.items() if can)


def answers(route: Route) -> tuple[int, ...]:
    """Return the statuses with which a route answers when all went well, the lowest first."""
    if route.returns is None and not route.files:
        return (204,) if route.status == 200 else (route.status,)
    # One that makes something says 200 where it was there already.
    if route.method == "GET" and not route.files and not route.public:
        return (route.status, 304)
    made = route.status in (201, 202) and route.method == "POST"
    return (200, route.status) if made else (route.status,)


def _links(route: Route, routes: Iterable[Route]) -> dict[str, Any]:
    """What can be done next with a thing that was made: every route below it that only asks which one."""
    name = next((name for name in ("ref", "id") if route.returns and name in route.returns.model_fields), None)
    if route.method != "POST" or route.status not in (201, 202) or name is None:
        return {}
    links = {}
    for other in routes:
        below = re.fullmatch(re.escape(route.rule) + r"/<(?:[^:>]+:)?([^>]+)>(/[^<]*)?", other.rule)
        if below:
            links[other.name] = {"operationId": other.name, "parameters": {below[1]: f"$response.body#/{name}"}}
    return {"links": links} if links else {}


def request(model: type[BaseModel], shared: Mapping[str, Schema]) -> Any:
    """Return the least that a body of a request can be: what is needed; the first of what it can be, if nothing is."""
    whole = example(_ref(model), shared)
    needed = shared[model.__name__].get("required", [])
    return {name: whole[name] for name in needed or list(whole)[:1]}


def _content(model: type[BaseModel], shared: Mapping[str, Schema]) -> dict[str, Any]:
    return {"schema": _ref(model), "example": example(_ref(model), shared)}


def _answer(route: Route, status: int, shared: Mapping[str, Schema]) -> dict[str, Any]:
    if status == 304:
        return {"description": "It is still what If-None-Match names."}
    if route.files:
        content: dict[str, Any] = {kind.partition(";")[0]: dict(_A_FILE) for kind in route.files}
        if route.returns is not None:
            content["application/json"] = _content(route.returns, shared)
        return {"description": "the file", "content": content}
    if route.returns is None:
        return {"description": HTTPStatus(status).phrase}
    return {
        "description": HTTPStatus(status).phrase,
        "content": {"application/json": _content(route.returns, shared)},
    }


def _problem(route: Route, status: int) -> dict[str, Any]:
    if route.refuses is None or status != 400:
        return {"$ref": f"#/components/responses/{status}"}
    content = {"application/json": {"schema": _ref(route.refuses)}}
    return {
        "description": PROBLEMS[400],
        "content": content | {"application/problem+json": {"schema": _ref(wire.Problem)}},
    }


def _path_schema(kind: str) -> dict[str, Any]:
    known: dict[str, dict[str, Any]] = {"uuid": {"type": "string", "format": "uuid"}}
    return (known | {"int": {"type": "integer", "minimum": 0}}).get(kind, {"type": "string"})


def _ref(model: type[BaseModel]) -> dict[str, str]:
    return {"$ref": _REFS.format(model=model.__name__)}
