"""Libraries that take long to load, loaded when something of theirs is first used.

So that nobody who looks at a version, completes a name or answers one request pays for spreadsheets and columns. For
the type checker, import the library as usual under TYPE_CHECKING, and let its name be this otherwise.
"""

from __future__ import annotations

import ast
import importlib
import sys
from collections.abc import Callable
from functools import cache
from types import ModuleType
from typing import Any

__all__ = ["deferred", "from_where"]


class _Deferred(ModuleType):
    """Stands for a module, and becomes it at the first look."""

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        value = getattr(importlib.import_module(self.__name__), name)
        setattr(self, name, value)
        return value


def deferred(name: str) -> Any:
    """Return what stands for the module of that name until it is used."""
    return _Deferred(name)


def from_where(package: str) -> Callable[[str], Any]:
    """Return the `__getattr__` of a package that imports names from where they are under TYPE_CHECKING only.

    A name is taken from where that import says, when it is first used.
    """

    @cache
    def homes() -> dict[str, str]:
        loader: Any = sys.modules[package].__loader__
        imports = [node for node in ast.walk(ast.parse(loader.get_source(package))) if isinstance(node, ast.ImportFrom)]
        return {name.name: node.module for node in imports for name in node.names if node.module}

    def find(name: str) -> Any:
        home = homes().get(name, "")
        if not home.startswith("openlatch."):
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        value = getattr(importlib.import_module(home), name)
        setattr(sys.modules[package], name, value)
        return value

    return find
