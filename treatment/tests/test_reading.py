from __future__ import annotations

import random
import re
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..evidence.entry_line import parse_line
from ..evidence.reports.names import meaning
from ..language.analytes import analytes, find_analyte
from ..language.errors import NotUnderstood
from ..language.reading import doubt, parse_reading
from .fuzz import fuzz


def read(name: str, text: str):  # noqa: ANN201
    return parse_reading(analytes()[name], text)


class ReadingGrammar(TestCase):
    def test_forms(self) -> None:
        """Exact, below, above, interval, present and absent each keep what is known and no more."""
        cases = [
            ("hardness", "14 gpg", 239.653, 239.653, "exact"),
            ("manganese", "<0.01 mg/L", 0.0, 0.01, "below"),
            ("turbidity", ">20 NTU", 20.0, None, "above"),
            ("hardness", "120..250 mg/L", 120.0, 250.0, "interval"),
            ("ph", "7-7.5", 7.0, 7.5, "interval"),
            ("total_coliform", "present", 1.0, None, "present"),
            ("e_coli", "absent", 0.0, 0.0, "absent"),
            ("total_coliform", "4 CFU/100mL", 4.0, 4.0, "exact"),
            ("iron", "0,3 mg/L", 0.3, 0.3, "exact"),
            ("ph", "6.1", 6.1, 6.1, "exact"),
        ]
        for name, text, low, high, qualifier in cases:
            with self.subTest(text):
                reading = read(name, text)
                self.assertAlmostEqual(reading.low, low, places=2)
                self.assertEqual(reading.high is None, high is None)
                if high is not None:
                    self.assertAlmostEqual(reading.high, high, places=2)
                self.assertEqual(reading.qualifier, qualifier)

    def test_bases(self) -> None:
        """Hand conversions: NO3 62.005/14.007 = 4.427 as N; CaCO3 100.09/40.08 = 2.497 of Ca; HCO3 1.219 of CaCO3."""
        self.assertAlmostEqual(read("nitrate", "44.27 mg/L as NO3").low, 10.0, places=2)
        self.assertAlmostEqual(read("nitrite", "3.284 mg/L as NO2").low, 1.0, places=2)
        self.assertAlmostEqual(read("calcium", "249.7 mg/L as CaCO3").low, 100.0, delta=0.05)
        self.assertAlmostEqual(read("alkalinity", "121.9 mg/L as HCO3").low, 100.0, delta=0.05)
        self.assertAlmostEqual(read("arsenic", "12 ppb").low, 0.012)
        self.assertAlmostEqual(read("radon", "4000 pCi/L").low, 148.0)

    def test_units_whose_worth_depends_on_the_analyte(self) -> None:
        """A millimole: of acid bound 100.0869 / 2 = 50.04345 mg CaCO3, of hardness 100.0869, of calcium 40.078, of nitrate 14.0067 N.

        An equivalent: hardness 50.04345, alkalinity 50.04345, calcium 40.078 / 2, sulfate 96.06 / 2, nitrate 14.0067.
        """
        for name, text, wanted in (
            ("alkalinity", "1 mmol/L", 50.04345), ("hardness", "1 mmol/L", 100.0869), ("alkalinity", "1 meq/L", 50.04345), ("hardness", "1 meq/L", 50.04345),
            ("calcium", "1 mmol/L", 40.078), ("calcium", "1 meq/L", 20.039), ("magnesium", "1 meq/L", 12.1525), ("sulfate", "1 meq/L", 48.03), ("sodium", "1 meq/L", 22.98977),
            ("nitrate", "1 mmol/L", 14.0067), ("nitrate", "1 meq/L", 14.0067), ("iron", "1 umol/L", 0.055845), ("bicarbonate", "1 mmol/L", 61.0168),
            ("alkalinity", "1 °dH", 17.848), ("alkalinity", "1 °f", 10.0), ("hydrogen_sulfide", "1 mg/L as S", 1.062715), ("ammonium", "1 mg/L NH3-N", 1.28781),
            ("ammonium", "1 mg/L as NH3", 1.059178), ("phosphate", "1 mg/l P", 3.06618), ("hardness", "1 mg/L as CaO", 1.784774), ("silica", "1 mg Si/L", 2.13932),
            ("nitrate", "1 mg NO3/l", 0.225897), ("nitrate", "1 mg/L NO3-N", 1.0), ("heterotrophic_count", "1 CFU/mL", 100.0), ("e_coli", "5 MPN/250 mL", 2.0),
            ("e_coli", "1 KBE/100 ml", 1.0), ("pfas", "1 ug/L", 1000.0), ("voc", "1 mg/L", 1000.0), ("conductivity", "1 mS/m", 10.0), ("conductivity", "1 umhos/cm", 1.0),
            ("radon", "1 kBq/m3", 1.0), ("iron", "1 ug/l Fe", 0.001), ("free_chlorine", "1 mg/l Cl2", 1.0), ("toc", "1 mg C/l", 1.0), ("calcium", "1 mg/l Ca2+", 1.0),
            ("colour", "1 mg/L Pt-Co", 1.0), ("iron", "1 mg.L-1", 1.0),
        ):  # fmt: skip
            with self.subTest(name, text=text):
                self.assertAlmostEqual(read(name, text).low, wanted, places=5)
        for name, text in (("iron", "1 mg/L as N"), ("arsenic", "1 ug/L Fe"), ("iron", "1 CFU/mL"), ("radon", "1 mmol/L")):
            with self.subTest(name, text=text), self.assertRaises(NotUnderstood):
                read(name, text)

    def test_every_unit_that_is_offered_is_accepted(self) -> None:
        """Whatever an analyte offers, it reads; a factor is never nothing."""
        for analyte in analytes().values():
            for unit in analyte.accepted_units():
                found = analyte.factor_for(unit)
                self.assertTrue(found and found[0].factor * found[1] > 0, (analyte.key, unit))

    def test_what_is_ambiguous_is_never_silent(self) -> None:
        """A nitrate without basis and a hardness in ppm are read and say so; a bare hardness and bare degrees are refused."""
        self.assertIn("does not say as what", read("nitrate", "8 mg/L").note)
        self.assertEqual(read("nitrate", "8 mg/L").low, 8.0)
        self.assertIn("convention", read("hardness", "250 ppm").note)
        for name, text, said in [
            ("hardness", "12", "needs its unit"),
            ("hardness", "12 °", "which degrees"),
            ("arsenic", "5", "needs its unit"),
            ("iron", "nd", "detection limit"),
        ]:
            with self.subTest(text), self.assertRaisesRegex(NotUnderstood, said):
                read(name, text)

    def test_nonsense_is_refused_with_its_reason(self) -> None:
        """A pH of 15, a negative iron and a backward interval cannot be."""
        for name, text, said in [
            ("ph", "15", "between 0 and 14"),
            ("iron", "-2 mg/L", "negative"),
            ("iron", "3..1 mg/L", "backwards"),
            ("uvt", "120 %", "between 0 and 100"),
            ("iron", "2 gpm", "not a unit"),
            ("iron", "<0 mg/L", "more than zero"),
        ]:
            with self.subTest(text), self.assertRaisesRegex(NotUnderstood, said):
                read(name, text)

    @given(st.sampled_from(sorted(analytes())), st.floats(0.001, 1000), st.sampled_from(["{} {}", "<{} {}", ">{} {}", "{}..2000 {}"]))
    @fuzz(200)
    def test_canonical_text_round_trips(self, name: str, value: float, form: str) -> None:
        """A reading written in canonical units and read again is the same interval."""
        unit = "" if name == "ph" else analytes()[name].unit
        try:
            first = read(name, form.format(value, unit))
        except NotUnderstood:
            return
        again = read(name, first.canonical_text())
        self.assertAlmostEqual(again.low, first.low, delta=1e-9 + abs(first.low) * 1e-9)
        self.assertEqual(again.qualifier, first.qualifier)
        self.assertEqual(again.note, "")

    @given(st.text(max_size=60))
    @fuzz(300)
    def test_any_line_is_read_or_explained(self, line: str) -> None:
        """Whatever is typed, every piece comes back as a reading or with a reason."""
        for entry in parse_line(line):
            self.assertTrue(entry.reading is not None or entry.problem)


def line(text: str) -> list[tuple[str, float, float | None]]:
    """Analyte, low and high of every reading of a line, rounded."""
    read = [entry.reading for entry in parse_line(text) if entry.reading]
    return [(each.analyte, float(f"{each.low:.5g}"), None if each.high is None else float(f"{each.high:.5g}")) for each in read]


class EntryLine(TestCase):
    def test_one_line_as_people_type_it(self) -> None:
        """Names, aliases, order, decimal commas and missing spaces are understood."""
        entries = parse_line("iron 2.4, hardness 14 gpg, pH 6,1, alk 40, mn <0.01, coliform present, h2s 0,3 mg/L; so4: 30")
        self.assertEqual([entry.problem for entry in entries], [""] * 8)
        self.assertEqual(
            [entry.reading.analyte for entry in entries if entry.reading],
            ["iron", "hardness", "ph", "alkalinity", "manganese", "total_coliform", "hydrogen_sulfide", "sulfate"],
        )

    def test_forgiving(self) -> None:
        """Values before names, commas missing, plurals, a basis without its unit: 22 as NO3 x 0.225897 = 4.9697 as N; 12 gpg x 17.118 = 205.42."""
        iron, hardness, ph = ("iron", 2.4, 2.4), ("hardness", 205.42, 205.42), ("ph", 6.1, 6.1)
        for text, wanted in (
            ("iron 2.4 hardness 12 gpg pH 6.1", [iron, hardness, ph]), ("2.4 mg/L iron, 12 gpg hardness, 6.1 pH", [iron, hardness, ph]),
            ("2.4 mg/L iron 12 gpg hardness 6.1 pH", [iron, hardness, ph]), ("ph6.1 Fe=2.4", [ph, iron]), ("iron 2.4mg/l ph 6.1", [iron, ph]),
            ("nitrate 22 as NO3", [("nitrate", 4.9697, 4.9697)]), ("22 as NO3", [("nitrate", 4.9697, 4.9697)]), ("nitrates 22 mg/L as NO3", [("nitrate", 4.9697, 4.9697)]),
            ("nitrate-N 3", [("nitrate", 3.0, 3.0)]), ("E.coli absent, total coliforms present", [("e_coli", 0.0, 0.0), ("total_coliform", 1.0, None)]),
            ("alkalinity 100 mg/L as HCO3 hardness 12 gpg", [("alkalinity", 82.015, 82.015), hardness]), ("hardness 310 ppm", [("hardness", 310.0, 310.0)]),
            ("Eisen 2,4 mg/l; Härte 12 °dH", [iron, ("hardness", 214.18, 214.18)]),
            ("hardness 8 grains per gallon iron .5 ppm", [("hardness", 136.94, 136.94), ("iron", 0.5, 0.5)]),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(line(text), wanted)
                self.assertTrue(all(entry.reading for entry in parse_line(text)))

    def test_a_reading_under_its_printed_name_comes_back(self) -> None:
        """What is shown of a reading, typed again, is the same reading."""
        for key, analyte in analytes().items():
            value = "present" if analyte.is_microbe else f"7 {'' if analyte.unit == 'pH' else analyte.accepted_units()[0]}".strip()
            [entry] = parse_line(f"{analyte.name} {value}")
            self.assertEqual(entry.reading and entry.reading.analyte, key, entry)

    def test_mended_and_told(self) -> None:
        """A slip of the keys is put right and said; another substance is never taken for one of ours."""
        for text, key in (("harndess 12 gpg", "hardness"), ("irom 3", "iron"), ("manganse 0.1", "manganese"), ("flouride 1 mg/L", "fluoride")):
            [entry] = parse_line(text)
            self.assertEqual(entry.reading and entry.reading.analyte, key)
            self.assertIn("is read as", entry.mended)
        for text in ("sulfite 3 mg/L", "chlorite 0.5 mg/L", "bromide 1 mg/L", "zorblax 7 mg/L", "silver 1 ug/L"):
            self.assertIsNone(parse_line(text)[0].reading, text)

    def test_what_is_not_understood_is_kept_with_its_reason(self) -> None:
        """A name alone says that its value is missing; a smell is an observation, and asks for a test."""
        iron, unknown, smell, sand = parse_line("iron, zorblax 7 mg/L, H2S slight smell, sand")
        self.assertIn("value is missing", iron.problem)
        self.assertIn("not a known analyte", unknown.problem)
        self.assertEqual((smell.seen, sand.seen), ("rotten_egg_cold", "grit"))
        self.assertIn("Test hydrogen sulfide", smell.problem)

    def test_no_message_recommends_what_is_refused(self) -> None:
        """Whatever a refusal writes between quotes after "write" or "e.g." is read."""
        for key, analyte in analytes().items():
            for wrong in ("much", "nd", "5", "12 °", "", "-3", "3 gpm", "trace"):
                try:
                    read(key, wrong)
                except NotUnderstood as error:
                    for advised in re.findall(
                        "“([^”]+)”",
                        re.split(r"write(?: e\.g\.)?|e\.g\.", str(error), maxsplit=1)[-1] if re.search(r"write|e\.g\.", str(error)) else "",
                    ):
                        self.assertEqual(read(key, advised).analyte, key, (analyte.name, wrong, str(error)))

    def test_what_no_water_has_is_asked_about(self) -> None:
        """310 mg/L of iron may be micrograms; 0.85 % of light may be a share."""
        self.assertIn("more iron", doubt(read("iron", "310 mg/L")))
        self.assertIn("less UV transmittance", doubt(read("uvt", "0.85 %")))
        self.assertEqual(doubt(read("iron", "3.1 mg/L")), "")

    @given(st.integers(0, 10**6))
    @fuzz(100)
    def test_any_spelling_is_read_back_the_same(self, seed: int) -> None:
        """Three readings, each under any of its names, in any of its units, name or value first, with commas or without."""
        pick = random.Random(seed)
        said, wanted = [], []
        for key in pick.sample(
            [key for key, row in analytes().items() if row.dimension in ("concentration", "hardness", "conductivity", "turbidity")], 3
        ):
            analyte = analytes()[key]
            name = pick.choice((analyte.name, key.replace("_", " "), *analyte.aliases))
            unit, value = pick.choice(analyte.accepted_units()), f"{pick.uniform(1, 40):.1f}"
            found = analyte.factor_for(unit)
            assert found
            basis = analyte.basis[analyte.ambiguous_basis] if analyte.ambiguous_basis and not found[2] else 1.0
            says = meaning(name).basis
            if says and not found[2]:
                continue  # the name says a basis of its own
            wanted.append((key, found[0].to_canonical(float(value)) * found[1] * basis))
            said.append(f"{name} {value} {unit}")
        read_back = parse_line(pick.choice((", ", "; ", "\n")).join(said))
        self.assertEqual([(entry.reading.analyte, float(f"{entry.reading.low:.6g}")) if entry.reading else entry.problem for entry in read_back],
                         [(key, float(f"{low:.6g}")) for key, low in wanted], said)  # fmt: skip

    def test_every_alias_finds_its_own_analyte(self) -> None:
        """No alias of the table is shadowed by another analyte's."""
        for key, row in analytes().items():
            for alias in (key, row.name, *row.aliases):
                found = find_analyte(alias)
                self.assertIsNotNone(found)
                self.assertEqual(found.key if found else None, key, alias)
