"""One train for a job, run and audited, with what takes longer worked out when it is asked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Finding, about, tally
from ..language.spec import specs_of
from ..language.tables import table
from ..train.pressure import PressureLine
from ..train.treatment import Stage, TrainRun
from .reasons import explain


class EvaluatedTrain:
    """One train for the job, run and audited."""

    def __init__(self, train: Sequence[Stage[Any]], audit: Audit):
        self.train = tuple(train)
        self.audit = audit
        self.run: TrainRun = audit.run
        self.pressure: PressureLine = audit.pressure

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What the audit found, gravest first."""
        return tuple(self.audit.findings())

    @cached_property
    def reasons(self) -> dict[str, list[str]]:
        """Stage id -> why it is there and why at this place."""
        return explain(self.audit, self.train)

    @cached_property
    def hours(self) -> dict[str, float]:
        """Stage id -> hour after midnight at which it regenerates."""
        return schedule(self.run)

    @property
    def as_built(self) -> tuple[Stage[Any], ...]:
        """The train with the sizes fixed that follow from a school, so that it does the same where another school is followed."""
        return tuple(replace(stage, keys=stage.room.fixed(stage.keys, run.sizing)) for stage, run in zip(self.train, self.run.stages, strict=True))

    @property
    def as_sized(self) -> tuple[Stage[Any], ...]:
        """The train with every size held as it was chosen, so that it is the same equipment in another house or on other water."""
        return tuple(replace(stage, keys=_held(stage.keys, run.sizing.params)) for stage, run in zip(self.train, self.run.stages, strict=True))

    @property
    def tally(self) -> dict[str, int]:
        """How many findings of each severity, gravest first."""
        return tally(self.findings)

    @property
    def warnings(self) -> list[Finding]:
        """Dangers about the whole job: shown above everything else."""
        return [finding for finding in self.findings if finding.severity == "danger" and not finding.stage]

    @property
    def dangers_of_the_water(self) -> list[Finding]:
        """Of what people have to be told about this water, what is a danger."""
        return [finding for finding in self.about_the_water if finding.severity == "danger"]

    @property
    def about_the_water(self) -> list[Finding]:
        """What people have to be told about this water, whatever the train: health, gases, lead, what is referred."""
        return about(self.findings, "water")

    @property
    def doubts(self) -> list[Finding]:
        """Findings about the water test itself."""
        return about(self.findings, "test")

    @property
    def supply_findings(self) -> list[Finding]:
        """Findings about pressure, flow and temperature."""
        return about(self.findings, "supply")


def schedule(run: TrainRun) -> dict[str, float]:
    """Hour at which each bed regenerates: its own, else one of the night, two hours apart."""
    night = table("stages")["schedule"]
    taken = {stage.keys.hour for stage in run.stages if stage.keys.hour is not None}
    busy = run.stages[0].duty.busy_hours if run.stages else frozenset()
    hours: dict[str, float] = {}
    quiet = [hour for hour in (*night["hours"], *(night["otherwise"] if busy else ())) if hour not in busy]
    if busy and quiet:  # two hours apart, as far as that goes
        quiet = [*(hour for i, hour in enumerate(quiet) if all(abs(hour - other) >= 2 for other in quiet[:i])), *quiet]
    free = [float(hour) for hour in dict.fromkeys(quiet or night["hours"]) if hour not in taken]
    for stage in run.stages:
        if not stage.regenerates:
            continue
        hours[stage.id] = stage.keys.hour if stage.keys.hour is not None else (free.pop(0) if free else float(night["crowded"]))
    return hours


#: keys that are no size: how fine a filter is (held in another unit by the stage), and what a valve is set to, which follows the water
UNHELD = ("micron", "outer_micron", "hardness_setting")


def _held(keys: Any, params: Mapping[str, Any]) -> Any:
    """Keys with what was left open given as it was sized."""
    sized = {
        name: params[name]
        for name in specs_of(type(keys))
        if name not in UNHELD
        and getattr(keys, name) is None
        and isinstance(params.get(name), (int, float, str))
        and not isinstance(params[name], bool)
    }
    return replace(keys, **sized)
