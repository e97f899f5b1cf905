"""The pressure that a year leaves at the highest tap, and what each unit loses: by each draw's own flow, and by how dirty a unit is that day."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..language.figure import constant
from ..language.tables import table
from ..train.pressure import losses_at
from .household import Array
from .machine import Year
from .place import Place
from .source import pressure_at_source

FLOWS = (0.0, 0.15, 0.35, 0.7, 1.0)  # shares of the greatest flow of the year at which losses are worked out, in between straight
FAR = 1e6  # kPa, to learn between which pressures a unit holds what follows it


@dataclass(frozen=True, slots=True)
class Pressures:
    """Pressure at the highest tap [kPa] by draw; the loss of each unit [kPa] by draw, by stage id."""

    tap: Array
    drops: dict[str, Array]


def pressures(year: Year) -> Pressures:
    """Walk the falling line of pressure for all draws at once, as `train.pressure` does for one flow."""
    draws, variant = year.draws, year.variant
    duty, run = variant.audit.duty, variant.run
    most = max(float(draws.flow.max(initial=0.0)), duty.flow, 1.0)
    at = [share * most for share in FLOWS]
    ways = [losses_at(run, duty, variant.audit.piping, flow, []) for flow in at]
    day = np.minimum(draws.at // 1440, year.days - 1).astype(int)
    warm = run.raw.temperature

    def over(values: list[float]) -> Array:
        return np.asarray(np.interp(draws.flow, at, values))

    pipe = over([way.pipe for way in ways])
    roof = duty.facts.source.kind == "rain" and any(place.stage.room.stores for place in year.places)
    here = np.zeros(len(draws.at)) if roof else pressure_at_source(variant, draws, year.source.weak, year.seed) - pipe
    falls, drops = roof, dict[str, Array]()
    for index, place in enumerate(year.places):
        stage = place.stage
        here = here if falls else here - over([way.before[index] for way in ways])
        if not stage.at_tap:
            loss = _loss(place, draws.flow, at, warm, day)
            drops[stage.id] = loss
            low, high = stage.room.pressure_after(stage.sizing, -FAR, 0.0), stage.room.pressure_after(stage.sizing, FAR, 0.0)
            here = np.clip(here - loss, None if low <= -FAR / 2 else low, None if high >= FAR / 2 else high)
        falls = stage.room.stores or (falls and not stage.room.pumps)
        here = here if falls else here - over([way.behind[index] for way in ways])
    left = here - over([way.house for way in ways]) - (pipe if roof else 0.0) - duty.supply.height * constant("gravity")
    return Pressures(np.asarray(np.maximum(left, 0.0)), drops)


def _loss(place: Place, flow: Array, at: list[float], warm: float, day: Array) -> Array:
    """The loss of a unit by draw [kPa]: clean at that flow, and what dirt adds, in proportion to flow and to how dirty it is that day."""
    stage = place.stage
    clean = np.interp(flow, at, [stage.room.loss(stage.keys, stage.sizing, each, warm)[0] if each > 0 else 0.0 for each in at])
    added = max(stage.loss_dirty - stage.loss_clean, 0.0)
    if added <= 0 or not place.kept.dirt:
        return np.asarray(clean)
    dirt = np.minimum(np.array(place.kept.dirt), table("year")["pressure"]["dirt_most"])[day]
    return np.asarray(clean + added * dirt * flow / max(stage.duty.flow, 1e-6))
