"""The commissioning record: ``cairn-commissioning/1``, and what lifts a boil-water advice."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from typing import Any

from .. import ENGINE
from ..evidence.samples import RAW_POINTS
from ..job.facts import SampleFacts
from ..language.analytes import MICROBES, analytes
from ..language.figure import rounded, source
from ..language.schema import array, obj
from .document import reading_document
from .expected import ExpectedReading
from .printed import band
from .run import Run, RunEvent, RunStanding
from .step import PHASES, Step

FORMAT = "cairn-commissioning/1"
#: the step after which a sample tells
SANITISED = "site/sanitize"
#: the step under which the lifting of the advice is kept
LIFTED = "site/retest_microbes"
#: what a sample must have been tested for
TELLING = MICROBES[:2]


def advice_stands(run: Run) -> bool:
    """Whether a boil-water advice belongs to this sheet and was not lifted."""
    return SANITISED in run.sheet.by_id and lifted(run) is None


def lifted(run: Run) -> RunEvent | None:
    """What lifted the advice: the newest lifting that was not taken back."""
    back = {event.about for event in run.events if event.kind == "undo"}
    return next((event for event in reversed(run.events) if event.kind == "lift" and event.key not in back), None)


def lift_problem(sample: SampleFacts, run: Run) -> str:
    """Why a sample cannot lift the advice; empty where it can.

    A laboratory must have read it; it must have been drawn after the pipe was disinfected, behind the train, and hold neither coliform nor
    E. coli.
    """
    mark = run.of(SANITISED).mark
    if mark is None or mark.kind != "tick":
        return "The pipe has not been disinfected: only a sample taken after that counts."
    if sample.taken_on is None:
        return "The sample has no date: only one taken after the disinfection counts."
    if sample.taken_on <= mark.at.date():
        return f"The sample was taken on {sample.taken_on}, not after the disinfection on {mark.at.date()}."
    if sample.point in RAW_POINTS or _before_a_guard(sample.point, run):
        return "The sample was taken before or within the train: only one from a tap downstream of it counts."
    if sample.method in ("strip", "field"):
        return "The sample was tested on site: only a laboratory sample counts."
    for name in TELLING:
        reading = sample.readings.get(name)
        said = analytes()[name].said
        if reading is None:
            return f"The sample was not tested for {said}."
        if reading.low > 0 or (reading.high or 0.0) > 1:
            return f"The laboratory found {said}: the boil-water notice stays in force. Disinfect and sample again."
    return ""


def _before_a_guard(point: str, run: Run) -> bool:
    """Whether a place within the train lies before something that makes microbes harmless, or is nowhere in it."""
    id = point.removeprefix("after:")
    if id == point:
        return False
    stages = {step.stage.id: step.stage for step in run.sheet.steps if step.stage is not None}
    guards = [stage.index for stage in stages.values() if stage.room.disinfects]
    return id not in stages or stages[id].index < max(guards, default=0)


def record(run: Run, job: dict[str, Any], names: Iterable[str] = ()) -> dict[str, Any]:
    """The record of a run as plain data. job: name, address and the like, as the job has them; names: who worked on it."""
    system = str(job.get("units", "us"))
    steps = [_step(run, step, system) for step in run.sheet.steps]
    lost = [_lost(run, here, system) for here in run.lost if not here.empty]
    first, last = (min(run.events, key=_when, default=None), max(run.events, key=_when, default=None))
    cleared = lifted(run)
    return {
        "format": FORMAT,
        "engine": ENGINE,
        "job": job,
        "begun_at": None if first is None else first.at.isoformat(),
        "last_at": None if last is None else last.at.isoformat(),
        "complete": run.complete,
        "people": sorted({event.by for event in run.events} | set(names)),
        "steps": steps,
        "no_longer_on_the_sheet": lost,
        "boil_water": {
            "belongs": SANITISED in run.sheet.by_id,
            "stands": advice_stands(run),
            "lifted_at": None if cleared is None else cleared.at.isoformat(),
            "lifted_by": None if cleared is None else cleared.by,
            "sample": None if cleared is None else cleared.text,
            "source": source("commissioning.boil_water"),
        },
        "caution": (
            "This record lists what people entered. A record does not make water safe: only a laboratory sample shows that. "
            "Local code and licensed practice take precedence."
        ),
    }


def _when(event: RunEvent) -> dt.datetime:
    return event.at


def _step(run: Run, step: Step, system: str) -> dict[str, Any]:
    row = step.row
    about = {
        "title": row.title,
        "unit": None if step.stage is None else step.stage.name,
        "phase": step.phase,
        "critical": row.critical,
        "why": row.why,
    }
    return _stood(run.of(step.id), about, run.readings_of(step), system)


def _lost(run: Run, here: RunStanding, system: str) -> dict[str, Any]:
    """A step that is no longer on the sheet."""
    return _stood(here, {"title": here.title, "unit": None, "phase": None, "critical": False, "why": ""}, (), system)


def _stood(here: RunStanding, about: dict[str, Any], expected: tuple[ExpectedReading, ...], system: str) -> dict[str, Any]:
    mark = here.mark
    wanted = {reading.key.key: reading for reading in expected}
    return {
        "id": here.step,
        **about,
        "state": here.state,
        "at": None if mark is None else mark.at.isoformat(),
        "by": None if mark is None else mark.by,
        "reason": mark.text or None if mark is not None else None,
        "readings": [_reading(event, wanted.get(key), system) for key, event in here.readings.items()]
        + [_reading(None, reading, system) for key, reading in wanted.items() if key not in here.readings],
        "notes": [{"text": note.text, "at": note.at.isoformat(), "by": note.by} for note in here.notes],
        "photos": [{"key": photo.key, "name": photo.text, "at": photo.at.isoformat(), "by": photo.by} for photo in here.photos],
        "apart": [[_said(one), _said(other)] for one, other in here.apart],
    }


def _said(event: RunEvent) -> dict[str, Any]:
    """One side of two that disagree."""
    return {"said": event.kind, "text": event.text, "at": event.at.isoformat(), "by": event.by}


def _reading(event: RunEvent | None, expected: ExpectedReading | None, system: str) -> dict[str, Any]:
    """A reading beside what was expected, both as people read them, too; holds is null where either is missing."""
    known = event is not None and event.low is not None and expected is not None
    return {
        "key": expected.key.key if expected is not None else event.about if event is not None else "",
        "title": None if expected is None else expected.key.title,
        "band": None if expected is None else band(expected, system),
        "typed": None if event is None else event.text,
        "low": None if event is None or event.low is None else rounded(event.low),
        "high": None if event is None or event.high is None else rounded(event.high),
        "expected": None if expected is None else reading_document(expected),
        "holds": expected.holds(event.low, event.high) if known and expected and event and event.low is not None else None,
        "at": None if event is None else event.at.isoformat(),
        "by": None if event is None else event.by,
    }


def record_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-commissioning/1``."""

    text, flag, maybe = {"type": "string"}, {"type": "boolean"}, {"type": ["string", "null"]}
    end = {"type": ["number", "null"]}
    line = obj(
        dict.fromkeys(("symbol", "expression", "with_numbers", "result", "source"), text)
        | {"where": {"type": "object", "additionalProperties": text}}
    )
    expected = obj({"key": text, "unit": text, "low": end, "high": end, "working": array(line)})
    reading = obj({
        "key": text, "title": maybe, "band": maybe, "typed": maybe, "low": end, "high": end, "expected": {"anyOf": [expected, {"type": "null"}]},
        "holds": {"type": ["boolean", "null"]}, "at": maybe, "by": maybe,
    })  # fmt: skip
    said = obj({"said": text, "text": text, "at": text, "by": text})
    step = obj({
        "id": text, "title": text, "unit": maybe, "phase": {"enum": [*PHASES, None]}, "critical": flag, "why": text, "state": {"enum": ["done", "skipped", "open"]},
        "at": maybe, "by": maybe, "reason": maybe, "readings": array(reading), "notes": array(obj({"text": text, "at": text, "by": text})),
        "photos": array(obj({"key": text, "name": text, "at": text, "by": text})), "apart": array({"type": "array", "items": said, "minItems": 2, "maxItems": 2}),
    })  # fmt: skip
    water = obj({"belongs": flag, "stands": flag, "lifted_at": maybe, "lifted_by": maybe, "sample": maybe, "source": text})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": FORMAT,
        "title": "Vivid Cairn commissioning record",
        **obj({
            "format": {"const": FORMAT}, "engine": text, "job": {"type": "object"}, "begun_at": maybe, "last_at": maybe, "complete": flag, "people": array(text),
            "steps": array(step), "no_longer_on_the_sheet": array(step), "boil_water": water, "caution": text,
        }),
    }  # fmt: skip
