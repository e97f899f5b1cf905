"""Costs: a sheet by hand to the cent, replacements in their year, the rates of a company, what is refused."""

from __future__ import annotations

import copy
import json
from decimal import Decimal
from typing import Any
from unittest import TestCase

import jsonschema
from hypothesis import given
from hypothesis import strategies as st

from ..drawing.wall.compose import compose
from ..job.prices import price_keys
from ..job_file import read_job
from ..language.errors import BadDocument
from ..operation.maintenance.upkeep import upkeep
from ..papers.costs import FIRST, REPLACED, YEARLY, Costs, choice, costs
from ..papers.design_file import design_document
from ..papers.design_schema import design_schema
from ..papers.materials import materials, total
from .example import job, worked
from .fuzz import fuzz
from .golden import frozen

WELL = [
    {"kind": "neutralizer", "id": "stone"},
    {"kind": "softener", "id": "soft"},
    {"kind": "sediment", "id": "fine", "micron": "5 um"},
    {"kind": "uv", "id": "lamp"},
]
FIRM = {
    "currency": "EUR", "labour_rate": "60", "visit_price": "90", "energy_price": "0.30", "water_price": "0.004", "margin": 0.15, "tax": 0.2, "years": 10, "rate": 0.03,
    "prices": {"salt": "0.60", "lamp": "90", "softening_resin": "4.00"},
}  # fmt: skip


def priced(firm: dict[str, Any] | None = None, train: list[dict[str, Any]] | None = None, **more: Any) -> tuple[Any, Costs]:
    """The design of the well and its costs."""
    design = worked(job({**({} if firm is None else {"firm": firm}), **more}, train=copy.deepcopy(WELL if train is None else train)))
    return design, costs(design.chosen, materials(design.chosen, compose(design, design.chosen)))


def line_of(found: Costs, what: str, stage: str | None = None) -> Any:
    return next(line for line in found.lines if line.of == what and (stage is None or line.stage == stage) and line.kind != FIRST)


class ByHand(TestCase):
    def test_first_cost(self) -> None:
        """Materials as the list adds them up, labour by minutes at 60 an hour, 15 % margin on both, 20 % tax on all three: to the cent."""
        design, found = priced(FIRM)
        rows = [row for row in materials(design.chosen, compose(design, design.chosen)) if row.group != "consumables"]
        bought = total(rows)
        document = design_document(design)
        minutes = sum(step["hands_on"]["value"] for step in document["commissioning"]["steps"] if step["who"] != "owner")
        labour = (Decimal(str(minutes)) / 60 * 60).quantize(Decimal("0.01"))
        margin = (Decimal("0.15") * (bought + labour)).quantize(Decimal("0.01"))
        tax = (Decimal("0.2") * (bought + labour + margin)).quantize(Decimal("0.01"))
        self.assertEqual(found.first.value, bought + labour + margin + tax)
        self.assertEqual(document["costs"]["first"]["value"], f"{bought + labour + margin + tax:.2f}")

    def test_the_salt_of_a_year(self) -> None:
        """So many kg each so many days at 0.60: 365 over the days, times both, to the cent; it moves with the busy and the careful year."""
        design, found = priced(FIRM)
        task = next(task for task in upkeep(design.chosen) if task.id == "soft/salt")
        document = next(each for each in design_document(design)["upkeep"] if each["id"] == "soft/salt")
        days, kilos = Decimal(str(document["every"]["value"])), Decimal(str(document["quantity"]["value"]))
        line = line_of(found, "salt")
        self.assertEqual(line.amount, (Decimal(365) / days * kilos * Decimal("0.60")).quantize(Decimal("0.01")))
        self.assertLessEqual(line.low, line.amount)
        self.assertGreaterEqual(line.high, line.amount)
        self.assertFalse(line.sample)
        self.assertEqual(task.row.price, "salt")

    def test_power_and_water(self) -> None:
        """A lamp of 12 gpm takes 54 W: 473.04 kWh, at 0.30 that is 141.91; what the softener drains at 0.004 a litre."""
        design, found = priced(FIRM, [{"kind": "softener", "id": "soft"}, {"kind": "uv", "id": "lamp", "rated_flow": "12 gpm"}])
        self.assertEqual(line_of(found, "electricity", "lamp").amount, Decimal("141.91"))
        soft = next(stage for stage in design.chosen.run.stages if stage.id == "soft")
        drained = 365 / soft.figures["regeneration_interval"].value * soft.figures["water_per_regeneration"].value
        self.assertAlmostEqual(soft.figures["drain_per_year"].value, drained, places=6)
        self.assertAlmostEqual(float(line_of(found, "water", "soft").amount), drained * 0.004, delta=0.01)

    def test_a_membrane_drains_what_it_does_not_make(self) -> None:
        """Four people at 3.5 L a day, a third of the feed made: 14 × 0.67 ÷ 0.33 × 365 litres."""
        design = worked(job(train=[{"kind": "reverse_osmosis", "id": "tap", "recovery": "33 %"}]))
        self.assertAlmostEqual(design.chosen.run.stages[0].figures["drain_per_year"].value, 14 * 0.67 / 0.33 * 365, places=6)

    def test_replacements_fall_in_their_year(self) -> None:
        """A sleeve each three years over ten: in the years 4 (3.0 is the end of the third), 7 and 10 by the rule ⌈k × every⌉, discounted at 3 %."""
        _, found = priced(FIRM, [{"kind": "uv", "id": "lamp"}])
        sleeve = next(line for line in found.lines if line.kind == REPLACED and line.of == "part")
        self.assertEqual((sleeve.every_years, sleeve.amount), (3.0, Decimal("48.00")))
        grows = Decimal("1.03")
        yearly = sum((found.yearly.value / grows**year for year in range(1, 11)), Decimal(0))
        expected = found.first.value + yearly
        for line in found.lines:
            if line.kind == REPLACED:
                times = 1
                while times * line.every_years < 10:
                    expected += line.amount / grows ** -(-int(times * line.every_years * 100) // 100)
                    times += 1
        self.assertEqual(found.total.value, expected.quantize(Decimal("0.01")))

    def test_a_thousand_litres(self) -> None:
        """The total over the litres of the years; of a business those of its own week."""
        design, found = priced(FIRM)
        litres = Decimal(str(design.duty.daily * 365 * 10))
        self.assertAlmostEqual(found.per_thousand_litres.value, found.total.value / litres * 1000, places=9)
        events = [{"name": "dye", "volume": "60 L", "per_day": [0, 0, 0, 0, 0, 5, 0]}]
        business = worked(job({"building": {"people": 0, "events": events, "fixtures": {"basin": 1}}}, train=[{"kind": "softener"}]))
        self.assertAlmostEqual(business.duty.daily_mean, 300 / 7, delta=1.0)

    def test_visits_are_gathered(self) -> None:
        """Tasks of a technician within three weeks are one visit; over ten years so many, a tenth of them a year."""
        _, found = priced(FIRM)
        visits = line_of(found, "visit")
        count = int(visits.working[-1].as_json()["where"]["visits"].split()[0])
        self.assertEqual(visits.amount, (Decimal(count) / 10 * 90).quantize(Decimal("0.01")))
        self.assertIn("stone/medium", visits.working[-1].as_json()["where"]["visits"])


class Sums(TestCase):
    def test_sums_are_the_sums_of_what_is_printed(self) -> None:
        """For every golden design, from the document alone; every line has a working; the schema holds."""
        for row in frozen()[::3]:
            found = row["design"]["costs"]
            for kind in (FIRST, YEARLY):
                lines = [Decimal(line["amount"]) for line in found["lines"] if line["kind"] == kind]
                self.assertEqual(f"{sum(lines, Decimal(0)):.2f}", found[kind]["value"], row["name"])
            self.assertTrue(all(line["working"] for line in found["lines"]), row["name"])
            bought = sum((Decimal(str(each["quantity"]["value"])) * Decimal(each["price"])).quantize(Decimal("0.01"), "ROUND_HALF_UP")
                         for each in row["design"]["materials"] if each["group"] not in ("consumables",))  # fmt: skip
            labour = [Decimal(line["amount"]) for line in found["lines"] if line["of"] == "labour"]
            self.assertEqual(bought + sum(labour, Decimal(0)), Decimal(found["first"]["value"]), row["name"])
            self.assertTrue(found["sample_prices"] and found["currency"] == "XXX")

    @given(st.floats(1.0, 4.0), st.sampled_from(sorted(price_keys())), st.integers(1, 50), st.floats(0, 0.5))
    @fuzz(30)
    def test_more_of_anything_never_costs_less(self, times: float, key: str, years: int, rate: float) -> None:
        """A price raised, or more years: no sum falls. Low is never above high."""
        own = Decimal(str(price_keys()[key].sample))
        firm = {"years": years, "rate": round(rate, 4)}
        _, one = priced(firm)
        _, dearer = priced(firm | {"prices": {key: f"{own * Decimal(str(round(times, 3))):f}"}})
        for name in ("first", "yearly", "total"):
            self.assertGreaterEqual(getattr(dearer, name).value, getattr(one, name).value)
            spread = getattr(one, name)
            self.assertLessEqual(spread.low, spread.value)
            self.assertLessEqual(spread.value, spread.high)
        if years < 50:
            _, longer = priced(firm | {"years": years + 1})
            self.assertGreaterEqual(longer.total.value, one.total.value)

    def test_every_task_with_a_quantity_has_a_price(self) -> None:
        """Over all treatments, and no two meanings of one key."""
        for row in frozen():
            for task in upkeep(worked(row["job"]).chosen):
                if task.quantity is not None:
                    self.assertTrue(task.row.price, task.id)


class OfACompany(TestCase):
    def test_its_own_prices_are_not_mixed_silently(self) -> None:
        """A line says whether its price is made up; all of it own: no sample anywhere."""
        _, found = priced(FIRM)
        salt = line_of(found, "salt")
        self.assertTrue(found.sample_prices and not salt.sample and line_of(found, "test").sample)
        whole = FIRM | {"prices": {key: f"{price.sample}" for key, price in price_keys().items()}}
        self.assertFalse(priced(whole)[1].sample_prices)

    def test_zero_is_allowed_and_told(self) -> None:
        """Among the assumptions, with its path."""
        design = worked(job({"firm": {"water_price": 0, "prices": {"salt": "0"}}}, train=[{"kind": "softener", "id": "soft"}]))
        paths = [note["path"] for note in design_document(design)["assumptions"]]
        self.assertIn("$.firm.water_price", paths)
        self.assertIn("$.firm.prices.salt", paths)

    def test_wrong_ones_are_refused_by_path(self) -> None:
        """Negative, not finite, too large, no whole years, shares beyond one, a blank currency, an unknown key with the nearest."""
        for firm, path in (
            ({"labour_rate": "-1"}, "$.firm.labour_rate"), ({"energy_price": "NaN"}, "$.firm.energy_price"), ({"visit_price": "1e9"}, "$.firm.visit_price"),
            ({"years": 2.5}, "$.firm.years"), ({"years": 51}, "$.firm.years"), ({"rate": 0.6}, "$.firm.rate"), ({"margin": 1.2}, "$.firm.margin"),
            ({"tax": -0.1}, "$.firm.tax"), ({"currency": "  "}, "$.firm.currency"), ({"currency": "florins of old"}, "$.firm.currency"),
            ({"prices": {"slat": "1"}}, "$.firm.prices.slat"), ({"prices": {"salt": "x"}}, "$.firm.prices.salt"), ({"prices": []}, "$.firm.prices"),
            ({"prices": {"salt": "-2"}}, "$.firm.prices.salt"), ({"colour": 1}, "$.firm.colour"), ({"water_price": True}, "$.firm.water_price"),
        ):  # fmt: skip
            with self.subTest(firm), self.assertRaises(BadDocument) as caught:
                read_job(job({"firm": firm}))
            self.assertEqual([fault.path for fault in caught.exception.faults], [path])
        with self.assertRaises(BadDocument) as caught:
            read_job(job({"firm": {"prices": {"slat": "1"}}}))
        self.assertIn("salt", caught.exception.faults[0].message)

    def test_the_document_and_what_people_choose_by(self) -> None:
        """The schema holds; the six figures are those of costs, upkeep and wall; tasks carry their hands-on time."""
        design, found = priced(FIRM)
        document = json.loads(json.dumps(design_document(design)))
        jsonschema.validate(document, design_schema())
        self.assertEqual(document["choice"]["first"], document["costs"]["first"]["value"])
        self.assertEqual(document["choice"], choice(design.chosen, found).as_json())
        hours = sum(task["hands_on"]["value"] / 60 * 365 / task["every"]["value"] for task in document["upkeep"] if task["every"]["unit"] == "day")
        self.assertAlmostEqual(document["choice"]["upkeep_hours"]["value"], hours, places=3)
