"""Nothing dangerous is set aside: the wider vocabulary has limits and is told, and rows of a report that were not used stay seen."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ..evidence.entry_line import parse_line
from ..evidence.reports.names import meaning
from ..evidence.untreated import judged
from ..job.facts import SampleFacts, SeenRow
from ..job.limits import limits
from ..language.analytes import CHLORINATED, MICROBES, PFAS, analytes
from ..language.reading import parse_reading
from ..language.tables import table
from .example import HARD_ONLY, ids, job, worked

ADDED = [
    "mercury",
    "antimony",
    "beryllium",
    "thallium",
    "molybdenum",
    "cyanide",
    "bromate",
    "chlorate",
    "perchlorate",
    "radium",
    "gross_alpha",
    "gross_beta",
    "benzene",
    "tce",
    "pce",
    "mtbe",
    "dioxane",
    "glyphosate",
    "bentazone",
    "pfoa",
    "pfos",
    "pfhxs",
    "pfna",
    "hfpo_da",
    "enterococci",
    "clostridium",
    "legionella",
    "pseudomonas",
]


def told(name: str, result: str, limit: str = "", **readings: str) -> str:
    """How gravely a row of a report is told; empty where it is not."""
    found = judged(
        SeenRow(name, result, limit), SampleFacts(readings={key: parse_reading(analytes()[key], text) for key, text in readings.items()}), "eu"
    )
    return found.severity if found else ""


class Vocabulary(unittest.TestCase):
    """Every analyte that the format names is known, bounded by some standard, and never passes silently."""

    def test_each_is_bounded_and_told_above_it(self) -> None:
        """Of each analyte, twice the lowest limit of a set that bounds it: a need of health, and a finding that names it."""
        for name in ADDED:
            row = analytes()[name]
            standard = next(each for each in table("limits") if any(limit.analyte == name and limit.health for limit in limits(each)))
            high = next(limit.high for limit in limits(standard) if limit.analyte == name)
            value = f"{2 * high if high else 3:g} {row.unit}"
            design = worked(job({"job": {"standard": standard}}, readings={**HARD_ONLY, "total_coliform": "absent", name: value}))
            with self.subTest(name, standard=standard):
                self.assertTrue(next(need for need in design.needs if need.goal == name).health)
                found = ids(design.proposal.findings)
                self.assertTrue(found & {f"refer/{name}", f"health/{name}"} or (name in MICROBES and "boil-water" in found), sorted(found))

    def test_where_the_set_is_silent(self) -> None:
        """A substance that this job's set does not bound is told above the lowest limit of the others (molybdenum: 0.04 mg/L), not below it."""
        for value, is_told in (("0.03 mg/L", False), ("0.06 mg/L", True)):
            design = worked(job({"job": {"standard": "eu"}}, readings={**HARD_ONLY, "molybdenum": value}))
            self.assertEqual("refer/molybdenum" in ids(design.proposal.findings), is_told, value)

    def test_what_a_set_does_not_bind_is_cited_as_such(self) -> None:
        """Molybdenum in the US is an advisory, not a federal maximum: its finding cites the advisory."""
        design = worked(job(readings={**HARD_ONLY, "molybdenum": "0.1 mg/L", "mercury": "5 ug/L"}))
        cited = {need.goal: need.source for need in design.needs if need.health}
        self.assertIn("advisories", cited["molybdenum"])
        self.assertIn("40 CFR 141", cited["mercury"])

    def test_microbes_of_every_name_are_answered(self) -> None:
        """Each microbe that must be absent gets a barrier; chlorine is none against spores."""
        for name in MICROBES:
            design = worked(job(readings={**HARD_ONLY, "total_coliform": "absent", name: "3"}))
            with self.subTest(name):
                self.assertEqual(design.proposal.run.finished.value(name), 0.0)
                self.assertTrue(any(stage.disinfects for stage in design.proposal.run.stages))
        self.assertNotIn("clostridium", CHLORINATED)

    def test_names_in_five_languages(self) -> None:
        """Quecksilber, mercure, mercurio, kwik: the same metal; and so for others."""
        for key, names in {
            "mercury": ("Mercury", "Quecksilber", "Mercure", "Mercurio", "Kwik"),
            "enterococci": ("Intestinal enterococci", "Enterokokken", "Entérocoques intestinaux", "Enterococos", "Intestinale enterococcen"),
            "benzene": ("Benzene", "Benzol", "Benzène", "Benceno", "Benzeen"),
            "doc": ("Dissolved organic carbon", "DOC", "Carbone organique dissous", "Opgelost organisch koolstof"),
            "pfoa": ("PFOA", "Perfluorooctanoic acid (PFOA)", "Perfluoroctansäure"),
        }.items():
            for name in names:
                found = meaning(name).analyte
                self.assertEqual(found.key if found else None, key, name)


class LaymensWords(unittest.TestCase):
    """A word that could mean several microbes is asked, never taken for iron bacteria; a substance of another name is not mended into ours."""

    def test_typed(self) -> None:
        for text in ("bacteria positive", "bacteria 5", "germs found", "toluene 5 ppb", "silver 1 ug/L", "metolachlor 2 ppb", "uv254 0.2"):
            [entry] = parse_line(text)
            self.assertIsNone(entry.reading, text)
            self.assertFalse(entry.seen)
        self.assertIn("total coliform, E. coli or another", parse_line("bacteria positive")[0].problem)
        self.assertEqual([entry.reading and entry.reading.analyte for entry in parse_line("iron bacteria present")], ["iron_bacteria"])

    def test_in_a_report(self) -> None:
        self.assertEqual((meaning("Bacteria").analyte, meaning("Bacteria").how), (None, "ask"))


class Sums(unittest.TestCase):
    """What was measured in parts counts at the least the whole can be."""

    def test_pfas_add_up(self) -> None:
        """60 + 60 ng/L are 120, above the 100 of the European sum, though each is below it; what was not found adds nothing."""
        design = worked(job({"job": {"standard": "eu"}}, readings={**HARD_ONLY, "pfoa": "60 ng/L", "pfos": "60 ng/L", "pfna": "<50 ng/L"}))
        self.assertAlmostEqual(design.evidence.states["pfas"].design, 120.0)
        self.assertEqual([need.goal for need in design.needs if need.health], ["pfas"])
        self.assertIn("carbon", [stage.kind for stage in design.proposal.run.stages])
        self.assertEqual(set(PFAS) & set(ids(design.proposal.findings)), set())

    def test_absorbance_gives_transmittance(self) -> None:
        """12 per meter are 0.12 per centimeter: 100 × 10^-0.12 = 75.86 %. Written per centimeter it is the same."""
        for said in ("12 1/m", "0.12 1/cm"):
            design = worked(job(readings={**HARD_ONLY, "uvt": None, "uv_absorbance": said}))
            self.assertAlmostEqual(design.evidence.states["uvt"].design, 75.86, places=2)
            self.assertNotIn("uvt-unmeasured", ids(design.proposal.findings))

    def test_dissolved_organic_carbon_is_the_least_of_all(self) -> None:
        design = worked(job(readings={**HARD_ONLY, "doc": "4 mg/L"}))
        self.assertEqual(design.evidence.states["toc"].design, 4.0)


class RowsNotUsed(unittest.TestCase):
    """A row that is no reading of ours is told where it is beyond a limit or dangerous by its name, and else keeps quiet."""

    def test_told(self) -> None:
        for name, result, limit in (
            ("Toluol", "12 µg/l", "5"), ("Fluoranthen", "0,02 µg/l", "0,01"), ("Silver", "0.2 mg/L", "0.1"), ("Coliphages", "3", "0"), ("Bacteria", "Positive", ""),
            ("Salmonella", "detected", ""), ("Toluene", "0.7 µg/L", ""), ("PFBS", "40 ng/L", ""), ("Tritium", "150 Bq/L", "100"), ("Metolachlor", "0.3 µg/L", ""),
            ("Unheard of", "9", "max. 5"), ("pH after something", "9.8", "6.5 - 9.5"), ("Lead", "0.05 mg/L", ""), ("Vanadium", "0.04 mg/L", ""), ("Virus", "2", "absent"),
        ):  # fmt: skip
            self.assertEqual(told(name, result, limit), "danger", (name, result, limit))
        self.assertEqual(told("Odour", "5", "3"), "caution")

    def test_quiet(self) -> None:
        for name, result, limit in (
            ("Toluene", "<0.5 µg/L", "1"), ("Silver", "0.02 mg/L", "0.1"), ("Chloroform", "30 µg/L", "200"), ("Salmonella", "absent", ""), ("Virus", "n.n.", "0"),
            ("Langelier index", "-1.2", ""), ("Phenolphthalein alkalinity", "20", ""), ("Batch number", "4512", ""), ("Taste", "normal", ""), ("Strontium", "0.4 mg/L", ""),
        ):  # fmt: skip
            self.assertEqual(told(name, result, limit), "", (name, result, limit))

    def test_a_reading_of_the_same_speaks_for_itself(self) -> None:
        """Of lead twice: the reading above its limit tells enough; one below it does not cover the row that is above."""
        self.assertEqual(told("Lead", "0.05 mg/L"), "danger")
        self.assertEqual(told("Lead", "0.05 mg/L", lead="0.04 mg/L"), "")
        self.assertEqual(told("Lead", "0.05 mg/L", lead="0.002 mg/L"), "danger")

    def test_a_limit_in_another_unit(self) -> None:
        """0.9 mg/L are 900 µg/L, above 5; 12 µg/L are 0.012 mg/L, below 0.7; without a unit the numbers stand beside each other."""
        self.assertEqual(told("Toluene", "0.9 mg/L", "5 µg/L"), "danger")
        self.assertEqual(told("Toluene", "12 µg/L", "0.7 mg/L"), "")
        self.assertEqual(told("Toluene", "12 µg/L", "5"), "danger")

    def test_health_and_comfort(self) -> None:
        """Manganese in the US: 0.2 mg/L stains, 0.5 is above the health limit of 0.3; iron is never more than a caution."""
        for name, result, severity in (("Manganese", "0.2 mg/L", "caution"), ("Manganese", "0.5 mg/L", "danger"), ("Iron", "9 mg/L", "caution")):
            found = judged(SeenRow(name, result, "0.05" if name == "Manganese" else "0.3"), SampleFacts(), "us")
            self.assertEqual(found and found.severity, severity, (name, result))

    def test_a_number_that_could_be_two(self) -> None:
        """2,500 is taken as two thousand and five hundred where that is above its limit."""
        self.assertEqual(told("Unheard of", "2,500", "500"), "danger")

    def test_a_used_reading_without_a_limit_of_its_set(self) -> None:
        """Molybdenum has none in the European set: the lower of two rows does not cover the higher, the higher covers the lower."""
        self.assertEqual(told("Molybdenum, total", "5 mg/L", "0.07 mg/L", molybdenum="0.001 mg/L"), "danger")
        self.assertEqual(told("Molybdenum, total", "5 mg/L", "0.07 mg/L", molybdenum="6 mg/L"), "")

    @given(st.text(max_size=40), st.text(max_size=40), st.text(max_size=40))
    def test_any_text_is_judged(self, name: str, result: str, limit: str) -> None:
        """Whatever a file says, the answer is one of three."""
        self.assertIn(told(name, result, limit), ("", "caution", "danger"))

    def test_the_same_on_another_basis(self) -> None:
        """44 mg/L as NO3 are 9.9 as N, below 11.3; 60 are 13.6."""
        self.assertEqual(told("Nitrate (as NO3)", "44 mg/L", nitrate="9.9 mg/L as N"), "")
        self.assertEqual(told("Nitrate (as NO3)", "60 mg/L", nitrate="9.9 mg/L as N"), "danger")

    @given(
        st.sampled_from(("Toluol", "Unheard of", "Copper pipe test", "Coliphages", "Total solvents", "Xyz 12")),
        st.integers(1, 10**6),
        st.integers(2, 50),
    )
    def test_above_its_printed_limit_is_never_silent(self, name: str, limit: int, times: int) -> None:
        """Whatever the name: so many times its limit is told."""
        self.assertEqual(told(name, f"{limit * times} µg/L", f"{limit}"), "danger")

    def test_the_design_says_it_in_the_words_of_the_laboratory(self) -> None:
        """Through the job file into the findings of the proposal and of a given train."""
        for train in (None, [{"kind": "softener"}]):
            document = job(readings={**HARD_ONLY, "e_coli": "absent"}, train=train)
            document["samples"][0]["seen"] = [{"name": "Toluol (BTEX)", "result": "12 µg/l", "limit": "5"}, {"name": "Taste", "result": "normal"}]
            found = [finding for finding in worked(document).chosen.findings if finding.rule == "seen-not-treated"]
            self.assertEqual([finding.severity for finding in found], ["danger"])
            self.assertIn("Toluol (BTEX): 12 µg/l", found[0].message)
