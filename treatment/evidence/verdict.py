"""What the water says: each reading judged against its mark, health first, then equipment, then comfort."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace

from ..job.limits import limits
from ..language.analytes import Analyte, analytes
from ..language.figure import source
from ..language.tables import table
from .gather import Evidence
from .samples import AnalyteState

GROUPS = ("health", "equipment", "comfort")
STATES = ("beyond", "perhaps", "within")


@dataclass(frozen=True, slots=True)
class Verdict:
    """One reading against one mark, canonical units. state: beyond the mark at both ends, perhaps (at one end), or within."""

    analyte: Analyte
    group: str
    low: float
    high: float | None
    mark_low: float | None
    mark_high: float | None
    state: str
    is_a: str
    does: str
    source: str
    at_tap: bool = False

    @property
    def name(self) -> str:
        """What it is called: a metal that the pipe gave is told apart from the source's."""
        return f"{self.analyte.name} at the tap" if self.at_tap else self.analyte.name

    @property
    def times(self) -> float:
        """How many times the mark the adverse end is; for a lower mark, of the way down."""
        if self.mark_high and (self.high is None or self.high > self.mark_high):
            return (self.low if self.high is None else self.high) / self.mark_high
        if self.mark_low:
            return 1.0 + max(self.mark_low - self.low, 0.0)
        return 0.0 if not self.mark_high else (self.high or 0.0) / self.mark_high

    @property
    def said(self) -> str:
        """The state in words."""
        if self.state == "within":
            return "within its limit"
        return "over its limit" if self.state == "beyond" else "possibly over its limit"


def verdicts(evidence: Evidence, standard: str, on: dt.date | None = None) -> dict[str, list[Verdict]]:
    """Every measured reading that has a mark, by group, the gravest first. A reading stands in two groups where they have different marks.

    Metals found at the tap stand beside those of the source. on: the day whose limits hold.
    """
    found: dict[str, list[Verdict]] = {group: [] for group in GROUPS}
    for at_tap, states in ((False, evidence.stated), (True, evidence.taps)):
        for name, state in states.items():
            for limit in limits(standard, on):
                if limit.analyte == name:
                    group = "health" if limit.health else "comfort"
                    verdict = _verdict(analytes()[name], group, state, limit.low, limit.high, limit.source)
                    found[group].append(replace(verdict, at_tap=at_tap))
    for name, state in evidence.stated.items():
        row = table("verdicts").get(name, {}).get("equipment")
        if row:
            low, high = (float(row["mark"]), None) if row.get("below") else (None, float(row["mark"]))
            found["equipment"].append(_verdict(analytes()[name], "equipment", state, low, high, source(f"verdict.{row['source']}")))
    marks = {(row.analyte.key, row.mark_low, row.mark_high) for row in found["equipment"]}
    found["comfort"] = [row for row in found["comfort"] if (row.analyte.key, row.mark_low, row.mark_high) not in marks]
    for rows in found.values():
        rows.sort(key=lambda verdict: (STATES.index(verdict.state), -verdict.times))
    return found


def unmarked(evidence: Evidence, standard: str) -> list[str]:
    """Measured readings that no mark judges."""
    judged = {verdict.analyte.key for rows in verdicts(evidence, standard).values() for verdict in rows}
    return [name for name in evidence.stated if name not in judged]


def _verdict(analyte: Analyte, group: str, state: AnalyteState, low: float | None, high: float | None, cited: str) -> Verdict:
    def beyond(value: float | None) -> bool:
        if value is None:
            return high is not None
        return (high is not None and value > high * (1 + 1e-9)) or (low is not None and value < low * (1 - 1e-9))

    open_above = state.high is None and high is not None and state.low >= high * (1 - 1e-9)  # more than the mark, whatever it is
    ends = (beyond(state.low) or open_above, beyond(state.high))
    judged = "beyond" if all(ends) or (analyte.is_microbe and any(ends)) else ("perhaps" if any(ends) else "within")
    words = table("verdicts").get(analyte.key, {})
    return Verdict(
        analyte, group, state.low, state.high, low, high, judged, words.get("is", ""), words.get("over", "") if judged != "within" else "", cited
    )
