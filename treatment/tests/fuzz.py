"""How property tests draw their cases: the same few hundred on every test run, fresh thousands in ``./cairn fuzz``.

A test run must say the same of the same code, so it is not drawn anew; the night's run looks for what nobody thought of.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from hypothesis import settings

USUAL = 0.2  # of the cases in a plain test run, the rest in the night's
TIMES = int(os.environ.get("CAIRN_FUZZ", "0"))  # 0: the fixed cases of a test run

settings.register_profile("cairn", derandomize=not TIMES, database=None, deadline=None, print_blob=True)
settings.load_profile("cairn")


def fuzz(cases: int) -> Callable[[Any], Any]:
    """So many cases, times CAIRN_FUZZ, and in a plain test run some of them; the test bears the tag ``property``."""

    def mark(test: Any) -> Any:
        test.tags = {"property"}
        return settings(max_examples=cases * TIMES or max(round(cases * USUAL), 5))(test)

    return mark
