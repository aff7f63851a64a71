"""The structure that ARCHITECTURE.md promises: imports, purity, sizes, locks without hosts."""

import ast
import importlib.util
import re
import subprocess
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src" / "nexorem"
LAYERS = ["core", "disk", "sql", "package", "gather", "export", "store", "work", "server", "cli"]  # each may import those before it
INSIDE_CORE = [
    "words",
    "diagnostics",
    "limits",
    "numbering",
    "values",
    "columns",
    "sorting",
    "formats",
    "fits",
    "results",
    "kept",
    "functions",
    "model",
    "language",
    "plan",
    "engine",
    "design",
    "checks",
    "lint",
]
IMPURE = {
    "flask",
    "sqlalchemy",
    "psycopg",
    "pyarrow",
    "os",
    "io",
    "time",
    "pathlib",
    "random",
    "socket",
    "subprocess",
    "openpyxl",
    "pydantic",
    "threading",
}
ALLOWED = {
    ("core/model/derived.py", "threading"),  # locks, for a star is shared between requests
    ("core/kept.py", "threading"),
    ("core/fits.py", "pydantic"),  # the one library that reads JSON as types; it touches nothing outside
    ("core/model/specs.py", "pydantic"),
    ("core/model/check_specs.py", "pydantic"),
}


def imports(path):
    """The names that a file imports."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (a.name for a in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module


def listed(*patterns):
    """The files git tracks or would track."""
    done = subprocess.run(
        ["git", "ls-files", "-co", "--exclude-standard", "--", *patterns], cwd=ROOT, capture_output=True, text=True, check=True
    )
    return [ROOT / name for name in done.stdout.splitlines() if (ROOT / name).is_file()]


class Structure(unittest.TestCase):
    def test_imports_never_run_back(self):
        checked = 0
        for path in SOURCE.rglob("*.py"):
            place = path.relative_to(SOURCE)
            layer = place.parts[0]
            for name in imports(path):
                parts = name.split(".")
                if layer not in LAYERS or parts[0] != "nexorem" or len(parts) < 2:
                    continue
                checked += 1
                self.assertLessEqual(LAYERS.index(parts[1]), LAYERS.index(layer), f"{place} imports {name}")
                if layer == parts[1] == "core" and len(place.parts) > 2:
                    mine, theirs = INSIDE_CORE.index(place.parts[1]), INSIDE_CORE.index(parts[2])
                    self.assertLessEqual(theirs, mine, f"{place} imports {name}")
        self.assertGreater(checked, 200)

    def test_the_core_is_pure(self):
        for path in (SOURCE / "core").rglob("*.py"):
            for name in imports(path):
                key = (str(path.relative_to(SOURCE)), name.split(".")[0])
                self.assertTrue(key[1] not in IMPURE or key in ALLOWED, f"{key[0]} imports {name}")

    def test_what_people_do_knows_neither_http_nor_sql(self):
        names = {(path.name, name) for path in (SOURCE / "work").rglob("*.py") for name in imports(path)}
        self.assertIn(("workspace.py", "nexorem.store"), names)
        self.assertEqual({(p, n) for p, n in names if n.split(".")[0] in ("flask", "spectree", "psycopg")}, set())
        # The workspace holds the engine that it was given; nobody else there knows it by name.
        self.assertEqual({p for p, n in names if n.split(".")[0] == "sqlalchemy"}, {"workspace.py"})

    def test_nothing_is_evaluated_as_code(self):
        for path in SOURCE.rglob("*.py"):
            calls = [n.func.id for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)]
            self.assertFalse({"eval", "exec", "compile", "__import__"} & set(calls), path)

    def test_files_are_of_a_size_to_be_read(self):
        for path in listed("*.py", "*.ts", "*.tsx"):
            if "generated" not in path.name:
                self.assertLessEqual(len(path.read_text().splitlines()), 500, path)

    def test_public_functions_say_what_they_do(self):
        for path in (SOURCE / "core").rglob("*.py"):
            for node in ast.parse(path.read_text()).body:
                if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                    self.assertTrue(ast.get_docstring(node), f"{path.name}: {node.name}")

    def test_locks_name_no_host(self):
        for name in ("requirements.txt", "requirements-test.txt", "web/package-lock.json", "web/types/package-lock.json"):
            self.assertNotRegex((ROOT / name).read_text(), r"https?://", name)

    def test_no_machine_path_is_committed(self):
        for path in listed("*.py", "*.ts", "*.tsx", "*.md", "*.sh", "nexorem", "run-tests"):
            self.assertIsNone(re.search(r"(?<![\w.])/(work|root|home/[a-z]+)/", path.read_text()), path)

    def test_the_pages_of_the_readme_are_there(self):
        for page in ("README.md", "ARCHITECTURE.md"):
            for target in re.findall(r"\]\(([^)#:]+)\)", (ROOT / page).read_text()):
                self.assertTrue((ROOT / target).exists(), f"{page}: {target}")

    def test_what_runs_outside_the_tests_imports_what_there_is(self):
        checked = 0
        for folder in ("bench", "tools", "demo"):
            for path in sorted((ROOT / folder).glob("*.py")):
                for node in ast.walk(ast.parse(path.read_text())):
                    if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("nexorem"):
                        module = importlib.import_module(node.module)
                        for name in (a.name for a in node.names):
                            there = hasattr(module, name) or importlib.util.find_spec(f"{node.module}.{name}") is not None
                            self.assertTrue(there, f"{path.name}: {node.module}.{name}")
                            checked += 1
        self.assertGreater(checked, 50)


if __name__ == "__main__":
    unittest.main()
