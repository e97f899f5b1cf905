"""The golden designs come out today as they were looked at."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..treatments import ROOMS
from . import golden
from .fuzz import TIMES


class Golden:
    """A share of the golden designs; in two classes, so that two processes can work them."""

    share = 0

    def test_every_golden_design_comes_out_as_it_was_looked_at(self: Any) -> None:
        """Water, sizes, workings, findings, upkeep of each, to six digits; of every third the whole document, of all in ``./cairn fuzz``.

        ``./cairn golden`` shows what differs in any of them.
        """
        for number, row in enumerate(golden.frozen()[self.share :: 2]):
            with self.subTest(row["name"]):
                whole = number % 3 == 0 or TIMES
                was = row["design"] if whole else {name: row["design"][name] for name in golden.OF_THE_TRAIN}
                now = golden.worked(row["job"]) if whole else golden.worked_train(row["job"])
                found = list(golden.differences(golden.wordless(was), golden.wordless(now)))
                self.assertEqual(found[:3], [], "more than words differs")
                self.assertEqual([*golden.differences(was, now)][:3], [])


class FirstHalf(Golden, TestCase):
    share = 0


class SecondHalf(Golden, TestCase):
    share = 1


class WhatTheyHold(TestCase):
    def test_they_are_varied_and_small(self) -> None:
        """Sixty-eight jobs in which every treatment stands somewhere, under a megabyte."""
        rows = golden.frozen()
        self.assertEqual(len(rows), 68)
        self.assertEqual(golden.kinds_met(rows), set(ROOMS))
        self.assertLess(golden.PACKED.stat().st_size, 1_000_000)

    def test_what_serves_a_stage_goes_with_it(self) -> None:
        """A retention tank stands only behind a feed, or where the water came with an oxidant."""
        for row in golden.frozen():
            design = row["design"].get("proposal", row["design"])
            order = [stage["kind"] for stage in design["train"]]
            if "retention_tank" in order and "chlor" not in str(row["job"]["source"]):
                self.assertIn("chemical_feed", order[: order.index("retention_tank")], row["name"])

    def test_words_may_be_taken_out(self) -> None:
        """Sentences go, however many; figures, units, ids and their order stay."""
        was = {"id": "uv", "title": "UV lamp", "do": ["New lamp", "Label"], "dose": {"value": 40.0, "unit": "mJ/cm2"}}
        self.assertEqual(golden.wordless(was), {"id": "uv", "title": "…", "do": "…", "dose": {"value": 40.0, "unit": "mJ/cm2"}})
        self.assertEqual(golden.wordless(was), golden.wordless(was | {"title": "UV unit", "do": ["Replace the lamp"]}))
        self.assertNotEqual(golden.wordless(was), golden.wordless(was | {"dose": {"value": 41.0, "unit": "mJ/cm2"}}))

    def test_a_difference_is_found_wherever_it_lies(self) -> None:
        """A number off in the sixth digit, a finding more, a stage gone: each is told with its place."""
        was = {"train": [{"id": "uv", "dose": 40.0}], "findings": ["a"]}
        for now, place in (
            ({"train": [{"id": "uv", "dose": 40.001}], "findings": ["a"]}, ".train[uv].dose"),
            ({"train": [{"id": "uv", "dose": 40.0}], "findings": ["a", "b"]}, ".findings[1]"),
            ({"train": [], "findings": ["a"]}, ".train[uv]"),
        ):
            self.assertEqual([path for path, _, _ in golden.differences(was, now)], [place])
        self.assertEqual(list(golden.differences(was, {"train": [{"id": "uv", "dose": 40.00001}], "findings": ["a"]})), [])
