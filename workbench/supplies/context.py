"""What the supply page shows beyond the survey: peaks by school, what limits, pump, tank, drains, what if."""

from __future__ import annotations

from typing import Any

from treatment.design import Design
from treatment.house.measuring import drawdown_of
from treatment.studies.supply import drain_check, operating_point, peaks, wash_flow, what_if, what_if_range, what_limits

from ..pages.choice_words import CHOICE_WORDS
from ..records.job import Job
from ..request import decimal
from .forms import PumpForm


def supply_context(job: Job, design: Design) -> dict[str, Any]:
    """Everything of the lower half of the supply page."""
    facts, duty = design.job.facts, design.duty
    drains = [(stage.name, check) for stage in design.chosen.run.stages if (check := drain_check(design, stage)) is not None]
    tank = facts.supply.pressure_tank
    return {
        "pump_form": PumpForm(job=job),
        "peaks": [(CHOICE_WORDS[school].replace(" (default)", ""), peak, school == (facts.schools.peak_flow or "fixture_units")) for school, peak in peaks(design)],
        "limits": what_limits(design, design.chosen),
        "operating": operating_point(design, design.chosen),
        "drawdown": drawdown_of(tank, duty.supply.pressure_low, duty.supply.pressure_high) if tank else None,
        "wash": wash_flow(design),
        "drains": drains,
    } | what_if_of(design, {})  # fmt: skip


def what_if_of(design: Design, asked: Any) -> dict[str, Any]:
    """The what-if as asked, each value held inside what can be; as designed where nothing was asked."""
    span = what_if_range(design)
    chosen, dirt = _held(asked.get("flow"), span.flow, 0.0, span.most), _held(asked.get("dirt"), 0.0, 0.0, 100.0)
    size = next((each for each in span.sizes if each.said == asked.get("size")), span.own)
    return {
        "what": what_if(design, design.chosen, chosen, size, dirt / 100),
        "sizes": [(each.said, each.said, each == size) for each in span.sizes],
        "flow_most": f"{span.most:.0f}",
        "flow_now": f"{chosen:.1f}",
        "dirt": f"{dirt:.0f}",
    }


def _held(text: Any, otherwise: float, low: float, high: float) -> float:
    value = decimal(text)
    return otherwise if value is None else min(max(value, low), high)
