"""Bodies that a route takes: the least that its own description asks for, with real things where it names them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel


def least(model: type[BaseModel], known: Mapping[str, Any]) -> dict[str, Any]:
    """A body with every field that is needed, and those that are `known` by name where the model has them."""
    schema = model.model_json_schema()
    needed = schema.get("required", [])
    return {
        name: _known(part, known[name]) if name in known else _sample(part, schema.get("$defs", {}), known)
        for name, part in schema.get("properties", {}).items()
        if name in needed or name in known
    }


def _known(part: Mapping[str, Any], value: Any) -> Any:
    return [value] if part.get("type") == "array" and not isinstance(value, list) else value


def _sample(part: Mapping[str, Any], parts: Mapping[str, Any], known: Mapping[str, Any]) -> Any:
    if "$ref" in part:
        return _sample(parts[part["$ref"].rpartition("/")[2]], parts, known)
    if "anyOf" in part:
        return _sample(part["anyOf"][0], parts, known)
    if "const" in part or "enum" in part:
        return part.get("const", part.get("enum", [None])[0])
    if "default" in part:
        return part["default"]
    kind = part.get("type")
    if kind == "object":
        needed = part.get("required", [])
        inside = part.get("properties", {})
        return {n: known.get(n) or _sample(p, parts, known) for n, p in inside.items() if n in needed or n in known}
    if kind == "array":
        return [_sample(part["items"], parts, known) for _ in range(part.get("minItems", 0))]
    if kind == "integer":
        return part.get("minimum", 1)
    if kind == "boolean":
        return False
    return {"date": "2030-05-10", "uuid": "00000000-0000-7000-8000-000000000000"}.get(part.get("format", ""), "x")
