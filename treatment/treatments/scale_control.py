"""Scale control: keeps scale from sticking without taking hardness out."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import SCALE_GUARD, Water
from ..house.duty import Duty
from ..house.hydraulics import GPM, PSI, square_law
from ..house.needs import soften_above
from ..job.feed_limits import FeedLimit
from ..language.display import show
from ..language.figure import Figure, figure, source, stated
from ..language.spec import Choice, key
from ..language.tables import table
from ..train.keys import StageKeys
from ..train.over_time import Aging
from ..train.treatment import Fork, Purchase, Sizing, StageRun, TrainRun, Treatment, fixed_body


@dataclass(frozen=True, slots=True)
class ScaleControlKeys(StageKeys):
    method: str | None = key(Choice(("crystallisation", "citrate")), None, "how scale is kept from sticking", identity=True)


class ScaleControl(Treatment[ScaleControlKeys]):
    kind = "scale_control"
    title = "Scale control"
    silhouette = "cartridge"
    Keys = ScaleControlKeys
    answers = ()
    helps = ("hardness",)
    price = 2.0
    place = 11
    bypassed = True
    absent = "nothing in this water needs it"
    main = ("replacement_interval", "service_flow_limit")
    peak_effect = "scale control weakens"
    cautions = (
        "It does not remove hardness: tests read the same, soap feels the same, and UV units and membranes scale as before.",
        "Soak the media for 24 to 48 h with the unit in bypass; fill slowly, vent at the top, and rinse into a bucket.",
        "Flush new copper pipe for weeks before you put it in service.",
    )

    def name(self, keys: ScaleControlKeys) -> str:
        return "Citrate scale control" if keys.method == "citrate" else "Scale control"

    def feed_limits(self, keys: ScaleControlKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["scale_control"], source("scale.feed")
        hard = "caution" if water.hardness <= row["hardness_ceiling"] else "fault"
        return [
            FeedLimit("iron", None, row["iron_max"], cited, "iron coats the media"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese coats the media"),
            FeedLimit("copper", None, row["copper_max"], cited, "copper coats the media"),
            FeedLimit("free_chlorine", None, row["chlorine_max"], cited, "chlorine damages the media"),
            FeedLimit("hardness", None, row["hardness_max"], cited, "that is more hardness than it controls", hard),
            FeedLimit("ph", row["ph_min"], None, cited, "acid water dissolves the seeds"),
            FeedLimit("ph", None, row["ph_max"], cited, "in alkaline water scale forms by itself"),
            FeedLimit("tannin", None, row["tannin_max"], cited, "tannin coats the media"),
        ]

    def size(self, keys: ScaleControlKeys, water: Water, duty: Duty) -> Sizing:
        return Sizing({"method": keys.method or "crystallisation"})

    def figures(self, keys: ScaleControlKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row = duty.rows["scale_control"]
        rated = next((gpm for gpm in row["sizes_gpm"] if gpm * GPM >= duty.flow), row["sizes_gpm"][-1]) * GPM
        months = float(row["cartridge_months"] if keys.method == "citrate" else row["years"] * 12)
        return {
            "service_flow_limit": figure(stated("flow class", "rated", rated, "L/min", "scale.size")),
            "replacement_interval": figure(stated("life", "months", months, "month", "scale.size")),
        }

    def treat(self, keys: ScaleControlKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        return water.with_(**{SCALE_GUARD: 1.0})

    def loss(self, keys: ScaleControlKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        clean = square_law(flow, sizing.figures["service_flow_limit"].value, table("stages")["scale_control"]["clean_psi"] * PSI)
        return clean, clean

    def candidates(self, water: Water, duty: Duty) -> list[ScaleControlKeys]:
        school = duty.facts.schools.hardness
        wishes = duty.facts.wishes
        wanted = school in ("scale_control", "citrate") or wishes.no_salt or wishes.no_power or duty.no_drain
        if school == "none" or not wanted:
            return []
        return [ScaleControlKeys(method="citrate" if school == "citrate" else "crystallisation")]

    def other_sizes(self, keys: ScaleControlKeys, sizing: Sizing, water: Water, duty: Duty) -> list[ScaleControlKeys]:
        """The other method."""
        return [ScaleControlKeys(id=keys.id, method="crystallisation" if keys.method == "citrate" else "citrate")]

    def over_time(self, stage: StageRun[ScaleControlKeys]) -> Aging[StageRun[ScaleControlKeys]]:
        """Its medium, or its dosing cartridge, wears with time."""
        return Aging(stage, "cartridge" if stage.keys.method == "citrate" else "medium")

    def upright(self, keys: ScaleControlKeys) -> bool:
        return keys.method != "citrate"

    def schools(self, keys: ScaleControlKeys, water: Water, system: str) -> list[str]:
        return [
            "A softener where soft water is required (default); others prefer scale control: no salt, no drain, and hardness stays.",
            f"Water heater: limiting scale requires {show(60.0, 'degC', system)} or less, limiting legionella {show(60.0, 'degC', system)} or more in "
            f"the tank; local rules decide.",
        ]

    def forks(self, stage: StageRun[ScaleControlKeys], others: frozenset[str]) -> list[Fork]:
        return [
            Fork(
                "A softener instead of scale control",
                1,
                schools=(("hardness", "exchange"),),
                has=frozenset({"softener"}),
                lacks=frozenset({self.kind}),
            )
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "keeps scale from sticking; hardness stays in the water"

    def body(self, keys: ScaleControlKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("scale_control")

    def why_absent(self, wanted: bool, raw: Water, duty: Duty, tested: bool, refused: Callable[[], list[str]]) -> str:
        return "a softener does more, or nothing scales here" if self.candidates(raw, duty) else ""

    def purposeful(self, stage: StageRun[Any], run: TrainRun, duty: Duty, microbes: bool) -> bool:
        """Hard water arrives."""
        return stage.water_in.hardness > soften_above(duty.facts)

    def buys(self, keys: ScaleControlKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("scale_control", 1.0, note=self.name(keys))]


SCALE_CONTROL = ScaleControl()


@rule("scale-control-not-soft", "train", "scale.honest", on="scale_control")
def scale_control_not_soft(audit: Audit, stage: StageRun[ScaleControlKeys]) -> Iterator[Hit]:
    """Soft water is wished for, and only scale control is given."""
    softens = ("softener", "reverse_osmosis")
    soft = any(other.kind in softens and not other.at_tap for other in audit.run.stages)
    if audit.facts.wishes.soft_water and not soft:
        yield Hit(
            "caution",
            f"Soft water is required, but scale control leaves {audit.show(stage.water_out.hardness, 'mg/L CaCO3')} of hardness in the "
            "water: soap, tests and skin show no change.",
            "Fit a softener (it needs salt, power and a drain; a pump can reach a drain), or explain to the owner what scale control does.",
        )
