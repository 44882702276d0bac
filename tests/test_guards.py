"""Guard rails: what the house is built on, and would otherwise be broken without anyone noticing."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from openlatch import words
from openlatch.web.routes import ALL
from openlatch.wiring import Settings

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "openlatch"
CONSOLE = ROOT / "console" / "src"
DOCUMENTS = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs" / "guide").glob("*.md")]

HEAVY = {
    "adbc_driver_postgresql",
    "alembic",
    "email_validator",
    "icalendar",
    "openpyxl",
    "paramiko",
    "polars",
    "procrastinate",
    "pyarrow",
    "weasyprint",
    "zxcvbn",
}
"""What is loaded by what needs it, and by nothing else."""


@pytest.mark.parametrize(
    ("started", "without"),
    [
        ("openlatch.wiring", HEAVY | {"flask", "openlatch.web", "openlatch.jobs"}),
        ("openlatch.web", HEAVY),
        ("openlatch.jobs", HEAVY - {"procrastinate"} | {"flask"}),
        ("openlatch.cli", {"httpx", "pydantic", "rich", "openlatch.client", "openlatch.wire"}),
        ("openlatch.cli.inventory.entry", HEAVY | {"flask", "sqlalchemy", "openlatch.wire.reviews.reviews"}),
    ],
)
def test_a_start_loads_nothing_heavy_that_it_does_not_need(started: str, without: set[str]) -> None:
    code = f"import {started}, sys; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True).stdout.split()
    assert set(loaded) & without == set()


# Words: each is declared once, and the console names them as it does

WORDS = {frozenset(value.value for value in getattr(words, name)): name for name in words.__all__}
APART = frozenset({"entry", "account", "party"})
"""What is also a field here and there."""


def lists_of_words(path: Path) -> Iterator[tuple[int, frozenset[str]]]:
    """Every list of texts in a source file, and the line that it begins in."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, (ast.Tuple, ast.List, ast.Set)):
            texts = [elt.value for elt in node.elts if isinstance(elt, ast.Constant) and isinstance(elt.value, str)]
            if len(texts) == len(node.elts):
                yield node.lineno, frozenset(texts)


def test_no_list_of_words_is_written_a_second_time() -> None:
    again = [
        f"{path.relative_to(SOURCE)}:{line} lists what `words.{WORDS[texts]}` declares"
        for path in sorted(SOURCE.rglob("*.py"))
        if path.name != "words.py" and "migrations" not in path.parts and "simulator" not in path.parts
        for line, texts in lists_of_words(path)
        if texts in WORDS and texts != APART
    ]
    assert again == []


def test_no_message_is_called_as_a_word_is() -> None:
    """The description of the API would know only one of the two."""
    named = {message for module in (SOURCE / "wire").rglob("*.py") for message in classes(module)}
    assert named & set(words.__all__) == set()


def classes(path: Path) -> list[str]:
    return [node.name for node in ast.parse(path.read_text()).body if isinstance(node, ast.ClassDef)]


def test_the_console_writes_no_list_of_words_a_second_time() -> None:
    again = [
        f"{path.relative_to(CONSOLE)} lists what `words.{WORDS[found]}` declares"
        for path in sorted(CONSOLE.rglob("*"))
        if path.suffix in (".ts", ".vue") and path.parent.name != "api" and ".test." not in path.name
        for texts in re.findall(r"\[([^\[\]]*)\]", path.read_text())
        if (found := frozenset(re.findall(r'"([^"]*)"', texts))) in WORDS and found != APART
    ]
    assert again == []


# The console's kit: one table, one scale of sizes

OWN_TABLES = {"DataTable", "ImportSheet", "PartyPage", "ProviderLevels", "RiskLines", "AccountRisk"}
"""What is laid out as a table of its own: a matrix, a sheet, one with axes, one that is edited in place, and sums."""


def test_the_console_lays_out_tables_in_one_place_and_text_by_one_scale() -> None:
    pages = {path.stem: path.read_text() for path in CONSOLE.rglob("*.vue")}
    assert {name for name, text in pages.items() if "<table" in text} == OWN_TABLES
    assert [name for name, text in pages.items() if re.search(r"text-\[[0-9.]+px\]|font-size: *[0-9]", text)] == []


# Calls that can be read


def test_no_call_has_more_than_six_positional_arguments() -> None:
    crowded = [
        f"{path.relative_to(SOURCE)}:{node.lineno}"
        for path in SOURCE.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Call) and sum(not isinstance(arg, ast.Starred) for arg in node.args) > 6
    ]
    assert crowded == []


def named_queries(tree: ast.AST) -> set[str]:
    """The variables of a module that hold a query."""
    return {
        name.id
        for node in ast.walk(tree)
        if isinstance(node, ast.Assign) and ast.unparse(node.value).startswith("select(")
        for name in node.targets
        if isinstance(name, ast.Name)
    }


def of_any_length(value: ast.expr, queries: set[str]) -> bool:
    """Whether a list may be as long as an inventory: no query, no constant, no words."""
    written = ast.unparse(value)
    words_of_it = isinstance(value, ast.ListComp) and isinstance(value.elt, ast.Attribute) and value.elt.attr == "value"
    fixed = isinstance(value, ast.Tuple | ast.List) or written.lstrip("_").isupper()
    return not (words_of_it or fixed or written in queries or written.startswith("select("))


def test_no_statement_has_a_parameter_for_each_of_many() -> None:
    """A statement has 65,535 at most: a list that grows with an inventory is one parameter, `== func.any(list)`."""
    many = []
    for path in sorted((SOURCE / "store").rglob("*.py")):
        tree = ast.parse(path.read_text())
        queries = named_queries(tree)
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and getattr(node.func, "attr", "") in {"in_", "not_in", "notin_"}:
                many += [f"{path.name}:{node.lineno}" for value in node.args if of_any_length(value, queries)]
    assert not many


def test_hardly_anything_is_laid_out_by_hand() -> None:
    """A call or a table that the formatter would take apart is too wide; a few tables of data are."""
    by_hand = [
        line for path in (ROOT / "src").rglob("*.py") for line in path.read_text().splitlines() if "fmt: " in line
    ]
    assert len(by_hand) < 10, by_hand


# What several features share

GATHERS = {"store/transaction.py", "store/secrets.py", "web/routes.py", "cli/local.py"}
"""What puts features together, and so knows them: the store, the routes, and the demo."""


@pytest.mark.parametrize("layer", ["cli", "core", "operations", "store", "web"])
def test_what_features_share_knows_none_of_them(layer: str) -> None:
    features = {path.name for path in (SOURCE / layer).iterdir() if (path / "__init__.py").exists()} - {"migrations"}
    assert features, "the layer has features"
    taken = [
        f"{path.name} imports {node.module}"
        for path in (SOURCE / layer).glob("*.py")
        if f"{layer}/{path.name}" not in GATHERS
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(f"openlatch.{layer}.")
        if (node.module or "").split(".")[2] in features
    ]
    assert taken == []


# Documents name only what there is


def codes(path: Path) -> set[str]:
    """What stands in backquotes in a document."""
    return set(re.findall(r"`([^`\n]+)`", path.read_text()))


def there_is(dotted: str) -> bool:
    """Whether a module, or what is named in one, is there."""
    path, parts = SOURCE, dotted.removeprefix("openlatch.").split(".")
    for place, part in enumerate(parts):
        if (path / part).is_dir():
            path = path / part
        elif (path / f"{part}.py").exists():
            names = parts[place + 1 :]
            return not names or bool(re.search(rf"^(class|def) {names[0]}\b", (path / f"{part}.py").read_text(), re.M))
        else:
            return False
    return True


LAYERS = "core|store|operations|jobs|web|wire|client|cli|connectors|simulator|demo|local"


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: path.name)
def test_a_document_names_only_what_can_be_imported(path: Path) -> None:
    named = {code for code in codes(path) if re.fullmatch(rf"(openlatch|{LAYERS})(\.\w+)+", code)}
    wrong = {code for code in named if not code.endswith((".py", ".toml", ".md")) and not there_is(code)}
    assert wrong == set()


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: path.name)
def test_what_is_drawn_in_a_document_is_there(path: Path) -> None:
    drawn = re.findall(r'\["([\w/]+\.py)"\]', path.read_text())
    assert [value for value in drawn if not (SOURCE / value).exists()] == []


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: path.name)
def test_a_document_names_only_files_modules_settings_and_routes_that_there_are(path: Path) -> None:
    routes = {re.sub(r"<[^>]+>", "ID", route.rule) for routes in ALL for route in routes.all}
    settings = {f"OPENLATCH_{name.upper()}" for name in Settings.model_fields}
    elsewhere = {"OPENLATCH_SERVER", "OPENLATCH_TOKEN", "OPENLATCH_SIGN_IN", "OPENLATCH_FUZZ"}
    wrong = []
    for code in codes(path):
        for setting in re.findall(r"OPENLATCH_[A-Z_]+[A-Z]", code):
            if setting not in settings | elsewhere:
                wrong.append(setting)
        route = re.fullmatch(r"(GET|POST|PUT|DELETE) (/[\w/.-]+)", code)
        if route and re.sub(r"\b[A-Z]{2,}\b", "ID", route[2].removeprefix("/api/v1")) not in routes:
            wrong.append(code)
        if re.fullmatch(r"[\w./-]+/[\w.-]+\.(py|md|ts|vue|toml|json|sh)", code):
            places = (ROOT, path.parent, SOURCE, CONSOLE)
            if not any((place / code).exists() for place in places):
                wrong.append(code)
        layer = re.fullmatch(rf"({LAYERS})/([a-z_/]+)", code)
        if layer and not any((SOURCE / f"{code.rstrip('/')}{end}").exists() for end in ("", ".py")):
            wrong.append(code)
    assert wrong == []


def test_every_threat_names_a_test_that_is_there() -> None:
    rows = [line for line in (ROOT / "docs/guide/threats.md").read_text().splitlines() if line.startswith("| ")]
    named = [re.findall(r"`(tests/[^`]+)` \|$", row) for row in rows if not row.startswith(("| threat", "| ---"))]
    assert len(named) > 20
    assert all(len(one) == 1 for one in named), "each has one"
    assert [path for (path,) in named if not (ROOT / path).exists()] == []
