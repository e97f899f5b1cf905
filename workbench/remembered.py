"""Designs that were worked out lately, by firm: one firm's many jobs never push out another's, and the whole has an end.

A design with its findings weighs about 0.6 MB, so that a worker process holds some 230 MB of them at most.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import lru_cache

from treatment.design import Design, design
from treatment.job_file import read_job
from treatment.studies.next_tests import in_words, next_tests

FIRMS, DESIGNS = 16, 24
"""How many firms a process remembers, and how many designs of each; those looked at longest ago go first."""


class Remembered:
    """What one firm looked at lately. Designs are pure: the same document on the same day is the same design."""

    def __init__(self) -> None:
        self.design: Callable[[str, str], Design] = lru_cache(DESIGNS)(_design)
        self.tests: Callable[[Design], list[str]] = lru_cache(DESIGNS)(_tests)


@lru_cache(FIRMS)
def of_firm(workspace: int) -> Remembered:
    """What is remembered for a firm, by its number."""
    return Remembered()


def _design(document: str, today: str) -> Design:
    return design(read_job({"as_of": today} | json.loads(document)))


def _tests(design: Design) -> list[str]:
    return [in_words(test) for test in next_tests(design)]
