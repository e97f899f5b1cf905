"""What every edit of a train is, and what they share."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from ..language.errors import TreatmentError
from ..treatments import ROOMS

#: the stages of a train as a job file writes them, each with an id
Stages = list[dict[str, Any]]

LONGEST_VALUE, LONGEST_REASON = 120, 300  # characters


class NotDone(TreatmentError):
    """An edit that cannot be carried out, in words for the person. field: beside which; empty for the whole."""

    def __init__(self, words: str, field: str = "") -> None:
        super().__init__(words)
        self.field = field


class Edited(NamedTuple):
    """What an edit makes: the stages, what was done in words, and the stage that is looked at then."""

    stages: Stages
    words: str
    stage: str


@dataclass(frozen=True, slots=True)
class Edit(ABC):
    """One edit of a train. stage: the id of the stage it is about; empty for the train itself."""

    stage: str

    @abstractmethod
    def done(self, stages: Stages) -> Edited:
        """What it makes of these stages, which stay as they are. Raises NotDone."""

    def apart(self, shown: Stages, now: Stages) -> bool:
        """Whether what others changed between two states leaves alone what it changes, so that it can go on top of that."""
        one, other = (next((each for each in stages if each.get("id") == self.stage), None) for stages in (shown, now))
        return one is not None and other is not None and one["kind"] == other["kind"] and self.leaves(one, other)

    def leaves(self, shown: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
        """Whether the part of its stage that it changes is the same in two states; the whole stage unless it says which part."""
        return shown == now


def no_longer(text: str, most: int, field: str) -> str:
    """The text itself. Raises NotDone beside the field where it is longer than is kept; nothing is cut short without a word."""
    if len(text) > most:
        raise NotDone(f"This is {len(text)} characters long; at most {most} are kept. Shorten it.", field)
    return text


def place_of(stages: Stages, id: str) -> int:
    """Where a stage stands, from 0. Raises NotDone where it is gone."""
    for i, stage in enumerate(stages):
        if stage.get("id") == id:
            return i
    raise NotDone("This stage is no longer in the train.")


def named(stages: Stages) -> Stages:
    """The stages, each with an id of its own, as the core would name it."""
    taken = {stage["id"] for stage in stages if stage.get("id")}
    found = []
    for stage in stages:
        if not stage.get("id"):
            number, name = 1, stage["kind"]
            while name in taken:
                number += 1
                name = f"{stage['kind']}-{number}"
            taken.add(name)
            stage = {**stage, "id": name}
        found.append(stage)
    return found


def title(stage: Mapping[str, Any]) -> str:
    """What people call a stage, in a sentence."""
    return ROOMS[stage["kind"]].title.lower()
