"""The rule registry: small functions with a lasting id, registered in the room they belong to."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from .figure import source as cite

if TYPE_CHECKING:
    from .audit import Audit
    from .job import Waiver
    from .train import StageRun

SEVERITIES = ("danger", "fault", "caution", "advice")


@dataclass(frozen=True, slots=True)
class Finding:
    """What the audit found: rule id, severity, stage id ("" for the whole job), message with numbers, remedy, source.

    waived: the designer's reason for accepting it, empty where it stands.
    """

    rule: str
    severity: str
    stage: str
    message: str
    remedy: str
    source: str
    waived: str = ""

    def as_json(self) -> dict[str, Any]:
        return {
            "rule": self.rule,
            "severity": self.severity,
            "stage": self.stage or None,
            "message": self.message,
            "remedy": self.remedy,
            "source": self.source,
            "waived": self.waived or None,
        }


@dataclass(frozen=True, slots=True)
class Hit:
    """What a rule yields. parts fill the ``<…>`` of its id; source, where given, replaces the rule's own."""

    severity: str
    message: str
    remedy: str
    parts: tuple[str, ...] = ()
    stage: str | None = None
    source: str = ""


@dataclass(frozen=True, slots=True)
class Rule:
    """A registered rule. kinds: stage kinds it looks at, empty for rules about the whole job."""

    id: str
    kinds: tuple[str, ...]
    source: str
    check: Callable[..., Iterator[Hit]]

    @property
    def doc(self) -> str:
        return (self.check.__doc__ or "").strip()

    def final_id(self, parts: tuple[str, ...]) -> str:
        """The id with its ``<…>`` filled in, in order."""
        name = self.id
        for part in parts:
            start = name.index("<")
            name = name[:start] + part + name[name.index(">") + 1 :]
        return name


RULES: list[Rule] = []
ALL_KINDS = ("*",)


def rule(id: str, source: str, on: str | tuple[str, ...] = ()) -> Callable[[Callable[..., Iterator[Hit]]], Callable[..., Iterator[Hit]]]:
    """Register a rule. ``on`` names the stage kinds it looks at ("*" for all); without it, it looks at the job.

    A stage rule is called with (audit, stage), a job rule with (audit). An id may be registered only once.
    """
    kinds = (on,) if isinstance(on, str) else on

    def register(check: Callable[..., Iterator[Hit]]) -> Callable[..., Iterator[Hit]]:
        if any(known.id == id and known.kinds == kinds for known in RULES):
            raise ValueError(f"rule {id} is registered twice")
        RULES.append(Rule(id, kinds, source, check))
        return check

    return register


def findings_of(known: Rule, audit: Audit, stage: StageRun | None) -> Iterator[Finding]:
    """Run one rule and give its hits their id, stage and source."""
    hits = known.check(audit, stage) if stage is not None else known.check(audit)
    for hit in hits:
        where = hit.stage if hit.stage is not None else (stage.id if stage is not None else "")
        yield Finding(known.final_id(hit.parts), hit.severity, where, hit.message, hit.remedy, hit.source or cite(known.source))


def accepted(found: Iterable[Finding], waivers: Iterable[Waiver]) -> list[Finding]:
    """The findings, those that the designer accepts bearing the reason. Dangers cannot be accepted."""
    reasons = {(waiver.rule, waiver.stage): waiver.reason for waiver in waivers}
    return [each if each.severity == "danger" else replace(each, waived=reasons.get((each.rule, each.stage), "")) for each in found]
