"""What may be asked of a year."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..train.over_time import State
from .scenarios import Scenario


@dataclass(frozen=True)
class YearAsked:
    """What is asked of a year. begin: where each stock stands, by stage; began_from: the same as the format prints it."""

    start: dt.date
    days: int = 365
    seed: int = 1
    scenarios: tuple[Scenario, ...] = ()
    runs: int = 0
    begin: Mapping[str, State] = field(default_factory=dict, hash=False)
    daily: float | None = None
    began_from: Mapping[str, Any] | None = field(default=None, hash=False)
