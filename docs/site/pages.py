"""The reference of the API, one page for each of its nouns, and of the client library: Markdown, from the code."""

from __future__ import annotations

import inspect
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from openlatch.client import Client
from openlatch.glossary import GLOSSARY
from openlatch.web.app import description

__all__ = ["write"]

METHODS = ("get", "post", "put", "patch", "delete")


def write(reference: Path) -> None:
    """Write the pages below a folder that there is: `api/…` and `client.md`."""
    api = description()
    folder = reference / "api"
    folder.mkdir()
    tags = [term for term in GLOSSARY if any(term.tag in one["tags"] for *_, one in _operations(api))]
    for term in tags:
        (folder / f"{term.tag}.md").write_text("\n".join(_tag(api, term.tag, term.meaning)) + "\n", "utf-8")
    (folder / "messages.md").write_text("\n".join(_messages(api)) + "\n", "utf-8")
    (folder / "index.md").write_text("\n".join(_index([term.tag for term in tags])) + "\n", "utf-8")
    (reference / "client.md").write_text("\n".join(_client()) + "\n", "utf-8")


def _operations(api: dict[str, Any]) -> Iterator[tuple[str, str, dict[str, Any]]]:
    for path, methods in api["paths"].items():
        for method in METHODS:
            if method in methods:
                yield method.upper(), path, methods[method]


def _index(tags: list[str]) -> Iterator[str]:
    yield "# The API, operation by operation\n"
    yield "Paths are below `/api/v1`. What holds for all of them, how to sign in, lists and versions, is in"
    yield "[the API, for programs](../../guide/api.md); the same as an [OpenAPI document](../openapi.json).\n"
    yield from ["```{toctree}", ":maxdepth: 1", "", *tags, "messages", "```"]


def _tag(api: dict[str, Any], tag: str, meaning: str) -> Iterator[str]:
    yield f"# {tag.replace('-', ' ').capitalize()}\n\n{meaning}\n"
    for method, path, operation in _operations(api):
        if tag in operation["tags"]:
            yield from _operation(api, method, path, operation)


def _operation(api: dict[str, Any], method: str, path: str, operation: dict[str, Any]) -> Iterator[str]:
    yield f"## {operation['summary'].rstrip('.')}\n"
    yield f"`{method} {path}` · `{operation['operationId']}`\n"
    if operation["parameters"]:
        yield from _table(("parameter", "where", "what it is", "type", "for example"))
        for one in operation["parameters"]:
            shown = one["schema"].get("examples", [""])[0]
            cells = (f"`{one['name']}`", one["in"], one["description"], _type(one["schema"]), _code(shown))
            yield _row(cells)
        yield ""
    body = operation.get("requestBody", {}).get("content", {})
    if "application/json" in body:
        yield f"**Takes** {_type(body['application/json']['schema'])}, such as:\n"
        yield from _json(body["application/json"]["example"])
    elif body:
        yield f"**Takes** a file: {', '.join(f'`{kind}`' for kind in body)}.\n"
    for status, answer in operation["responses"].items():
        content = answer.get("content", {})
        if "$ref" in answer or "application/problem+json" in content or status == "304":
            continue
        shown = content.get("application/json")
        if shown is None:
            kinds = ", ".join(f"`{kind}`" for kind in content) or "nothing"
            yield f"**Answers {status}** with {kinds}.\n"
        else:
            yield f"**Answers {status}** with {_type(shown['schema'])}.\n"
    first = next(
        (a for a in operation["responses"].values() if "example" in a.get("content", {}).get("application/json", {})),
        None,
    )
    if first:
        yield from _json(first["content"]["application/json"]["example"])
    wrong = [status for status, answer in operation["responses"].items() if "$ref" in answer]
    yield f"[Errors](../errors.md): {', '.join(wrong)}.\n"


def _messages(api: dict[str, Any]) -> Iterator[str]:
    yield "# Messages\n\nWhat is taken and sent, field by field. A field that need not be given has its default.\n"
    for name, schema in api["components"]["schemas"].items():
        yield f"## {name}\n"
        if schema.get("description"):
            yield " ".join(schema["description"].split()) + "\n"
        if "enum" in schema:
            yield ", ".join(f"`{word}`" for word in schema["enum"]) + "\n"
        if schema.get("properties"):
            yield from _table(("field", "what it is", "type", "for example"))
            for field, said in schema["properties"].items():
                needed = "" if field in schema.get("required", []) else " (optional)"
                shown = said.get("examples", [""])[0]
                yield _row((f"`{field}`{needed}", said.get("description", ""), _type(said), _code(shown)))
            yield ""


def _type(schema: dict[str, Any]) -> str:
    """A type in words, with links to messages."""
    if "$ref" in schema:
        name = schema["$ref"].rpartition("/")[2]
        return f"[{name}](messages.md#{name.lower()})"
    for choices in ("anyOf", "oneOf"):
        if choices in schema:
            return " or ".join(dict.fromkeys(_type(one) for one in schema[choices]))
    if "enum" in schema:
        return ", ".join(f"`{word}`" if word else "empty" for word in schema["enum"])
    if "const" in schema:
        return f"`{schema['const']}`"
    kind = schema.get("type", "anything")
    if kind == "array":
        return f"list of {_type(schema.get('items', {}))}"
    return {"date-time": "instant", "uuid": "id", "date": "day"}.get(schema.get("format", ""), kind)


def _code(shown: Any) -> str:
    return "" if shown == "" else f"`{json.dumps(shown, ensure_ascii=False)}`"


def _json(shown: Any) -> Iterator[str]:
    yield from ["```json", json.dumps(shown, ensure_ascii=False, indent=2), "```", ""]


def _table(heads: tuple[str, ...]) -> Iterator[str]:
    yield _row(heads)
    yield _row(("---",) * len(heads))


def _row(cells: tuple[str, ...]) -> str:
    return "| " + " | ".join(" ".join(cell.replace("|", "\\|").split()) for cell in cells) + " |"


def _client() -> Iterator[str]:
    yield "# The client library\n"
    yield (inspect.getdoc(Client) or "") + "\n"
    yield "`AsyncClient` of `openlatch.client.aio` has the same methods, to be awaited. What is meant by `wire` are the"
    yield "models of `openlatch.wire.messages`, field by field in [messages](api/messages.md).\n"
    for name, method in inspect.getmembers(Client, inspect.isfunction):
        if not name.startswith("_"):
            signature = str(inspect.signature(method)).replace("'", "").replace("(self, ", "(").replace("(self)", "()")
            yield f"## {name}\n\n```python\nclient.{name}{signature}\n```\n"
            yield (inspect.getdoc(method) or "") + "\n"
