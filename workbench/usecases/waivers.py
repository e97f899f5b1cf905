"""Findings that a designer accepts, with the reason."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from treatment.editing.edit import LONGEST_REASON, NotDone, no_longer
from treatment.job.facts import Waivers
from treatment.language.errors import Fault
from treatment.language.spec import BAD

from ..fields import sentence
from ..outcome import Done, Refused
from ..records.job import Job
from ..records.train import TrainOption
from .acting import use_case
from .jobs import locked, set_part
from .trains import claim


@use_case("job.change")
def accept(job: Job, option: TrainOption, version: int, asked: Mapping[str, str], user: Any) -> Done[None]:
    """Accept a finding with a reason (action ``waive``), or take that back (``unwaive``); what was done, in words. Raises Refused, Late."""
    claim(option, version, user)
    rule, stage, reason = asked.get("rule", ""), asked.get("on", ""), " ".join(asked.get("reason", "").split())
    kept = [row for row in locked(job).rest.get("waivers", []) if (row.get("rule"), row.get("stage", "")) != (rule, stage)]
    if asked.get("action") == "waive":
        if not reason:
            raise Refused("Give the reason for accepting this finding; it is printed beside it in every paper.")
        try:
            kept.append({"rule": rule[:80], "stage": stage[:40], "reason": no_longer(reason, LONGEST_REASON, "")})
        except NotDone as no:
            raise Refused(str(no)) from None
    faults: list[Fault] = []
    if Waivers().read(kept, "", faults) is BAD or faults:
        raise Refused(sentence(faults[0].message))
    set_part(job, "waivers", kept, user)
    return Done(None, "accepted a finding" if reason else "withdrew an acceptance", stage)
