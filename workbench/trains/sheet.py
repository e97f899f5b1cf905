"""The side sheet of a selected stage: what it is for, what arrives, its figures and choices, what was found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from treatment.audit.audit import clock
from treatment.audit.rules import Finding
from treatment.design import Design
from treatment.job.feed_limits import FeedLimit
from treatment.job.working import own_of, told
from treatment.job_file import stage_fields
from treatment.language.analytes import analytes, shown_in
from treatment.language.figure import Figure
from treatment.language.measures import example_for
from treatment.language.quantity import canonical_unit
from treatment.language.spec import Choice, Flag, Fraction, Measure, Number
from treatment.planning.evaluated import EvaluatedTrain
from treatment.train.treatment import StageRun


@dataclass(frozen=True)
class ChoiceField:
    """A size or choice of the stage: how it is entered, and what stands now."""

    key: str
    label: str
    doc: str
    typed: str
    sized: Any
    unit: str
    options: tuple[tuple[str, str], ...]
    hint: str


@dataclass(frozen=True)
class Take:
    """A feed limit of the stage beside what arrives; typed: the designer's own, as typed."""

    limit: FeedLimit
    value: float | None
    end: str
    typed: str
    reason: str

    @property
    def bound(self) -> float | None:
        return self.limit.high if self.end == "high" else self.limit.low

    @property
    def broken(self) -> bool:
        return self.value is not None and self.limit.broken_by(self.value)

    @property
    def field(self) -> str:
        return f"takes-{self.limit.reads}-{self.end}"

    @property
    def fixed(self) -> bool:
        """Whether nobody may put a limit of their own in its place: microbes keep ours."""
        return analytes()[self.limit.reads].is_microbe


@dataclass(frozen=True)
class Sheet:
    """What the sheet shows of one stage."""

    run: StageRun[Any]
    place: int
    last: bool
    purpose: str
    reasons: list[str]
    arrives: list[tuple[str, float, float]]
    arrives_too: list[tuple[str, float, float]]
    takes: list[Take]
    own_values: list[tuple[str, str, str]]
    leaves: list[tuple[str, float]]
    main: list[tuple[str, Figure]]
    more: list[tuple[str, Figure]]
    choices: list[ChoiceField]
    findings: list[Finding]
    hour: float | None
    schools: list[str]
    reason: str
    others: list[str]

    @property
    def overridden(self) -> list[ChoiceField]:
        """Choices that the designer fixed in place of ours."""
        return [choice for choice in self.choices if choice.typed]

    @property
    def clock(self) -> str:
        return clock(self.hour) if self.hour is not None else ""


def sheet(design: Design, variant: EvaluatedTrain, selected: str, stages: list[dict[str, Any]] | None) -> Sheet:
    """The sheet of the stage called ``selected``."""
    run = next(stage for stage in variant.run.stages if stage.id == selected)
    typed = {}
    if stages is not None:
        typed = stages[run.index]
    figures = {name: figure for name, figure in run.figures.items() if name not in run.room.hidden}
    main = [(name, figures[name]) for name in run.room.main if name in figures]
    chosen = {name for name, _ in main[:10]}
    before, mild = run.water_in.known(), run.mild_in.known()
    after = run.water_out.known()
    changed = [
        name for name in analytes() if name in after and name in before and abs(after[name] - before[name]) > 0.01 * max(abs(before[name]), 0.01)
    ]
    takes = _takes(run, design, typed.get("feed_limits") or {})
    first = {*changed, *(take.limit.reads for take in takes)}
    arrives = [(name, before[name], mild.get(name, before[name])) for name in shown_in("sheet") if name in before]
    return Sheet(
        run=run, place=run.index, last=run.index == len(variant.run.stages) - 1, purpose=run.room.does(run.water_in, run.water_out, design.job.facts.job.units),
        reasons=variant.reasons[run.id],
        arrives=[row for row in arrives if row[0] in first], arrives_too=[row for row in arrives if row[0] not in first],
        own_values=[(ours.words, told(ours.path, own), own.reason) for row in run.room.rows(run.keys) for ours, own in own_of(design.job.facts.working_values, row)],
        takes=takes,
        leaves=[(name, after[name]) for name in changed if "sheet" in analytes()[name].places],
        main=main[:10], more=[(name, figure) for name, figure in figures.items() if name not in chosen],
        choices=_choices(run, typed, design.facts.job.units), findings=[finding for finding in variant.findings if finding.stage == run.id], hour=variant.hours.get(run.id),
        schools=run.room.schools(run.keys, run.water_in, design.job.facts.job.units), reason=run.keys.reason or "",
        others=run.why_this_vessel(),
    )  # fmt: skip


def _takes(run: StageRun[Any], design: Design, typed: dict[str, Any]) -> list[Take]:
    found = []
    for limit in run.room.takes(run.keys, run.water_in, design.duty):
        end = "high" if limit.high is not None else "low"
        row = typed.get(limit.reads) or {}
        found.append(
            Take(
                limit,
                run.water_in.get(limit.reads),
                end,
                str(row.get(end) or "") if limit.own else "",
                str(row.get("reason") or "") if limit.own else "",
            )
        )
    return found


LABELS = {"target_ph": "target pH", "rated_uvt": "rated UVT"}


def _choices(run: StageRun[Any], typed: dict[str, Any], system: str) -> list[ChoiceField]:
    fields = []
    declared = type(run.keys).__dataclass_fields__
    for key, spec in stage_fields(run.kind).items():
        if key in ("id", "install", "reason", "flow_controls", "feed_limits") or (
            not isinstance(spec, (Measure, Number, Choice, Flag, Fraction)) and type(spec).__name__ not in ("Vessel", "TimeOfDay")
        ):
            continue
        if declared[key].metadata["sometimes"] and key not in run.sizing.params and key not in typed:
            continue
        options: tuple[tuple[str, str], ...] = ()
        if isinstance(spec, Choice):
            options = tuple((str(option), str(option).replace("_", " ")) for option in spec.options)
        elif isinstance(spec, Flag):
            options = (("true", "yes"), ("false", "no"))
        held = typed.get(key)
        text = "" if held is None else str(held).lower() if isinstance(held, bool) else str(held)
        unit = (
            "um"
            if key == "micron"
            else canonical_unit(spec.dimension)
            if isinstance(spec, Measure)
            else "share"
            if isinstance(spec, Fraction)
            else ""
        )
        if unit == "m" and isinstance(spec, Measure) and spec.example.endswith("mm"):
            unit = "m small"
        hint = example_for(spec.example, spec.dimension, system) if isinstance(spec, Measure) else {"tank": "10x54", "hour": "02:00"}.get(key, "")
        fields.append(
            ChoiceField(
                key, LABELS.get(key, key.replace("_", " ")), declared[key].metadata["doc"], text, run.sizing.params.get(key), unit, options, hint
            )
        )
    return fields
