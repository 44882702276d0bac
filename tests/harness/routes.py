"""What each route of the API reaches, found in its source: which operations stand behind it, and so whom it lets in."""

from __future__ import annotations

import ast
import inspect
import textwrap
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

from openlatch.core.people.roles import OPERATIONS
from openlatch.operations.call import GATED
from openlatch.web.api import Route
from openlatch.web.routes import ALL
from openlatch.words import Role

ROUTES: list[Route] = [route for routes in ALL for route in routes.all]
NAMES = {function: name for name, function in GATED.items()}


def operations_of(route: Route) -> set[str]:
    """The operations that a route can call, itself or through functions of the web layer that it calls."""
    return set(_reached(route.function, set())) | (set(_reached(route.asks, set())) if route.asks else set())


def roles_of(route: Route) -> set[Role]:
    """The roles that reach at least one of a route's operations."""
    return {role for name in operations_of(route) for role in OPERATIONS[name].roles}


def _reached(function: Callable[..., Any], seen: set[object]) -> Iterator[str]:
    if function in seen:
        return
    seen.add(function)
    for value in _used(function):
        if value in NAMES:
            yield NAMES[value]
        elif inspect.isfunction(value) and value.__module__.startswith("openlatch.web"):
            yield from _reached(value, seen)


@cache
def _used(function: Callable[..., Any]) -> tuple[Any, ...]:
    """Everything that the source of a function names, as far as it is something of its module."""
    tree = ast.parse(textwrap.dedent(inspect.getsource(function)))
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name):
            owner = function.__globals__.get(node.value.id)
            found.append(getattr(owner, node.attr, None) if inspect.ismodule(owner) else None)
        elif isinstance(node, ast.Name):
            found.append(function.__globals__.get(node.id))
    return tuple(value for value in found if callable(value) and _hashable(value))


def _hashable(value: object) -> bool:
    try:
        hash(value)
    except TypeError:
        return False
    return True
