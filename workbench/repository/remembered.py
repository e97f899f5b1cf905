"""Designs that were worked out lately, by firm: one firm's many jobs never push out another's, and the whole has an end.

A design with its findings weighs about 0.6 MB, so that a worker process holds some 230 MB of them at most.
"""

from __future__ import annotations

import datetime as dt
import json
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple

from treatment.choices.field import Choosing
from treatment.design import Design, DesignBasis, design
from treatment.job.facts import Facts
from treatment.job_file import Job, read_job
from treatment.language.analytes import analytes
from treatment.operation.diagnosis.diagnosis import Diagnosis
from treatment.papers.compared import Priced, priced
from treatment.papers.design_file import design_document
from treatment.planning.evaluated import EvaluatedTrain
from treatment.studies.next_tests import Asking, in_brief, in_words
from treatment.train.treatment import Stage
from treatment.year.asked import YearAsked
from treatment.year.document import Lived, lived
from treatment.year.what_if import WhatIfYear

FIRMS, DESIGNS, LOGS, DOCUMENTS, FIELDS = 16, 24, 8, 2, 4
"""How many firms a process remembers, and how many designs, logs, whole documents and fields of choices of each; those looked at longest ago go first."""
#: years of all firms that a process remembers: one weighs some 7 MB
YEARS = 12


class Test(NamedTuple):
    """A test worth having: its analyte, what it decides on one line, and all of it in a sentence."""

    name: str
    brief: str
    words: str


@dataclass(frozen=True)
class ReadLog:
    """A log as it was read against a design. stands: what tells it from the log as it stood at another time."""

    stands: tuple[Any, ...]
    design: Design
    diagnosis: Diagnosis
    gone: list[str]

    def same(self, stands: tuple[Any, ...], design: Design) -> bool:
        """Whether it is that log, read against that design."""
        return self.stands == stands and self.design.ground is design.ground and self.design.job.train == design.job.train


class Remembered:
    """What one firm looked at lately. Designs are pure: the same document on the same day is the same design."""

    def __init__(self) -> None:
        self.design: Callable[[str, str], Design] = lru_cache(DESIGNS)(_design)
        self.asking: Callable[[Design], Asking] = lru_cache(DESIGNS)(Asking)
        self._document: Callable[[DesignBasis, tuple[Stage[Any], ...] | None], dict[str, Any]] = lru_cache(DOCUMENTS)(_document)
        self._choosing: Callable[[DesignBasis, tuple[Stage[Any], ...] | None], Choosing] = lru_cache(FIELDS)(_choosing)
        self._priced: OrderedDict[Any, tuple[Facts, Priced]] = OrderedDict()
        self._logs: OrderedDict[int, ReadLog] = OrderedDict()

    def document(self, design: Design) -> dict[str, Any]:
        """The whole document of a design."""
        return self._document(design.ground, design.job.train)

    def lived(self, design: Design, asked: YearAsked) -> Lived:
        """A year of a design's train."""
        return _lived(design.ground, design.job.train, asked)

    def priced(self, variant: EvaluatedTrain) -> Priced:
        """What a train costs; the last few are remembered, by what decides them."""
        facts = variant.audit.facts  # kept with what was priced, so that its place in memory is not another's
        key = (id(facts), variant.train)
        if key not in self._priced:
            self._priced[key] = facts, priced(variant)
            while len(self._priced) > DESIGNS:
                self._priced.popitem(last=False)
        return self._priced[key][1]

    def what_if(self, design: Design, start: dt.date) -> WhatIfYear:
        """What may be asked of a design's train in a year."""
        return _what_if(design.ground, design.job.train, start)

    def choosing(self, design: Design) -> Choosing:
        """The field of choices of a design, as far as it is worked out."""
        return self._choosing(design.ground, design.job.train)

    def log(self, job: int, stands: tuple[Any, ...], design: Design) -> ReadLog | None:
        """The log of a job, by its number, where it stands as it stood when it was read."""
        held = self._logs.get(job)
        return held if held is not None and held.same(stands, design) else None

    def keep(self, job: int, read: ReadLog) -> None:
        """Remember a log that was read."""
        self._logs[job] = read
        self._logs.move_to_end(job)
        while len(self._logs) > LOGS:
            self._logs.popitem(last=False)


@lru_cache(FIRMS)
def of_firm(workspace: int) -> Remembered:
    """What is remembered for a firm, by its number."""
    return Remembered()


def _design(document: str, today: str) -> Design:
    return design(read_job({"as_of": today} | json.loads(document)))


def _document(ground: DesignBasis, train: tuple[Stage[Any], ...] | None) -> dict[str, Any]:
    return design_document(Design(Job(ground.facts, train), ground))


def _choosing(ground: DesignBasis, train: tuple[Stage[Any], ...] | None) -> Choosing:
    return Choosing(Design(Job(ground.facts, train), ground))


@lru_cache(YEARS)
def _what_if(ground: DesignBasis, train: tuple[Stage[Any], ...] | None, start: dt.date) -> WhatIfYear:
    return WhatIfYear(Design(Job(ground.facts, train), ground), start)


@lru_cache(YEARS)
def _lived(ground: DesignBasis, train: tuple[Stage[Any], ...] | None, asked: YearAsked) -> Lived:
    return lived(Design(Job(ground.facts, train), ground).chosen, asked)


def as_told(asked: Asking) -> list[Test]:
    """The tests found so far, in words."""
    return [Test(analytes()[test.analyte].name, in_brief(test), in_words(test)) for test in asked.ranked()]
