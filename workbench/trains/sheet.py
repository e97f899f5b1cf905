"""The side sheet of a selected stage: what it is for, what arrives, its figures and choices, what was found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from treatment.analytes import analytes
from treatment.audit import clock
from treatment.design import Design, Variant
from treatment.feed_limits import FeedLimit
from treatment.figure import Figure
from treatment.job_file import stage_fields
from treatment.quantity import canonical_unit
from treatment.rules import Finding
from treatment.spec import Choice, Flag, Fraction, Measure, Number
from treatment.train import StageRun
from treatment.working import own_of, told

#: figures that matter most to a practitioner, in the order of their questions
FIRST = (
    "ph_out", "hardness_added", "compensated_hardness", "hardness_setting", "daily_load", "resin_volume", "capacity", "regeneration_interval",
    "salt_per_regeneration", "salt_per_year", "sodium_added", "delivered_dose", "flow_at_dose", "oxidant_demand", "backwash_interval", "replacement_interval",
    "dose", "feed_rate", "solution_days", "contact_time", "contact_needed", "ct", "ct_needed", "permeate_required", "rated_required", "reject_flow", "storage_required",
    "reliability", "storage_volume", "hours_a_day", "pressure_held", "pressure_at_flow",
    "media_volume", "refill_interval", "media_per_year", "service_flow_limit", "backwash_flow", "lamp_interval",
)  # fmt: skip
HIDDEN = ("micron",)
ARRIVING = (
    "hardness",
    "ph",
    "alkalinity",
    "iron",
    "manganese",
    "hydrogen_sulfide",
    "turbidity",
    "free_chlorine",
    "total_chlorine",
    "nitrate",
    "tannin",
    "colour",
    "tds",
    "carbon_dioxide",
    "uvt",
    "total_coliform",
    "e_coli",
    "sodium",
)


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

    run: StageRun
    place: int
    last: bool
    purpose: str
    reasons: list[str]
    arrives: list[tuple[str, float, float]]
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


def sheet(design: Design, variant: Variant, selected: str, stages: list[dict[str, Any]] | None) -> Sheet:
    """The sheet of the stage called ``selected``."""
    run = next(stage for stage in variant.run.stages if stage.id == selected)
    typed = {}
    if stages is not None:
        typed = stages[run.index]
    figures = {
        name: figure for name, figure in run.sizing.figures.items() if name not in HIDDEN and not (name == "media_volume" and run.kind == "softener")
    }
    main = [(name, figures[name]) for name in FIRST if name in figures]
    chosen = {name for name, _ in main[:10]}
    before, mild = run.water_in.known(), run.mild_in.known()
    after = run.water_out.known()
    changed = [
        name for name in analytes() if name in after and name in before and abs(after[name] - before[name]) > 0.01 * max(abs(before[name]), 0.01)
    ]
    return Sheet(
        run=run, place=run.index, last=run.index == len(variant.run.stages) - 1, purpose=run.room.does(run.water_in, run.water_out, design.job.facts.job.units), reasons=variant.reasons[run.id],
        arrives=[(name, before[name], mild.get(name, before[name])) for name in ARRIVING if name in before],
        own_values=[(ours.words, told(ours.path, own), own.reason) for row in run.room.rows(run.keys) for ours, own in own_of(design.job.facts.working_values, row)],
        takes=_takes(run, design, typed.get("feed_limits") or {}),
        leaves=[(name, after[name]) for name in changed if name in ARRIVING],
        main=main[:10], more=[(name, figure) for name, figure in figures.items() if name not in chosen],
        choices=_choices(run, typed), findings=[finding for finding in variant.findings if finding.stage == run.id], hour=variant.hours.get(run.id), schools=run.room.schools(run.keys, run.water_in, design.job.facts.job.units), reason=run.keys.reason or "",
        others=run.why_this_vessel(design.duty),
    )  # fmt: skip


#: choices that only some forms of a treatment have: shown where the stage has them, or where something was typed
OF_A_FORM = ("volume", "tank", "vessels", "housing", "outer_micron", "magnesia", "bed", "target_ph", "residual")


def _takes(run: StageRun, design: Design, typed: dict[str, Any]) -> list[Take]:
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


def _choices(run: StageRun, typed: dict[str, Any]) -> list[ChoiceField]:
    fields = []
    for key, spec in stage_fields(run.kind).items():
        if key in ("id", "install", "reason", "flow_controls", "feed_limits") or (
            not isinstance(spec, (Measure, Number, Choice, Flag, Fraction)) and type(spec).__name__ not in ("Vessel", "TimeOfDay")
        ):
            continue
        if key in OF_A_FORM and key not in run.sizing.params and key not in typed:
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
        hint = spec.example if isinstance(spec, Measure) else {"tank": "10x54", "hour": "02:00"}.get(key, "")
        doc = next((f.metadata["doc"] for f in type(run.keys).__dataclass_fields__.values() if f.name == key), "")
        fields.append(ChoiceField(key, LABELS.get(key, key.replace("_", " ")), doc, text, run.sizing.params.get(key), unit, options, hint))
    return fields
