"""What wanders, what comes and goes, and what is told at once: readings near the end of what is expected, and several movements together."""

from __future__ import annotations

from typing import Any

from .test_diagnosis import MONTHLY, WELL, Entry, Read, day, every, variant_of


class OnlyJustPast(Read):
    """The end of a band is not a cliff: once, by less than a reading tells apart, is read again; twice, or on its way, is told."""

    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def iron(self, *values: str) -> list[Entry]:
        return every(range(30, 30 + 30 * len(values), 30), iron__iron_out=lambda i: f"{values[i]} mg/L")

    def test_once_is_read_again(self) -> None:
        """0.04 mg/L by the design, 0.05 told apart: to 0.09 or so it is as expected, 0.12 is only just past that, 0.40 is not."""
        band = self.look(self.well, self.iron("0.05")).look.bands.band("iron.iron_out")
        assert band is not None and band.high is not None
        just, far = f"{band.high + 0.02:.2f}", f"{band.high + 0.3:.2f}"
        found = self.look(self.well, self.iron("0.05", "0.04", "0.05", "0.06", just))
        self.assertEqual(found.causes, ())
        self.assertIn("only just past", next(doubt.why for doubt in found.look.doubted if doubt.key == "iron.iron_out"))
        self.assertTrue(self.causes(self.well, self.iron("0.05", "0.04", "0.05", "0.06", just, just)))
        self.assertTrue(self.causes(self.well, self.iron("0.05", "0.04", far, "0.05", far)))

    def test_on_its_way_it_is_told(self) -> None:
        """The same reading at the end of a climb."""
        band = self.look(self.well, self.iron("0.05")).look.bands.band("iron.iron_out")
        assert band is not None and band.high is not None
        climb = [f"{band.high + 0.02 - 0.015 * step:.3f}" for step in range(6, -1, -1)]
        self.assertTrue(self.causes(self.well, self.iron(*climb)))

    def test_a_switch_drifts(self) -> None:
        """65 psi of a switch that was set to 65 may read 62 twice; 55 is a pump that fades."""
        supply = {"supply": {"pressure_low": "45 psi", "pressure_high": "65 psi"}}
        well = variant_of(WELL, **supply)
        steady = every(MONTHLY, source__pressure_high=lambda i: "62 psi" if i % 5 else "66 psi")
        self.assertNotIn("pump-weak", self.causes(well, steady))
        self.assertIn("pump-weak", self.causes(well, every(MONTHLY, source__pressure_high=lambda i: "55 psi" if i > 6 else "65 psi")))


class ComesAndGoes(Read):
    """What is beyond in some readings and within in others, since a day before which it never was."""

    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def hardness(self, values: list[int], iron: str) -> list[Entry]:
        readings: dict[str, Any] = {"soft__hardness_out": lambda i: f"{values[i]} gpg", "soft__iron_in": iron}
        return every(range(20, 20 + 20 * len(values), 20), **readings, soft__regenerations=lambda i: 6 * i, soft__salt_level=lambda i: f"{48 - i} cm")

    def test_less_is_held_between_two_regenerations(self) -> None:
        """Soft just after a regeneration and hard before the next, where it was soft throughout: also on the day that happens to be soft."""
        fell = [0, 0, 0, 0, 0, 0, 8, 0, 7, 8, 0, 9, 0]
        self.assertEqual(self.causes(self.well, self.hardness(fell, "0.05 mg/L"))[:1], ["resin-lost"])
        self.assertEqual(self.causes(self.well, self.hardness(fell, "1.2 mg/L"))[:1], ["resin-fouled/iron"])

    def test_what_was_mended_is_over(self) -> None:
        """Three fine readings since, or one slip in thirteen: nothing."""
        self.assertEqual(self.causes(self.well, self.hardness([0, 0, 0, 0, 0, 8, 0, 7, 8, 0, 0, 0, 0], "0.05 mg/L")), [])
        self.assertEqual(self.causes(self.well, self.hardness([0, 0, 0, 0, 0, 0, 0, 0, 7, 0, 0, 0, 0], "0.05 mg/L")), [])

    def test_of_any_unit(self) -> None:
        """Nitrate behind its exchanger, above the limit in two of the last five samples: a danger, though the last was fine."""
        swap = variant_of(
            [{"kind": "softener", "id": "soft"}, {"kind": "anion_exchange", "id": "swap", "target": "nitrate"}, {"kind": "sediment", "id": "five"}],
            readings={"nitrate": "14 mg/L as N"},
        )
        values = ["2", "2", "3", "2", "2", "12", "2", "13", "2"]
        found = self.look(swap, every(range(30, 300, 30), swap__nitrate_out=lambda i: f"{values[i]} mg/L as N"))
        cause = found.causes[0]
        self.assertEqual((cause.id, cause.stage, cause.severity), ("no-longer/nitrate", "swap", "danger"))
        self.assertTrue(any("2 readings" in line for line in cause.evidence), cause.evidence)


class SeveralAtOnce(Read):
    """Movements together never cancel each other's causes, nor is one cause told as many."""

    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def test_a_bypassed_unit_is_not_broken_too(self) -> None:
        """Iron, sulfide and hardness as they came: the bypass, and nothing of the units it passes."""
        well = variant_of(WELL, readings={"hydrogen_sulfide": "1.5 mg/L"})
        raw = well.run.raw
        came = {name: f"{raw.value(name):.2f} mg/L" for name in ("iron", "hydrogen_sulfide")}
        now = {f"iron__{name}_out": text for name, text in came.items()} | {"soft__hardness_out": f"{raw.hardness:.0f} mg/L as CaCO3"}
        fine = every(range(30, 300, 30), iron__iron_out="0.04 mg/L", iron__hydrogen_sulfide_out="0.02 mg/L", soft__hardness_out="0.3 gpg")
        found = self.look(well, [*fine, *every([305, 312], **now)])
        self.assertEqual([cause.id for cause in found.causes if cause.severity != "danger"], ["bypass-open"])

    def test_what_says_it_by_itself_stays(self) -> None:
        """Raw water behind two units, and no regeneration since months at one of them: the bypass first, the valve beside it."""
        raw = self.well.run.raw
        now = {"iron__iron_out": f"{raw.value('iron'):.2f} mg/L", "soft__hardness_out": f"{raw.hardness:.0f} mg/L as CaCO3"}
        fine = every(range(20, 200, 10), iron__iron_out="0.04 mg/L", soft__hardness_out="0.3 gpg", soft__regenerations=lambda i: 2 * i)
        meter = every(range(15, 316, 50), meter=lambda i: f"{i * 14000} gal")
        log = [*fine, *every(range(200, 316, 15), **now, soft__regenerations="34"), *meter]
        self.assertEqual([cause.id for cause in self.look(self.well, log).causes if cause.severity == "fault"][:2], ["bypass-open", "valve-stuck"])

    def test_a_pump_that_starts_more_for_the_water_it_brings(self) -> None:
        """Twice the water and five times the starts: the tank; twice the starts for twice the water: the house."""
        meter = {"meter": lambda i: f"{i * 4000 + max(i - 6, 0) * 4000} L"}
        tank = every(range(0, 240, 20), source__starts=lambda i: 400 * i + max(i - 6, 0) * 1800, **meter)
        house = every(range(0, 240, 20), source__starts=lambda i: 400 * i + max(i - 6, 0) * 400, **meter)
        self.assertIn("pressure-tank-waterlogged", self.causes(self.well, tank))
        self.assertNotIn("pressure-tank-waterlogged", self.causes(self.well, house))

    def test_a_membrane_whose_feed_is_soft(self) -> None:
        """Flow down and passage up behind a softener: scale, with its feed said to be soft, or dirt; never nothing."""
        tap = variant_of([{"kind": "softener", "id": "soft"}, {"kind": "carbon", "id": "coal"}, {"kind": "reverse_osmosis", "id": "ro"}])
        both = every(
            MONTHLY,
            ro__permeate_flow=lambda i: f"{0.12 - 0.004 * i:.3f} L/min",
            source__temperature="11 degC",
            ro__tds_in="300 mg/L",
            ro__tds_out=lambda i: f"{12 + 3 * i} mg/L",
        )
        found = {cause.id: cause for cause in self.look(tap, both).causes}
        self.assertLessEqual({"membrane-scaled", "membrane-fouled"}, set(found))
        self.assertTrue(any("feeds it" in line for line in found["membrane-scaled"].against))
        self.assertGreater(found["membrane-scaled"].weight, found["membrane-fouled"].weight)

    def test_dark_is_never_doubted(self) -> None:
        """A sensor that sees nothing after a year of light may be a slip; it is told as a lamp that is out until somebody looked."""
        lit = every(range(14, 380, 14), uv__intensity=lambda i: f"{99 - i // 2} %", uv__lamp_hours=lambda i: 336 * (i + 1))
        found = self.look(self.well, [*lit, {"on": day(385), "readings": {"uv.intensity": "0 %"}}])
        self.assertEqual([(cause.id, cause.severity) for cause in found.causes][:1], [("lamp-out", "danger")])
        self.assertEqual([doubt for doubt in found.look.doubted if doubt.key == "uv.intensity"], [])

    def test_cartridges_that_have_long_been_short(self) -> None:
        """75 days at first, 15 for the last forty: short by what they were, however long ago that was."""
        total, changes = 0, []
        for days in (75, 72, 66, 45, 28, 20, *[15] * 40):
            total += days
            changes.append({"on": day(total), "did": "five/cartridge"})
        self.assertIn("cartridge-clogged-early", self.causes(self.well, changes))


class DueByWhatStandsThere(Read):
    """A date is that of what is really used, whoever wrote how much of it down."""

    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def salt(self, entries: list[Entry], as_of: int) -> Any:
        return next(each for each in self.look(self.well, entries, as_of).due if each.task.id == "soft/salt")

    def test_a_filling_nobody_weighed_counts_as_usual(self) -> None:
        """40 lb every 20 days, every second time without its amount: 40 lb still last 20 days, not 40."""
        fills: list[Entry] = [{"on": day(on), "did": "soft/salt"} | ({"amount": "40 lb"} if on % 40 else {}) for on in range(20, 201, 20)]
        found = self.salt(fills, 205)
        self.assertEqual((found.last.isoformat(), (found.due_on - found.last).days), (day(200), 20))

    def test_a_level_that_falls_faster(self) -> None:
        """From 45 cm, 3 cm a day: 10 cm, where it is filled, after 11 to 12 days; standing high it is due as ever."""
        filled: list[Entry] = [{"on": day(100), "did": "soft/salt", "amount": "80 lb"}]
        falls = every(range(102, 109, 2), soft__salt_level=lambda i: f"{39 - 6 * i} cm")
        found, plain = self.salt([*filled, *falls], 109), self.salt(filled, 109)
        self.assertEqual((found.due_on.isoformat(), found.basis), (day(111), "consumption"))
        self.assertLess(found.due_on, plain.due_on)
        slow = every(range(102, 109, 2), soft__salt_level=lambda i: f"{44 - 0.5 * i:.1f} cm")
        self.assertEqual(self.salt([*filled, *slow], 109).due_on, plain.due_on)
