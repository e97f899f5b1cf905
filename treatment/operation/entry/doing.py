"""What people say they did at a train: the task behind the words."""

from __future__ import annotations

from collections.abc import Sequence

from ...language.errors import NotUnderstood
from ..maintenance.upkeep import Task
from .naming import PLACED, Names, fold


class Doings:
    """The tasks of a train by the words people use for them."""

    def __init__(self, tasks: Sequence[Task], names: Names):
        self.tasks, self.names = {task.id: task for task in tasks}, names

    def verb(self, typed: str) -> tuple[str, str]:
        """The verb that a piece begins or ends with, and the rest: ``lamp changed``, ``topped up the bed 25 kg``."""
        words = typed.split()
        if words and fold(words[0]) in self.names.rows["verbs"]:
            rest = words[2:] if len(words) > 1 and fold(words[1]) in ("up", "in") else words[1:]
            return fold(words[0]), " ".join(rest[1:] if rest and fold(rest[0]) == "the" else rest)
        if len(words) > 1 and fold(words[-1]) in self.names.rows["verbs"] and fold(words[-1]) != "new":
            return fold(words[-1]), " ".join(words[:-1])
        return "", typed

    def task(self, words: str, verb: str) -> Task | None:
        """The task of some words; None where they are none. Raises NotUnderstood where two would do."""
        place = PLACED.match(words)
        stage = self.names.stage(place["where"]) if place else None
        named = fold(place["what"] if place and stage else words)
        name = str(self.names.rows["tasks"].get(named, named)).replace(" ", "_")
        near = [
            task
            for task in self.tasks.values()
            if task.row.name == name or name.endswith(f"_{task.row.name}") or name.startswith(f"{task.row.name}_")
        ]
        if stage is None and not near:
            for id in self.names.ids:
                if name.startswith(f"{id}_") or name.endswith(f"_{id}"):
                    stage, name = id, name.removeprefix(f"{id}_").removesuffix(f"_{id}")
            near = [task for task in self.tasks.values() if task.row.name == name]
        if not near and (unit := stage or self.names.stage(words)):
            near = [self.tasks[f"{unit}/{each}"] for each in self.names.rows["verbs"].get(verb, ()) if f"{unit}/{each}" in self.tasks][:1]
        chosen = [task for task in near if task.stage is not None and task.stage.id == (stage or self.names.here)] or near
        if len(chosen) > 1 and named in self.names.rows["tasks"]:
            usual = [task for task in chosen if task.row.quantity == "medium" and "media_per_year" in (task.stage.figures if task.stage else ())]
            chosen = usual if name == "medium" and len(usual) == 1 else chosen
        if len(chosen) > 1:
            raise NotUnderstood(words, f"which one? {', '.join(task.id for task in chosen)}")
        return chosen[0] if chosen else None
