"""What people see, smell, taste or fall ill of, in a log of little else: never silent, never twice, and no more than it is."""

from __future__ import annotations

from ..job.facts import OBSERVATIONS
from ..language.analytes import analytes
from ..language.log_keys import known_keys
from ..language.series_key import SeriesKey
from ..operation.monitoring.elsewhere import OF_THE_HOUSE
from .example import HARD_ONLY
from .test_diagnosis import MONTHLY, START, WELL, Entry, Read, day, every, variant_of


class Reported(Read):
    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def seen(self, what: str, on: int = 380) -> list[Entry]:
        return [{"on": day(on), "seen": [what]}]

    def test_nothing_that_was_reported_is_silent(self) -> None:
        """Each word of the vocabulary has a cause, each once; without a report there is none."""
        self.assertEqual(self.causes(self.well, [{"on": day(380), "note": "none"}]), [])
        for what in OBSERVATIONS:
            with self.subTest(what):
                causes = self.look(self.well, self.seen(what)).causes
                self.assertTrue(causes)
                self.assertEqual(len([cause for cause in causes if any(key == what for _, key in cause.stands_on)]), 1)
                self.assertTrue(all(cause.do and cause.tell_apart and cause.evidence for cause in causes))

    def test_it_names_the_unit_and_what_speaks_against_it(self) -> None:
        """Orange stains: the iron filter; iron as expected behind it in that week speaks against it."""
        read = [{"on": day(375), "readings": {"iron.iron_out": "0.04 mg/L"}}]
        plain, tested = (self.look(self.well, log).causes[0] for log in (self.seen("orange_stains"), [*read, *self.seen("orange_stains")]))
        self.assertEqual((plain.id, plain.stage, plain.severity), ("seen/orange_stains", "iron", "caution"))
        self.assertEqual((plain.against, len(tested.against)), ((), 1))
        self.assertLess(tested.score, plain.score)

    def test_a_cause_with_readings_says_it_already(self) -> None:
        """Iron behind the filter beyond its band, and the stains of it: one cause, the filter's own."""
        passes = every(MONTHLY, iron__iron_out=lambda i: "0.9 mg/L" if i > 8 else "0.04 mg/L")
        self.assertNotIn("seen/orange_stains", self.causes(self.well, [*passes, *self.seen("orange_stains", 391)]))

    def test_what_the_design_leaves_is_advice(self) -> None:
        """White crust where nothing softens: by the design; behind a softener a caution."""
        hard = variant_of([{"kind": "sediment", "id": "five"}], readings=HARD_ONLY)
        left = self.look(hard, self.seen("white_crust")).causes[0]
        self.assertEqual((left.id, left.severity), ("seen/white_crust", "advice"))
        self.assertEqual(self.look(self.well, self.seen("white_crust")).causes[0].severity, "caution")

    def test_illness_is_a_danger_on_a_private_source(self) -> None:
        """Boil first, test at once; in town it is asked about."""
        ill = self.look(self.well, self.seen("illness")).causes[0]
        self.assertEqual((ill.id, ill.severity), ("seen/illness", "danger"))
        self.assertTrue(ill.do[0].startswith("Boil water"))
        town = variant_of([{"kind": "softener", "id": "soft"}], readings=HARD_ONLY, source={"kind": "town"})
        self.assertEqual(self.look(town, self.seen("illness")).causes[0].severity, "caution")

    def test_it_is_over_after_a_quarter_of_a_year(self) -> None:
        self.assertEqual(self.look(self.well, self.seen("orange_stains", 100), as_of=300).causes, ())


class Alarms(Read):
    """A unit's alarm has a cause, whatever the unit; what was done at it, or read at it as it should be, ends it."""

    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def test_of_any_unit(self) -> None:
        for unit in ("stone", "iron", "soft", "five"):
            with self.subTest(unit):
                found = self.look(self.well, [{"on": day(200), "alarm": unit}]).causes
                self.assertEqual([(cause.id, cause.stage, cause.severity) for cause in found], [("alarm", unit, "caution")])
        self.assertEqual(self.causes(self.well, [{"on": day(200), "alarm": "uv"}])[:1], ["lamp-out"])

    def test_it_ends(self) -> None:
        rang: list[Entry] = [{"on": day(200), "alarm": "soft"}]
        self.assertEqual(self.causes(self.well, [*rang, {"on": day(201), "did": "soft/salt"}]), [])
        self.assertEqual(self.causes(self.well, [*rang, {"on": day(203), "readings": {"soft.hardness_out": "0.4 gpg"}}]), [])
        self.assertEqual(self.look(self.well, rang, as_of=300).causes, ())

    def test_a_feed_on_unsafe_water(self) -> None:
        """It endangers: boil first."""
        fed = variant_of(
            [{"kind": "chemical_feed", "id": "feed", "chemical": "chlorine"}, {"kind": "retention_tank", "id": "wait"}],
            readings={"total_coliform": "12 CFU/100 mL"},
        )
        found = self.look(fed, [{"on": day(200), "alarm": "feed"}]).causes[0]
        self.assertEqual((found.id, found.severity), ("alarm", "danger"))
        self.assertTrue(found.do[0].startswith("Boil water"))
        ash = variant_of([{"kind": "chemical_feed", "id": "feed", "chemical": "soda_ash"}], readings={"ph": "6.2", "total_coliform": "12 CFU/100 mL"})
        self.assertEqual(self.look(ash, [{"on": day(200), "alarm": "feed"}]).causes[0].severity, "caution")  # it guards nothing


class WhateverIsRead(Read):
    """No reading that is far off is silent, whichever it is: a cause of a unit, of the source, or one that says that nothing explains it."""

    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def worse(self, key: str, fine: str, bad: str) -> list[str]:
        return self.causes(self.well, every(MONTHLY, **{key: lambda i: fine if i < 10 else bad}))

    def test_no_analyte_anywhere(self) -> None:
        """Each analyte, at the source, at the tap, before and behind every unit: fine for ten readings, then far beyond what is expected there."""
        ids, silent, tried = [stage.id for stage in self.well.run.stages], [], 0
        plain = self.look(self.well, [])
        for key in known_keys(ids):
            taken, band = SeriesKey.of(key), plain.look.bands.band(key, START)
            if taken.what not in analytes() or taken.what in OF_THE_HOUSE or band is None or band.low is None or band.high is None:
                continue
            row, tells = analytes()[taken.what], plain.look.bands.tells(key)
            fine, far = (band.low + band.high) / 2, 4 * max(tells, band.high / 3)
            bad = 4.5 if taken.what == "ph" else 0.4 * band.low if row.adverse == "low" else band.high + far
            if row.adverse == "low" and band.low - bad < 2 * tells:
                continue
            log = [{"on": day(30 * i), "readings": {key: f"{fine if i < 10 else bad:.6g} {row.unit}"}} for i in range(1, 13)]
            tried += 1
            if not self.causes(self.well, log):
                silent.append((key, fine, bad))
        self.assertEqual(silent, [])
        self.assertGreater(tried, 150)

    def test_where_water_arrives_says_what_left_the_unit_before(self) -> None:
        """Iron before the softener is iron behind the iron filter."""
        found = self.look(self.well, every(MONTHLY, soft__iron_in=lambda i: "0.04 mg/L" if i < 10 else "1.3 mg/L"))
        self.assertEqual({cause.stage for cause in found.causes}, {"iron"})
        self.assertIn("before the softener", found.causes[0].evidence[0])
        self.assertIn("soft.iron_in", found.causes[0].series)

    def test_pressure(self) -> None:
        """More than a house should have, more than vessels bear; at a tap or behind a unit far less than ever."""
        for bad, severity in (("95 psi", "caution"), ("150 psi", "fault")):
            found = self.look(self.well, every(MONTHLY, source__pressure_high=lambda i, bad=bad: "60 psi" if i < 10 else bad)).causes
            self.assertEqual([(cause.id, cause.severity) for cause in found], [("pressure-high", severity)])
        self.assertEqual(self.worse("source__pressure_high", "60 psi", "75 psi"), [])
        self.assertEqual(self.worse("tap__pressure", "50 psi", "12 psi"), ["unexplained/pressure"])
        self.assertEqual(self.worse("uv__pressure_out", "48 psi", "10 psi"), ["unexplained/pressure_out"])
        self.assertEqual(self.worse("uv__pressure_out", "48 psi", "38 psi"), [])

    def test_water_that_no_unit_changes(self) -> None:
        """Dissolved solids and cloudiness at the tap, caustic water behind a unit: told, twice running."""
        self.assertEqual(self.worse("tap__turbidity", "0.2 NTU", "6 NTU"), ["unexplained/turbidity"])
        self.assertEqual(self.worse("tap__ph", "7.3", "9.8"), ["unexplained/ph"])
        self.assertEqual(self.causes(self.well, every(MONTHLY, tap__ph=lambda i: "9.8" if i == 12 else "7.3")), [])

    def test_a_softener_that_waits_and_one_that_leaks_brine(self) -> None:
        """Thirty days since a regeneration; five times the sodium that the exchange gives."""
        self.assertEqual(self.worse("soft__days_since_regeneration", "3", "30"), ["valve-stuck"])
        gives = self.well.run.stages[2].water_out.value("sodium")
        self.assertEqual(self.worse("soft__sodium_out", f"{gives:.0f} mg/L", f"{5 * gives:.0f} mg/L"), ["rinse-short"])

    def test_a_bed_that_sinks(self) -> None:
        """Iron media a third lower than they were; a bed that settled by 3 % is all there. A softener's is resin lost."""
        self.assertEqual(self.worse("iron__medium_level", "0.90 m", "0.60 m"), ["media-lost"])
        self.assertEqual(self.worse("iron__medium_level", "0.90 m", "0.87 m"), [])
        self.assertEqual(self.worse("soft__medium_level", "0.80 m", "0.55 m"), ["resin-lost"])
