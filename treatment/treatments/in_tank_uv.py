"""A lamp in the tank: holds counts down in standing water; it is no barrier."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import ceil

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import STORED, Water
from ..house import rain
from ..house.duty import Duty
from ..language.analytes import SEWAGE
from ..language.figure import Figure, Line, figure, stated, work
from ..language.spec import Choice, Measure, Number, key
from ..train.keys import StageKeys
from ..train.over_time import Burning, Lamp
from ..train.running import burned
from ..train.treatment import Purchase, Sizing, StageRun, Treatment, fixed_body
from .uv import light_through


@dataclass(frozen=True, slots=True)
class InTankUvKeys(StageKeys):
    hours: float | None = key(Number(0, 24), None, "hours a day that it is on", sometimes=True)
    power: float | None = key(Measure("power", "55 W", high=1000, above=True), None, "electrical power of the lamp, as bought", sometimes=True)
    mode: str | None = key(Choice(("continuous", "timed")), None, "on all day, or by a timer")


class InTankUv(Treatment[InTankUvKeys]):
    kind = "in_tank_uv"
    title = "In-tank UV lamp"
    silhouette = "lamp"
    Keys = InTankUvKeys
    answers = ()
    price = 0.5
    place = None
    bypassed = False
    absent = "there is no open tank here, and it is never the final barrier"
    main = ("hours_a_day", "lamp_interval")
    hidden = ("hours_needed",)
    serves = True
    wants_outlet = True
    uses_power = True
    cautions = (
        "Never look at a lit lamp; switch it off before you lift the lid.",
        "It limits growth in stored water. It is not the final barrier.",
        "Hang it mid-tank, away from the wall and the inlet; lead the sealed cable through a side port; replace the lamp at 9000 h.",
    )

    def size(self, keys: InTankUvKeys, water: Water, duty: Duty) -> Sizing:
        hours = self.figures(keys, Sizing({}), water, duty)["hours_a_day"].value
        mode = "continuous" if hours >= duty.rows["in_tank_uv"]["hours_max"] else "timed"
        return Sizing({"hours": hours, "mode": mode} | ({"power": keys.power} if keys.power else {}))

    def figures(self, keys: InTankUvKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        """Every litre is dosed once a day: dose times volume over the absorbing length, by the light that reaches it."""
        row, sizes = duty.rows["in_tank_uv"], duty.rows["storage"]["storage_l"]
        record, stands = rain.record(duty.facts), water.value(STORED)
        volume = stands or (
            rain.smallest(record, duty.daily, duty.rows["storage"]["rain_reliability"], sizes)
            if record is not None
            else float(sizes[row["tank_place"]])
        )
        share = max(light_through(water.value("uvt") / 100, row["layer_cm"]), 1e-6)
        lamp = work(
            "light of the lamp",
            "watt × germicidal",
            "W at 254 nm",
            "storage.lamp",
            watt=(keys.power or float(row["lamp_watt"]), "W"),
            germicidal=(row["germicidal"], ""),
        )
        burning = "max(min(dose × max(volume, daily) ÷ layer ÷ (lamp × share) ÷ 3600, most), least)"
        needed = work("hours a day", burning, "hour", "storage.lamp", least=(float(row["hours_least"]), "h"),
                     dose=(float(row["dose"]), "mJ/cm2"), volume=(volume, "L"), daily=(duty.daily, "L"), layer=(float(row["layer_cm"]), "cm"), lamp=(lamp.value, "W at 254 nm"),
                     share=(share, ""), most=(float(row["hours_max"]), "h"))  # fmt: skip
        if water.value("total_coliform") > row["high_counts"] or any(water.value(name) > 0 for name in SEWAGE):
            needed = stated("hours a day", "high counts or signs of sewage: it is on all day", float(row["hours_max"]), "hour", "storage.lamp")
        hours = needed
        if keys.mode == "continuous" or keys.hours is not None:
            given = float(row["hours_max"]) if keys.mode == "continuous" else keys.hours or 0.0
            hours = stated("hours a day", "given", given, "hour", "storage.lamp")
        life = work("lamp", "min(life ÷ max(hours, 0.1) ÷ month_days, most)", "month", "uv.lamp",
                    life=(float(duty.rows["uv"]["lamp_hours"]), "h"), hours=(hours.value, "h/day"), most=(float(row["months_most"]), "month"))  # fmt: skip
        return {"hours_a_day": figure(lamp, hours), "hours_needed": figure(lamp, needed), "lamp_interval": figure(life)}

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "limits growth in stored water"

    def body(self, keys: InTankUvKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("in_tank_lamp")

    def burned(self, keys: InTankUvKeys, sizing: Sizing, figures: dict[str, Figure], duty: Duty) -> Line:
        return burned(keys.power or float(duty.rows["in_tank_uv"]["lamp_watt"]), figures["hours_a_day"].value * 365)

    def over_time(self, stage: StageRun[InTankUvKeys]) -> Burning[StageRun[InTankUvKeys]]:
        """It burns so many hours a day, whatever is drawn."""
        watts = stage.keys.power or float(stage.duty.rows["in_tank_uv"]["lamp_watt"])
        return Burning(stage, Lamp(watts, float(stage.duty.rows["uv"]["lamp_hours"]), stage.figures["hours_a_day"].value))

    def buys(self, keys: InTankUvKeys, sizing: Sizing) -> list[Purchase]:
        lamps = float(ceil(12 / sizing.figures["lamp_interval"].value - 1e-6))
        return [Purchase("in_tank_uv", 1.0, note=self.title), Purchase("lamp", lamps, note=self.title, yearly=True)]


IN_TANK_UV = InTankUv()


@rule("lamp-hours", "train", "storage.lamp", on="in_tank_uv")
def lamp_hours(audit: Audit, stage: StageRun[InTankUvKeys]) -> Iterator[Hit]:
    """A lamp in the tank that burns less than this tank and this water ask: the least is four hours a day, in two spells."""
    burns, needed = stage.figures["hours_a_day"].value, stage.figures["hours_needed"].value
    if burns < needed * 0.98:
        yield Hit("caution", f"The lamp is on for {audit.show(burns, 'hour')} a day; this tank and this water need {audit.show(needed, 'hour')}.",
                  "Keep it on longer: at least 4 h a day in two periods, all day where counts are high or E. coli was found. Or fit a stronger one. "
                  "It is not a barrier.")  # fmt: skip
