"""Marks stand with their treatment, each with its unit and its reason, and are read where it is."""

from __future__ import annotations

import re
from pathlib import Path
from unittest import TestCase

from ..language.tables import table
from ..train.marks import mark, marked
from ..treatments import ROOMS

CORE = Path(__file__).resolve().parents[1]
#: what is no treatment's own: what several have in common, and the place
SHARED = {"bed", "pump", "house", "meter", "log"}


class Marks(TestCase):
    def used(self) -> set[tuple[str, str]]:
        """Every mark that the code names."""
        code = "".join(path.read_text() for path in CORE.rglob("*.py") if "tests" not in path.parts)
        return set(re.findall(r'mark(?:ed)?\("(\w+)", "(\w+)"\)', code)) | {("uv", "intensity_new"), ("uv", "intensity_old"), ("uv", "lamp_past")}

    def test_each_has_its_unit_and_its_reason(self) -> None:
        for of, rows in table("marks").items():
            self.assertIn(of, {*ROOMS, *SHARED})
            for name, row in rows.items():
                value, unit, why = row
                self.assertIsInstance(value, (int, float), name)
                self.assertTrue(unit and len(why) > 10, f"{of}.{name}")

    def test_each_is_read_and_none_is_missing(self) -> None:
        """But those that a series calls for by its own name."""
        stand = {(of, name) for of, rows in table("marks").items() for name in rows}
        own = {(of, name) for name, of in table("upkeep")["called"]["own"].items()}
        self.assertEqual(self.used() - stand, set())
        self.assertEqual(stand - self.used() - own, set())

    def test_by_hand(self) -> None:
        """10 psi are 68.95 kPa; a lamp's 9000 h."""
        self.assertEqual(marked("bed", "drop"), (68.95, "kPa"))
        self.assertEqual(mark("uv", "lamp_life"), 9000)
        self.assertRaises(KeyError, mark, "softener", "lamp_life")
