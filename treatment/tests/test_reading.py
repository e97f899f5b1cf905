from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..language.analytes import analytes, find_analyte
from ..language.errors import NotUnderstood
from ..language.reading import parse_line, parse_reading
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
            ("ph", "15", "0 to 14"),
            ("iron", "-2 mg/L", "negative"),
            ("iron", "3..1 mg/L", "backwards"),
            ("uvt", "120 %", "0 to 100"),
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


class EntryLine(TestCase):
    def test_one_line_as_people_type_it(self) -> None:
        """Names, aliases, order, decimal commas and missing spaces are understood."""
        entries = parse_line("iron 2.4, hardness 14 gpg, pH 6,1, alk 40, mn <0.01, coliform present, h2s 0,3 mg/L; so4: 30")
        self.assertEqual([entry.problem for entry in entries], [""] * 8)
        self.assertEqual(
            [entry.reading.analyte for entry in entries if entry.reading],
            ["iron", "hardness", "ph", "alkalinity", "manganese", "total_coliform", "hydrogen_sulfide", "sulfate"],
        )

    def test_what_is_not_understood_is_kept_with_its_reason(self) -> None:
        """A typo names the nearest analyte, a name alone says that its value is missing."""
        iron, typo, unknown = parse_line("iron, irom 3, zorblax 7 mg/L")
        self.assertIn("value is missing", iron.problem)
        self.assertIn("did you mean iron", typo.problem)
        self.assertIn("not an analyte we know", unknown.problem)

    def test_every_alias_finds_its_own_analyte(self) -> None:
        """No alias of the table is shadowed by another analyte's."""
        for key, row in analytes().items():
            for alias in (key, row.name, *row.aliases):
                found = find_analyte(alias)
                self.assertIsNotNone(found)
                self.assertEqual(found.key if found else None, key, alias)
