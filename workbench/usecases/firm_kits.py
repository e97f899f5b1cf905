"""Kits that a firm copied and changed to what its own strips print: pads, colours in words, waits. The shipped ones stay as they are."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from treatment.evidence.kits import Kit, chart_read, chart_text, in_time, kit_from, kits, row_of
from treatment.language.errors import NotUnderstood
from treatment.language.quantity import parse_quantity

from ..merging import late_words, settle
from ..outcome import Done, Gone, Late, Refused, one_of
from ..records.firm import Workspace
from ..records.sample import FirmKit
from .acting import use_case

TOLD_BY = "Your company's own chart"
LONGEST_S = 7 * 86400.0
#: seconds of a test: the field, what it is called
TIMES = {"dip": "Dip", "wait": "Wait before reading", "window": "Time to read"}


def kits_of(workspace: int) -> dict[str, Kit]:
    """Every kit that a firm's jobs may hold, by key: the shipped ones and its own, also those that it no longer offers."""
    own = FirmKit.objects.filter(workspace=workspace)
    return kits() | {each.key: kit_from(each.key, each.row, TOLD_BY) for each in own}


def offered(workspace: int) -> list[Kit]:
    """The kits to choose from, the firm's own first."""
    own = FirmKit.objects.filter(workspace=workspace, retired=False)
    return [*(kit_from(each.key, each.row, TOLD_BY) for each in own), *kits().values()]


@use_case("money.change", apart=True)
def copied(workspace: Workspace, base: str) -> Done[FirmKit]:
    """A copy of a shipped kit, to be changed. Raises Gone where there is none."""
    try:
        row = row_of(base)
    except KeyError:
        raise Gone from None
    name = f"{row['name']} (copy)"
    return Done(FirmKit.objects.create(workspace=workspace, base=base, name=name, row=row | {"name": name}))


def fields_of(kit: FirmKit) -> dict[str, str]:
    """What a page shows of a kit, by the name of its field."""
    found = {"name": kit.name, "blind": kit.row["blind"]}
    for test in kit_from(kit.key, kit.row, TOLD_BY).tests:
        found[f"keep-{test.key}"] = "1"
        for name in TIMES:
            seconds = getattr(test, name)
            found[f"{name}-{test.key}"] = in_time(seconds) if seconds < 3600 else f"{seconds / 3600:g} h"
        if test.pads:
            found[f"pads-{test.key}"] = chart_text(test)
    return found


def _on_top(kit: FirmKit, data: Mapping[str, Any]) -> dict[str, str] | None:
    """What was typed on top of what others changed since the page showed it; None where the page does not say what it showed. Raises Late."""
    try:
        shown = json.loads(data.get("shown", ""))
    except ValueError:
        shown = None
    if not isinstance(shown, dict):
        return None
    stands, typed = fields_of(kit), {name: str(value) for name, value in data.items()}
    names = {*shown, *stands}
    before, now, sent = ({name: " ".join(str(each.get(name, "")).split()) for name in names} for each in (shown, stands, typed))
    kept, conflicts = settle(before, sent, now)
    late = {name: late_words(f"“{value or 'nothing'}”") for name, value in conflicts.items()}
    typed |= {name: stands.get(name, "") for name, value in kept.items() if value != sent[name] and name not in conflicts}
    if late:
        raise Late(typed, late)
    return typed


@use_case("money.change")
def changed(workspace: Workspace, pk: int, version: int, data: Mapping[str, Any]) -> Done[FirmKit]:
    """Keep what was written of a kit, on top of what others changed since.

    Raises Refused, and Late where both changed the same fields (with what stands of them, and beside which), or where the page does not
    say what it showed; nothing is kept then.
    """
    kit = one_of(FirmKit.objects.select_for_update(), workspace=workspace, pk=pk)
    if kit.version != version:
        merged = _on_top(kit, data)
        if merged is None:
            raise Late
        data = merged
    faults: dict[str, str] = {}
    name = " ".join(str(data.get("name", "")).split())[:80]
    if not name:
        faults["name"] = "Enter the name of the kit."
    tests = []
    for test in kit.row["test"]:
        if data.get(f"keep-{test['key']}") != "1":
            continue
        tests.append(test | _times(test["key"], data, faults) | _pads(test, data, faults))
    if not tests:
        faults["name"] = faults.get("name", "") or "Keep at least one test."
    if faults:
        raise Refused(faults)
    kit.name, kit.version = name, kit.version + 1
    kit.row = kit.row | {"name": name, "test": tests, "blind": str(data.get("blind", kit.row["blind"]))[:600]}
    kit.save()
    return Done(kit, f"{kit.name} was saved.")


def _times(key: str, data: Mapping[str, Any], faults: dict[str, str]) -> dict[str, float]:
    found = {}
    for name in TIMES:
        text = str(data.get(f"{name}-{key}", "")).strip()
        try:
            seconds = parse_quantity(text if not text.isdecimal() else f"{text} s", "time").value * 60
        except NotUnderstood as error:
            faults[f"{name}-{key}"] = f"{error}."
            continue
        if not 0 <= seconds <= LONGEST_S:
            faults[f"{name}-{key}"] = "Enter a time of at most seven days, for example 45 s."
        found[name] = round(seconds, 1)
    return found


def _pads(test: dict[str, Any], data: Mapping[str, Any], faults: dict[str, str]) -> dict[str, Any]:
    if "pads" not in test:
        return {}
    try:
        return {"pads": chart_read(str(data.get(f"pads-{test['key']}", ""))[:4000])}
    except NotUnderstood as error:
        faults[f"pads-{test['key']}"] = f"{error}."
        return {}


@use_case("money.change", apart=True)
def retire(kit: FirmKit) -> Done[None]:
    """Stop offering a kit, or offer it again; what was read with it stays."""
    FirmKit.objects.filter(pk=kit.pk).update(retired=not kit.retired)
    return Done(None)
