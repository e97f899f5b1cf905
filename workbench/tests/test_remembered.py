"""Designs are remembered by firm, and no more of them than is said."""

from __future__ import annotations

import json
from unittest import TestCase

from treatment.tests.example import job

from ..repository.remembered import DESIGNS, FIRMS, of_firm


class ByFirm(TestCase):
    def text(self, name: str) -> str:
        return json.dumps(job({"job": {"name": name}}))

    def test_one_firm_never_pushes_out_another(self) -> None:
        """However many jobs a firm opens, the other's design is still the one that was worked out."""
        mine = of_firm(-1).design(self.text("mine"), "2026-05-04")
        for i in range(DESIGNS + 3):
            of_firm(-2).design(self.text(f"theirs {i}"), "2026-05-04")
        self.assertIs(of_firm(-1).design(self.text("mine"), "2026-05-04"), mine)
        self.assertIsNot(of_firm(-1).design(self.text("mine"), "2026-05-05"), mine)

    def test_the_whole_has_an_end(self) -> None:
        """The firm asked for longest ago is forgotten."""
        first = of_firm(-100)
        for i in range(FIRMS):
            of_firm(-101 - i)
        self.assertIsNot(of_firm(-100), first)
