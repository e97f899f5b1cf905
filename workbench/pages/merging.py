"""Two people on one form: what only one of them changed is merged without a word; what both changed is told, field by field.

The page sends beside each field what stood in it when the page showed it (``was-<field>``). What was not changed here is taken as it
stands in the database now, whatever the page holds.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django import forms
from django.http import QueryDict

from ..merging import settle
from ..records.job import Job

WAS = "was-"


@dataclass(frozen=True)
class Merged:
    """data: what to save, conflicts left as they stand; typed: the same with what was typed in the conflicts; conflicts: field -> what stands, as a page sends it."""

    data: QueryDict
    typed: QueryDict
    conflicts: dict[str, list[str]]


def merged(form_class: Callable[..., forms.Form], data: QueryDict, job: Job) -> Merged | None:
    """What was typed on top of the job as it stands; None where the page does not say what stood there before."""
    if not any(name.startswith(WAS) for name in data):
        return None
    form = form_class(job=job)
    stands = {name: as_sent(form[name].value()) for name in form.fields if name != "version" and f"{WAS}{name}" in data}
    shown, sent = ({name: sorted(filter(None, data.getlist(prefix + name))) for name in stands} for prefix in (WAS, ""))
    settled, conflicts = settle(shown, sent, stands)
    kept, typed = data.copy(), data.copy()
    for name, value in settled.items():
        if value != sent[name]:
            kept.setlist(name, value)
            if name not in conflicts:
                typed.setlist(name, value)
    kept["version"] = typed["version"] = str(job.version)
    return Merged(kept, typed, conflicts)


def as_sent(value: Any) -> list[str]:
    """What a page would send for a value that a form shows."""
    if value in (None, "", False):
        return []
    if value is True:
        return ["on"]
    if isinstance(value, (list, tuple)):
        return sorted(str(each) for each in value)
    return [str(value)]
