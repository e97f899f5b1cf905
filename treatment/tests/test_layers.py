"""The shape of the house: arrows one way, no framework in the core, every formula documented."""

from __future__ import annotations

import ast
import inspect
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

from .. import checks, treatments
from ..audit.rules import RULES, TOPICS
from ..chemistry import carbonate
from ..house import beds, demand, hydraulics
from ..language.analytes import analytes
from ..language.figure import source
from ..language.tables import DATA, table

assert checks and treatments  # they register their rules
CORE = Path(__file__).resolve().parents[1]
#: lower layers first: a module imports from its own layer or from those before it
LAYERS = (
    "language", "chemistry", "job", "evidence", "house", "train", "audit", "wall", "treatments", "checks", "job_file", "editing", "planning", "design", "drawing", "studies",
    "commissioning", "operation", "papers", "demonstration", "cli", "commission", "diagnose", "choices", "year",
)  # fmt: skip


def modules() -> dict[str, Path]:
    """Every module of the core by its dotted name below ``treatment``; a package by its own name."""
    found = {}
    for path in CORE.rglob("*.py"):
        if "tests" in path.parts or path == CORE / "__init__.py":
            continue
        parts = path.relative_to(CORE).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def imports_of(name: str, path: Path, known: dict[str, Path]) -> Iterator[str]:
    """Core modules a file imports anywhere: at its head, inside a function, or for its types only."""
    package = name.split(".") if path.stem == "__init__" else name.split(".")[:-1]
    for node in ast.walk(ast.parse(path.read_text())):
        if not isinstance(node, ast.ImportFrom) or not node.level:
            continue
        base = package[: len(package) - node.level + 1] + (node.module.split(".") if node.module else [])
        for alias in node.names:
            whole = ".".join([*base, alias.name])
            target = whole if whole in known else ".".join(base)
            if target in known and target != name:
                yield target


#: imports every module of the core and prints the tables that are read meanwhile
SPY = """
import importlib, pkgutil, treatment
from treatment.language import tables
read = tables.table
tables.table = lambda name: print(name) or read(name)
for module in pkgutil.walk_packages(treatment.__path__, "treatment."):
    if ".tests" not in module.name and not module.name.endswith("__main__"):
        importlib.import_module(module.name)
"""


class Arrows(TestCase):
    def test_imports_point_one_way(self) -> None:
        """Each module imports only from its own layer or a lower one, whether for its types or inside a function."""
        known, rank = modules(), {name: i for i, name in enumerate(LAYERS)}
        for name, path in known.items():
            layer = name.split(".")[0]
            self.assertIn(layer, rank, f"{name} has no layer: add it to LAYERS")
            for used in imports_of(name, path, known):
                self.assertLessEqual(rank[used.split(".")[0]], rank[layer], f"{name} imports {used}")

    def test_no_table_of_equipment_or_marks_is_read_where_a_module_is_imported(self) -> None:
        """Only what never differs: constants of nature, units, the names of the analytes."""
        told = subprocess.run([sys.executable, "-c", SPY], cwd=CORE.parent, capture_output=True, text=True, check=True).stdout.split()
        self.assertEqual(set(told) - {"constants", "units", "analytes", "display"}, set())

    def test_the_rooms_of_operation_are_in_order(self) -> None:
        """Maintenance, monitoring, diagnosis, entry: each imports from those before it."""
        known, order = modules(), ("maintenance", "monitoring", "diagnosis", "entry")
        for name, path in known.items():
            if not name.startswith("operation.") or name.count(".") < 2:
                continue
            own = order.index(name.split(".")[1])
            for used in imports_of(name, path, known):
                if used.startswith("operation.") and used.count(".") >= 2:
                    self.assertLessEqual(order.index(used.split(".")[1]), own, f"{name} imports {used}")

    def test_a_class_has_its_name_alone(self) -> None:
        """No two classes of the core have one name."""
        found: dict[str, list[str]] = {}
        for name, path in modules().items():
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.ClassDef):
                    found.setdefault(node.name, []).append(name)
        self.assertEqual({name: at for name, at in found.items() if len(at) > 1}, {})

    def test_no_circle(self) -> None:
        """Modules that import nothing more fall away, one after another, until none is left."""
        known = modules()
        graph = {name: set(imports_of(name, path, known)) for name, path in known.items()}
        while leaves := [name for name, used in graph.items() if not used & graph.keys()]:
            for name in leaves:
                del graph[name]
        self.assertEqual(sorted(graph), [])

    def test_the_core_knows_no_framework_and_no_clock(self) -> None:
        """Standard library and a hydraulics library only, arrays in the year alone; the time of day is the caller's business."""
        for name, path in modules().items():
            text, arrays = path.read_text(), "" if name.startswith("year") else "|numpy"
            self.assertNotRegex(text, rf"(?m)^\s*(from|import) (django|workbench|pint|requests{arrays})\b", name)
            if path.stem != "cli":
                self.assertNotRegex(text, r"date\.today|datetime\.now|time\.time\(", name)

    def test_nobody_writes_into_another_object(self) -> None:
        """No module reaches into a ``__dict__``."""
        for name, path in modules().items():
            self.assertNotIn(".__dict__", path.read_text(), name)


class Knowledge(TestCase):
    def code(self) -> str:
        return "".join(path.read_text() for name, path in modules().items() if name != "demonstration")  # whose stories name readings

    def test_every_source_named_exists(self) -> None:
        """No citation points nowhere."""
        sections = "|".join(table("sources"))
        named = set(re.findall(rf'"((?:{sections})\.[a-z0-9_]+)"', self.code()))
        self.assertGreater(len(named), 40)
        for key in sorted(named):
            self.assertTrue(source(key), key)

    def test_no_working_value_lies_idle(self) -> None:
        """Every value of the working table is read somewhere, by its name or by a name made of two parts."""
        code = self.code()
        made = re.findall(r'f"\{[^}]*\}(_[a-z]+)"', code)
        for section, rows in table("stages").items():
            for name in rows:
                read = f'"{name}"' in code or any(name.endswith(end) for end in made) or section.startswith("hazards")
                self.assertTrue(read, f"{section}.{name}")

    def test_tables_are_as_printed(self) -> None:
        """Sums and counts of the tables, so that a slip of the finger shows."""
        plumbing = table("plumbing")
        self.assertAlmostEqual(sum(plumbing["fixture_units"].values()), 2.2 + 0.7 + 6 * 1.4 + 2.5 + 3.6)
        self.assertAlmostEqual(sum(plumbing["hunter"]["gpm"]), 844.3)
        self.assertEqual(sum(plumbing["hunter"]["units"]), 2271)
        self.assertEqual(sum(table("stages")["softener"]["capacity_gr"]), 117000)
        self.assertEqual(len(table("vessels")["sizes"]), 13)

    def test_data_files_all_load(self) -> None:
        """Every table is well-formed."""
        for path in DATA.glob("*.toml"):
            self.assertTrue(table(path.stem))

    def test_every_analyte_is_shown_somewhere(self) -> None:
        """Its row says where: an analyte that nobody would ever see is named here."""
        known = {"ribbon", "sheet", "shelf", "ions", "computed", "tap", "referred", "evidence", "plumbing", "deposits", "made"}
        self.assertEqual([name for name, row in analytes().items() if not row.places], [])
        self.assertEqual({place for row in analytes().values() for place in row.places}, known)

    def test_every_rule_has_a_topic(self) -> None:
        """So that nobody guesses by the first letters of its id what it is about; each topic has its rules."""
        self.assertEqual(set().union(*(rule.topics for rule in RULES)), set(TOPICS))
        self.assertEqual([rule.id for rule in RULES if not rule.topics], [])

    def test_every_public_formula_documents_its_arguments_with_units(self) -> None:
        """A formula that takes numbers says what they are and in which unit."""
        for module in (carbonate, demand, hydraulics, beds):
            for name, function in inspect.getmembers(module, inspect.isfunction):
                if name.startswith("_") or function.__module__ != module.__name__:
                    continue
                text = inspect.getdoc(function) or ""
                self.assertTrue(text, f"{module.__name__}.{name} has no docstring")
                takes = [p for p in inspect.signature(function).parameters.values() if p.annotation in ("float", float)]
                if takes and function.__annotations__.get("return") in ("float", float):
                    self.assertRegex(text, r"\[[^\]]+\]|table", f"{module.__name__}.{name} names no unit")


OPERATION = tuple(f"treatment/operation/{part}" for part in ("maintenance", "monitoring", "diagnosis", "entry"))


class Papers(TestCase):
    def test_every_path_a_document_names_is_there(self) -> None:
        """Paths in decisions, the handbook and the recipes are those of today."""
        root = CORE.parent
        bases = [
            root,
            *(root / part for part in ("treatment", *OPERATION, "treatment/tests", "workbench", "workbench/tests", "static/js", "docs")),
        ]
        gone = []
        for page in (*root.glob("docs/**/*.md"), root / "CONTRIBUTING.md", root / "README.md"):
            for named in re.findall(r"`([\w./-]+/[\w.-]+\.(?:py|toml|html|js|css|md|json|xz)|\w+\.py)`", page.read_text()):
                if not any((base / named).exists() for base in bases) and not named.startswith("."):
                    gone.append(f"{page.relative_to(root)}: {named}")
        self.assertEqual(gone, [])
