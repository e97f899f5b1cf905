"""A cause: its row of ``data/causes.toml``, and what is offered of it with the evidence for and against."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import cache
from typing import Any

from ...language.tables import table
from ..monitoring.series import METER

BOIL = "Boil water for drinking, cooking and brushing teeth until a laboratory finds no bacteria."


@dataclass(frozen=True, slots=True)
class CauseRow:
    """A cause as the table describes it; see ``data/causes.toml``."""

    id: str
    must: tuple[str, ...]
    severity: str
    tell_apart: str
    do: tuple[str, ...]
    kinds: tuple[str, ...] = ()
    only: tuple[tuple[str, tuple[str, ...]], ...] = ()
    may: tuple[str, ...] = ()
    never: tuple[str, ...] = ()
    covers: tuple[str, ...] = ()


@cache
def rows() -> tuple[CauseRow, ...]:
    """Every cause of the table, in its order."""
    found = []
    for entry in table("causes")["cause"]:
        kinds = tuple(entry.get("kinds", [entry["kind"]] if "kind" in entry else []))
        only = tuple((name, tuple(held)) for name, held in entry.get("only", {}).items())
        more = {name: tuple(entry.get(name, [])) for name in ("may", "never", "covers")}
        found.append(CauseRow(entry["id"], tuple(entry["must"]), entry["severity"], entry["tell_apart"], tuple(entry["do"]), kinds, only, **more))
    return tuple(found)


#: cause -> its place in the table: of those as likely, the commoner first
@cache
def order() -> dict[str, int]:
    """The place of each cause in the table."""
    return {row.id: place for place, row in enumerate(rows())}


@dataclass(frozen=True, slots=True)
class Cause:
    """Something that may be behind it. score: signs that speak for it, of all that were told and what is assumed; weight: its share among the offered.

    stands_on: the readings, or what was seen (day, key), that say so; by_itself: whether something else than treated water says it, too.
    """

    id: str
    stage: str | None
    score: float
    weight: float
    evidence: tuple[str, ...]
    against: tuple[str, ...]
    tell_apart: str
    do: tuple[str, ...]
    severity: str
    stands_on: tuple[tuple[dt.date, str], ...]
    by_itself: bool = False

    @property
    def series(self) -> tuple[str, ...]:
        """The series it stands on: what was only seen has none."""
        return tuple(dict.fromkeys(key for _, key in self.stands_on if "." in key or key == METER))

    def as_json(self, rank: int) -> dict[str, Any]:
        """As the diagnosis prints it."""
        return {
            "id": self.id,
            "stage": self.stage,
            "rank": rank,
            "weight": round(self.weight, 3),
            "evidence": list(self.evidence),
            "against": list(self.against),
            "tell_apart": self.tell_apart,
            "do": list(self.do),
            "severity": self.severity,
        }
