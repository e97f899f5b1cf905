"""Which trains are tried: the proposal, the given train, other schools' ways, and each of them in other sizes, doses and media."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import combinations, product
from typing import Any

from ..design import Design
from ..language.spec import specs_of
from ..language.tables import table
from ..planning.evaluated import EvaluatedTrain
from ..studies.alternatives import alternatives
from ..train.treatment import Stage

Train = tuple[Stage[Any], ...]


def bases(design: Design) -> list[EvaluatedTrain]:
    """The trains that others are made from: the job's own, the proposal, the ways of other schools."""
    found = [design.chosen] if design.given else []
    return [*found, design.proposal, *(each.variant for each in alternatives(design))]


def tried(design: Design, most: int) -> Iterator[Train]:
    """Trains worth a look, each once: the bases as they are; each stage in each of its other sizes; then two and more at once.

    most: of them at the most.
    """
    seen: set[Train] = set()
    origins = bases(design)
    fields = [[_ways(run.room, stage, run) for stage, run in zip(each.train, each.run.stages, strict=True)] for each in origins]
    for at_once in range(4):
        for base, ways in zip(origins, fields, strict=True):
            for train in _combined(base.train, ways, at_once):
                if train in seen:
                    continue
                seen.add(train)
                yield train
                if len(seen) >= most:
                    return


def _ways(room: Any, stage: Stage[Any], run: Any) -> list[Stage[Any]]:
    """A stage in its other sizes, doses and media, itself left out."""
    keys = room.other_sizes(stage.keys, run.sizing, run.water_in, run.duty)
    return [replace(stage, keys=each) for each in dict.fromkeys(keys) if each != stage.keys]


def _combined(train: Sequence[Stage[Any]], ways: Sequence[Sequence[Stage[Any]]], at_once: int) -> Iterator[Train]:
    """The train with so many of its stages in another way."""
    if at_once == 0:
        yield tuple(train)
        return
    places = [place for place, found in enumerate(ways) if found]
    for chosen in combinations(places, at_once):
        for picked in product(*(ways[place] for place in chosen)):
            made = list(train)
            for place, stage in zip(chosen, picked, strict=True):
                made[place] = stage
            yield tuple(made)


def as_typed(train: Sequence[Stage[Any]]) -> list[dict[str, Any]]:
    """A train as a job file writes it, sizes and all: reading it gives the same train."""
    found = []
    for stage in train:
        specs = specs_of(stage.room.Keys)
        held = {name: getattr(stage.keys, name) for name in specs if getattr(stage.keys, name) not in (None, ())}
        found.append(
            {
                "kind": stage.kind,
                **({"id": stage.id} if stage.id else {}),
                **{name: specs[name].write(value) for name, value in held.items() if name != "id"},
            }
        )
    return found


def most_tried() -> int:
    """How many trains are run at the most."""
    return int(table("planning")["choices"]["most"])
