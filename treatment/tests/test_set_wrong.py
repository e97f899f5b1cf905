"""Sound trains in which one thing is set, sized or left out so that it cannot work: a pump's pressure, a timer, a mesh, the tank of a roof."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..audit.rules import Finding
from .example import HARD_ONLY, job, worked
from .test_audit import SOUND

PUMP = {"kind": "booster_pump", "id": "pump"}
RAIN = {"kind": "rain", "rain": {"roof_area": "2500 ft2", "monthly_rain": ["90 mm"] * 12}}


def found(rule: str, train: list[dict[str, Any]], readings: Any = HARD_ONLY, **parts: Any) -> list[Finding]:
    return [each for each in worked(job(parts, readings=readings, train=train)).chosen.findings if each.rule == rule]


class ByAPump(TestCase):
    """80 psi (552 kPa) in a house, 125 psi (862 kPa) for vessels: also where the pressure comes from the train's own pump."""

    def test_set_too_high(self) -> None:
        for at, severity in (("60 psi", []), ("80 psi", []), ("95 psi", ["caution"]), ("150 psi", ["fault"])):
            with self.subTest(at):
                told = found("pressure-high", [PUMP | {"pressure": at}, {"kind": "softener"}])
                self.assertEqual([each.severity for each in told], severity)
                self.assertEqual([each.stage for each in told], ["pump"] * len(severity))

    def test_a_valve_behind_it_protects_what_follows(self) -> None:
        """95 psi in the pipe between, 60 in the house."""
        valve = {"kind": "pressure_reducing_valve", "set": "60 psi"}
        self.assertEqual(found("pressure-high", [PUMP | {"pressure": "95 psi"}, valve, {"kind": "softener"}]), [])


class BeforeItsDay(TestCase):
    """A resin that lasts ten days, regenerated every second one, gives a fifth of its grains for a pound of salt."""

    def softener(self, days: float | None, regeneration: str = "timer", **readings: str) -> list[Finding]:
        keys = {"kind": "softener", "volume": "2 ft3", "tank": "12x52", "salt_dose": "6 lb/ft3", "regeneration": regeneration}
        return found("salt-inefficient", [keys | ({"every_days": days} if days else {})], HARD_ONLY | readings)

    def test_too_early(self) -> None:
        for regeneration in ("timer", "metered"):
            with self.subTest(regeneration):
                told = self.softener(1, regeneration)
                self.assertEqual([each.severity for each in told], ["caution"])
                self.assertIn("grains for each pound", told[0].message)
        self.assertEqual(self.softener(None, "metered"), [])

    def test_iron_asks_for_it(self) -> None:
        """With iron three days are right, whatever the capacity."""
        self.assertEqual(self.softener(3, iron="1 mg/L", ferrous_iron="1 mg/L", hardness="8 gpg"), [])

    def test_so_does_manganese_or_the_job_s_school(self) -> None:
        metals = HARD_ONLY | {"manganese": "0.8 mg/L", "hardness": "8 gpg"}
        keys = {"kind": "softener", "volume": "2 ft3", "tank": "12x52", "salt_dose": "6 lb/ft3", "regeneration": "timer", "every_days": 3}
        self.assertEqual(found("salt-inefficient", [keys], metals), [])
        self.assertEqual(found("salt-inefficient", [keys], HARD_ONLY | {"hardness": "8 gpg"}, schools={"regeneration": "3_day"}), [])
        self.assertEqual(len(found("salt-inefficient", [keys], HARD_ONLY | {"hardness": "8 gpg"})), 1)


class AMeshTooFine(TestCase):
    def test_no_screen_is_flushed_clean_at_five_micron(self) -> None:
        fine = [{"kind": "sediment", "form": "spin_down", "micron": "5 um"}, {"kind": "uv"}]
        self.assertEqual([each.severity for each in found("micron-too-fine", fine)], ["fault"])
        coarse = [{"kind": "sediment", "form": "spin_down", "micron": "100 um"}]
        self.assertEqual(found("micron-too-fine", coarse, HARD_ONLY | {"turbidity": "4 NTU"}), [])


class ARoofWithoutATank(TestCase):
    def test_between_showers_nothing_comes(self) -> None:
        """Its rain goes straight into the pump: a fault; with a tank, or from a well, it is not."""
        straight = [{"kind": "first_flush"}, PUMP, {"kind": "sediment"}, {"kind": "uv"}]
        self.assertEqual([each.severity for each in found("storage-short", straight, source=RAIN)], ["fault"])
        stored = [straight[0], {"kind": "storage_tank", "volume": "30000 L", "dark": True, "screened": True}, *straight[1:]]
        self.assertNotIn("fault", [each.severity for each in found("storage-short", stored, source=RAIN)])
        self.assertEqual(found("storage-short", SOUND, {}), [])
