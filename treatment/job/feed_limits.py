"""What a treatment asks of the water that reaches it, and limits that a designer puts in place of ours."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, NamedTuple

from ..language.analytes import analytes, as_typed, find_analyte
from ..language.errors import Fault, NotUnderstood
from ..language.reading import parse_reading
from ..language.spec import BAD, Spec, Text, key, read_record, record_schema


class FeedLimit(NamedTuple):
    """What a stage asks of the water that reaches it, in the analyte's canonical unit.

    analyte names the rule (``feed-limit/softener/iron``); form the part of it that counts, where only a part does.
    own: whether the designer put it in place of ours.
    """

    analyte: str
    low: float | None
    high: float | None
    source: str
    because: str
    severity: str = "fault"
    form: str = ""
    own: bool = False

    @property
    def reads(self) -> str:
        """The analyte whose value is compared: a form of it (ferrous, ferric iron) where one is named."""
        return self.form or self.analyte

    def broken_by(self, value: float) -> bool:
        slack = 1e-6
        return (self.high is not None and value > self.high * (1 + slack)) or (self.low is not None and value < self.low * (1 - slack))


@dataclass(frozen=True, slots=True)
class OwnFeedLimit:
    """A designer's own feed limit of one stage: at least ``low``, at most ``high`` [canonical unit], and why."""

    analyte: str
    low: float | None
    high: float | None
    reason: str


@dataclass(frozen=True, slots=True)
class _Row:
    """As the job file writes it."""

    low: str | None = key(Text(80), None, "at least this, with its unit")
    high: str | None = key(Text(80), None, "at most this, with its unit")
    reason: str = key(Text(300), "", "what it is based on, such as the manufacturer's data sheet")


class OwnFeedLimits(Spec):
    """Feed limits by analyte that a stage puts in place of ours; each with its reason. Microbes keep ours."""

    expected = "an object such as {“iron”: {“high”: “15 mg/L”, “reason”: “data sheet”}}"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        """The limits, by analyte, as a tuple; BAD where nothing could be read."""
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        found: dict[str, OwnFeedLimit] = {}
        for name, row in raw.items():
            here, before = f"{path}.{name}", len(faults)
            analyte = find_analyte(str(name))
            if analyte is None or analyte.is_microbe or analyte.key in found:
                why = "unknown analyte" if analyte is None else "given twice" if analyte.key in found else "microbes keep the default limit"
                faults.append(Fault(here, why))
                continue
            held = read_record(_Row, row, here, faults)
            if held is BAD or len(faults) > before:
                continue
            if not held.reason.strip():
                faults.append(Fault(f"{here}.reason", "a limit of your own needs a reason"))
            if not (held.low or held.high):
                faults.append(Fault(f"{here}.high", "expected a limit with its unit, such as “15 mg/L”"))
            ends: dict[str, float | None] = {"low": None, "high": None}
            for end in ends:
                text = getattr(held, end)
                if not text:
                    continue
                try:
                    reading = parse_reading(analyte, text)
                except NotUnderstood as error:
                    faults.append(Fault(f"{here}.{end}", str(error)))
                    continue
                if reading.low != reading.high:
                    faults.append(Fault(f"{here}.{end}", "expected one value, not a range"))
                ends[end] = reading.low
            low, high = ends["low"], ends["high"]
            if low is not None and high is not None and low >= high:
                faults.append(Fault(f"{here}.high", "the upper limit must lie above the lower"))
            found[analyte.key] = OwnFeedLimit(analyte.key, low, high, " ".join(held.reason.split()))
        return tuple(found.values())

    def write(self, held: Any) -> Any:
        """Each with its unit, to the last digit."""
        units = {limit.analyte: analytes()[limit.analyte].unit for limit in held}
        return {
            limit.analyte: {
                end: f"{value!r} {as_typed(units[limit.analyte])}".strip()
                for end, value in (("low", limit.low), ("high", limit.high))
                if value is not None
            }
            | {"reason": limit.reason}
            for limit in held
        }

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "additionalProperties": record_schema(_Row)}


def with_own(limits: Iterable[FeedLimit], own: Iterable[OwnFeedLimit]) -> list[FeedLimit]:
    """A treatment's limits with the designer's in place of ours, side by side (a ceiling replaces ceilings, a floor floors).

    An own limit is as grave as the gravest that it replaces; one on what the treatment did not ask about is a fault.
    It changes what is accepted, never what the treatment is said to do to the water.
    """
    order = ("fault", "caution", "advice")
    found = list(limits)
    for each in own:
        for high, bound in ((True, each.high), (False, each.low)):
            if bound is None:
                continue
            gone = [limit for limit in found if limit.reads == each.analyte and (limit.high if high else limit.low) is not None]
            kept = [limit._replace(high=None) if high else limit._replace(low=None) for limit in gone]
            grave = min((limit.severity for limit in gone), key=order.index, default="fault")
            first = gone[0] if gone else FeedLimit(each.analyte, None, None, "", "set by the designer")
            found = [limit for limit in found if limit not in gone]
            found += [limit for limit in kept if limit.low is not None or limit.high is not None]
            low, top = (None, bound) if high else (bound, None)
            found.append(first._replace(low=low, high=top, severity=grave, source=f"the designer's own limit: {each.reason}", own=True))
    return found
