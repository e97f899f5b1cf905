"""An issued design: what is frozen, its checksum, its letter, and what a later engine would change of it and why."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

#: what is frozen, and nothing else
FROZEN = ("job", "design", "engine", "prices", "catalogue", "papers")
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
#: why something is another than when it was issued
FACTS, RULES, VALUES, PRICES = "facts", "rules", "values", "prices"


def canonical(frozen: Mapping[str, Any]) -> bytes:
    """The frozen document in the one spelling that is summed up."""
    return json.dumps(frozen, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False).encode()


def checksum(frozen: Mapping[str, Any]) -> str:
    """SHA-256 over the canonical JSON, in hexadecimal."""
    return hashlib.sha256(canonical(frozen)).hexdigest()


def letter(number: int) -> str:
    """The letter of a revision, counted from 0; after Z comes AA.

    >>> letter(0), letter(25), letter(26), letter(27), letter(702)
    ('A', 'Z', 'AA', 'AB', 'AAA')
    """
    found, left = "", number
    while left >= 0:
        left, place = divmod(left, len(LETTERS))
        found, left = LETTERS[place] + found, left - 1
    return found


def frozen(job: Mapping[str, Any], design: Mapping[str, Any], papers: Mapping[str, Any]) -> dict[str, Any]:
    """What is frozen of a job and its design: as plain data, so that reading it back gives the same bytes. papers: what is printed besides."""
    kept = {name: value for name, value in job.items() if name != "catalogue"}
    catalogue = job.get("catalogue")
    named = None if catalogue is None else {name: catalogue[name] for name in ("name", "version", "currency")}
    prices = {row["key"]: {"price": row["price"], "sample": row["sample"]} for row in design["materials"]}
    whole = {"job": kept, "design": design, "engine": design["engine"], "prices": prices, "catalogue": named, "papers": papers}
    plain: dict[str, Any] = json.loads(canonical(whole))
    return plain


@dataclass(frozen=True, slots=True)
class IssueChange:
    """Something that would be another today. why: facts, rules, values or prices; path: in the document; then, now: in words."""

    why: str
    path: str
    then: str
    now: str

    def as_json(self) -> dict[str, str]:
        """As a document lists it."""
        return {"why": self.why, "path": self.path, "then": self.then, "now": self.now}


def changes(then: Mapping[str, Any], now: Mapping[str, Any]) -> list[IssueChange]:
    """What differs between a frozen document and one frozen now: facts of the job first, then rules, values, prices."""
    found = [IssueChange(FACTS, f"$.job{path}", one, other) for path, one, other in _differing(then["job"], now["job"], "")]
    if then["engine"] != now["engine"]:
        found.append(IssueChange(RULES, "$.engine", then["engine"], now["engine"]))
    if then["catalogue"] != now["catalogue"]:
        found.append(IssueChange(PRICES, "$.catalogue", _said(then["catalogue"]), _said(now["catalogue"])))
    found += _rules(then["design"], now["design"])
    found += _values(then["design"], now["design"])
    for key in sorted(then["prices"].keys() | now["prices"].keys()):
        one, other = (held["prices"].get(key, {}).get("price") for held in (then, now))
        if one != other and one is not None and other is not None:
            found.append(IssueChange(PRICES, f"$.prices.{key}", one, other))
    return found


def _rules(then: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[IssueChange]:
    """Findings that came, went, or weigh otherwise; limits that needs are held against."""
    before, after = ({(each["rule"], each["stage"] or ""): each for each in held["findings"]} for held in (then, now))
    for rule, stage in sorted(before.keys() | after.keys()):
        one, other = before.get((rule, stage)), after.get((rule, stage))
        if (one and one["severity"]) != (other and other["severity"]):
            at = f"$.design.findings.{rule}" + (f".{stage}" if stage else "")
            yield IssueChange(
                RULES,
                at,
                f"{one['severity']}: {one['message']}" if one else "no finding",
                f"{other['severity']}: {other['message']}" if other else "no finding",
            )


def _values(then: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[IssueChange]:
    """Stages that came or went, their choices and figures, the water at the taps, the costs."""
    before, after = ({stage["id"]: stage for stage in held["train"]} for held in (then, now))
    if list(before) != list(after):
        yield IssueChange(VALUES, "$.design.train", ", ".join(before), ", ".join(after))
    for id in before:
        if id in after:
            one, other = (
                {"params": held[id]["params"], **{name: _plain(each) for name, each in held[id]["figures"].items()}} for held in (before, after)
            )
            yield from (IssueChange(VALUES, f"$.design.train.{id}{path}", a, b) for path, a, b in _differing(one, other, ""))
    for name in ("finished_water", "costs"):
        one, other = (held.get(name, {}) for held in (then, now))
        if name == "costs":
            one, other = ({part: held.get(part) for part in ("first", "yearly", "total")} for held in (one, other))
        why = PRICES if name == "costs" else VALUES
        yield from (IssueChange(why, f"$.design.{name}{path}", a, b) for path, a, b in _differing(one, other, ""))


def _plain(figure: Mapping[str, Any]) -> dict[str, Any]:
    return {"value": figure["value"], "unit": figure["unit"]}


def _differing(one: Any, other: Any, path: str) -> Iterator[tuple[str, str, str]]:
    """Places at which two documents differ, with both values in words."""
    if isinstance(one, Mapping) and isinstance(other, Mapping):
        for name in sorted(one.keys() | other.keys()):
            yield from _differing(one.get(name), other.get(name), f"{path}.{name}")
    elif isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        for place, (a, b) in enumerate(zip(one, other, strict=True)):
            yield from _differing(a, b, f"{path}[{place}]")
    elif one != other:
        yield path, _said(one), _said(other)


def _said(value: Any) -> str:
    text = "nothing" if value is None else value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, sort_keys=True)
    return text if len(text) <= 120 else text[:119] + "…"
