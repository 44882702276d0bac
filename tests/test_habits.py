"""The habits of this project that a machine can check: documents that are current, names that are public."""

from __future__ import annotations

import ast
import importlib.util
import re
import shutil
import subprocess
from pathlib import Path

import pytest

from openlatch.core.people.roles import OPERATIONS

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src"
MODULES = sorted(p for p in SOURCE.rglob("*.py") if "migrations" not in p.parts)


def load(path: Path):  # type: ignore[no-untyped-def]
    spec = importlib.util.spec_from_file_location(path.stem, path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def module_name(path: Path) -> str:
    parts = path.relative_to(SOURCE).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def declared(path: Path) -> set[str] | None:
    """The names in a module's __all__, read without running it."""
    for node in ast.parse(path.read_text()).body:
        names = (
            node.targets if isinstance(node, ast.Assign) else [node.target] if isinstance(node, ast.AnnAssign) else []
        )
        if any(isinstance(name, ast.Name) and name.id == "__all__" for name in names):
            return set(ast.literal_eval(node.value))  # type: ignore[union-attr, arg-type]
    return None


PUBLIC = {module_name(path): declared(path) for path in MODULES}


def test_the_reference_says_what_the_code_does() -> None:
    made = load(ROOT / "docs" / "reference" / "make.py").everything()
    stale = [str(path.relative_to(ROOT)) for path, content in made if path.read_text() != content]
    assert not stale, f"run python docs/reference/make.py: {stale}"


def test_there_is_a_manual_page_for_every_noun_and_no_other() -> None:
    made = load(ROOT / "docs" / "reference" / "make.py").everything()
    pages = {path for path, _ in made if path.parent.name == "man"}
    assert pages == set((ROOT / "docs" / "man").iterdir())


@pytest.mark.skipif(shutil.which("groff") is None, reason="groff is not installed here")
@pytest.mark.parametrize("page", sorted((ROOT / "docs" / "man").iterdir()), ids=lambda page: page.name)
def test_a_manual_page_can_be_set(page: Path) -> None:
    done = subprocess.run(["groff", "-man", "-Tutf8", "-ww", page], check=True, capture_output=True, text=True)
    assert done.stderr == ""
    assert page.stem.upper() in done.stdout


def test_what_one_module_takes_from_another_is_public_there() -> None:
    private = []
    for path in MODULES:
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.ImportFrom) or not (node.module or "").startswith("openlatch"):
                continue
            names = PUBLIC.get(node.module or "")
            for alias in node.names:
                submodule = f"{node.module}.{alias.name}" in PUBLIC
                if not submodule and alias.name not in (names or set()):
                    private.append(f"{module_name(path)} takes {alias.name} from {node.module}")
    assert not private


def test_every_public_name_exists_and_every_public_function_says_what_it_does() -> None:
    wrong = []
    for path in MODULES:
        tree = ast.parse(path.read_text())
        top = {n.name: n for n in tree.body if isinstance(n, ast.FunctionDef | ast.ClassDef)}
        known = set(top) | {
            name.id if isinstance(name, ast.Name) else name.asname or name.name.split(".")[0]
            for node in ast.walk(tree)
            for name in ([node] if isinstance(node, ast.Name) else getattr(node, "names", []))
            if not isinstance(name, str)
        }
        for name in PUBLIC[module_name(path)] or set():
            if name not in known and f"{module_name(path)}.{name}" not in PUBLIC:
                wrong.append(f"{path.name}: {name} is not there")
            if (
                name in top
                and not ast.get_docstring(top[name])
                and "render" not in path.name
                and path.name != "rows.py"
            ):
                wrong.append(f"{path.name}: {name} has no docstring")
    assert not wrong


DOCUMENTS = [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md"), *(ROOT / "changes").glob("*.md")]


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: path.name)
def test_every_link_in_the_documents_leads_somewhere(path: Path) -> None:
    targets = re.findall(r"\]\(([^)#\s]+)(?:#[^)]*)?\)", path.read_text())
    broken = [t for t in targets if not t.startswith(("http", "mailto:")) and not (path.parent / t).exists()]
    assert not broken


def test_every_row_of_the_table_of_roles_is_an_operation_and_every_operation_has_its_row() -> None:
    gated = re.compile(r'^@operation\("([^"]+)"\)', re.MULTILINE)
    operations = [
        name for path in (SOURCE / "openlatch/operations").rglob("*.py") for name in gated.findall(path.read_text())
    ]
    assert sorted(operations) == sorted(OPERATIONS)


def test_no_test_starts_a_loop_where_a_browser_of_another_may_run_one() -> None:
    files = [path for path in (ROOT / "tests").rglob("*.py") if path.name not in ("loops.py", "test_habits.py")]
    assert [str(path) for path in files if "asyncio.run(" in path.read_text()] == []


def test_the_lock_files_carry_no_addresses() -> None:
    for lock in ("requirements.lock", "console/package-lock.json"):
        text = (ROOT / lock).read_text()
        assert '"resolved"' not in text
        assert "--index-url" not in text


def test_the_bill_of_materials_names_every_locked_package_with_its_hashes() -> None:
    made = load(ROOT / "tools" / "bill.py").bill()
    named = {value["purl"] for value in made["components"]}
    locked = re.findall(r"^([a-z0-9._-]+)==([^ ;\\\s]+)", (ROOT / "requirements.lock").read_text(), re.M)
    assert {f"pkg:pypi/{name}@{version}" for name, version in locked} <= named
    assert any(purl.startswith("pkg:npm/vue@") for purl in named)
    assert [value["purl"] for value in made["components"] if not value["hashes"]] == []
    assert (made["bomFormat"], made["specVersion"]) == ("CycloneDX", "1.6")
