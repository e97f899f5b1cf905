"""What somebody saw, smelt, tasted or fell ill of, where no cause of a unit stands on it: the symptom table, asked of this train."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator
from typing import Any

from ...evidence.symptoms import SymptomCause, causes
from ...language.analytes import analytes
from ...language.display import show
from ...language.log_keys import TAP
from ...language.prose import sentence
from ...language.series_key import SeriesKey
from ...language.tables import table
from ...train.marks import mark
from ...train.treatment import StageRun
from ..monitoring.elsewhere import answers_for
from .cause import BOIL, Cause
from .data_quality import DataQuality, feeds_chlorine

#: seen by people, not at the water: it is a danger until microbes are excluded
ILL = "illness"


def seen(look: DataQuality, told: Iterable[Cause]) -> Iterator[Cause]:
    """A cause for each observation of late that none told so far stands on: what may be behind it here, and the unit that should keep it from the taps.

    Advice where the design itself leaves what causes it, or no train cures it.
    """
    keys = {key for cause in told for _, key in cause.stands_on}
    explained = keys | {SeriesKey.of(key).what for key in keys}
    for what, days in look.log.seen.items():
        on = max(days)
        if what in explained or what not in table("symptoms") or not _of_late(look, on):
            continue
        if what != ILL and not explained.isdisjoint(_looks(what)):
            continue  # a cause stands on readings of what causes it
        yield _seen(look, what, on)


def alarms(look: DataQuality, told: Iterable[Cause], unsafe: bool) -> Iterator[Cause]:
    """A cause for each unit whose alarm sounded of late, where no other says why, and neither work on it nor a good reading at it followed.

    unsafe: whether microbes are in this water, so that a barrier or a feed that stands still endangers.
    """
    known = {cause.stage for cause in told}
    for stage in look.stages:
        rang = [entry.on for entry in look.log.entries if entry.alarm == stage.id]
        if not rang or stage.id in known or not _of_late(look, max(rang)) or _over(look, stage, max(rang)):
            continue
        guards = stage.disinfects or feeds_chlorine(stage)
        evidence = f"the alarm of the {stage.said} sounded on {max(rang)}, and nothing entered since says that it is over"
        do = (
            *((BOIL,) if guards and unsafe else ()),
            "Read what its display or its light says, and follow its manufacturer's instructions.",
            "Check its power, what it is filled with (salt, solution), its valves and its bypass.",
            "Enter what was done, or a reading at it.",
        )
        apart = "Clear the alarm and wait a day. It sounds again: the unit. It does not: a power cut, or a level that was filled since."
        yield Cause(
            "alarm", stage.id, 0.5, 0.0, (sentence(evidence),), (), apart, do, "danger" if guards and unsafe else "caution", ((max(rang), stage.id),)
        )


def _of_late(look: DataQuality, on: dt.date) -> bool:
    return (look.as_of - on).days <= 2 * mark("log", "near")


def _over(look: DataQuality, stage: StageRun[Any], on: dt.date) -> bool:
    """Whether something was done at a unit since a day, or read there as it should be."""
    if any(entry.did.startswith(f"{stage.id}/") and entry.on >= on for entry in look.log.entries):
        return True
    for key in look.log.points:
        if SeriesKey.of(key).place == stage.id and (point := look.readings.last(key)) is not None and point[0] > on:
            band = look.bands.band(key)
            if band is not None and band.holds(point[1]):
                return True
    return False


def _seen(look: DataQuality, what: str, on: dt.date) -> Cause:
    system = look.variant.audit.facts.job.units
    found = causes((what,), look.variant.audit.evidence)
    likely = [cause for cause in found if cause.standing != "unlikely"] or found
    evidence, against, stage = [f"{likely[0].said}, reported on {on}"], [], None
    left = False
    for name in _looks(what):
        unit = answers_for(look.variant.run, name, look.bands.tells)
        stage = stage or unit
        if unit is not None:
            evidence.append(f"the {unit.said} should keep {analytes()[name].said} from the taps")
        if _shows(look, what, name):
            left = True
            evidence.append(
                f"by the design {analytes()[name].said} {show(look.variant.run.finished.value(name), analytes()[name].shown_unit, system)} is left"
            )
        if (fine := _read_fine(look, unit, name, on)) is not None:
            against.append(fine)
    private = look.variant.audit.facts.source.kind != "town"
    severity = "danger" if what == ILL and private else "advice" if left or not any(cause.curable for cause in likely) else "caution"
    first = (BOIL,) if what == ILL else ()
    do = tuple(dict.fromkeys((*first, *map(_asks, likely))))
    score = len(evidence) / (len(evidence) + len(against) + 1)
    return Cause(f"seen/{what}", stage.id if stage else None, score, 0.0, tuple(map(sentence, evidence)), tuple(map(sentence, against)),
                 likely[0].tell, do, severity, ((on, what),))  # fmt: skip


def _asks(cause: SymptomCause) -> str:
    """What to do about a possible cause: the test that tells, and what it would tell."""
    test = f"Test {analytes()[cause.test].said} at a tap and before the units. Possible cause: " if cause.test else "Possible cause: "
    return f"{test}{cause.cause}"


def _looks(what: str) -> list[str]:
    """The analytes by which the causes of an observation are told, each once."""
    return list(dict.fromkeys(look["analyte"] for cause in table("symptoms")[what]["causes"] for look in cause["looks"]))


def _shows(look: DataQuality, what: str, name: str) -> bool:
    """Whether the design's own finished water is such that it is seen."""
    value = look.variant.run.finished.get(name)
    rows: list[dict[str, Any]] = [each for cause in table("symptoms")[what]["causes"] for each in cause["looks"] if each["analyte"] == name]
    return value is not None and any(value < each["level"] if each.get("below") else value >= each["level"] for each in rows)


def _read_fine(look: DataQuality, unit: StageRun[Any] | None, name: str, on: dt.date) -> str | None:
    """A reading at the unit or at a tap from about then on that is as expected; None where there is none."""
    keys = [f"{TAP}.{name}", *([str(SeriesKey(unit.id, name, "out"))] if unit is not None else [])]
    for key in keys:
        point, band = look.readings.last(key), look.bands.band(key)
        if point is not None and band is not None and (on - point[0]).days <= mark("log", "slack_seen") and band.holds(point[1]):
            return f"{analytes()[name].said} {look.said(key, point[1])} on {point[0]} is as expected"
    return None
