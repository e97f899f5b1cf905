"""First flush: diverts the first, dirty water of each rain."""

from __future__ import annotations

from dataclasses import dataclass

from ..chemistry.water import Water
from ..house.duty import Duty
from ..house.rain import FT2_100
from ..language.figure import Figure, figure, stated, work
from ..train.keys import StageKeys
from ..train.treatment import Purchase, Sizing, Treatment, fixed_body


@dataclass(frozen=True, slots=True)
class FirstFlushKeys(StageKeys):
    pass


class FirstFlush(Treatment[FirstFlushKeys]):
    kind = "first_flush"
    title = "First flush"
    silhouette = "diverter"
    Keys = FirstFlushKeys
    answers = ()
    price = 0.5
    place = 0
    bypassed = False
    absent = "no rain is caught here"
    main = ()
    serves = True
    cautions = (
        "Its small orifice clogs: clean it and the leaf screen every month while leaves fall.",
        "Do not drink water from roofs with lead, copper or treated shingles.",
    )

    def size(self, keys: FirstFlushKeys, water: Water, duty: Duty) -> Sizing:
        return Sizing({})

    def figures(self, keys: FirstFlushKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, facts = duty.rows["first_flush"], duty.facts.source.rain
        if facts and facts.first_flush:
            return {"first_flush_volume": figure(stated("given", "given", facts.first_flush, "L", "storage.flush"))}
        area = (facts.roof_area if facts else None) or float(row["roof_m2"])
        volume = work("first flush", "per × US_gal ÷ area × roof", "L", "storage.flush",
                      per=(float(row["gal_per_100ft2"]), "gal per 100 ft2"), area=(FT2_100, "m2 in 100 ft2"), roof=(area, "m2"))  # fmt: skip
        return {"first_flush_volume": figure(volume)}

    def at_head(self, duty: Duty) -> list[FirstFlushKeys]:
        return [FirstFlushKeys()] if duty.facts.source.kind == "rain" else []

    def treat(self, keys: FirstFlushKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        left = duty.rows["first_flush"]["particles_left"]
        return water.scaled(turbidity=left, tss=left)

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "diverts the first, dirty water of each rain"

    def body(self, keys: FirstFlushKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("diverter")

    def buys(self, keys: FirstFlushKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("diverter", 1.0, note=self.title)]


FIRST_FLUSH = FirstFlush()
