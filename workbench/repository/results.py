"""The store of results: what a job's document, its train, the engine and the day decide is worked out once and kept in the database.

Whoever asks first works it out and keeps it; as a rule that is the task that follows changes (`workbench.jobs.tasks`), outside of any request.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import time
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple

from django.db import IntegrityError, transaction
from django.db.models import Exists, OuterRef, Q, Subquery
from django.utils import timezone

import treatment
from treatment import ENGINE

from ..records.job import Job
from ..records.result import KINDS, Result
from ..records.train import TrainOption
from .door import design_of, job_document
from .remembered import Test, as_told, of_firm

Stages = list[dict[str, Any]] | None
#: counts up where the same job, engine and day give another result
KEPT = 1
#: jobs whose results are kept ready: those that changed lately [days]
LATELY = 30
#: seconds that one answer of which test next takes at most
LONGEST = 60


class TestsNext(NamedTuple):
    """Which test next, the most telling first, as far as it is known. looked_at, values: how many values of how many were looked at."""

    tests: list[Test]
    looked_at: int
    values: int

    @property
    def left(self) -> int:
        """How many values are still to be looked at."""
        return self.values - self.looked_at


@lru_cache(1)
def core() -> str:
    """The core as it stands in its files, code and tables: a mended rule never shows what it said before."""
    root, whole = Path(treatment.__file__).parent, hashlib.sha256()
    for path in sorted(path for path in root.rglob("*") if path.suffix in (".py", ".toml") and "tests" not in path.parts):
        whole.update(path.read_bytes())
    return whole.hexdigest()


def rules() -> str:
    """The core as it stands, in a few letters: figures kept beside a job are worked out anew by mended rules."""
    return core()[:12]


def key_of(job: Job, stages: Stages) -> str:
    """What results of a job with this train stand on: its whole document, the engine, the day."""
    whole = [KEPT, ENGINE, core(), dt.date.today().isoformat(), job_document(job, stages)]
    return hashlib.sha256(json.dumps(whole, sort_keys=True).encode()).hexdigest()


def document_of(job: Job, stages: Stages) -> dict[str, Any]:
    """The whole design document of a job with this train. Raises BadDocument where a stored train can no longer be read."""
    key = key_of(job, stages)
    if (held := _held(job, "document", key)) is not None:
        found: dict[str, Any] = held
        return found
    made = of_firm(job.workspace_id).document(design_of(job, stages))
    _keep(job, "document", key, made)
    return made


def tests_next(job: Job, seconds: float) -> TestsNext:
    """Which test next: as it is kept, or worked out for so long and at least a step. Raises BadDocument."""
    key = key_of(job, None)
    if (held := _held(job, "tests", key)) is not None:
        return TestsNext([Test(**row) for row in held["tests"]], held["values"], held["values"])
    asked, until = of_firm(job.workspace_id).asking(design_of(job, None)), time.monotonic() + seconds
    while asked.left:
        asked.step()
        if time.monotonic() > until:
            break
    found = TestsNext(as_told(asked), asked.values - asked.left, asked.values)
    if not found.left:
        _keep(job, "tests", key, {"tests": [test._asdict() for test in found.tests], "values": found.values})
    return found


def refresh(job: Job, stages: Stages) -> None:
    """Work out what is kept of a job where it is not, and note that it is of today. Raises BadDocument, once; no result is tried again before the job changes."""
    now = timezone.now()
    try:
        while tests_next(job, LONGEST).left:
            pass
        document_of(job, stages)
    except Exception:
        held = set(Result.objects.filter(job=job).values_list("kind", flat=True))
        Result.objects.bulk_create(Result(job=job, kind=kind, key="", content="null", made_at=now, core=core()) for kind in KINDS if kind not in held)
        raise
    finally:
        Result.objects.filter(job=job).update(made_at=now, core=core())


def outdated() -> list[int]:
    """Jobs that changed lately, or on whose results a new day began, or which another core made, the newest change first: their numbers."""
    now = timezone.now()
    good = Result.objects.filter(job=OuterRef("pk"), made_at__gte=OuterRef("updated_at"), made_at__date=timezone.localdate(), core=core())
    train = TrainOption.objects.filter(
        job=OuterRef("pk"), updated_at__gt=Subquery(Result.objects.filter(job=OuterRef("job")).order_by("made_at").values("made_at")[:1])
    )
    jobs = Job.objects.filter(archived_at=None, updated_at__gt=now - dt.timedelta(days=LATELY))
    ready = Q()
    for kind in KINDS:
        ready &= Q(Exists(good.filter(kind=kind)))
    return list(jobs.exclude(ready & ~Q(Exists(train))).order_by("-updated_at").values_list("pk", flat=True))


def _held(job: Job, kind: str, key: str) -> Any:
    held = Result.objects.filter(job=job, kind=kind, key=key).values_list("content", flat=True).first()
    return None if held is None else json.loads(held)


def _keep(job: Job, kind: str, key: str, content: Any) -> None:
    """Keep a result; of a job that was deleted meanwhile nothing is kept."""
    row = Result(job=job, kind=kind, key=key, content=json.dumps(content, ensure_ascii=False), made_at=timezone.now(), core=core())
    try:
        with transaction.atomic():
            Result.objects.bulk_create(
                [row], update_conflicts=True, unique_fields=["job", "kind"], update_fields=["key", "content", "made_at", "core"]
            )
    except IntegrityError:
        return
