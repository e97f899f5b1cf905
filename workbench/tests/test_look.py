"""What the core names for drawings exists in styles and templates: a colour, a pattern, a bed, a role without a rule would be drawn black."""

from __future__ import annotations

import re
from pathlib import Path
from unittest import TestCase

from django.conf import settings
from django.template.loader import get_template

from treatment.audit.rules import SEVERITIES
from treatment.house.beds import medium
from treatment.language.analytes import analytes
from treatment.language.tables import table

BUILT = (Path(settings.BASE_DIR) / "static" / "built" / "app.css").read_text()


class EveryNameIsDrawn(TestCase):
    def test_colours_and_patterns_of_the_analytes(self) -> None:
        """Each colour has its rules for ribbon and bar, each pattern its definition; analytes drawn together differ."""
        patterns = set(re.findall(r'id="t-([a-z]+)"', Path(get_template("trains/_patterns.html").origin.name).read_text()))
        for analyte in analytes().values():
            self.assertTrue(f".c-{analyte.colour}" in BUILT, analyte.key)
            self.assertTrue(f".k-fill-{analyte.colour}" in BUILT, analyte.key)
            self.assertIn(analyte.pattern, patterns | {"plain"}, analyte.key)
        ions = ("calcium", "magnesium", "sodium", "alkalinity", "chloride", "sulfate", "nitrate")
        self.assertEqual(len({(analytes()[name].colour, analytes()[name].pattern) for name in ions}), len(ions))

    def test_beds_and_severities(self) -> None:
        """Each medium of the tables has its fill; each severity its mark."""
        for key in table("media"):
            if isinstance(table("media")[key], dict):
                self.assertTrue(f".bed-{medium(key).key.replace('_', '-')}" in BUILT, key)
        for severity in SEVERITIES:
            self.assertTrue(f".sev-{severity}" in BUILT, severity)

    def test_no_template_line_is_too_long_to_read(self) -> None:
        """The formatter cannot break a Django tag: what is longer than 160 signs is split by hand, or becomes a partial."""
        templates = [path for path in (Path(settings.BASE_DIR) / "workbench" / "templates").rglob("*.*") if path.suffix in (".html", ".svg")]
        self.assertGreater(len(templates), 60)
        long = [f"{path.name}:{number}" for path in templates for number, line in enumerate(path.read_text().splitlines(), 1) if len(line) > 160]
        self.assertEqual(long, [])
