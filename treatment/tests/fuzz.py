"""How many random cases a fuzz test tries: a few hundred in a test run, thousands in ``./cairn fuzz``."""

from __future__ import annotations

import os
from typing import Any

from hypothesis import settings


def fuzz(cases: int) -> Any:
    """Settings for a fuzz test: so many cases, times CAIRN_FUZZ."""
    return settings(max_examples=cases * int(os.environ.get("CAIRN_FUZZ", "1")), deadline=None)
