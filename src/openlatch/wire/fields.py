"""What each field of a message and each parameter says, with an example of it: fields.toml, put into JSON Schema."""

import re
import tomllib
from collections.abc import Iterable, Mapping
from functools import cache
from importlib.resources import files
from typing import Any

__all__ = ["described", "example", "lines"]

AN_ID = "01a22ffe-92a9-712b-b31a-df020dc2114b"
USUAL: Mapping[str, Any] = {"uuid": AN_ID, "date-time": "2026-11-20T17:05:00Z", "date": "2027-01-20"}
"""Examples of what has a format and means nothing by itself."""
CHOICES = {"anyOf", "oneOf"}
A_REF, SOME_NAME = "BP25-290R", "Lena Hartnell on Donations"
REF = re.compile("[0-9A-Z]{4}-[0-9A-Z]{4}")
Schema = dict[str, Any]


@cache
def lines() -> dict[str, tuple[str, Any]]:
    """Return text and example (None where there is none) of each line of fields.toml, by `name` or `where.name`."""
    written = tomllib.loads((files("openlatch.wire") / "fields.toml").read_text("utf-8"))
    return {name: (line, None) if isinstance(line, str) else (line[0], line[1]) for name, line in written.items()}


def described(where: str, name: str, schema: Schema, shared: Mapping[str, Schema]) -> Schema:
    """Return the schema of a field with what it says and an example, unless it says them itself.

    `where` is the message, or `path` or `query`; `shared` are the schemas that it may refer to, by name.
    """
    text, shown = lines().get(f"{where}.{name}") or lines().get(name, ("", None))
    described = {"description": text} | schema if text else dict(schema)
    if shown is None or where in ("path", "query") or f"{where}.{name}" not in lines():
        # What a name means in general is shown only where it is written that way, and not as a word of a list.
        plain = _plain(schema, shared)
        shown = plain if plain is not None else _as_taken(shown, schema)
    return described if shown is None or "examples" in schema else described | {"examples": [shown]}


def example(schema: Schema, shared: Mapping[str, Schema], *, inside: tuple[str, ...] = ()) -> Any:
    """Return an example of what a schema describes, made of those of its fields; `inside` are those it is part of."""
    found: Any = None
    if "examples" in schema:
        found = schema["examples"][0]
    elif "$ref" in schema:
        name = schema["$ref"].rpartition("/")[2]
        found = None if name in inside else example(shared[name], shared, inside=(*inside, name))
    elif CHOICES & schema.keys():
        found = _first(example(one, shared, inside=inside) for one in _choices(schema))
    elif "properties" in schema:
        made = {name: example(field, shared, inside=inside) for name, field in schema["properties"].items()}
        needed = schema.get("required", [])
        # A message does not contain itself for ever: such a field is null, or left out.
        found = {name: value for name, value in made.items() if value is not None or name in needed}
    elif schema.get("type") == "array":
        item = example(schema.get("items", {}), shared, inside=inside)
        found = [] if item is None else [item]
    else:
        found = {} if schema.get("type") == "object" else _plain(schema, shared)
    return found


def _as_taken(shown: Any, schema: Schema) -> Any:
    """Return an example as a schema takes it, or None: what is named elsewhere by a word is shown with its id, too."""
    kinds = [schema, *schema.get("anyOf", [])]
    if isinstance(shown, str) and any(one.get("$ref", "").endswith("/Ref") for one in kinds):
        return {"id": AN_ID} | (
            {"ref": shown, "name": SOME_NAME} if REF.fullmatch(shown) else {"ref": A_REF, "name": shown}
        )
    name = {str: "string", int: "integer", list: "array", dict: "object"}.get(type(shown))
    return shown if any(one.get("type") == name for one in kinds) else None


def _plain(schema: Schema, shared: Mapping[str, Schema]) -> Any:
    """An example of what needs no telling: a word of a list, yes or no, an id, an instant, a day, or some of these."""
    if "$ref" in schema:
        named = shared.get(schema["$ref"].rpartition("/")[2], {})
        return _plain(named, shared) if "enum" in named else None
    if CHOICES & schema.keys():
        return _first(_plain(one, shared) for one in _choices(schema))
    if schema.get("type") == "array":
        item = _plain(schema.get("items", {}), shared)
        return None if item is None else [item]
    if "const" in schema or "enum" in schema:
        return schema.get("const") or next(word for word in schema["enum"] if word)
    return True if schema.get("type") == "boolean" else USUAL.get(schema.get("format", ""))


def _choices(schema: Schema) -> list[Schema]:
    return [one for choices in sorted(CHOICES & schema.keys()) for one in schema[choices]]


def _first(found: Iterable[Any]) -> Any:
    return next((one for one in found if one is not None), None)
