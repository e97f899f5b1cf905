"""Working values of the job's own: read with their faults, taken in place of ours, told, and each with an effect."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..drawing.wall.compose import compose
from ..job.working import STARTING, OwnValues, rows_of, working_values
from ..job_file import read_job
from ..language.errors import BadDocument, Fault
from ..language.tables import table
from ..papers.design_file import design_document, train_document
from ..papers.materials import materials
from .example import job, worked

OPEN = {"ferrous_iron": None}
FOR_A_MEMBRANE = {
    "nitrate": "20 mg/L as N",
    "arsenic": "30 ug/L",
    "fluoride": "5 mg/L",
    "tds": "900 mg/L",
    "iron": "<0.05 mg/L",
    "ferrous_iron": None,
}
ORGANIC = {"voc": "20 ug/L", "free_chlorine": "1 mg/L", "total_chlorine": "2.5 mg/L"}
RAIN = {"source": {"kind": "rain", "rain": {"roof_area": "1500 ft2", "monthly_rain": ["80 mm"] * 12}}}
FED = [{"kind": "chemical_feed", "chemical": "chlorine"}, {"kind": "retention_tank"}]
#: a train (and water, and job) on which the values of a row show
SHOWN: dict[str, list[tuple[list[dict[str, Any]], dict[str, str | None], dict[str, Any]]]] = {
    "softener": [([{"kind": "softener"}], {}, {}), ([{"kind": "softener"}], {"iron": "0 mg/L", "ferrous_iron": None, "hardness": "4 gpg"}, {})],
    "neutralizer": [([{"kind": "neutralizer"}], {"alkalinity": "30 mg/L as CaCO3"}, {}),
    ([{"kind": "neutralizer"}], {"ph": "5.8"}, {"supply": {"flow": "30 gpm"}, "building": {"people": 2, "fixtures": {"wc": 1, "basin": 1, "shower": 1}}})],
    "blend": [([{"kind": "neutralizer", "medium": "blend", "magnesia": 0.2}], {"ph": "5.4"}, {})],
    "oxidizing_filter": [([{"kind": "oxidizing_filter"}], {"ph": "7.6", "iron": "9 mg/L", "ferrous_iron": "9 mg/L", "hydrogen_sulfide": "1 mg/L"}, {}),
    ([{"kind": "oxidizing_filter"}], {"ph": "7.6", "iron": "0.4 mg/L", "ferrous_iron": "0.4 mg/L"}, {})],
    "greensand": [([{"kind": "oxidizing_filter", "medium": "greensand"}], {"ph": "7.4", "iron": "9 mg/L", "ferrous_iron": "9 mg/L"}, {})],
    "manganese_dioxide": [([{"kind": "oxidizing_filter", "medium": "manganese_dioxide"}], {"ph": "7.4", "iron": "9 mg/L", "ferrous_iron": "9 mg/L"}, {})],
    "carbon": [([{"kind": "carbon", "medium": "catalytic"}], {"free_chlorine": "1 mg/L", "total_chlorine": "1 mg/L"}, {}),
    ([{"kind": "carbon", "medium": "catalytic"}], {"total_chlorine": "2.5 mg/L"}, {}),
               ([{"kind": "carbon"}], ORGANIC, {}), ([{"kind": "carbon"}], {"free_chlorine": "4 mg/L", "total_chlorine": "4 mg/L"}, {"building": {"people": 12}})],
    "chemical_feed": [(FED, {"hydrogen_sulfide": "1 mg/L"}, {}), ([{"kind": "chemical_feed", "chemical": "soda_ash"}], {}, {}),
    ([{"kind": "chemical_feed", "chemical": "peroxide"}], {}, {})],
    "retention": [(FED, {}, {}), ([{"kind": "chemical_feed", "chemical": "peroxide"}, {"kind": "retention_tank"}], {}, {})],
    "aeration": [([{"kind": "aeration"}], {"methane": "12 mg/L", "alkalinity": "150 mg/L as CaCO3"}, {})],
    "anion_exchange": [([{"kind": "anion_exchange", "target": target}], {"nitrate": "20 mg/L as N", "tannin": "3 mg/L"}, {}) for target in ("nitrate", "tannin")],
    "storage": [([{"kind": "storage_tank"}], {}, RAIN)],
    "first_flush": [([{"kind": "first_flush"}], {}, RAIN)],
    "reverse_osmosis": [([{"kind": "reverse_osmosis", "scale": "point_of_use"}], FOR_A_MEMBRANE, {}),
                        ([{"kind": "reverse_osmosis", "scale": "whole_house"}], {"tds": "900 mg/L"}, {})],
    "packing": [([{"kind": "softener"}], {}, {})],
    "house": [([{"kind": "softener"}], {}, {"supply": {"pressure_low": "30 psi"}})],
}  # fmt: skip


def read(raw: Any) -> tuple[Any, list[Fault]]:
    faults: list[Fault] = []
    return OwnValues().read(raw, "$", faults), faults


def own(path: str, value: float) -> dict[str, Any]:
    return {path: {"value": value, "reason": "our own trials"} | ({"unit": working_values()[path].unit} if working_values()[path].unit else {})}


def outcome(train: list[dict[str, Any]], readings: dict[str, str | None], changes: dict[str, Any]) -> dict[str, Any]:
    design = worked(job(changes, readings=readings, train=train))
    return train_document(design.chosen, "us") | {"bought": [row.note for row in materials(design.chosen, compose(design, design.chosen))]}


class EachHasAnEffect(TestCase):
    def test_every_value_that_is_offered_changes_something_that_is_seen(self) -> None:
        """Put far from ours, each changes a figure, the water, the pressure or a finding of a train that it belongs to."""
        plain = {row: [outcome(*case) for case in cases] for row, cases in SHOWN.items()}
        silent = []
        for path, ours in working_values().items():
            row = path.split(".")[0]
            if row == STARTING:
                continue  # see test_starting
            ends = [end for end in (ours.least, ours.most) if end != ours.value]
            other = [
                [outcome(train, readings, changes | {"working_values": own(path, end)}) for train, readings, changes in SHOWN[row]] for end in ends
            ]
            if all(each == plain[row] for each in other):
                silent.append(path)
        self.assertEqual(silent, [])

    def test_ours_lie_between_the_least_and_the_most(self) -> None:
        """The bounds leave room on at least one side."""
        for path, each in working_values().items():
            self.assertTrue(each.least <= each.value <= each.most and each.least < each.most, path)
            self.assertTrue(each.words and each.group, path)

    def test_hand_worked_leakage(self) -> None:
        """A softener said to leave 20 mg/L at 300 mg/L of solids and 8 lb leaves 20 mg/L there, and adds 0.4594 mg of sodium for each mg taken out."""
        train = [{"kind": "softener", "salt_dose": "8 lb/ft3"}]
        design = worked(job({"working_values": own("softener.leakage", 20)}, readings={"tds": "300 mg/L"}, train=train))
        stage = design.chosen.run.stages[0]
        self.assertAlmostEqual(stage.water_out.hardness, 20)
        self.assertAlmostEqual(stage.sizing.figures["sodium_added"].value, 0.4594 * (stage.water_in.hardness - 20), places=2)


class Reading(TestCase):
    def test_what_cannot_be_taken_is_refused_at_its_place(self) -> None:
        """An unknown path with the nearest named, no reason, no unit or another, beyond its bounds, no number, no object."""
        good = {"value": 15, "unit": "mg/L CaCO3", "reason": "x"}
        for raw, path, word in (
            ({"softener.leakige": good}, "$.softener.leakige", "softener.leakage"),
            ({"softener.leakage": good | {"reason": "  "}}, "$.softener.leakage.reason", "reason"),
            ({"softener.leakage": {"value": 15, "reason": "x"}}, "$.softener.leakage.unit", "mg/L CaCO3"),
            ({"softener.leakage": good | {"unit": "gpg"}}, "$.softener.leakage.unit", "mg/L CaCO3"),
            ({"softener.leakage": good | {"value": 1000}}, "$.softener.leakage.value", "0 to 100"),
            ({"softener.leakage": good | {"value": "some"}}, "$.softener.leakage.value", ""),
            ({"softener.leakage": {"unit": "mg/L CaCO3", "reason": "x"}}, "$.softener.leakage.value", "0 to 100"),
            ({"softener.leakage": 15}, "$.softener.leakage", "object"),
            ([], "$", "object"),
        ):
            with self.subTest(raw=raw):
                _, faults = read(raw)
                self.assertIn(path, [fault.path for fault in faults])
                self.assertIn(word, " ".join(fault.message for fault in faults))

    def test_a_job_names_the_path_of_the_fault(self) -> None:
        """So that the designer finds it in the file."""
        with self.assertRaises(BadDocument) as caught:
            read_job(job({"working_values": {"uv.magic": {"value": 1, "reason": "x"}}}))
        self.assertEqual(caught.exception.faults[0].path, "$.working_values.uv.magic")


class Told(TestCase):
    def test_it_stands_among_the_assumptions_with_ours_and_the_reason(self) -> None:
        """In the document too, which an engineer reads."""
        notes = design_document(worked(job({"working_values": own("retention.contact_min", 40)})))["assumptions"]
        (note,) = [each for each in notes if each["path"] == "$.working_values.retention.contact_min"]
        self.assertEqual(note["value"], "40 min in place of 20")
        self.assertIn("our own trials", note["why"])

    def test_our_tables_stay_as_they_are(self) -> None:
        """An own value belongs to one job: the next one sees ours."""
        mine, _ = read(own("carbon.contact.chlorine", 3))
        self.assertEqual(rows_of(mine)["carbon"]["contact"]["chlorine"], 3)
        self.assertEqual(table("stages")["carbon"]["contact"]["chlorine"], 1.5)
        self.assertIs(rows_of({}), table("stages"))
