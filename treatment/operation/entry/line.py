"""One line as people write it at a tank: ``in 48 psi, out 44, hardness after softener 0, pH 7.1, salt 80 lb``."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from ...evidence.symptoms import observation_in
from ...language.analytes import find_analyte
from ...language.errors import NotUnderstood
from ...language.quantity import parse_quantity
from ...language.series_key import SeriesKey
from ...language.tables import table
from ...planning.evaluated import EvaluatedTrain
from ..maintenance.upkeep import Task
from .doing import Doings
from .naming import GAUGES, Names, fold

_PIECES = re.compile(r"\s*[;\n]\s*|\s*,\s+|,(?=\D)")
_VALUE = re.compile(r"^(?P<words>.*?)[\s:=]*(?P<value>(?:[<>]?\s*-?[.,]?\d.*)|present|absent|none found|not detected|nd)$", re.IGNORECASE)
#: an amount before what was put in: ``80 lb of salt``
_AMOUNT_FIRST = re.compile(r"^(?P<value>\d[\d.,]*\s*[^\W\d]+)\s+(?:of\s+)?(?P<words>[^\W\d].*)$")
#: a place behind the value: ``hardness 0 gpg after softener``
_PLACE_LAST = re.compile(r"^(?P<value>.*?)\s+(?P<place>(?:after|behind|out of|leaving|before|into|in front of|at)\s+.+)$", re.IGNORECASE)
#: both gauges without a comma: ``in 50 out 48``, ``in 50/out 48``
_IN_AND_OUT = re.compile(r"^(?P<one>(?:pressure\s+)?in\b[^/]*?\d[^/]*?)\s*/?\s*(?P<other>\bout\b.*)$", re.IGNORECASE)
#: words of a level that say nothing is left
_NOTHING_LEFT = re.compile(r"^(?P<words>.+?)\s+(?:is\s+)?empty$", re.IGNORECASE)
#: a number that begins with its point: ``.8``
_POINT_FIRST = re.compile(r"(?<![\w.,])\.(?=\d)")
#: what tells that a unit calls
_ALARM_OF = re.compile(r"\b(?:of|on|at|from)\s+(?:the\s+)?(?P<where>.+)$")
ALARMS = frozenset(("alarm", "alarms", "alarmed", "beeping", "beeps", "beep", "beeped", "buzzer", "buzzing"))
_BAGS = re.compile(r"\b(bags?|sacks?)\b", re.IGNORECASE)
#: the longest line that is read [characters]
LONGEST = 4000
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


class LogLine:
    """Understands lines at a train. here: the stage that somebody stands before, where it is known."""

    def __init__(self, variant: EvaluatedTrain, tasks: Sequence[Task], system: str, here: str = ""):
        self.tasks = {task.id: task for task in tasks}
        cartridges = frozenset(task.stage.id for task in tasks if task.stage is not None and task.row.name == "cartridge")
        self.names = Names(variant, here, cartridges)
        self.doings, self.system = Doings(tasks, self.names), system

    @property
    def ids(self) -> list[str]:
        """The ids of the train's stages."""
        return self.names.ids

    def read(self, line: str) -> list[Piece]:
        """Each piece of a line, in order; what is not understood carries the reason. A line that is longer than anybody types is not read."""
        if len(line) > LONGEST:
            return [Piece(f"{line[:40]} …", problem=f"this line is too long, {LONGEST} characters; send it in parts")]
        found: list[Piece] = []
        for piece in _PIECES.split(_POINT_FIRST.sub("0.", line.strip())):
            both = _IN_AND_OUT.match(piece.strip())
            for each in (both["one"], both["other"]) if both else (piece,):
                if each.strip():
                    found.append(self._once(self._piece(each.strip(), found), found))
        return found

    @staticmethod
    def _once(piece: Piece, before: list[Piece]) -> Piece:
        """A piece, refused where the line has a reading of the same already."""
        twice = piece.key and any(other.key == piece.key for other in before)
        return Piece(piece.typed, problem=f"{piece.words} is already in this line; enter the second on a line of its own") if twice else piece

    def _piece(self, typed: str, before: list[Piece]) -> Piece:
        try:
            return self._did(typed) or self._alarm(typed) or self._reading(typed, before)
        except NotUnderstood as error:
            return self._seen(typed) or Piece(typed, problem=error.reason)

    # --- something that happened --------------------------------------------------------------------------------------
    def _alarm(self, typed: str) -> Piece | None:
        """An alarm, of the unit that is named, of the one somebody stands before, or of the only one that has one; None where it is none."""
        words = fold(typed).split(" ")
        if not ALARMS & set(words):
            return None
        rest = [word for word in words if word not in ALARMS and word not in self.names.rows["filler"]["alarm"]]
        known = [task.stage.id for task in self.tasks.values() if task.stage is not None and task.row.name == "alarm"]
        meant = [self.names.unit(each) for each in (" ".join(rest), *rest) if each]
        id = next((each for each in meant if each), "")
        if not id and rest and (named := _ALARM_OF.search(fold(typed))):
            id = self.names.where(named["where"])
        id = id or self.names.here or (known[0] if len(known) == 1 else "")
        if id not in self.ids:
            raise NotUnderstood(typed, f"the alarm of which unit? Write it with one of {self.names.listed(known or self.ids)}")
        return Piece(typed, alarm=id, words=f"alarm of {self.names.called(id)}")

    def seen_in(self, text: str) -> str:
        """What was seen, smelt or tasted by somebody's own words; empty where they say nothing known, or that there was none."""
        found = self._seen(text) if text else None
        return found.seen if found else ""

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
        verb, rest = self.doings.verb(typed)
        first = _AMOUNT_FIRST.match(rest)
        match = None if first else _VALUE.match(rest)
        words, value = (first["words"], first["value"]) if first else (match["words"], match["value"].strip()) if match else (rest, "")
        heavy = bool(value) and (_measures(value, "mass") or (fold(words) not in self.names.rows["aliases"] and _measures(value, "volume")))
        if not verb and not (heavy and find_analyte(words) is None):
            return None
        task = self.doings.task(fold(words), verb)
        if task is None:
            if not verb:
                return None
            known = sorted({f"“{each.row.task}”" for each in self.tasks.values()})
            raise NotUnderstood(typed, f"which task? Known are {', '.join(known)}")
        return Piece(typed, did=task.id, amount=value, words=task.row.task)

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
        key = self.names.key(words, self._gauge(before))
        known = self.names.read(key)
        if empty is not None and known.what not in FILLED:
            raise NotUnderstood(typed, "a reading is a name and a value, such as “hardness after softener 0 gpg”")
        text = known.typed(value, self.system)
        known.read(text)
        return Piece(typed, key=key, text=text, words=known.title)

    def _gauge(self, before: list[Piece]) -> str:
        """The stage at which a gauge was read last in this line; none where none was."""
        places = [SeriesKey.of(piece.key) for piece in reversed(before)]
        return next((each.place for each in places if each.place in self.ids and each.name in GAUGES), "")


def _measures(text: str, dimension: str) -> bool:
    try:
        parse_quantity(text, dimension)
    except NotUnderstood:
        return False
    return True
