"""The shape of the house: arrows one way, no framework in the core, every formula documented."""

from __future__ import annotations

import ast
import inspect
import re
from importlib import import_module
from pathlib import Path
from unittest import TestCase

from .. import beds, carbonate, demand, hydraulics
from ..figure import source
from ..stages import ROOMS
from ..tables import DATA, table

CORE = Path(__file__).resolve().parents[1]
#: lower layers first; a module may import only from its own line or above
LAYERS = (
    ("errors", "tables"), ("quantity",), ("analytes",), ("reading", "figure", "display"), ("spec", "report", "kits"), ("working",), ("job", "feed_limits"), ("carbonate", "limits"), ("kinetics",), ("water",),
    ("samples",), ("evidence",), ("verdict",), ("pump",), ("demand", "hydraulics"), ("beds", "duty", "needs"), ("rules", "events", "rain"), ("stages",), ("train",), ("audit",), ("checks", "planner", "job_file"), ("repair", "compare", "shelf"),
    ("symptoms",), ("design",), ("next_tests",), ("drawing",), ("materials",), ("design_file", "flows"), ("cli",),
)  # fmt: skip


def imports_of(path: Path) -> set[str]:
    """Core modules a file imports when it is loaded (imports for type checking or inside functions left out)."""
    found = set()
    for node in ast.parse(path.read_text()).body:
        if isinstance(node, ast.ImportFrom) and node.level:
            depth = node.level - (2 if path.parent != CORE else 1)
            if depth == 0 and node.module:
                found.add(node.module.split(".")[0])
            elif depth == 0:
                found |= {alias.name for alias in node.names}
    return found


class Arrows(TestCase):
    def test_imports_point_one_way(self) -> None:
        """Each module imports only from its own layer or a lower one."""
        rank = {name: i for i, layer in enumerate(LAYERS) for name in layer}
        for path in [*CORE.glob("*.py"), *CORE.glob("stages/*.py"), *CORE.glob("drawing/*.py"), *CORE.glob("checks/*.py")]:
            name = path.parent.name if path.parent != CORE else path.stem
            if path.stem == "__init__" and path.parent == CORE:
                continue
            self.assertIn(name, rank, f"{path.name} has no layer: add it to LAYERS")
            for used in imports_of(path):
                if used in rank:
                    self.assertLessEqual(rank[used], rank[name], f"{path.name} imports {used}")

    def test_the_core_knows_no_framework_and_no_clock(self) -> None:
        """Standard library and a hydraulics library only; the time of day is the caller's business."""
        for path in CORE.rglob("*.py"):
            if "tests" in path.parts:
                continue
            text = path.read_text()
            self.assertNotRegex(text, r"(?m)^\s*(from|import) (django|workbench|numpy|pint|requests)\b", path.name)
            if path.stem != "cli":
                self.assertNotRegex(text, r"date\.today|datetime\.now|time\.time\(", path.name)


class Knowledge(TestCase):
    def test_every_source_named_exists(self) -> None:
        """No citation points nowhere."""
        named = set()
        sections = "|".join(table("sources"))
        for path in (path for path in CORE.rglob("*.py") if "tests" not in path.parts):
            named |= set(re.findall(rf'"((?:{sections})\.[a-z0-9_]+)"', path.read_text()))
        self.assertGreater(len(named), 40)
        for key in sorted(named):
            self.assertTrue(source(key), key)

    def test_no_working_value_lies_idle(self) -> None:
        """Every value of the working table is read somewhere, by its name or by a name made of two parts."""
        code = "".join(path.read_text() for path in CORE.rglob("*.py") if "tests" not in path.parts)
        made = re.findall(r'f"\{[^}]*\}(_[a-z]+)"', code)
        for section, rows in table("stages").items():
            for name in rows:
                read = f'"{name}"' in code or any(name.endswith(end) for end in made)
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


class Rooms(TestCase):
    def test_every_room_keeps_the_contract(self) -> None:
        """Each treatment has a title, a shape, cautions, keys with a word of explanation, and a module of its own."""
        for kind, room in ROOMS.items():
            self.assertEqual(room.kind, kind)
            self.assertTrue(room.title and room.silhouette and room.cautions, kind)
            module = import_module(type(room).__module__)
            self.assertEqual(module.__name__.rsplit(".", 1)[1], kind)
            self.assertTrue(module.__doc__)
