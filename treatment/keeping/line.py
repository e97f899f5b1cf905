"""One line as people write it at a tank: ``in 48 psi, out 44, hardness after softener 0, pH 7.1, salt 80 lb``."""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..evidence.symptoms import observation_in
from ..language.analytes import analytes, find_analyte, nearest_name
from ..language.errors import NotUnderstood
from ..language.log_keys import SOURCE, TAP, LogKey, log_key
from ..language.quantity import parse_quantity
from ..language.tables import table
from ..planning.variant import Variant
from ..starting.expected import Expectations
from ..train.room import StageRun
from .upkeep import Task

_PIECES = re.compile(r"\s*[;\n]\s*|\s*,\s+|,(?=\D)")
_VALUE = re.compile(r"^(?P<words>.*?)[\s:=]*(?P<value>(?:[<>]?\s*-?\d.*)|present|absent|none found|not detected|nd)$", re.IGNORECASE)
_PLACE = re.compile(
    r"^(?P<what>.*?)\s*\b(?P<side>after|behind|out of|leaving|before|into|in front of|at|of|from)\b\s+(?:the\s+)?(?P<where>.+)$", re.IGNORECASE
)
BEFORE = ("before", "into", "in front of")
#: an amount before what was put in: ``80 lb of salt``
_AMOUNT_FIRST = re.compile(r"^(?P<value>\d[\d.,]*\s*[^\W\d]+)\s+(?:of\s+)?(?P<words>[^\W\d].*)$")
#: a place behind the value: ``hardness 0 gpg after softener``
_PLACE_LAST = re.compile(r"^(?P<value>.*?)\s+(?P<place>(?:after|behind|out of|leaving|before|into|in front of|at)\s+.+)$", re.IGNORECASE)
#: both gauges without a comma: ``in 50 out 48``, ``in 50/out 48``
_IN_AND_OUT = re.compile(r"^(?P<one>(?:pressure\s+)?in\b[^/]*?\d[^/]*?)\s*/?\s*(?P<other>\bout\b.*)$", re.IGNORECASE)
#: words of a level that say nothing is left
_NOTHING_LEFT = re.compile(r"^(?P<words>.+?)\s+(?:is\s+)?empty$", re.IGNORECASE)
_BAGS = re.compile(r"\b(bags?|sacks?)\b", re.IGNORECASE)
FILLED = ("salt_level", "solution_level", "medium_level")


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece of a line. key, text: a reading as a log writes it; did, amount: something done; seen: what was seen, smelt or tasted; alarm:
    the unit whose alarm it was; words: what it is; problem: why it is not understood."""

    typed: str
    key: str = ""
    text: str = ""
    words: str = ""
    did: str = ""
    amount: str = ""
    seen: str = ""
    alarm: str = ""
    problem: str = ""


class Line:
    """Understands lines at a train. here: the stage that somebody stands before, where it is known."""

    def __init__(self, variant: Variant, tasks: Sequence[Task], system: str, here: str = ""):
        self.variant = variant
        self.stages: tuple[StageRun[Any], ...] = variant.run.stages
        self.ids = [stage.id for stage in self.stages]
        self.tasks = {task.id: task for task in tasks}
        self.system, self.here = system, here if here in self.ids else ""
        self.rows = table("log")

    def read(self, line: str) -> list[Piece]:
        """Each piece of a line, in order; what is not understood carries the reason."""
        found: list[Piece] = []
        for piece in _PIECES.split(line.strip()):
            both = _IN_AND_OUT.match(piece.strip())
            for each in (both["one"], both["other"]) if both else (piece,):
                if each.strip():
                    found.append(self._once(self._piece(each.strip(), found), found))
        return found

    @staticmethod
    def _once(piece: Piece, before: list[Piece]) -> Piece:
        """A piece, refused where the line has a reading of the same already."""
        twice = piece.key and any(other.key == piece.key for other in before)
        return Piece(piece.typed, problem=f"{piece.words} stands in this line already; the second goes into a line of its own") if twice else piece

    def own_of(self, id: str) -> list[LogKey]:
        """What a unit has to be read of its own: pressures, levels, counters."""
        stage = self.stages[self.ids.index(id)]
        return [log_key(f"{id}.{what}", self.ids) for what, fits in FITS.items() if fits(stage)]

    def read_at(self, id: str) -> list[str]:
        """What is read at a unit, in words: what a test in the field tells it changes, then what it has of its own."""
        stage = self.stages[self.ids.index(id)]
        return [key.title for key in [*(reading.key for reading in Expectations(self.variant).changes(stage)), *self.own_of(id)]]

    def _piece(self, typed: str, before: list[Piece]) -> Piece:
        try:
            return self._did(typed) or self._alarm(typed) or self._reading(typed, before)
        except NotUnderstood as error:
            return self._seen(typed) or Piece(typed, problem=error.reason)

    # --- something that happened --------------------------------------------------------------------------------------
    def _alarm(self, typed: str) -> Piece | None:
        """An alarm, of the unit that is named, of the one somebody stands before, or of the only one that has one; None where it is none."""
        words = fold(typed).split(" ")
        if "alarm" not in words:
            return None
        rest = " ".join(word for word in words if word not in ("alarm", "of", "the", "at", "on", "sounded"))
        known = [task.stage.id for task in self.tasks.values() if task.stage is not None and task.row.name == "alarm"]
        id = self._where(rest) if rest else self.here or (known[0] if len(known) == 1 else "")
        if id not in self.ids:
            raise NotUnderstood(typed, f"the alarm of which unit? Write it with one of {', '.join(known or self.ids)}")
        return Piece(typed, alarm=id, words=f"alarm of {id}")

    @staticmethod
    def _seen(typed: str) -> Piece | None:
        """What was seen, smelt or tasted; None where it is nothing known, or says that there was none."""
        seen = None if fold(typed).split(" ")[0] in ("no", "not", "without") else observation_in(typed)
        return None if seen is None else Piece(typed, seen=seen, words=str(table("symptoms")[seen]["said"]))

    # --- something done -----------------------------------------------------------------------------------------------
    def _did(self, typed: str) -> Piece | None:
        """A task by its id or its words, with an amount; None where it is a reading."""
        if typed.split(" ")[0] in self.tasks:
            id, _, value = typed.partition(" ")
            return Piece(typed, did=id, amount=value.strip(), words=self.tasks[id].row.task)
        if _BAGS.search(typed):
            raise NotUnderstood(typed, "how heavy are they? Write the weight, such as “salt 80 lb”")
        verb, rest = self._verb(typed)
        first = _AMOUNT_FIRST.match(rest)
        match = None if first else _VALUE.match(rest)
        words, value = (first["words"], first["value"]) if first else (match["words"], match["value"].strip()) if match else (rest, "")
        heavy = bool(value) and (_measures(value, "mass") or (fold(words) not in self.rows["aliases"] and _measures(value, "volume")))
        if not verb and not (heavy and find_analyte(words) is None):
            return None
        task = self._task(fold(words), verb)
        if task is None:
            if not verb:
                return None
            raise NotUnderstood(typed, f"which task? known are {', '.join(sorted(self.tasks))}")
        return Piece(typed, did=task.id, amount=value, words=task.row.task)

    def _verb(self, typed: str) -> tuple[str, str]:
        """The verb that a piece begins or ends with, and the rest: ``lamp changed``, ``topped up the bed 25 kg``."""
        words = typed.split()
        if words and fold(words[0]) in self.rows["verbs"]:
            rest = words[2:] if len(words) > 1 and fold(words[1]) in ("up", "in") else words[1:]
            return fold(words[0]), " ".join(rest[1:] if rest and fold(rest[0]) == "the" else rest)
        if len(words) > 1 and fold(words[-1]) in self.rows["verbs"] and fold(words[-1]) != "new":
            return fold(words[-1]), " ".join(words[:-1])
        return "", typed

    def _task(self, words: str, verb: str) -> Task | None:
        place = _PLACE.match(words)
        stage = self._stage(place["where"]) if place else None
        named = fold(place["what"] if place and stage else words)
        name = str(self.rows["tasks"].get(named, named)).replace(" ", "_")
        near = [
            task
            for task in self.tasks.values()
            if task.row.name == name or name.endswith(f"_{task.row.name}") or name.startswith(f"{task.row.name}_")
        ]
        if stage is None and not near:
            for id in self.ids:
                if name.startswith(f"{id}_") or name.endswith(f"_{id}"):
                    stage, name = id, name.removeprefix(f"{id}_").removesuffix(f"_{id}")
            near = [task for task in self.tasks.values() if task.row.name == name]
        if not near and (unit := stage or self._stage(words)):
            near = [self.tasks[f"{unit}/{each}"] for each in self.rows["verbs"].get(verb, ()) if f"{unit}/{each}" in self.tasks][:1]
        chosen = [task for task in near if task.stage is not None and task.stage.id == (stage or self.here)] or near
        if len(chosen) > 1 and named in self.rows["tasks"]:
            usual = [task for task in chosen if task.row.quantity == "medium" and "media_per_year" in (task.stage.figures if task.stage else ())]
            chosen = usual if name == "medium" and len(usual) == 1 else chosen
        if len(chosen) > 1:
            raise NotUnderstood(words, f"which one? {', '.join(task.id for task in chosen)}")
        return chosen[0] if chosen else None

    # --- a reading ----------------------------------------------------------------------------------------------------
    def _reading(self, typed: str, before: list[Piece]) -> Piece:
        empty = _NOTHING_LEFT.match(typed)
        match = _VALUE.match(typed)
        if empty is not None:
            words, value = empty["words"], "0"
        elif match is None or not match["words"].strip():
            raise NotUnderstood(typed, "a reading is a name and a value, such as “hardness after softener 0 gpg”")
        else:
            words, value = match["words"].strip(), match["value"].strip()
            if (behind := _PLACE_LAST.match(value)) is not None:
                words, value = f"{words} {behind['place']}", behind["value"].strip()
        key = self._key(words, before)
        known = log_key(key, self.ids)
        if empty is not None and known.what not in FILLED:
            raise NotUnderstood(typed, "a reading is a name and a value, such as “hardness after softener 0 gpg”")
        text = known.typed(value, self.system)
        known.read(text)
        return Piece(typed, key=key, text=text, words=known.title)

    def _key(self, words: str, before: list[Piece]) -> str:
        if "." in words or words in self.rows["whole"]:
            return log_key(words, self.ids).key
        place, side, what = "", "", words
        if (match := _PLACE.match(words)) is not None and fold(words) not in self.rows["aliases"]:
            place, side, what = self._where(match["where"]), "in" if match["side"].lower() in BEFORE else "out", match["what"] or "pressure"
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
            raise NotUnderstood(words, f"“{what}” is nothing that is read here{f'; did you mean “{analyte_said(near[0])}”?' if near else ''}")
        if alias == "pressure":
            alias = "pressure" if place in (SOURCE, TAP) else "pressure_in" if side == "in" else "pressure_out" if side else "pressure"
        if place in (SOURCE, TAP) or (alias == "pressure" and not place and not self.here):
            return log_key(f"{place or SOURCE}.{alias}", self.ids).key
        return log_key(f"{place or self.here or self._usual(alias, before)}.{alias}", self.ids).key

    def _changes(self, name: str) -> str:
        """The one unit that changes an analyte by more than a test tells. Raises NotUnderstood where there is none, or several."""
        changes = [
            stage.id for stage in self.stages if any(reading.key.analyte == analytes()[name] for reading in Expectations(self.variant).changes(stage))
        ]
        if len(changes) != 1:
            raise NotUnderstood(name, f"before or behind which unit? Write it with “after” and one of {', '.join(changes or self.ids)}")
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
                stage = self._stage(" ".join(where))
                if stage is not None and self._what(" ".join(what)) is not None:
                    return stage, "", " ".join(what)
        return "", "", words

    def _usual(self, what: str, before: list[Piece]) -> str:
        """Where a thing is read when nobody says: where the line already is, else the one stage that it is read at."""
        for piece in reversed(before):
            id, _, earlier = piece.key.rpartition(".")
            if id in self.ids and {earlier, what} <= {"pressure_in", "pressure_out"}:
                return id
        fitting = [stage.id for stage in self.stages if FITS.get(what, lambda stage: False)(stage)]
        if what in ("pressure_in", "pressure_out"):
            fitting.sort(key=lambda id: f"{id}/cartridge" not in self.tasks)  # a cartridge is what is read for its drop
        if len(fitting) == 1 or (fitting and what in ("pressure_in", "pressure_out")):
            return fitting[0]
        if not fitting:
            raise NotUnderstood(what, "this train has no unit where that is read")
        raise NotUnderstood(what, f"at which unit? Write it with “after” and one of {', '.join(fitting)}")

    def _where(self, text: str) -> str:
        """The stage or place that is named. Raises NotUnderstood, with the nearest."""
        found = self.rows["places"].get(fold(text)) or self._stage(text)
        if not found:
            near = difflib.get_close_matches(fold(text), [*map(fold, self.ids), *self.rows["places"]], 1, 0.6)
            raise NotUnderstood(text, f"no unit here is called “{text}”{f'; did you mean “{near[0]}”?' if near else ''}")
        return str(found)

    def _stage(self, text: str) -> str | None:
        """A stage by its id, kind, title or name; None where no one fits."""
        wanted = fold(text)
        for stage in self.stages:
            if wanted in (fold(stage.id), fold(stage.kind), fold(stage.room.title), fold(stage.name)):
                return stage.id
        near = [
            stage.id
            for stage in self.stages
            if wanted and (wanted in fold(stage.name) or wanted in fold(stage.room.title) or wanted in fold(stage.id))
        ]
        return near[0] if len(near) == 1 else None


def fold(text: str) -> str:
    """Letters and digits, in lower case, single spaces."""
    return " ".join(re.sub(r"[^\w]+", " ", text.lower().replace("_", " ")).split())


def analyte_said(name: str) -> str:
    """An analyte's key as people say it; any other word as it is."""
    return analytes()[name].said if name in analytes() else name


def _measures(text: str, dimension: str) -> bool:
    try:
        parse_quantity(text, dimension)
    except NotUnderstood:
        return False
    return True


def _bed(stage: StageRun[Any]) -> bool:
    return stage.sizing.bed is not None


#: what is read -> the stages at which it is
FITS: dict[str, Any] = {
    "pressure_in": lambda stage: stage.room.holds_particles or _bed(stage),
    "pressure_out": lambda stage: stage.room.holds_particles or _bed(stage),
    "lamp_hours": lambda stage: stage.room.disinfects and "lamp_interval" in stage.figures,
    "intensity": lambda stage: stage.room.disinfects and "delivered_dose" in stage.figures,
    "salt_level": lambda stage: stage.room.uses_salt,
    "brine_level": lambda stage: stage.room.uses_salt,
    "solution_level": lambda stage: stage.room.uses_chemical,
    "medium_level": _bed,
    "backwash_flow": lambda stage: "backwash_flow" in stage.figures,
    "permeate_flow": lambda stage: "output" in stage.figures,
    "reject_flow": lambda stage: "reject_flow" in stage.figures,
    "regenerations": lambda stage: stage.room.uses_salt,
    "days_since_regeneration": lambda stage: stage.room.uses_salt,
    "flow": lambda stage: False,
    "starts": lambda stage: stage.room.pumps,
}
