"""Edits of a train: its order, its stages, their sizes and feed limits."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..job.feed_limits import OwnFeedLimits
from ..job_file import MOST_STAGES, stage_fields
from ..language.analytes import analytes
from ..language.errors import Fault
from ..language.prose import full_sentence
from ..language.spec import BAD, Choice, Measure
from ..treatments import ROOMS
from .edit import LONGEST_REASON, LONGEST_VALUE, Edit, Edited, NotDone, Stages, named, no_longer, place_of, title


class _InOrder(Edit):
    """An edit that counts places: it goes on top of what others changed only where the stages still stand in the same order."""

    __slots__ = ()

    def apart(self, shown: Stages, now: Stages) -> bool:
        return [stage["id"] for stage in shown] == [stage["id"] for stage in now]


@dataclass(frozen=True, slots=True)
class Move(_InOrder):
    """A stage moved to a place, counted from 0."""

    to: int

    def done(self, stages: Stages) -> Edited:
        here = place_of(stages, self.stage)
        to = max(0, min(self.to, len(stages) - 1))
        if to == here:
            raise NotDone("It is already there.")
        after = copy.deepcopy(stages)
        after.insert(to, after.pop(here))
        return Edited(after, f"moved {title(stages[here])} {'later' if to > here else 'earlier'}", self.stage)


@dataclass(frozen=True, slots=True)
class Shift(_InOrder):
    """A stage moved by some places: earlier (-1), later (+1)."""

    by: int

    def done(self, stages: Stages) -> Edited:
        return Move(self.stage, place_of(stages, self.stage) + self.by).done(stages)


@dataclass(frozen=True, slots=True)
class Add(_InOrder):
    """A stage of a kind more, behind the stage it is about; at the end where it is about none."""

    kind: str

    def done(self, stages: Stages) -> Edited:
        if self.kind not in ROOMS:
            raise NotDone("Choose a treatment from the list.", "kind")
        if len(stages) >= MOST_STAGES:
            raise NotDone(f"A train can have at most {MOST_STAGES} stages.", "kind")
        at = place_of(stages, self.stage) + 1 if self.stage else len(stages)
        after = named([*copy.deepcopy(stages[:at]), {"kind": self.kind}, *copy.deepcopy(stages[at:])])
        return Edited(after, f"added {title(after[at])}", after[at]["id"])


@dataclass(frozen=True, slots=True)
class Exchange(Edit):
    """Another kind of treatment in a stage's place."""

    kind: str

    def done(self, stages: Stages) -> Edited:
        here = place_of(stages, self.stage)
        if self.kind not in ROOMS:
            raise NotDone("Choose a treatment from the list.", "kind")
        after = copy.deepcopy(stages)
        gone = after[here]
        after[here] = {"kind": self.kind}
        after = named(after)
        return Edited(after, f"replaced {title(gone)} by {title(after[here])}", after[here]["id"])


@dataclass(frozen=True, slots=True)
class Remove(Edit):
    """A stage taken out."""

    def done(self, stages: Stages) -> Edited:
        here = place_of(stages, self.stage)
        after = copy.deepcopy(stages)
        gone = after.pop(here)
        return Edited(after, f"removed {title(gone)}", after[min(here, len(after) - 1)]["id"] if after else "")


@dataclass(frozen=True, slots=True)
class SetKey(Edit):
    """A size or choice of a stage fixed; a bare number takes the unit of the system, an empty text leaves it to be sized."""

    key: str
    text: str
    system: str

    def done(self, stages: Stages) -> Edited:
        text = no_longer(self.text, LONGEST_VALUE, self.key).strip()
        here = place_of(stages, self.stage)
        spec = stage_fields(stages[here]["kind"]).get(self.key)
        if spec is None or self.key in ("id", "install", "feed_limits"):
            raise NotDone("This stage has no such choice.", self.key)
        after, words = copy.deepcopy(stages), f"{self.key.replace('_', ' ')} of {title(stages[here])}"
        if not text:
            after[here].pop(self.key, None)
            return Edited(after, f"left {words} to be sized", self.stage)
        if isinstance(spec, Measure):
            text = spec.completed(text, self.system)
        raw: Any = {"true": True, "false": False}.get(text, text)
        if isinstance(spec, Choice) and text.isascii() and text.isdigit() and len(text) < 10:
            raw = int(text)
        faults: list[Fault] = []
        if spec.read(raw, "", faults) is BAD or faults:
            raise NotDone(full_sentence(faults[0].message), self.key)
        after[here][self.key] = raw
        return Edited(after, f"set {words} to {text}", self.stage)

    def leaves(self, shown: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
        return bool(shown.get(self.key) == now.get(self.key))


@dataclass(frozen=True, slots=True)
class SetFeedLimit(Edit):
    """A feed limit of the designer's own in place of ours (end: low or high); an empty text goes back to ours."""

    analyte: str
    end: str
    text: str
    reason: str

    def done(self, stages: Stages) -> Edited:
        here = place_of(stages, self.stage)
        field = f"takes-{self.analyte}-{self.end}"
        if self.end not in ("low", "high"):
            raise NotDone("This action is not known.")
        after = copy.deepcopy(stages)
        held = dict(after[here].get("feed_limits") or {})
        row = {name: value for name, value in (held.pop(self.analyte, None) or {}).items() if name != self.end}
        text = self.text.strip()
        if text:
            reason = no_longer(" ".join(self.reason.split()), LONGEST_REASON, field)
            row |= {self.end: no_longer(text, LONGEST_VALUE, field), "reason": reason}
        if "low" in row or "high" in row:
            faults: list[Fault] = []
            OwnFeedLimits().read({self.analyte: row}, "", faults)
            if faults:
                raise NotDone(full_sentence(faults[0].message), "" if faults[0].path == f".{self.analyte}" else field)
            held[self.analyte] = row
        after[here]["feed_limits"] = held
        if not held:
            del after[here]["feed_limits"]
        said, where = analytes()[self.analyte].said if self.analyte in analytes() else self.analyte, title(stages[here])
        words = f"set the feed limit of {where} takes of {said} to {text}" if text else f"reset to the default limit of {said} for {where}"
        return Edited(after, words, self.stage)

    def leaves(self, shown: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
        held, stands = ((stage.get("feed_limits") or {}).get(self.analyte) for stage in (shown, now))
        return bool(held == stands)
