"""The shape of the web: records below, features above; no ring, no arrow up, no feature that knows another."""

from __future__ import annotations

import ast
import importlib
import importlib.util
import re
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

WEB = Path(__file__).resolve().parents[1]
#: lower layers first. plain: single modules that know no table; records to pages: what the features share
LAYERS = ("plain", "records", "repository", "usecases", "pages", "features", "doors")
SHARED = ("records", "repository", "usecases", "pages")
FEATURES = ("accounts", "catalogues", "jobs", "samples", "supplies", "trains", "walls", "starts", "logs", "years", "issues", "customers")


def modules() -> dict[str, Path]:
    """Every module of the web by its dotted name below ``workbench``, but tests and migrations."""
    found = {}
    for path in WEB.rglob("*.py"):
        if {"tests", "migrations"} & set(path.parts) or path == WEB / "__init__.py":
            continue
        parts = path.relative_to(WEB).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def layer_of(name: str) -> str:
    """Where a module belongs. An application's models.py only names its tables; a command stands above all."""
    first, _, rest = name.partition(".")
    if rest.startswith("management"):
        return "doors"
    if first in FEATURES:
        return "records" if rest == "models" else "features"
    return first if first in SHARED else "plain"


def imports_of(name: str, path: Path, known: dict[str, Path]) -> Iterator[str]:
    """Modules of the web that a file imports anywhere, in a function, too."""
    package = name.split(".") if path.stem == "__init__" else name.split(".")[:-1]
    for node in ast.walk(ast.parse(path.read_text())):
        if not isinstance(node, ast.ImportFrom):
            continue
        if node.level:
            base = package[: len(package) - node.level + 1] + (node.module.split(".") if node.module else [])
        elif node.module and node.module.split(".")[0] == "workbench":
            base = node.module.split(".")[1:]
        else:
            continue
        for alias in node.names:
            whole = ".".join([*base, alias.name])
            target = whole if whole in known else ".".join(base)
            if target in known and target != name:
                yield target


class Shape(TestCase):
    def test_every_arrow_points_down(self) -> None:
        """From a layer to itself or to one below it; from a feature to itself, never to another."""
        known = modules()
        for name, path in known.items():
            for used in imports_of(name, path, known):
                self.assertLessEqual(LAYERS.index(layer_of(used)), LAYERS.index(layer_of(name)), f"{name} imports {used}")
                if layer_of(name) == layer_of(used) == "features":
                    self.assertEqual(name.partition(".")[0], used.partition(".")[0], f"{name} imports {used}")

    def test_no_ring(self) -> None:
        """Neither between modules nor between folders."""
        known = modules()
        arrows = {name: set(imports_of(name, path, known)) for name, path in known.items()}
        folders: dict[str, set[str]] = {}
        for name, used in arrows.items():
            if layer_of(name) in ("doors", "records"):
                continue
            folders.setdefault(name.partition(".")[0], set()).update(each.partition(".")[0] for each in used if layer_of(each) != "records")
        for graph in (arrows, {name: used - {name} for name, used in folders.items()}):
            left = dict(graph)
            while free := [name for name, used in left.items() if not used & set(left)]:
                for name in free:
                    del left[name]
            self.assertEqual(sorted(left), [])

    def test_every_feature_is_an_application(self) -> None:
        from vivid_cairn.settings import base

        self.assertEqual({f"workbench.{name}" for name in FEATURES}, {name for name in base.INSTALLED_APPS if name.startswith("workbench.")})
        self.assertEqual({each.name for each in WEB.iterdir() if (each / "apps.py").exists()}, set(FEATURES))

    def test_tables_are_records(self) -> None:
        """No module outside of records declares a table."""
        for name, path in modules().items():
            if layer_of(name) != "records":
                self.assertNotIn("(models.Model)", path.read_text(), name)

    def test_records_decide_nothing(self) -> None:
        """They know words of the core at most: nothing that works a job out."""
        for path in (WEB / "records").glob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("treatment"):
                    worked = ("design", "planning", "studies", "drawing", "papers", "treatments", "train", "operation", "year", "choices")
                    self.assertNotIn(node.module.split(".")[1], worked, f"{path.name} imports {node.module}")

    def test_what_scripts_ask_of_the_program_is_there(self) -> None:
        """Imports in scripts, and in the pieces of program that they hand to another process."""
        asked = re.compile(r"^\s*from ((?:workbench|treatment|intake|vivid_cairn)[\w.]*) import ([\w, ]+)", re.MULTILINE)
        for path in (WEB.parent / "scripts").rglob("*.py"):
            for module, names in asked.findall(path.read_text()):
                found = importlib.import_module(module)
                for name in (each.split(" as ")[0].strip() for each in names.split(",")):
                    there = hasattr(found, name) or importlib.util.find_spec(f"{module}.{name}") is not None
                    self.assertTrue(there, f"{path.name}: {module} has no {name}")
