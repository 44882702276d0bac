"""The OpenAPI 3.1 document, made from the declared routes and the models they name."""

from __future__ import annotations

import re
from collections.abc import Iterable
from http import HTTPStatus
from typing import Any

from pydantic import BaseModel
from pydantic.json_schema import models_json_schema

from openlatch import __version__
from openlatch.web.api import PREFIX, Route, needed
from openlatch.wire import messages as wire

__all__ = ["openapi"]

_REFS = "#/components/schemas/{model}"


def openapi(routes: Iterable[Route]) -> dict[str, Any]:
    """Return the description of the API as an OpenAPI 3.1 document."""
    routes = list(routes)
    taken = [(r.body, "validation") for r in routes if r.body]
    sent = [(r.returns, "serialization") for r in routes if r.returns]
    wanted: list[tuple[type[BaseModel], Any]] = [*taken, *sent, (wire.Problem, "serialization")]
    _, shared = models_json_schema(list(dict.fromkeys(wanted)), ref_template=_REFS)
    paths: dict[str, dict[str, Any]] = {}
    schemas = dict(shared["$defs"])
    for route in routes:
        if route.query is not None:
            schemas |= route.query.model_json_schema(ref_template=_REFS).get("$defs", {})
        paths.setdefault(_path(route.rule), {})[route.method.lower()] = _operation(route)
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Open Latch",
            "version": __version__,
            "license": {"name": "Apache-2.0", "identifier": "Apache-2.0"},
            "description": "Who can use your shared accounts, what is stale or risky in it, and taking it back.",
        },
        "servers": [{"url": PREFIX}],
        "paths": paths,
        "components": {
            "schemas": dict(sorted(schemas.items())),
            "securitySchemes": {
                "token": {"type": "http", "scheme": "bearer"},
                "session": {"type": "apiKey", "in": "cookie", "name": "openlatch_session"},
            },
        },
    }


def _path(rule: str) -> str:
    return re.sub(r"<(?:[^:>]+:)?([^>]+)>", r"{\1}", rule)


def _operation(route: Route) -> dict[str, Any]:
    parameters = [
        {"name": name, "in": "path", "required": True, "schema": _path_schema(kind)}
        for kind, name in re.findall(r"<(?:([^:>]+):)?([^>]+)>", route.rule)
    ]
    if route.query is not None:
        for name, schema in route.query.model_json_schema(ref_template=_REFS)["properties"].items():
            plain = {k: v for k, v in schema.items() if k != "title"}
            parameters.append({"name": name, "in": "query", "required": False, "schema": plain})
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
    described: dict[str, Any] = {
        "operationId": route.name,
        "tags": [route.tag],
        "summary": route.summary,
        "parameters": parameters,
        "responses": {
            **{str(status): _answer(route, status) for status in sorted({route.status, *_also(route)})},
            "default": {
                "description": "What went wrong, and what to do (RFC 9457).",
                "content": {"application/problem+json": {"schema": _ref(wire.Problem)}},
            },
        },
        "security": [] if route.public else [{"token": []}, {"session": []}],
    }
    if route.body is not None:
        described["requestBody"] = {
            "required": needed(route.body),
            "content": {"application/json": {"schema": _ref(route.body)}},
        }
    if route.takes:
        described["requestBody"] = {"required": True, "content": {kind: {} for kind in route.takes}}
    return described


def _also(route: Route) -> tuple[int, ...]:
    """A route that makes something says 200 where it was there already."""
    return (200,) if route.status in (201, 202) and route.method == "POST" else ()


def _answer(route: Route, status: int) -> dict[str, Any]:
    if route.files:
        content: dict[str, Any] = {kind.partition(";")[0]: {} for kind in route.files}
        if route.returns is not None:
            content["application/json"] = {"schema": _ref(route.returns)}
        return {"description": "the file", "content": content}
    if route.returns is None:
        return {"description": HTTPStatus(status).phrase}
    return {
        "description": HTTPStatus(status).phrase,
        "content": {"application/json": {"schema": _ref(route.returns)}},
    }


def _path_schema(kind: str) -> dict[str, str]:
    return {"type": "string", "format": "uuid"} if kind == "uuid" else {"type": "string"}


def _ref(model: type[BaseModel]) -> dict[str, str]:
    return {"$ref": _REFS.format(model=model.__name__)}
