"""A toy treatment, as somebody would add one: a room and its rows, nothing else. It takes fluoride out by bone char."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any
from unittest.mock import patch

from ..audit.audit import Audit
from ..audit.rules import RULES, Hit, rule
from ..chemistry.water import Water
from ..house.duty import Duty
from ..job.feed_limits import FeedLimit
from ..language.figure import Figure, figure, work
from ..language.spec import Choice, Measure, key
from ..language.tables import table
from ..train.keys import StageKeys
from ..train.over_time import Counted, TakingUp
from ..train.treatment import Purchase, Sizing, StageRun, Treatment
from ..treatments import ROOMS

ROWS = {"contact_min": 10.0, "left": 0.1, "turbidity_max": 1.0, "grams_l": 3.0, "price": 4.0}
TASK = {
    "task": "Replace the char", "do": ["Empty the tank and load new char."], "why": "It is exhausted.", "who": "service", "figure": "replacement_interval",
    "load": "fluoride", "quantity": "one", "source": "upkeep.beds",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class CharKeys(StageKeys):
    grade: str | None = key(Choice(("coarse", "fine")), None, "grade of the char", identity=True)
    volume: float | None = key(Measure("volume", "60 L", high=1e5, above=True), None, "char")


class BoneChar(Treatment[CharKeys]):
    kind = "bone_char"
    title = "Bone char filter"
    silhouette = "tank"
    Keys = CharKeys
    answers = ("fluoride",)
    price = 3.0
    place = 8.5
    bypassed = True
    absent = "nothing in this water asks for it"
    main = ("contact_time", "replacement_interval")
    cautions = ("Char is dusty: wear a mask.",)

    def feed_limits(self, keys: CharKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        return [FeedLimit("turbidity", None, duty.rows["bone_char"]["turbidity_max"], "the toy's own trials", "silt packs the char")]

    def size(self, keys: CharKeys, water: Water, duty: Duty) -> Sizing:
        return Sizing({"grade": keys.grade or "coarse", "volume": keys.volume or duty.rows["bone_char"]["contact_min"] * duty.flow})

    def figures(self, keys: CharKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        volume, flow = (sizing.params["volume"], "L"), (duty.flow, "L/min")
        month = work(
            "fluoride a month",
            "fluoride × daily × month_days ÷ 1000",
            "g",
            "beds.media",
            fluoride=(water.value("fluoride"), "mg/L"),
            daily=(duty.daily, "L/day"),
        )
        life = work(
            "life",
            "char × holds ÷ max(month, 0.000001)",
            "month",
            "beds.media",
            char=volume,
            holds=(duty.rows["bone_char"]["grams_l"], "g/L"),
            month=(month.value, "g"),
        )
        return {
            "contact_time": figure(work("contact", "char ÷ flow", "min", "beds.geometry", char=volume, flow=flow)),
            "replacement_interval": figure(month, life),
        }

    def treat(self, keys: CharKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        return water.scaled(fluoride=duty.rows["bone_char"]["left"])

    def candidates(self, water: Water, duty: Duty) -> list[CharKeys]:
        return [CharKeys(grade="fine")] if water.value("fluoride") > 1.5 else []

    def over_time(self, stage: StageRun[CharKeys]) -> TakingUp[StageRun[CharKeys]]:
        return TakingUp(stage, Counted((("fluoride", 1.0),)), stage.sizing.params["volume"] * stage.duty.rows["bone_char"]["grams_l"], "medium")

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return f"takes fluoride from {before.value('fluoride'):.1f} to {after.value('fluoride'):.1f} mg/L"

    def buys(self, keys: CharKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("bone_char", sizing.params["volume"], note=self.title)]


BONE_CHAR = BoneChar()


def _too_little(audit: Audit, stage: StageRun[CharKeys]) -> Iterator[Hit]:
    """Too little char for the flow."""
    least = audit.duty.rows["bone_char"]["contact_min"]
    if stage.figures["contact_time"].value < least * 0.98:
        yield Hit("fault", f"{stage.figures['contact_time'].value:.1f} min of contact; {least:g} are wanted.", "More char.", (stage.kind,))


@contextmanager
def toy_treatment() -> Iterator[BoneChar]:
    """The toy stands among the treatments: its room, its rows in the tables, its rule."""
    rules = list(RULES)
    media = table("prices")["media"]
    with (
        patch.dict(ROOMS, {BONE_CHAR.kind: BONE_CHAR}),
        patch.dict(table("stages"), {"bone_char": ROWS}),
        patch.dict(media, {"bone_char": ["Bone char", "L", ROWS["price"]]}),
        patch.dict(table("upkeep"), {"bone_char": {"medium": TASK}}),
    ):
        from ..job.prices import price_keys
        from ..operation.maintenance.upkeep import rows

        rows.cache_clear()

        price_keys.cache_clear()
        rule("contact-short/<kind>", "train", "beds.media", on=BONE_CHAR.kind)(_too_little)
        try:
            yield BONE_CHAR
        finally:
            RULES[:] = rules
            price_keys.cache_clear()
            rows.cache_clear()


FLUORIDE: dict[str, Any] = {"fluoride": "6 mg/L"}
