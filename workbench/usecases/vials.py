"""Overnight tests of kits that wait for an answer."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from treatment.evidence.kits import KitTest, phase

from ..records.job import Job
from ..records.sample import KitRun, KitSession
from .firm_kits import kits_of


@dataclass(frozen=True)
class Vial:
    """A test that takes days, as the job list shows it: where it lies, and when it is due or since when it is."""

    session: KitSession
    test: KitTest
    phase: str
    due: dt.datetime


def vials(jobs: list[Job], now: dt.datetime) -> dict[int, list[Vial]]:
    """Overnight tests that wait for an answer, by job."""
    found: dict[int, list[Vial]] = {}
    runs = KitRun.objects.filter(session__job__in=jobs, answered_at=None).select_related("session__job")
    firms = {job.workspace_id for job in jobs}
    known = {firm: kits_of(firm) for firm in firms}
    for run in runs:
        kit = known[run.session.job.workspace_id].get(run.session.kit)
        test = kit.test(run.test) if kit else None
        if test is None or not test.overnight:
            continue
        name, _ = phase(test, (now - run.started_at).total_seconds())
        found.setdefault(run.session.job_id, []).append(Vial(run.session, test, name, run.started_at + dt.timedelta(seconds=test.wait)))
    return found
