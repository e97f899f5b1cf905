"""The names people use at a train: of its units and places, and of what is read there."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable
from functools import cached_property
from typing import Any

from ...commissioning.expected import Expectations
from ...language.analytes import analytes, find_analyte, nearest_name
from ...language.errors import NotUnderstood
from ...language.log_keys import SOURCE, TAP, LogKey, log_key
from ...language.tables import table
from ...planning.evaluated import EvaluatedTrain
from ...train.treatment import StageRun

#: what with its place behind it: ``hardness after the softener``
PLACED = re.compile(
    r"^(?P<what>.*?)\s*\b(?P<side>after|behind|out of|leaving|before|into|in front of|at|of|from)\b\s+(?:the\s+)?(?P<where>.+)$", re.IGNORECASE
)
#: a name as a log file writes it: ``softener.hardness_out``
_A_KEY = re.compile(r"^[\w-]+\.[a-z]\w+$")
BEFORE = ("before", "into", "in front of")
GAUGES = ("pressure_in", "pressure_out")


def fold(text: str) -> str:
    """Letters and digits, in lower case, single spaces."""
    return " ".join(re.sub(r"[^\w]+", " ", text.lower().replace("_", " ")).split())


class Names:
    """What words mean at a train. here: the stage that somebody stands before; cartridges: stages that have one to change."""

    def __init__(self, variant: EvaluatedTrain, here: str, cartridges: frozenset[str]):
        self.variant, self.cartridges = variant, cartridges
        self.stages: tuple[StageRun[Any], ...] = variant.run.stages
        self.ids = [stage.id for stage in self.stages]
        self.here = here if here in self.ids else ""
        self.rows = table("log")

    @cached_property
    def points(self) -> dict[str, tuple[str, ...]]:
        """What is read at each stage besides its water, as its treatment says."""
        return {stage.id: stage.room.over_time(stage).points for stage in self.stages}

    def own_of(self, id: str) -> list[LogKey]:
        """What a unit has to be read of its own: pressures, levels, counters."""
        return [log_key(f"{id}.{what}", self.ids) for what in self.points[id]]

    def read_at(self, id: str) -> list[str]:
        """What is read at a unit, in words: what a test in the field tells it changes, then what it has of its own."""
        stage = self.stages[self.ids.index(id)]
        return [key.title for key in [*(reading.key for reading in Expectations(self.variant).changes(stage)), *self.own_of(id)]]

    def key(self, words: str, gauge: str) -> str:
        """The key of a log that words mean. gauge: the stage at which a gauge was read before in the same line.

        Raises NotUnderstood, with the nearest, where they mean nothing, or more than one thing.
        """
        if _A_KEY.match(words) or words in self.rows["whole"]:
            return self.read(words).key
        place, side, what = "", "", words
        if (match := PLACED.match(words)) is not None and fold(words) not in self.rows["aliases"]:
            wanted = self._what(match["what"]) if match["what"] else None
            place, side, what = (
                self.where(match["where"], wanted or ""),
                "in" if match["side"].lower() in BEFORE else "out",
                match["what"] or "pressure",
            )
        elif (first := fold(words).split(" ")[0]) in self.rows["places"] and " " in words:
            place, what = str(self.rows["places"][first]), words.split(" ", 1)[1]
        elif self._what(words) is None:
            place, side, what = self._apart(words)
        alias = self.rows["aliases"].get(fold(what))
        if alias in self.rows["whole"]:
            return str(alias)
        analyte = find_analyte(alias or what) if alias is None or alias in analytes() else None
        if analyte is not None:
            if place in (SOURCE, TAP):
                return f"{place}.{analyte.key}"
            place = place or self.here or (self._changes(analyte.key) if side else "")
            return f"{place}.{analyte.key}_{side or 'out'}" if place else f"{TAP}.{analyte.key}"
        if alias is None:
            near = [*difflib.get_close_matches(fold(what), [*self.rows["aliases"]], 1, 0.75), *filter(None, [nearest_name(what)])]
            raise NotUnderstood(words, f"“{what}” is not something that is read here{f'; did you mean “{_said(near[0])}”?' if near else ''}")
        if alias == "pressure":
            alias = "pressure" if place in (SOURCE, TAP) else "pressure_in" if side == "in" else "pressure_out" if side else "pressure"
        if place in (SOURCE, TAP) or (alias == "pressure" and not place and not self.here):
            return log_key(f"{place or SOURCE}.{alias}", self.ids).key
        return log_key(f"{place or self.here or self._usual(alias, gauge)}.{alias}", self.ids).key

    def _changes(self, name: str) -> str:
        """The one unit that changes an analyte by more than a test tells. Raises NotUnderstood where there is none, or several."""
        changes = [
            stage.id for stage in self.stages if any(reading.key.analyte == analytes()[name] for reading in Expectations(self.variant).changes(stage))
        ]
        if len(changes) != 1:
            raise NotUnderstood(name, f"Before or after which unit? Write “after” and one of {self.listed(changes or self.ids)}.")
        return changes[0]

    def _what(self, words: str) -> str | None:
        """What is read by these words alone; None where they are nothing that is read."""
        found = self.rows["aliases"].get(fold(words))
        analyte = None if found else find_analyte(words)
        return found or (analyte.key if analyte else None)

    def _apart(self, words: str) -> tuple[str, str, str]:
        """Place, side and what of words that hold them without a preposition: ``softener hardness``, ``tds in``."""
        parts = words.split()
        if len(parts) > 1 and parts[-1].lower() in ("in", "out") and find_analyte(" ".join(parts[:-1])) is not None:
            return "", parts[-1].lower(), " ".join(parts[:-1])
        for cut in range(1, len(parts)):
            for where, what in ((parts[:cut], parts[cut:]), (parts[cut:], parts[:cut])):
                stage = self.stage(" ".join(where))
                if stage is not None and self._what(" ".join(what)) is not None:
                    return stage, "", " ".join(what)
        return "", "", words

    def _usual(self, what: str, gauge: str) -> str:
        """Where a thing is read when nobody says: where the line already is, else the one stage that it is read at."""
        if gauge and what in GAUGES:
            return gauge
        fitting = [id for id in self.ids if what in self.points[id]]
        if what in GAUGES:
            fitting.sort(key=lambda id: id not in self.cartridges)  # a cartridge is what is read for its drop
        if len(fitting) == 1 or (fitting and what in GAUGES):
            return fitting[0]
        if not fitting:
            raise NotUnderstood(what, "this train has no unit where that is read")
        raise NotUnderstood(what, f"at which unit? Write it with “after” and one of {self.listed(fitting)}")

    def where(self, text: str, what: str = "") -> str:
        """The stage or place that is named; of several that a word fits, the one that changes what is read. Raises NotUnderstood, with the nearest."""
        found = self.rows["places"].get(fold(text)) or self.stage(text)
        if found:
            return str(found)
        fitting = self._all(text)
        if len(fitting) > 1 and what in analytes():
            changing = [
                stage.id for stage in self.stages
                if stage.id in fitting and any(reading.key.analyte == analytes()[what] for reading in Expectations(self.variant).changes(stage))
            ]  # fmt: skip
            if len(changing) == 1:
                return changing[0]
        if fitting:
            raise NotUnderstood(text, f"which “{text}”? Write one of {self.listed(fitting)}")
        near = difflib.get_close_matches(fold(text), [*(fold(self.called(id)) for id in self.ids), *self.rows["places"]], 1, 0.6)
        raise NotUnderstood(text, f"no unit here is called “{text}”{f'; did you mean “{near[0]}”?' if near else ''}")

    def read(self, key: str) -> LogKey:
        """What a key means. Raises NotUnderstood in the words of this train where it is none."""
        try:
            return log_key(key, self.ids)
        except NotUnderstood:
            raise NotUnderstood(key, f"“{key}” is not something that is read here") from None

    def called(self, id: str) -> str:
        """A unit as people call it; with its id where two have one name."""
        names = [stage.name for stage in self.stages]
        name = names[self.ids.index(id)] if id in self.ids else id
        return f"{name} ({id})" if names.count(name) > 1 else name

    def listed(self, ids: Iterable[str]) -> str:
        """Units as people call them, to choose from."""
        return ", ".join(f"“{self.called(id)}”" for id in ids)

    def unit(self, word: str) -> str:
        """The unit that a word is about, by its name or by what it uses, such as lamp or salt; empty where there is none or several."""
        named = self.stage(word)
        if named:
            return named
        uses = self.rows["filler"]["units"].get(fold(word), "")
        fitting = [stage.id for stage in self.stages if uses and getattr(stage.room, uses)]
        return fitting[0] if len(fitting) == 1 else ""

    def _all(self, text: str) -> list[str]:
        """Every stage whose name, title or id holds a word."""
        wanted = fold(text)
        return [stage.id for stage in self.stages if wanted and any(wanted in fold(said) for said in (stage.name, stage.room.title, stage.id))]

    def stage(self, text: str) -> str | None:
        """A stage by its id, kind, title or name; None where no one fits."""
        wanted = fold(text)
        for stage in self.stages:
            if wanted in (fold(stage.id), fold(stage.kind), fold(stage.room.title), fold(stage.name)):
                return stage.id
            if wanted == fold(self.called(stage.id)):
                return stage.id
        near = self._all(text)
        return near[0] if len(near) == 1 else None


def _said(name: str) -> str:
    """An analyte's key as people say it; any other word as it is."""
    return analytes()[name].said if name in analytes() else name
