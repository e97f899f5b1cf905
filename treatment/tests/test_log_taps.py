"""A log of taps alone: what the house drinks says which unit gave it, unless a unit at the tap itself, or the pipe, may have."""

from __future__ import annotations

from typing import Any

from .example import HARD_ONLY
from .test_diagnosis import MONTHLY, WELL, Entry, Read, day, every, variant_of


def late(then: str, now: str) -> Any:
    """One value for the first ten readings, another after."""
    return lambda i: then if i < 10 else now


class AtTheTap(Read):
    def setUp(self) -> None:
        self.well = variant_of(WELL)
        self.raw = self.well.run.raw

    def test_hardness_and_an_empty_tank(self) -> None:
        """Hard at the kitchen tap and no salt left: the softener's tank, in the words of the reading; nothing of it is called a reading at the unit."""
        hard = f"{self.raw.hardness:.0f} mg/L as CaCO3"
        log = every(MONTHLY, tap__hardness=late("0.5 gpg", hard), soft__salt_level=late("30 cm", "0 cm"))
        found = self.look(self.well, log)
        self.assertEqual([(cause.id, cause.stage) for cause in found.causes][:1], [("salt-empty", "soft")])
        self.assertIn("at a tap", found.causes[0].evidence[0])
        self.assertIn("tap.hardness", found.causes[0].series)
        self.assertNotIn("soft.hardness_out", [series["key"] for series in found.series])
        self.assertEqual(self.causes(self.well, every(MONTHLY, tap__hardness="0.5 gpg", soft__salt_level="30 cm")), [])

    def test_several_units_as_they_came(self) -> None:
        """Iron and hardness of the source at one tap: what leads past both."""
        hard, iron = f"{self.raw.hardness:.0f} mg/L as CaCO3", f"{self.raw.value('iron'):.2f} mg/L"
        self.assertEqual(
            self.causes(self.well, every(MONTHLY, tap__hardness=late("0.5 gpg", hard), tap__iron=late("0.03 mg/L", iron)))[:1], ["bypass-open"]
        )

    def test_the_unit_s_own_newer_reading_counts(self) -> None:
        """Hard at a tap in spring, soft behind the softener in autumn: over."""
        hard = f"{self.raw.hardness:.0f} mg/L as CaCO3"
        log: list[Entry] = [{"on": day(60), "readings": {"tap.hardness": hard}}, {"on": day(200), "readings": {"soft.hardness_out": "0.5 gpg"}}]
        self.assertEqual([each for each in self.causes(self.well, log) if each != "instrument"], [])

    def test_what_no_unit_answers_for_alone(self) -> None:
        """Acid at the tap, where soda ash and iron's own acid both move the pH: told, at no unit; once, by less than a test tells, it is not."""
        fed = variant_of(
            [{"kind": "chemical_feed", "id": "ash", "chemical": "soda_ash"}, {"kind": "retention_tank", "id": "mix"},
             {"kind": "chemical_feed", "id": "bleach", "chemical": "chlorine"}, {"kind": "retention_tank", "id": "wait"},
             {"kind": "oxidizing_filter", "id": "iron", "medium": "greensand"}, {"kind": "sediment", "id": "five"}],
            readings={"ph": "6.0", "alkalinity": "45 mg/L as CaCO3", "iron": "9 mg/L"},
        )  # fmt: skip
        end = fed.run.finished.ph
        acid = self.look(fed, every(MONTHLY, tap__ph=late(f"{end:.1f}", f"{end - 0.9:.1f}")))
        self.assertTrue(acid.causes)
        self.assertEqual(self.causes(fed, every(MONTHLY, tap__ph=lambda i: f"{end - (0.35 if i == 12 else 0):.2f}")), [])

    def test_a_membrane_at_the_tap_is_not_the_house(self) -> None:
        """Permeate of pH 5.8 without hardness is the drinking tap's: it says nothing of the calcite; hard water at a tap is the house's."""
        drink = variant_of(
            [{"kind": "neutralizer", "id": "stone"}, {"kind": "softener", "id": "soft"}, {"kind": "reverse_osmosis", "id": "ro"}],
            readings=HARD_ONLY | {"ph": "6.3", "alkalinity": "60 mg/L as CaCO3", "nitrate": "14 mg/L as N"},
        )
        self.assertIsNot(drink.run.tap, drink.run.finished)
        permeate = {"tap__ph": f"{drink.run.tap.ph:.1f}", "tap__tds": f"{drink.run.tap.value('tds'):.0f} mg/L", "tap__hardness": "0 gpg"}
        self.assertEqual(self.causes(drink, every(MONTHLY, **permeate)), [])
        hard = f"{drink.run.stages[1].water_in.hardness:.0f} mg/L as CaCO3"
        self.assertIn("soft", {cause.stage for cause in self.look(drink, every(MONTHLY, tap__hardness=late("0.5 gpg", hard))).causes})

    def test_what_the_pipe_gives_is_no_unit_s(self) -> None:
        """Copper of 0.9 mg/L at the tap: of no unit."""
        found = self.look(self.well, every(MONTHLY, tap__copper="0.9 mg/L"))
        self.assertEqual({cause.stage for cause in found.causes} - {None}, set())
