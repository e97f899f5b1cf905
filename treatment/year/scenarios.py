"""What happens to a house in a year: guests, forgotten salt, a power cut. Each with its date and length; several may run together."""

from __future__ import annotations

import datetime as dt
import difflib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from ..language.errors import BadDocument, Fault
from ..language.tables import table

HOURS = ("power_cut",)
#: what each may be told beside its date and length
TOLD: Mapping[str, tuple[str, ...]] = {
    "guests": ("people",), "power_cut": ("hours",), "leak": ("flow",), "hard_season": ("share",), "dirty_season": ("share",), "dry_season": ("share",),
    "cold_spell": ("degrees",), "pump_weak": ("share",), "wrong_hour": ("hours",),
}  # fmt: skip
#: the greatest that a number may be told as
MOST = {"people": 500.0, "hours": 720.0, "flow": 60.0, "share": 20.0, "degrees": 20.0, "days": 3650.0}


@dataclass(frozen=True, slots=True)
class Scenario:
    """One of them. told: as it was asked for; begin, end: days after the start, with a part where it is told by the hour; more: its own numbers."""

    told: str
    name: str
    begin: float
    end: float
    more: Mapping[str, float] = field(hash=False)

    @property
    def prevented(self) -> str:
        """What would have prevented it, in words."""
        return str(table("year")["scenarios"][self.name]["prevented"])

    @property
    def words(self) -> str:
        return str(table("year")["scenarios"][self.name]["words"])

    def harms(self, subject: str) -> bool:
        """Whether it may be behind something noticed: an analyte, salt, water, pressure, microbes."""
        harms = table("year")["scenarios"][self.name]["harms"]
        return subject in harms or "all" in harms

    def on(self, day: int) -> bool:
        """Whether it touches a day."""
        return self.begin < day + 1 and self.end > day


def names() -> tuple[str, ...]:
    """All that may happen."""
    return tuple(table("year")["scenarios"])


def read_scenarios(told: Iterable[str], start: dt.date, days: int) -> tuple[Scenario, ...]:
    """Scenarios as a command line tells them: ``guests:people=4,from=2026-07-01,days=7``; a bare name has a date and length of its own.

    Raises BadDocument with what is wrong and the nearest that is known.
    """
    found, faults = [], list[Fault]()
    for text in told:
        try:
            found.append(_scenario(text.strip(), start, days))
        except ValueError as error:
            faults.append(Fault("$.scenario", str(error)))
    if faults:
        raise BadDocument(faults)
    return tuple(found)


def _scenario(text: str, start: dt.date, days: int) -> Scenario:
    name, _, rest = text.partition(":")
    if name not in names():
        near = difflib.get_close_matches(name, names(), 1)
        raise ValueError(f"“{name}” is no scenario; {'did you mean ' + near[0] + '?' if near else 'known are ' + ', '.join(names())}")
    row = dict(table("year")["scenarios"][name])
    own = {key: float(row[key]) for key in TOLD.get(name, ())}
    length = float(row["hours"]) / 24 if name in HOURS else float(row["days"])
    begin = None
    for part in filter(None, rest.split(",")):
        key, _, value = part.partition("=")
        key = key.strip()
        if key == "from":
            begin = _begins(name, value.strip(), start)
        elif key == "days":
            length = _number(name, key, value)
        elif key in own:
            own[key] = _number(name, key, value)
            length = own[key] / 24 if name in HOURS and key == "hours" else length
        else:
            raise ValueError(f"{name} knows no “{key}”; it knows {', '.join(('from', 'days', *TOLD.get(name, ())))}")
    if begin is None:
        begin = 0.0 if length >= days else float(int((days - length) * 0.3)) + (7.0 / 24 if name in HOURS else 0.0)
    return Scenario(text, name, begin, begin + length, own)


def _begins(name: str, text: str, start: dt.date) -> float:
    try:
        moment = dt.datetime.fromisoformat(text)
    except ValueError:
        raise ValueError(f"{name}: from={text} is no day; write it as 2026-07-01") from None
    return (moment.replace(tzinfo=None) - dt.datetime.combine(start, dt.time())).total_seconds() / 86400


def _number(name: str, key: str, text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise ValueError(f"{name}: {key}={text.strip()} is no number") from None
    if not 0 < value <= MOST[key]:
        raise ValueError(f"{name}: {key} must be above 0 and at most {MOST[key]:g}")
    return value


class DayHappens:
    """What the scenarios do on one day."""

    __slots__ = ("cold", "cut", "dead", "dirty", "filters", "hard", "raw_setting", "salt", "shift", "weak", "yields")

    def __init__(self, running: Sequence[Scenario], day: int):
        self.hard = self.dirty = self.yields = self.weak = 1.0
        self.cold = self.shift = 0.0
        self.salt = self.filters = True
        self.raw_setting = self.dead = False
        self.cut: tuple[float, float] | None = None
        for one in running:
            self._take(one, day)

    def _take(self, one: Scenario, day: int) -> None:
        match one.name:
            case "hard_season":
                self.hard *= one.more["share"]
            case "dirty_season":
                self.dirty *= one.more["share"]
            case "dry_season":
                self.yields *= one.more["share"]
            case "pump_weak":
                self.weak *= one.more["share"]
            case "cold_spell":
                self.cold += one.more["degrees"]
            case "wrong_hour":
                self.shift += one.more["hours"]
            case "salt_forgotten":
                self.salt = False
            case "filters_forgotten":
                self.filters = False
            case "setting_raw":
                self.raw_setting = True
            case "lamp_dies":
                self.dead = True
            case "power_cut":
                self.cut = max((one.begin - day) * 1440, 0.0), min((one.end - day) * 1440, 1440.0)


QUIET = DayHappens((), 0)


def days_of(scenarios: Sequence[Scenario], days: int) -> list[DayHappens]:
    """What the scenarios do, day by day."""
    return [DayHappens(running, day) if (running := [one for one in scenarios if one.on(day)]) else QUIET for day in range(days)]
