"""Make the asynchronous client from the client: the same methods, each of which is awaited.

Usage: tools/aio.py. It writes src/openlatch/client/aio.py, which nobody edits and no repository keeps.
"""

from __future__ import annotations

import ast
from pathlib import Path

CLIENT = Path(__file__).parents[1] / "src" / "openlatch" / "client"
TARGET = CLIENT / "aio.py"
LEFT_ALONE = {"__init__.py", "address.py", "wanted.py", "aio.py"}
HEAD = '"""The asynchronous client: the same methods, each of which is awaited. Made by tools/aio.py."""\n'
KEPT = {"openlatch.client.address", "openlatch.client.wanted"}
"""Modules beside the client that both clients use."""
RENAMED = {
    "Iterator": "AsyncIterator",
    "Client": "AsyncClient",
    "BaseTransport": "AsyncBaseTransport",
    "iter_bytes": "aiter_bytes",
    "__enter__": "__aenter__",
    "__exit__": "__aexit__",
}
WAITING = {"request", "read", "pause"}
"""What takes its time at the bottom of everything: a request, what is read of it, and a pause."""
LATER = {"look": "Callable[[], Awaitable[M]]", "pause": "Callable[[float], Awaitable[None]]"}
"""Parameters that are functions whose result is waited for, with what they are then."""


def made() -> str:
    """Return the text of the module."""
    trees = [ast.parse(path.read_text("utf-8")) for path in sorted(CLIENT.glob("*.py")) if path.name not in LEFT_ALONE]
    imports = [node for tree in trees for node in tree.body if isinstance(node, ast.Import | ast.ImportFrom)]
    bodies = [
        node for tree in _in_order(trees) for node in tree.body if not isinstance(node, ast.Import | ast.ImportFrom)
    ]
    bodies = [node for node in bodies if not _is_about_the_module(node)]
    _without_doubles(bodies)
    methods = {
        method.name: method
        for node in bodies
        if isinstance(node, ast.ClassDef)
        for method in node.body
        if isinstance(method, ast.FunctionDef)
    }
    iterators = {name for name, method in methods.items() if _gives(method, "Iterator")}
    waiting = _waiting(methods, iterators)
    turned = [_Turn(waiting, iterators).visit(node) for node in bodies]
    exports = ast.parse('__all__ = ["AsyncClient"]').body
    module = ast.Module(body=[*_joined(imports), *exports, *turned], type_ignores=[])
    return HEAD + "\n" + ast.unparse(ast.fix_missing_locations(module)) + "\n"


def write() -> None:
    """Write the module, unless it is there as it is to be."""
    text = made()
    if not TARGET.is_file() or TARGET.read_text("utf-8") != text:
        TARGET.write_text(text, "utf-8")


def _in_order(trees: list[ast.Module]) -> list[ast.Module]:
    """The connection first, the client last: each class after those that it is made of."""

    def place(tree: ast.Module) -> int:
        classes = {node.name for node in tree.body if isinstance(node, ast.ClassDef)}
        return 0 if "Transport" in classes else 2 if "Client" in classes else 1

    return sorted(trees, key=place)


def _without_doubles(bodies: list[ast.stmt]) -> None:
    """Raise ValueError if two modules have something of the same name: in one module one of them would be lost."""
    names = [node.name for node in bodies if isinstance(node, ast.FunctionDef | ast.ClassDef)]
    names += [t.id for node in bodies if isinstance(node, ast.Assign) for t in node.targets if isinstance(t, ast.Name)]
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise ValueError(f"Two modules of the client have the same name for something: {', '.join(twice)}. Rename one.")


def _is_about_the_module(node: ast.stmt) -> bool:
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
        return True
    return isinstance(node, ast.Assign) and any(isinstance(t, ast.Name) and t.id == "__all__" for t in node.targets)


def _joined(imports: list[ast.Import | ast.ImportFrom]) -> list[ast.stmt]:
    """All imports, each name once; without what is in this module by now."""
    plain = {alias.name for node in imports if isinstance(node, ast.Import) for alias in node.names}
    named: dict[str, set[tuple[str, str | None]]] = {"collections.abc": {("AsyncIterator", None), ("Awaitable", None)}}
    for node in imports:
        own = isinstance(node, ast.ImportFrom) and (node.module or "").startswith("openlatch.client.")
        if isinstance(node, ast.ImportFrom) and not (own and node.module not in KEPT):
            named.setdefault(node.module or "", set()).update((alias.name, alias.asname) for alias in node.names)
    named["collections.abc"].discard(("Iterator", None))
    plain = plain - {"time"} | {"asyncio"}
    lines: list[ast.stmt] = [ast.Import([ast.alias(name)]) for name in sorted(plain)]
    future = named.pop("__future__", set())
    froms = [
        ast.ImportFrom(module, [ast.alias(*name) for name in sorted(names, key=str)], 0)
        for module, names in [("__future__", future), *sorted(named.items())]
    ]
    return [*froms[:1], *lines, *froms[1:]]


def _gives(method: ast.FunctionDef, kind: str) -> bool:
    return method.returns is not None and ast.unparse(method.returns).startswith(f"{kind}[")


def _waiting(methods: dict[str, ast.FunctionDef], iterators: set[str]) -> set[str]:
    """The methods that take their time: those that call what does, or go through what comes piece by piece."""
    waiting = set(WAITING)
    while True:
        more = {
            name
            for name, method in methods.items()
            if name not in waiting | iterators and _calls(method) & (waiting | iterators)
        }
        if not more:
            return waiting
        waiting |= more


def _calls(method: ast.FunctionDef) -> set[str]:
    return {
        node.func.attr
        for node in ast.walk(method)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and _own(node.func.value)
    }


def _own(node: ast.expr) -> bool:
    """Whether something is the client itself, its connection, or an answer that is read piece by piece."""
    return ast.unparse(node) in {"self", "self._http", "answer", "nobody"}


class _Turn(ast.NodeTransformer):
    """A class of the client, turned into one whose methods are awaited."""

    def __init__(self, waiting: set[str], iterators: set[str]) -> None:
        self.waiting = waiting
        self.iterators = iterators
        self.inside = False
        """whether it is within a class: what is beside one takes no time"""

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        for arg in [*node.args.args, *node.args.kwonlyargs]:
            if arg.arg in LATER:
                arg.annotation = ast.parse(LATER[arg.arg], mode="eval").body
        gives_pieces = node.name in self.iterators
        goes_through = any(isinstance(one, ast.Yield | ast.YieldFrom) for one in ast.walk(node))
        self.generic_visit(node)
        node.name = RENAMED.get(node.name, node.name)
        takes_time = node.name in self.waiting or goes_through or node.name in {"__aenter__", "__aexit__", "close"}
        if not self.inside or (gives_pieces and not goes_through) or not takes_time:
            return node
        return ast.AsyncFunctionDef(**{field: getattr(node, field) for field in node._fields})

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        self.inside = True
        self.generic_visit(node)
        self.inside = False
        node.name = RENAMED.get(node.name, node.name)
        return node

    def visit_Lambda(self, node: ast.Lambda) -> ast.AST:
        return node  # what it gives is waited for by whoever calls it

    def visit_Name(self, node: ast.Name) -> ast.AST:
        return ast.Name(RENAMED.get(node.id, node.id), node.ctx)

    def visit_Attribute(self, node: ast.Attribute) -> ast.AST:
        self.generic_visit(node)
        if ast.unparse(node) == "time.sleep":
            return ast.parse("asyncio.sleep", mode="eval").body
        return ast.Attribute(node.value, RENAMED.get(node.attr, node.attr), node.ctx)

    def visit_Call(self, node: ast.Call) -> ast.AST:
        joins = isinstance(node.func, ast.Attribute) and node.func.attr == "join"
        lists = isinstance(node.func, ast.Name) and node.func.id == "list"
        if (joins or lists) and node.args and self._comes_in_pieces(node.args[0]):
            every = ast.comprehension(ast.Name("piece", ast.Store()), self.visit(node.args[0]), [], 1)
            pieces = ast.ListComp(ast.Name("piece", ast.Load()), [every])
            return pieces if lists else ast.Call(node.func, [pieces], [])
        waits = isinstance(node.func, ast.Name) and node.func.id in LATER
        if isinstance(node.func, ast.Attribute):
            name = node.func.attr
            waits = name in self.waiting and _own(node.func.value)
            if name == "read":
                node.func.attr = "aread"
            if ast.unparse(node.func) == "self._http.close":
                node.func.attr, waits = "aclose", True
            elif ast.unparse(node.func) == "self.close":
                waits = True
        self.generic_visit(node)
        return ast.Await(node) if waits else node

    def visit_With(self, node: ast.With) -> ast.AST:
        self.generic_visit(node)
        return ast.AsyncWith(node.items, node.body)

    def visit_For(self, node: ast.For) -> ast.AST:
        pieces = self._comes_in_pieces(node.iter)
        self.generic_visit(node)
        return ast.AsyncFor(node.target, node.iter, node.body, node.orelse) if pieces else node

    def visit_comprehension(self, node: ast.comprehension) -> ast.AST:
        node.is_async = int(self._comes_in_pieces(node.iter))
        self.generic_visit(node)
        return node

    def visit_Expr(self, node: ast.Expr) -> ast.AST:
        if isinstance(node.value, ast.YieldFrom):
            one = ast.Name("piece", ast.Load())
            body: list[ast.stmt] = [ast.Expr(ast.Yield(one))]
            return ast.AsyncFor(ast.Name("piece", ast.Store()), self.visit(node.value.value), body, [])
        self.generic_visit(node)
        return node

    def _comes_in_pieces(self, node: ast.expr) -> bool:
        return (
            isinstance(node, ast.Call)
            and isinstance(node.func, ast.Attribute)
            and (node.func.attr in self.iterators or node.func.attr == "iter_bytes")
        )


if __name__ == "__main__":
    write()
