"""Samples -> what is known of each analyte, and the value the design stands on.

Raw and treated water are never mixed, but what any sample shows above a health limit is told of the source: a tap adds, it clears nothing.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from ..chemistry.water import CA_TO_HARDNESS, MG_TO_HARDNESS
from ..job.facts import Basis, Facts, SampleFacts
from ..job.limits import limits_of, outside
from ..language.analytes import Analyte, analytes, shown_in
from ..language.display import show
from ..language.reading import Reading
from ..language.tables import table

RAW_POINTS = ("raw", "pressure_tank")
#: metals that pipe and fittings give to the water on its way to the tap
PLUMBING = shown_in("plumbing")
#: metals that lie in old pipe: a first draw tells of the pipe, not of the source
DEPOSITS = shown_in("deposits")
#: what the treatment of a house may leave in its water
MADE = shown_in("made")
HARDNESS_OF = {"calcium": CA_TO_HARDNESS, "magnesium": MG_TO_HARDNESS}
Found = tuple[int, SampleFacts, Reading]


@dataclass(frozen=True, slots=True)
class Assumption:
    """Something the job did not say: where it belongs, what was taken, and why."""

    path: str
    value: str
    why: str

    @property
    def said(self) -> str:
        """What was taken, in words: ``Soft water: yes``; a value that speaks for itself stays alone."""
        words = {"true": "yes", "false": "no", "none": "none", "null": "nothing"}.get(self.value.strip().lower())
        if words is None and self.value.replace(".", "", 1).replace("_", "").isalpha() is False:
            return self.value
        name = self.path.rsplit(".", 1)[-1].split("[")[0].replace("_", " ")
        return f"{name[:1].upper()}{name[1:]}: {words or self.value.replace('_', ' ')}"


@dataclass(frozen=True, slots=True)
class AnalyteState:
    """What is known of one analyte in its canonical unit; high is None where it is open above.

    origin: the sample it comes from, or "assumed" / "computed". undetected: every test of it found nothing, and the design
    value is no more than what the finest of them would have missed.
    """

    low: float
    high: float | None
    design: float
    unit: str
    origin: str
    undetected: bool = False

    def as_json(self) -> dict[str, Any]:
        return {"low": self.low, "high": self.high, "design": self.design, "unit": self.unit, "from": self.origin}


def standing_for_raw(facts: Facts) -> list[tuple[int, SampleFacts]]:
    """The samples a design may stand on: the raw ones; without any, those of a tap; without any, the treated ones."""
    numbered = list(enumerate(facts.samples))
    raw = [pair for pair in numbered if pair[1].point in RAW_POINTS]
    return raw or [pair for pair in numbered if pair[1].point == "tap"] or numbered


def combine(facts: Facts, notes: list[Assumption]) -> dict[str, AnalyteState]:
    """What the samples tell of each analyte, on the basis chosen for it; what was assumed in reading goes to ``notes``."""
    states: dict[str, AnalyteState] = {}
    samples = standing_for_raw(facts)
    elsewhere = [each for each in enumerate(facts.samples) if each not in samples]
    for name, analyte in analytes().items():
        found = [(i, s, s.readings[name]) for i, s in samples if name in s.readings and not (s.point == "tap" and name in PLUMBING)]
        found += _shown_elsewhere(facts, name, elsewhere, bool(found))
        for i, _, reading in found:
            if reading.note:
                notes.append(Assumption(f"$.samples[{i}].readings.{name}", reading.typed, reading.note))
        basis = facts.design_basis.get(name, Basis())
        if not found and basis.by == "chosen" and isinstance(basis.value, Reading):
            low, top = basis.value.low, top_of(basis.value)
            states[name] = AnalyteState(low, basis.value.high, low if analyte.adverse == "low" else top, analyte.unit, "manual value")
            notes.append(
                Assumption(
                    f"$.design_basis.{name}",
                    f"{analyte.name} {show(states[name].design, analyte.shown_unit, facts.job.units)}",
                    f"not measured; manual value: {basis.reason}",
                )
            )
        if not found:
            continue
        state = _on(basis, analyte, found)
        if state.high is None and not analyte.is_microbe:
            notes.append(
                Assumption(
                    f"$.design_water.{name}",
                    f"{state.design:g} {analyte.unit}",
                    f"the reading is above the test's range: more than {state.low:g} {analyte.unit}, perhaps far more: use a test with a wider range",
                )
            )
        if basis.by != "worst":
            words = {"latest": "the latest reading", "percentile": f"{_percent(basis):g}th percentile of {len(found)}", "chosen": "manual value"}
            why = words[basis.by] + (f": {basis.reason}" if basis.reason else "")
            notes.append(Assumption(f"$.design_basis.{name}", f"{analyte.name} {show(state.design, analyte.shown_unit, facts.job.units)}", why))
        states[name] = state
    return states


def _shown_elsewhere(facts: Facts, name: str, elsewhere: list[tuple[int, SampleFacts]], told: bool) -> list[Found]:
    """Readings at a tap or behind a unit that the water of the source has to answer for, though they were not drawn there.

    Microbes, and what is above a health limit; at a tap that was flushed, and where no raw sample told of it, outside any limit.
    """
    seen = [(index, sample, sample.readings[name]) for index, sample in elsewhere if name in sample.readings]
    if not seen or name in PLUMBING or (name in MADE and facts.source.kind != "town"):
        return []
    analyte, marks = analytes()[name], [limit for limit in limits_of(facts) if limit.analyte == name]
    found: list[Found] = []
    for index, sample, reading in seen:
        first = sample.point == "tap" and sample.draw == "first"
        if (first and name in DEPOSITS) or (reading.qualifier == "below" and analyte.adverse == "high"):
            continue
        counts = [mark for mark in marks if mark.health or (sample.point == "tap" and not first and not told)]
        if any(outside(mark, _bottom(reading, analyte), top_of(reading)) for mark in counts):
            found.append((index, sample, reading))
    return found


def sample_values(sample: SampleFacts) -> dict[str, float]:
    """What one sample tells, each analyte at its adverse end [canonical unit]; iron told only in total is taken as dissolved."""
    found = {name: reading.low if analytes()[name].adverse == "low" else top_of(reading) for name, reading in sample.readings.items()}
    if "iron" in found and "ferrous_iron" not in found:
        found["ferrous_iron"] = max(found["iron"] - found.get("ferric_iron", 0.0), 0.0)
    if "hardness" in found and "calcium" not in found:
        share = table("stages")["water"]["calcium_share"]
        found["calcium"], found["magnesium"] = (
            found["hardness"] * share / HARDNESS_OF["calcium"],
            found["hardness"] * (1 - share) / HARDNESS_OF["magnesium"],
        )
    return found


def at_taps(facts: Facts) -> dict[str, AnalyteState]:
    """What samples at the taps tell of the metals that pipe and fittings give: the worst, first draw and flushed alike."""
    return _worst_of(PLUMBING, facts, lambda sample: sample.point == "tap")


def stood_in_pipe(facts: Facts) -> dict[str, AnalyteState]:
    """What samples at the taps tell of the metals that lie in old pipe."""
    return _worst_of(DEPOSITS, facts, lambda sample: sample.point == "tap")


def _worst_of(names: Iterable[str], facts: Facts, counts: Callable[[SampleFacts], bool]) -> dict[str, AnalyteState]:
    """The worst that some samples tell of some analytes."""
    found: dict[str, AnalyteState] = {}
    for name in names:
        seen = [(i, s, s.readings[name]) for i, s in enumerate(facts.samples) if counts(s) and name in s.readings]
        if seen:
            found[name] = _on(Basis(), analytes()[name], seen)
    return found


def first_drawn(facts: Facts) -> frozenset[str]:
    """Which metals a first draw at the tap tells of: only that sample sees what a night in the pipe dissolves."""
    return frozenset(
        name for sample in facts.samples if sample.point == "tap" and sample.draw == "first" for name in sample.readings if name in PLUMBING
    )


def default_percent() -> float:
    """The percentile a design stands on where none is said."""
    return float(table("stages")["water"]["percentile"])


def _percent(basis: Basis) -> float:
    return basis.percent if basis.percent is not None else default_percent()


def _on(basis: Basis, analyte: Analyte, found: list[Found]) -> AnalyteState:
    """The state of an analyte on one basis. Range: of the readings the basis looks at."""
    if basis.by == "latest":
        newest = max(s.taken_on or dt.date.min for _, s, _ in found)
        found = [each for each in found if (each[1].taken_on or dt.date.min) == newest]
    low = min(_bottom(r, analyte) for _, _, r in found)
    high = None if any(r.high is None for _, _, r in found) else max(top_of(r) for _, _, r in found)
    worst = min(found, key=lambda each: _bottom(each[2], analyte)) if analyte.adverse == "low" else max(found, key=lambda each: top_of(each[2]))
    design, origin = _bottom(worst[2], analyte) if analyte.adverse == "low" else top_of(worst[2]), _origin(worst[0], worst[1])
    if basis.by == "percentile":
        ends = sorted((_bottom(r, analyte) if analyte.adverse == "low" else top_of(r) for _, _, r in found), reverse=analyte.adverse == "low")
        design, origin = _at(ends, _percent(basis) / 100), f"{_percent(basis):g}th percentile of {len(found)} readings"
    if basis.by == "chosen" and isinstance(basis.value, Reading):
        design, origin = _bottom(basis.value, analyte) if analyte.adverse == "low" else top_of(basis.value), "manual value"
        low, high = min(low, _bottom(basis.value, analyte)), None if high is None else max(high, top_of(basis.value))
    silent = analyte.adverse == "high" and all(r.qualifier == "below" for _, _, r in found)
    if silent and basis.by == "worst":
        design = high = min(top_of(r) for _, _, r in found)
        origin = _origin(*next((i, s) for i, s, r in found if top_of(r) == design))
    if silent and analyte.is_microbe:
        design = high = 0.0  # a count below what the plate can tell is how a laboratory writes "none"
    return AnalyteState(low, high, design, analyte.unit, origin, silent)


def top_of(reading: Reading) -> float:
    """The upper end of a reading; above a test's range it is beyond the mark, by as much as the table has it."""
    if reading.high is not None:
        return reading.high
    analyte, row = analytes()[reading.analyte], table("assumed")["open_end"]
    if analyte.is_microbe or analyte.adverse == "low":
        return reading.low
    return float(reading.low + row["ph"] if analyte.unit == "pH" else reading.low * row["times"])


def _bottom(reading: Reading, analyte: Analyte) -> float:
    """The lower end of a reading; where little is adverse, one below a test's range is beyond the mark, by as much as the table has it."""
    if reading.qualifier != "below" or analyte.adverse != "low" or reading.high is None:
        return reading.low
    row = table("assumed")["open_end"]
    if analyte.key == "uvt":  # what darkens it is so many times more
        return float(100 * (max(reading.high, 1e-3) / 100) ** row["times"])
    return float(reading.high - row["ph"] if analyte.unit == "pH" else reading.high / row["times"])


def _at(ordered: list[float], share: float) -> float:
    """The value below which a share of the ordered values lies, linear between neighbours.

    >>> _at([1.0, 2.0, 3.0, 4.0, 5.0], 0.9)
    4.6
    """
    place = share * (len(ordered) - 1)
    below = int(place)
    above = min(below + 1, len(ordered) - 1)
    return round(ordered[below] + (place - below) * (ordered[above] - ordered[below]), 12)


def _origin(index: int, sample: SampleFacts) -> str:
    parts = [str(sample.taken_on) if sample.taken_on else "", sample.point, sample.method or ""]
    return f"sample {index + 1} ({', '.join(part for part in parts if part)})"
