"""Barrier filters: ceramic and ultrafiltration elements that hold bacteria and cysts, not viruses."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import OPEN_TO_AIR, Water
from ..house.duty import Duty
from ..house.hydraulics import PSI, square_law
from ..job.feed_limits import FeedLimit
from ..language.analytes import MICROBES, SEWAGE, analytes
from ..language.figure import Figure, figure, source, stated, work
from ..language.prose import was
from ..language.spec import Choice, Number, key
from ..language.tables import table
from ..train.keys import StageKeys
from ..train.over_time import Filling
from ..train.treatment import Purchase, Sizing, StageRun, Treatment, fixed_body
from .cartridges import changes
from .sediment import FINE, solids

HELD = (*MICROBES, "heterotrophic_count", "iron_bacteria", "sulfur_bacteria")


@dataclass(frozen=True, slots=True)
class BarrierKeys(StageKeys):
    element: str | None = key(Choice(("ceramic", "ultrafiltration")), None, "kind of element", identity=True)
    elements: int | None = key(Number(1, 500, whole=True), None, "elements side by side", sometimes=True)


class BarrierFilter(Treatment[BarrierKeys]):
    kind = "barrier_filter"
    title = "Barrier filter"
    silhouette = "cartridge"
    Keys = BarrierKeys
    answers = MICROBES
    helps = (*HELD, OPEN_TO_AIR, "turbidity", "tss")
    way = "barrier"
    partners = (FINE,)  # what a cartridge holds does not blind the element
    price = 2.5
    place = 13
    bypassed = True
    absent = "nothing in this water needs it"
    main = ("replacement_interval", "service_flow_limit")
    holds_particles = True
    guards = True
    disinfects = True
    peak_effect = "pressure falls"
    cautions = (
        "It does not remove viruses. No filter removes every risk: retest the treated water.",
        "A cracked element lets everything through: test its integrity at each cleaning.",
        "Clean ceramic with clean hands and a boiled brush, never with a hard jet.",
    )

    def rows(self, keys: BarrierKeys) -> tuple[str, ...]:
        return ("barrier",)

    def name(self, keys: BarrierKeys) -> str:
        return "Ceramic filter" if keys.element == "ceramic" else "Ultrafiltration"

    def micron(self, keys: BarrierKeys, sizing: Sizing) -> float | None:
        return float(table("stages")["barrier"]["micron"])

    def feed_limits(self, keys: BarrierKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["barrier"], source("barrier.feed")
        most = row["ceramic_turbidity_max"] if keys.element == "ceramic" else row["turbidity_max"]
        return [
            FeedLimit("turbidity", None, most, cited, "silt clogs the element; filter it first"),
            FeedLimit("iron", None, row["iron_max"], cited, "iron clogs the element"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese clogs the element"),
        ]

    def size(self, keys: BarrierKeys, water: Water, duty: Duty) -> Sizing:
        return Sizing({"element": keys.element or "ultrafiltration", "elements": int(self._flow(keys, duty)["elements"].value)})

    def _flow(self, keys: BarrierKeys, duty: Duty) -> dict[str, Figure]:
        each = (float(duty.rows["barrier"][f"{keys.element or 'ultrafiltration'}_gpm"]), "gpm")
        flow = (duty.drinking if self.at_tap(keys) else duty.flow, "L/min")
        count = (
            stated("elements", "given", float(keys.elements), "1", "barrier.feed")
            if keys.elements
            else work("elements", "max(ceil(flow ÷ (each × US_gpm) − 0.000000001), 1)", "1", "barrier.feed", flow=flow, each=each)
        )
        passes = work("flow", "count × each × US_gpm", "L/min", "barrier.feed", count=(count.value, ""), each=each)
        return {"elements": figure(count), "service_flow_limit": figure(passes)}

    def figures(self, keys: BarrierKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, element = duty.rows["barrier"], sizing.params["element"]
        flows, daily = self._flow(keys, duty), duty.drinking_daily if self.at_tap(keys) else duty.daily
        month = work(
            "dirt a month", "solids × daily ÷ 1000 × month_days", "g", "barrier.life", solids=(solids(water, duty), "mg/L"), daily=(daily, "L/day")
        )
        life = work("life", "min(count × holds ÷ max(dirt, 0.000001), most)", "month", "barrier.life", count=(flows["elements"].value, ""),
                    holds=(float(row[f"{element}_dirt"]), "g"), dirt=(month.value, "g"), most=(float(row[f"{element}_months"]), "month"))  # fmt: skip
        return flows | {"replacement_interval": figure(month, life)}

    def treat(self, keys: BarrierKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        left = duty.rows["barrier"]["turbidity_left"]
        return water.scaled(turbidity=left, tss=left, ferric_iron=duty.rows["barrier"]["rust_left"]).with_(
            **{name: 0.0 for name in (*HELD, OPEN_TO_AIR) if water.get(name) is not None}
        )

    def loss(self, keys: BarrierKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        row = table("stages")["barrier"]
        clean = square_law(flow, sizing.figures["service_flow_limit"].value, row["clean_psi"] * PSI)
        return clean, clean + (row["dirty_psi"] - row["clean_psi"]) * PSI

    def candidates(self, water: Water, duty: Duty) -> list[BarrierKeys]:
        return [BarrierKeys(element="ultrafiltration")] if any(water.value(name) > 0 for name in (*self.answers, OPEN_TO_AIR)) else []

    def other_sizes(self, keys: BarrierKeys, sizing: Sizing, water: Water, duty: Duty) -> list[BarrierKeys]:
        """The other element; one more element."""
        other = "ceramic" if sizing.params["element"] == "ultrafiltration" else "ultrafiltration"
        return [BarrierKeys(id=keys.id, element=other), replace(keys, elements=int(sizing.params["elements"]) + 1)]

    def over_time(self, stage: StageRun[BarrierKeys]) -> Filling[StageRun[BarrierKeys]]:
        """Its elements fill with what reaches them."""
        row, element = stage.duty.rows["barrier"], stage.sizing.params["element"]
        holds_dirt = stage.figures["elements"].value * float(row[f"{element}_dirt"])
        return Filling(stage, solids(stage.water_in, stage.duty) / 1000, "turbidity", holds_dirt, "elements")

    def lifted(self, keys: BarrierKeys, sizing: Sizing) -> float:
        return float(table("stages")["barrier"][f"{sizing.params['element']}_lift"])

    def schools(self, keys: BarrierKeys, water: Water, system: str) -> list[str]:
        return ["UV (default); a barrier where there is no power: it removes bacteria and cysts, not viruses."]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "removes bacteria and cysts, but not viruses"

    def body(self, keys: BarrierKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("barrier")

    def bodies(self, keys: BarrierKeys, sizing: Sizing) -> int:
        """A housing for each element."""
        return int(sizing.params["elements"])

    def buys(self, keys: BarrierKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("barrier", sizing.figures["elements"].value, note=self.name(keys)), *changes("element", sizing, self.name(keys))]


BARRIER_FILTER = BarrierFilter()


@rule("element-prefilter", "train", "barrier.prefilter", on=("barrier_filter", "reverse_osmosis"))
def element_prefilter(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """An element with no filter of 5 µm or finer before it: dirt blinds it."""
    fine = any((other.micron or 99.0) <= 5.0 for other in audit.run.earlier(stage) if not other.at_tap)
    if stage.at_tap or fine:
        return
    yield Hit("caution", f"There is no filter of 5 µm or finer before the {stage.said}: water of "
                         f"{audit.show(stage.water_in.value('turbidity'), 'NTU')} reaches it, and dirt will clog the element.",
              "Fit a 5 µm cartridge before it; replacing that costs far less than replacing the element.")  # fmt: skip


@rule("viruses-pass", "train water", "barrier.holds", on="barrier_filter")
def viruses_pass(audit: Audit, stage: StageRun[BarrierKeys]) -> Iterator[Hit]:
    """Elements hold bacteria and cysts, not viruses: where sewage can reach the source, light or chlorine as well."""
    others = [other for other in audit.run.stages if (other.disinfects and other.id != stage.id) or other.sizing.params.get("chemical") == "chlorine"]
    if others or not audit.microbes_present:
        return
    signs = [analytes()[name].name for name in SEWAGE if audit.run.raw.value(name) > 0]
    sewage = bool(signs)
    found = f"{', '.join(signs)} {was(signs)} found, so sewage or manure gets in and brings viruses" if sewage else "microbes reach this source"
    yield Hit("caution" if sewage else "advice", f"The {stage.said} removes bacteria and cysts, but not viruses; {found}.",
              "Add a UV unit or chlorine where sewage can reach the source. Find and stop the way it gets in.")  # fmt: skip
