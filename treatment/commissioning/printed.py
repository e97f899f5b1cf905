"""The run sheet as text in Markdown, to be printed and taken into the basement."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence

from ..language.display import show_within
from ..language.interface import word
from ..planning.evaluated import EvaluatedTrain
from .expected import Expectations, ExpectedReading
from .sheet import OFF, WARM, sheet
from .step import Step
from .visits import InstallVisit, minute_of, visits

CAUTION = (
    "Local code, licensed trades and the manufacturers of units and media take precedence over this checklist. "
    "A calculation does not make water safe: only a laboratory sample lifts a boil-water notice."
)


def minutes(value: float) -> str:
    """A time as people say it: 45 min, 2 h, 1 h 30 min, 3 days."""
    whole = round(value)
    days, rest = divmod(whole, 1440)
    if days > 1 and not rest:
        return f"{days} days"
    hours, left = divmod(whole, 60)
    return " ".join(part for part in (f"{hours} h" if hours else "", f"{left} min" if left or not hours else "") if part)


def markdown(variant: EvaluatedTrain, start: dt.datetime | None = None) -> Iterator[str]:
    """The lines of a train's run sheet; start: when the first visit begins, for dates in place of days. A train of no stages has nothing to start, which is said."""
    found, expected, system = sheet(variant), Expectations(variant), variant.audit.facts.job.units
    yield f"# Commissioning checklist: {variant.audit.facts.job.name or 'a job without a name'}"
    yield ""
    if not found.steps:
        yield "The train is empty: there is nothing to commission."
        return
    yield CAUTION
    yield ""
    numbers = {step.id: number for number, step in enumerate(found.steps, 1)}
    coming = visits(found, minute_of(start) if start else None)
    yield f"{len(found.steps)} steps, {minutes(found.hands_on)} of work, {len(coming)} visits. ! marks a step that must not be skipped without a reason."
    yield ""
    yield "## Visits"
    yield ""
    yield "Assumes one person of each trade doing one step at a time, in the fewest visits that the waits allow."
    for visit in coming:
        yield ""
        yield from _visit(visit, numbers, start)
    phase = ""
    for step in found.steps:
        if step.phase != phase:
            phase = step.phase
            yield ""
            yield f"## {word('phase', phase)}"
        yield ""
        yield from _step(step, numbers, expected.of(step), system)
    yield ""
    yield "## Sources"
    yield ""
    yield from (f"- {source}" for source in dict.fromkeys(step.row.source for step in found.steps))


def _step(step: Step, numbers: dict[str, int], readings: Sequence[ExpectedReading], system: str) -> Iterator[str]:
    row = step.row
    unit = f"{step.stage.name}: " if step.stage is not None else ""
    yield f"{numbers[step.id]}. [ ] **{unit}{row.title}**{' !' if row.critical else ''}  (`{step.id}`)"
    facts = [_who(step), minutes(row.hands_on), word("where", row.where)]
    if row.wait is not None:
        facts.append(f"then wait {minutes(row.wait)}")
    if row.water_off:
        facts.append("water off")
    yield f"   *{', '.join(fact for fact in facts if fact)}*"
    for line in step.do(system):
        yield f"   - {line}"
    yield f"   - Why: {row.why}"
    yield f"   - If something is wrong: {row.bad_sign}"
    for line in step.hazards:
        yield f"   - **Caution: {line}**"
    if row.tools:
        yield f"   - Tools: {', '.join(row.tools)}"
    for reading in readings:
        yield f"   - Read: {said(reading, system)} (`{reading.key.key}`): ______"
    later = [f"{minutes(need.after)} after step {numbers[need.id]}" for need in step.needs if need.after]
    if later:
        yield f"   - Not sooner than {', '.join(later)}"


def said(reading: ExpectedReading, system: str) -> str:
    """A reading in words: what is read, and what is expected."""
    return f"{reading.key.words}, {band(reading, system)}"


def band(reading: ExpectedReading, system: str) -> str:
    """What is expected, in the units people read: ``6.8 to 7.8``, ``at most 0.3 mg/L``, ``none``."""
    return show_within(reading.low, reading.high, reading.key.shown, system)


def _visit(visit: InstallVisit, numbers: dict[str, int], start: dt.datetime | None) -> Iterator[str]:
    when = f"{visit.date(start):%A %Y-%m-%d, %H:%M}" if start else f"day {visit.day}, {visit.at}"
    yield f"- **Visit {visit.number}: {when}**, {minutes(visit.length)}, {', '.join(people(visit))}"
    if visit.water_off:
        yield f"  - The house is without water for {minutes(visit.water_off)}"
    ids = {done.step.id for done in visit.work}
    if OFF in ids and WARM in numbers and WARM not in ids:
        yield "  - More than a day's work: the water heater stays off until a later visit; agree this with the household, or bring more people"
    yield f"  - Steps {', '.join(str(numbers[done.step.id]) for done in visit.work)}"
    if visit.bring:
        yield f"  - Bring: {', '.join(visit.bring)}"


def people(visit: InstallVisit) -> list[str]:
    """Who comes to a visit, in the order in which they are needed."""
    return list(dict.fromkeys(_who(done.step) for done in visit.work))


def _who(step: Step) -> str:
    return word("who", step.row.who)
