"""Analytes with a health limit and a stricter one of comfort: the danger names the health limit, what lies between is no danger."""

from __future__ import annotations

from unittest import TestCase

from ..job.limits import limits
from ..language.analytes import analytes
from ..language.display import show
from ..language.tables import table
from .example import HARD_ONLY, job, worked

MADE_OF = {"manganese", "fluoride", "copper", "zinc", "aluminium", "nickel", "boron", "uranium", "mtbe"}


def both(standard: str) -> list[tuple[str, float, float]]:
    """Analyte, health limit, and the stricter one of comfort, for each that has both in a set."""
    highs = {health: {each.analyte: each.high for each in limits(standard) if each.health == health} for health in (True, False)}
    return [(name, high, highs[False][name]) for name, high in highs[True].items() if name in MADE_OF and highs[False].get(name, high) < high]


class TwoLimits(TestCase):
    def test_each_set(self) -> None:
        tried = 0
        for standard in table("limits"):
            for name, health, comfort in both(standard):
                unit = analytes()[name].shown_unit
                for value, endangers in ((1.5 * health, True), ((health + comfort) / 2, False)):
                    with self.subTest(standard=standard, analyte=name, value=value):
                        document = job({"job": {"standard": standard}}, readings=HARD_ONLY | {name: f"{value:.6g} {analytes()[name].unit}"}, train=[])
                        design = worked(document)
                        found = {each.rule: each for each in design.chosen.findings}
                        need = next(each for each in design.needs if each.goal == name)
                        self.assertEqual((f"health/{name}" in found, f"unmet/{name}" in found), (endangers, not endangers))
                        self.assertEqual((need.health, need.high), (endangers, comfort))
                        if endangers:
                            self.assertIn(f"the health limit is {show(health, unit, document['job']['units'])}", found[f"health/{name}"].message)
                            self.assertTrue(need.why.startswith("outside the health limit"), need.why)
                            self.assertEqual(need.as_json()["limit"]["value"], health)
                        tried += 1
        self.assertGreater(tried, 8)

    def test_what_a_train_leaves_between(self) -> None:
        """2 mg/L of manganese, of which a bed leaves 0.1 (of 0.3 and 0.05): a caution, as it would be of the source."""
        bed = {"kind": "oxidizing_filter", "medium": "greensand"}
        own = {"greensand.manganese_left": {"value": 0.05, "unit": "", "reason": "measured"}}
        found = worked(job({"working_values": own}, readings=HARD_ONLY | {"manganese": "2 mg/L"}, train=[bed])).chosen
        self.assertAlmostEqual(found.run.finished.value("manganese"), 0.1, places=3)
        self.assertEqual([each.severity for each in found.findings if each.rule in ("health/manganese", "unmet/manganese")], ["caution"])
