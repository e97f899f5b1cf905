"""How the product speaks: orders begin with a verb, warning signs say *if*, quantities follow the job's units, spelling its limit set."""

from __future__ import annotations

import re
import sys
from pathlib import Path
from unittest import TestCase

from ..commissioning.sheet import sheet
from ..language.interface import counted, due, severity
from ..language.prose import prose
from ..language.spelling import spelled, spelled_page
from ..language.tables import table
from ..operation.diagnosis.cause import rows as cause_rows
from ..operation.maintenance.upkeep import upkeep
from . import golden
from .example import job, worked
from .test_audit import CASES
from .test_ready import chosen_of

sys.path.append(str(Path(__file__).resolve().parents[2] / "scripts"))

import check_words
from spoken import Said, everything


def said(text: str, where: str = "treatment/checks/size.py", what: str = "python") -> Said:
    return Said(where, 1, what, text)


class HouseWords(TestCase):
    def test_nothing_that_people_read_offends(self) -> None:
        """More than four thousand strings; ./cairn check says the same."""
        spoken = list(everything())
        self.assertGreater(len(spoken), 4000)
        self.assertEqual([(each.where, each.line, fault) for each in spoken for fault in check_words.offences(each)], [])

    def test_an_offender_is_found(self) -> None:
        """One of each: a word, an order without a verb, a sign without *if*, a unit in prose, a sentence too long for an owner."""
        table_of = "treatment/data/{}.toml".format
        for each, fault in (
            (said("The tank stands behind the softener."), "behind"),
            (said("Dry until fitted.", table_of("commissioning"), "site.do"), "begin with a verb"),
            (said("Not in service.", table_of("commissioning"), "site.bad_sign"), "say “If"),
            (said("Set the air 2 psi below cut-in.", table_of("upkeep"), "site.do"), "unit typed into prose"),
            (said(" ".join(["word"] * 16), "workbench/templates/logs/house.html", "text"), "16 words"),
        ):
            self.assertTrue(any(fault in found for found in check_words.offences(each)), each)
        for fine in (
            said("Set the air {2 psi} below cut-in.", table_of("upkeep"), "site.do"), said("Electric heater: switch it off.", table_of("commissioning"), "site.do"),
            said("[bypass] Flush it.|Rinse it.", table_of("commissioning"), "site.do"),
        ):  # fmt: skip
            self.assertEqual(check_words.offences(fine), [], fine)

    def test_every_exception_has_its_reason_and_is_needed(self) -> None:
        spoken = list(everything())
        for word in check_words.TABLE["word"]:
            for each in word.get("allow", ()):
                self.assertTrue(each["why"])
                used = [
                    s
                    for s in spoken
                    if s.where.startswith(each["where"]) and re.search(each["text"], s.text) and re.search(word["find"], s.text, re.IGNORECASE)
                ]
                self.assertTrue(used, each)


class Orders(TestCase):
    def test_every_remedy_begins_with_a_verb(self) -> None:
        """Of the golden designs, and of one job for each rule of the audit."""
        frozen = [finding for row in golden.frozen() for finding in (*row["design"]["findings"], *row["design"]["wall"]["findings"])]
        fired = [finding.as_json() for firing, _ in CASES.values() for finding in worked(firing).chosen.findings]
        for finding in (*frozen, *fired):
            self.assertTrue(check_words.begins_with_a_verb(finding["remedy"]), finding)
            self.assertRegex(finding["message"], r"[.)]$")

    def test_every_step_of_a_run_is_an_order(self) -> None:
        """As a job hears it, its figures filled in, in both systems of units."""
        for train in (
            [{"kind": "sediment"}, {"kind": "softener"}, {"kind": "carbon"}, {"kind": "uv"}],
            [{"kind": "neutralizer"}, {"kind": "chemical_feed"}, {"kind": "retention_tank"}],
        ):
            for step in sheet(chosen_of(train)).steps:
                amounts = {f"{each.words}:" for each in step.amounts}
                for line in (step.row.title, *step.do("us"), *step.do("metric")):
                    self.assertTrue(check_words.begins_with_a_verb(line) or any(line.startswith(each) for each in amounts), (step.id, line))
                self.assertTrue(step.row.bad_sign.startswith("If "), step.id)

    def test_no_cause_speaks_of_another_boiling(self) -> None:
        """The order to boil stands first, once, wherever microbes may be about."""
        for row in cause_rows():
            boils = [line for line in row.do if "oil" in line.lower() and "water" in line.lower()]
            self.assertLessEqual(len(boils), 1, row.id)


class Units(TestCase):
    def test_a_quantity_follows_the_job(self) -> None:
        """2 psi are 13.79 kPa, 0.14 bar; 15 °C are 15 × 1.8 + 32 = 59 °F; 24 in are 609.6 mm."""
        text = "Set it {2 psi} below cut-in, above {15 degC}, with {24 in} in front."
        self.assertEqual(prose(text, "us"), "Set it 2 psi below cut-in, above 59 °F, with 24 in in front.")
        self.assertEqual(prose(text, "metric"), "Set it 0.14 bar below cut-in, above 15 °C, with 610 mm in front.")
        with self.assertRaises(KeyError):
            prose("{2 cups}", "us")

    def test_upkeep_and_steps_follow_the_job(self) -> None:
        """The same task in both systems."""
        for units, words in (("us", "10 psi"), ("metric", "0.69 bar")):
            work = worked(job({"job": {"units": units}}, train=[{"kind": "sediment"}, {"kind": "pressure_tank"}]))
            lines = [line for task in upkeep(work.chosen) for line in task.row.do]
            self.assertTrue(any(f"at {words} above" in line for line in lines), lines)
            self.assertFalse([line for line in lines if "{" in line])


class Spelling(TestCase):
    def test_each_limit_set_reads_its_own(self) -> None:
        """As the house writes: US as stored, Canada colour and aluminum, the others colour and aluminium."""
        text = "Color, odor, vapor, aluminum, liter, analyze, gray; neutralize and sulfate stay."
        self.assertEqual(spelled(text, "us"), text)
        self.assertEqual(spelled(text, "ca"), "Colour, odour, vapour, aluminum, litre, analyze, grey; neutralize and sulfate stay.")
        for standard in ("uk", "eu", "au", "who"):
            self.assertEqual(spelled(text, standard), "Colour, odour, vapour, aluminium, litre, analyse, grey; neutralize and sulfate stay.")
        self.assertEqual(set(table("spelling")["sets"]), {"us", "uk", "eu", "au", "who", "ca"})

    def test_a_page_keeps_its_marks_and_what_is_typed(self) -> None:
        page = '<style>p { color: gray }</style><p class="color" data-color="gray" title="Gray">Gray <textarea>gray</textarea> gray</p><script>let color = "gray"</script>'
        self.assertEqual(
            spelled_page(page, "uk"),
            page.replace(">Gray", ">Grey").replace("</textarea> gray", "</textarea> grey").replace('title="Gray"', 'title="Grey"'),
        )
        self.assertIs(spelled_page(page, "us"), page)


class Counted(TestCase):
    def test_severities_and_days(self) -> None:
        self.assertEqual((severity("advice"), counted("danger", 2), counted("caution", 1)), ("note", "2 dangers", "1 caution"))
        self.assertEqual(
            [due(days) for days in (-19, -1, 0, 1, 3)], ["19 days overdue", "1 day overdue", "due today", "due in 1 day", "due in 3 days"]
        )
