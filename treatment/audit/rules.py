"""The rule registry: small functions with a lasting id and a topic, registered in the room they belong to."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from ..job.facts import Waiver

SEVERITIES = ("danger", "fault", "caution", "advice")
#: what a finding can be about. A rule has one topic or several.
TOPICS = {
    "water": "the water itself: what people must know whatever the train",
    "test": "the water test: whether it is good enough to design on",
    "supply": "pressure, flow and temperature of what arrives",
    "pressure": "what more pressure would cure",
    "place": "the room: drain, wall, outlet, frost, how a unit is installed",
    "catalogue": "what the company sells",
    "train": "the stages, their order and sizes: what another train would fix",
}


@dataclass(frozen=True, slots=True)
class Finding:
    """What the audit found: rule id, severity, stage id ("" for the whole job), message with numbers, remedy, source.

    topics: what it is about; waived: the designer's reason for accepting it, empty where it stands.
    """

    rule: str
    severity: str
    stage: str
    message: str
    remedy: str
    source: str
    topics: frozenset[str]
    waived: str = ""

    @property
    def serious(self) -> bool:
        """Whether someone could be hurt, or it will not work."""
        return self.severity in ("danger", "fault")

    @property
    def against_the_train(self) -> bool:
        """Whether it is serious and another train would mend it: not the water itself, not the room, not the supply alone, nor what is sold."""
        return self.serious and "train" in self.topics and "catalogue" not in self.topics

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


Check = Callable[..., Iterator[Hit]]


@dataclass(frozen=True, slots=True)
class Rule:
    """A registered rule. kinds: stage kinds it looks at ("*" for all), empty for rules about the whole job.

    tries: whether it tries trains of its own, so that a search leaves it out.
    """

    id: str
    topics: frozenset[str]
    kinds: tuple[str, ...]
    source: str
    check: Check
    tries: bool = False

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

    def looks_at(self, kind: str) -> bool:
        """Whether it looks at stages of a kind."""
        return bool(self.kinds) and (kind in self.kinds or self.kinds == ALL_KINDS)


RULES: list[Rule] = []
ALL_KINDS = ("*",)


def rule(id: str, topics: str, source: str, on: str | tuple[str, ...] = (), tries: bool = False) -> Callable[[Check], Check]:
    """Register a rule. topics: one of TOPICS or several, apart by spaces; on: the stage kinds it looks at ("*" for all).

    A stage rule is called with (audit, stage), a job rule with (audit). Raises ValueError for an id registered twice on the
    same kinds, or a topic that is none.
    """
    kinds, about = (on,) if isinstance(on, str) else on, frozenset(topics.split())
    if not about or not about <= set(TOPICS):
        raise ValueError(f"rule {id} has no topic of {', '.join(TOPICS)}")

    def register(check: Check) -> Check:
        if any(known.id == id and known.kinds == kinds for known in RULES):
            raise ValueError(f"rule {id} is registered twice")
        RULES.append(Rule(id, about, kinds, source, check, tries))
        return check

    return register


def rules_for(kind: str, tries: bool = False) -> tuple[Rule, ...]:
    """The rules that look at stages of a kind; those about the whole job for the empty one. tries: those that try trains of their own."""
    return _by_kind(kind, tries, len(RULES))


@cache
def _by_kind(kind: str, tries: bool, count: int) -> tuple[Rule, ...]:
    assert count == len(RULES)  # a rule that was added or taken back asks anew
    return tuple(known for known in RULES if known.tries is tries and (known.looks_at(kind) if kind else not known.kinds))


def accepted(found: Iterable[Finding], waivers: Iterable[Waiver]) -> list[Finding]:
    """The findings, those that the designer accepts bearing the reason. Dangers cannot be accepted."""
    reasons = {(waiver.rule, waiver.stage): waiver.reason for waiver in waivers}
    return [each if each.severity == "danger" else replace(each, waived=reasons.get((each.rule, each.stage), "")) for each in found]


def tally(found: Iterable[Finding]) -> dict[str, int]:
    """How many findings of each severity stand, gravest first."""
    standing = [finding.severity for finding in found if not finding.waived]
    return {severity: standing.count(severity) for severity in SEVERITIES}


def gravity(tally: Mapping[str, int]) -> int:
    """One number to sort designs by: a danger weighs more than any number of faults, a fault more than any of cautions; advice weighs nothing.

    tally: findings by severity, of which 999 count at most.
    """
    number = 0
    for severity in SEVERITIES[:-1]:
        number = number * 1000 + min(tally.get(severity, 0), 999)
    return number


def about(found: Iterable[Finding], topic: str) -> list[Finding]:
    """The findings on one topic."""
    return [finding for finding in found if topic in finding.topics]
