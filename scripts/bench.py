"""./cairn bench: how fast the core and the pages are. Prints median and worst; fails nothing."""

from __future__ import annotations

import gzip
import json
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))


def varied_jobs(count: int, seed: int = 7) -> list[dict[str, Any]]:
    """Plausible wells, every one different."""
    from treatment.tests.example import job

    pick = random.Random(seed)
    jobs = []
    for _ in range(count):
        source = pick.choice(["drilled_well", "drilled_well", "dug_well", "spring", "town"])
        town = source == "town"
        readings = {
            "hardness": f"{pick.uniform(1, 30):.1f} gpg", "ph": f"{pick.uniform(5.4, 8.2):.2f}", "iron": f"{pick.choice([0, 0, 1]) * pick.uniform(0, 9):.2f} mg/L",
            "ferrous_iron": None, "manganese": f"{pick.choice([0, 0, 1]) * pick.uniform(0, 1.2):.2f} mg/L", "alkalinity": f"{pick.uniform(20, 280):.0f} mg/L as CaCO3",
            "turbidity": f"{pick.choice([0.2, 0.5, 1, 4, 10]):.1f} NTU", "total_coliform": "absent" if town else pick.choice(["present", "absent"]),
            "nitrate": f"{pick.choice([1, 2, 4, 15])} mg/L as N", "hydrogen_sulfide": f"{pick.choice([0, 0, 0, 0.8, 3])} mg/L", "tannin": f"{pick.choice([0, 0, 0, 0, 1])} mg/L",
            "free_chlorine": f"{pick.choice([0.3, 1.5]) if town else 0} mg/L", "total_chlorine": f"{pick.choice([1.5, 2.5]) if town else 0} mg/L",
        }  # fmt: skip
        changes = {
            "source": {"kind": source},
            "supply": {"flow": f"{pick.uniform(4, 15):.1f} gpm"},
            "building": {"people": pick.randint(1, 8)},
            "observations": ["bleach_smell"] if town else [],
        }
        jobs.append(job(changes, readings=readings))
    return jobs


class Spent(NamedTuple):
    """What something took [ms]: by the clock on the wall, and of this process's own processor time."""

    wall: float
    processor: float


def timed(work: Callable[[], Any]) -> Spent:
    start, own = time.perf_counter(), time.process_time()
    work()
    return Spent((time.perf_counter() - start) * 1000, (time.process_time() - own) * 1000)


def line(name: str, times: list[Spent], aim: str) -> None:
    wall, own = [each.wall for each in times], [each.processor for each in times]
    print(
        f"{name:<44} median {statistics.median(wall):8.1f} ms   worst {max(wall):8.1f} ms   "
        f"processor {statistics.median(own):8.1f} / {max(own):8.1f} ms   aim {aim}"
    )


def core() -> None:
    from treatment.design import design
    from treatment.job_file import read_job
    from treatment.papers.design_file import design_document
    from treatment.studies.alternatives import alternatives
    from treatment.studies.next_tests import next_tests

    design_document(design(read_job(varied_jobs(1, 1)[0])))
    jobs = [read_job(document) for document in varied_jobs(500)]
    line("plan, size and audit one job", [timed(lambda job=job: design(job).proposal.findings) for job in jobs], "6 / 36 of processor")
    trains = [
        read_job(
            document | {"train": [{"kind": "neutralizer"}, {"kind": "oxidizing_filter"}, {"kind": "softener"}, {"kind": "sediment"}, {"kind": "uv"}]}
        )
        for document in varied_jobs(200, 8)
    ]
    line("audit a given train of five", [timed(lambda job=job: design(job).chosen.findings) for job in trains], "5")
    line("write the whole design document", [timed(lambda job=job: design_document(design(job))) for job in jobs[:60]], "36 of processor")
    composed = [design(job) for job in jobs[:60]]
    assert all(each.proposal.findings is not None for each in composed)
    line("all alternatives", [timed(lambda each=each: alternatives(each)) for each in composed], "25 of processor")
    line("which test next", [timed(lambda each=each: next_tests(each)) for each in composed], "36 of processor")
    water_bench()
    year_bench()
    with tempfile.TemporaryDirectory() as folder:
        for i, document in enumerate(varied_jobs(200, 9)):
            Path(folder, f"{i:03d}.json").write_text(json.dumps(document))
        one = str(Path(folder, "000.json"))
        environment = os.environ | {"PYTHONPATH": str(ROOT)}
        seconds = (
            timed(
                lambda: subprocess.run(
                    [sys.executable, "-m", "treatment.cli", "--many", folder], stdout=subprocess.DEVNULL, check=True, env=environment
                )
            ).wall
            / 1000
        )
        print(f"{'--many, 200 jobs':<44} {200 / seconds:8.1f} jobs/s")
        starts = [timed(lambda: subprocess.run([str(ROOT / "cairn"), "design", one], stdout=subprocess.DEVNULL, check=True)) for _ in range(7)]
        line("./cairn design FILE, whole process", starts, "500")


def water_bench() -> None:
    """Reading a large report, and which test next on badly tested waters."""
    from intake.files import sheets_of
    from treatment.design import design
    from treatment.evidence.reports.read import read_sheets
    from treatment.job_file import read_job
    from treatment.studies.next_tests import next_tests

    names = ("Iron, total", "Hardness as CaCO3", "Nitrate as N", "Mystery", "pH", "Lead", "Total coliform bacteria")
    table = "Parameter,Result,Unit\n" + "".join(f'"{names[i % 7]}",{i % 9 + 0.5},{"" if i % 7 in (4, 6) else "mg/L"}\n' for i in range(10_000))
    line("a report of 10 000 rows, read", [timed(lambda: read_sheets(sheets_of(table.encode()))) for _ in range(3)], "5000")
    waters = varied_jobs(20, 11)
    for document in waters:
        readings = document["samples"][0]["readings"]
        readings |= {"hardness": "85..185 mg/L as CaCO3", "iron": "0.15..1 mg/L"}
        for name in ("manganese", "turbidity", "total_coliform", "e_coli", "alkalinity", "uvt"):
            readings.pop(name, None)
    line("which test next, eight unknowns", [timed(lambda document=document: next_tests(design(read_job(document)))) for document in waters], "1000")


def year_bench() -> None:
    """A year of five stages, ten years of them, the spread of two hundred, what if, and money."""
    import datetime as dt

    from treatment.choices.field import field_of
    from treatment.design import design
    from treatment.job_file import read_job
    from treatment.operation.maintenance.upkeep import upkeep
    from treatment.papers.compared import priced
    from treatment.tests.example import job as document
    from treatment.year.asked import YearAsked
    from treatment.year.machine import Machine
    from treatment.year.spread import spread
    from treatment.year.what_if import WhatIfYear

    kinds = ("neutralizer", "oxidizing_filter", "softener", "sediment", "uv")
    variant, start = design(read_job(document(train=[{"kind": kind} for kind in kinds]))).chosen, dt.date(2026, 1, 1)
    line("a year of five stages", [timed(lambda seed=seed: Machine(variant, start, 365, seed).run()) for seed in range(15)], "100")
    line("ten years of them", [timed(lambda: Machine(variant, start, 3650, 1).run()) for _ in range(3)], "1200")
    line("the spread of 200 years", [timed(lambda: spread(variant, YearAsked(start, runs=200)))], "15000")
    trains = [design(read_job(document())).proposal for _ in range(15)]
    for each in trains:
        assert upkeep(each)
    line("costs of a train, its materials and its wall", [timed(lambda each=each: priced(each)) for each in trains], "10 without the wall")
    asked = WhatIfYear(design(read_job(document())), start)
    asked.answer({})
    line("what if", [timed(lambda people=people: asked.answer({"people": people})) for people in range(5, 13)], "150")
    line("the field of choices", [timed(lambda: field_of(design(read_job(document()))))], "2000 of processor")


def second_eyes() -> None:
    """What the audit sees of sound trains that were spoilt, and how much it says of sound ones. Prints; fails nothing."""
    from treatment.tests.mutations import MUTATIONS, mutate, sound_trains

    outcome = mutate(300)
    print(
        f"{len(MUTATIONS)} mutations on 300 waters: {outcome.tried} tried, {outcome.found} found, {sum(outcome.harmless.values())} harmless, share {outcome.share:.1%}"
    )
    for name, count in outcome.missed.most_common(10):
        print(f"  not seen: {name}, {count} times")
    told = [[finding.severity for finding in design.proposal.findings] for _, _, design in sound_trains(300, 300)]
    cautions, lesser = [each.count("caution") for each in told], [each.count("caution") + each.count("advice") for each in told]
    print(f"sound trains: {statistics.median(cautions)} cautions in the median, {statistics.median(lesser)} with advice")


def pages() -> None:
    """Every page, as it is served: without the test environment, which keeps a copy of every context that is rendered."""
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vivid_cairn.settings")
    django.setup()
    from django.conf import settings
    from django.test.utils import get_runner

    runner = get_runner(settings)(verbosity=0, interactive=False)
    databases = runner.setup_databases()
    try:
        by_page()
        _pages()
    finally:
        runner.teardown_databases(databases)


def by_page() -> None:
    """Every page of every job of the demonstration, and of the firm: milliseconds at the first look and warm, queries, bytes. The dearest first."""
    from django.contrib.auth import get_user_model
    from django.core.management import call_command
    from django.db import connection
    from django.test import Client
    from django.test.utils import CaptureQueriesContext
    from django.urls import reverse

    from workbench.records.job import Job
    from workbench.repository.remembered import of_firm
    from workbench.tests.forms_shown import OF_A_JOB, OF_THE_FIRM

    call_command("load_demo", verbosity=0)
    client = Client()
    client.force_login(get_user_model().objects.get(username="demo"))
    addresses = [(name, reverse(name)) for name in OF_THE_FIRM]
    addresses += [
        (f"{name} of {job.name}", reverse(name, args=[job.pk])) for job in Job.objects.order_by("pk") for name in (*OF_A_JOB, "design-export")
    ]
    found = []
    for name, address in addresses:
        of_firm.cache_clear()
        first = timed(lambda address=address: client.get(address))
        warm = [timed(lambda address=address: client.get(address)) for _ in range(3)]
        with CaptureQueriesContext(connection) as asked:
            answer = client.get(address)
        size = len(b"".join(answer.streaming_content) if answer.streaming else answer.content)
        found.append((min(each.processor for each in warm), first.processor, len(asked), size, name))
    print(f"{'page (processor)':<58} {'warm ms':>8} {'first ms':>9} {'queries':>8} {'kB':>7}")
    for warm_ms, first_ms, queries, size, name in sorted(found, reverse=True)[:25]:
        print(f"{name:<58} {warm_ms:8.1f} {first_ms:9.1f} {queries:8} {size / 1024:7.1f}")
    over = [name for warm_ms, *_, name in found if warm_ms > 150]
    print(f"{len(found)} pages; over 150 ms warm: {', '.join(over) or 'none'}; at the first look: {sum(first > 150 for _, first, *_ in found)}")


def _pages() -> None:
    from django.test import Client

    from treatment.tests.example import job as document
    from workbench.repository import door
    from workbench.repository.remembered import of_firm
    from workbench.tests.base import people
    from workbench.usecases.trains import option_of

    workspace, designer, _, _ = people()
    job = door.store(document(), workspace, designer)
    client = Client()
    client.force_login(designer)
    address = f"/jobs/{job.pk}/train/"
    client.get(address)
    line("Train page, the design in memory", [timed(lambda: client.get(address)) for _ in range(40)], "60")

    def fresh() -> None:
        of_firm.cache_clear()
        client.get(address)

    line("Train page, the design worked anew", [timed(fresh) for _ in range(40)], "60")

    def edit(i: int) -> None:
        data = {"action": "set", "stage": "softener", "key": "salt_dose", "value": f"{5 + i / 10:.1f} lb/ft3", "version": option_of(job).version}
        assert client.post(f"{address}edit/", data, headers={"HX-Request": "true"}).status_code == 200

    line("one htmx edit of the train", [timed(lambda i=i: edit(i)) for i in range(40)], "60")
    for name in ("year/", "year/what-if/?people=7", "train/options/", "materials/"):
        client.get(f"/jobs/{job.pk}/{name}")
        line(f"{name}, warm", [timed(lambda name=name: client.get(f"/jobs/{job.pk}/{name}")) for _ in range(10)], "150")
    wall_address = f"/jobs/{job.pk}/wall/"
    walled(wall_address, client, option_of, job)
    started(job, client)
    keeping(workspace, client)
    page = client.get(address).content
    assets = sum(
        len(gzip.compress(path.read_bytes())) for pattern in ("built/*.css", "vendor/*.js", "js/*.js") for path in (ROOT / "static").glob(pattern)
    )
    fonts = sum(path.stat().st_size for path in (ROOT / "static" / "fonts").glob("*.woff2"))
    print(
        f"{'Train page weight':<44} {len(page) / 1024:6.1f} kB ({len(gzip.compress(page)) / 1024:.1f} compressed), styles and scripts "
        f"{assets / 1024:.1f} kB compressed, fonts {fonts / 1024:.0f} kB once"
    )


def walled(address: str, client: Any, option_of: Callable[[Any], Any], job: Any) -> None:
    """Composing walls, and a move on one by htmx."""
    from treatment.design import design
    from treatment.drawing.wall.compose import compose
    from treatment.job_file import read_job

    designs = [design(read_job(document)) for document in varied_jobs(60, 12)]
    for each in designs:
        assert each.chosen
    line("compose a wall", [timed(lambda each=each: compose(each, each.chosen)) for each in designs], "50")
    client.get(address)

    def move(i: int) -> None:
        data = {"action": "place", "stage": "softener", "x": str(2000 + 50 * (i % 20)), "version": option_of(job).version}
        assert client.post(f"{address}edit/", data, headers={"HX-Request": "true"}).status_code == 200

    line("one move on the wall, drawn anew", [timed(lambda i=i: move(i)) for i in range(40)], "100")


def started(job: Any, client: Any) -> None:
    """Sheets with their visits, the page of one, and ticks of it as a phone sends them."""
    from treatment.commissioning.sheet import sheet
    from treatment.commissioning.visits import visits
    from treatment.design import design
    from treatment.job_file import read_job

    five = [{"kind": "neutralizer"}, {"kind": "oxidizing_filter"}, {"kind": "softener"}, {"kind": "sediment"}, {"kind": "uv"}]
    chosen = [design(read_job(document | {"train": five})).chosen for document in varied_jobs(60, 14)]
    for each in chosen:
        assert [stage.figures for stage in each.run.stages]
    line("run sheet and visits of five stages", [timed(lambda each=each: visits(sheet(each))) for each in chosen], "15")
    address = f"/jobs/{job.pk}/commission/"
    client.get(address)
    line("Commission page", [timed(lambda: client.get(address)) for _ in range(40)], "60")

    def tick(i: int) -> None:
        step, kind = ("site/kit_check", "tick") if i % 2 == 0 else ("site/kit_check", "undo")
        data = {"key": f"key-{i}", "step": step, "kind": kind, "about": f"key-{i - 1}"}
        assert client.post(f"{address}tell/", data, headers={"Accept": "application/json"}).status_code == 200

    line("one tick from a phone", [timed(lambda i=i: tick(i)) for i in range(40)], "30")


def a_log(months: int, stages: int, days: int = 30) -> Any:
    """A job of five stages or more, its tasks, and a log of readings at every stage."""
    import datetime as dt

    from treatment.design import design
    from treatment.job_file import read_job
    from treatment.operation.maintenance.log import read_log
    from treatment.operation.maintenance.upkeep import upkeep

    kinds = ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"]
    chosen = design(read_job(varied_jobs(1, 21)[0] | {"train": [{"kind": kinds[i % 5], "id": f"s{i}"} for i in range(stages)]})).chosen
    tasks, start, pick = upkeep(chosen), dt.date(2016, 1, 1), random.Random(4)
    entries = [
        {"on": (start + dt.timedelta(days=days * n)).isoformat(), "readings": {
            name: value for i in range(stages) for name, value in {
                f"s{i}.pressure_in": "340 kPa", f"s{i}.pressure_out": f"{330 - pick.uniform(0, 9):.1f} kPa", f"s{i}.hardness_out": f"{pick.uniform(0, 9):.1f} mg/L as CaCO3",
                f"s{i}.ph_out": f"{7.2 + pick.uniform(-0.2, 0.2):.2f}", f"s{i}.iron_out": "0.04 mg/L",
            }.items()}}
        for n in range(months)
    ]  # fmt: skip
    log = read_log({"format": "cairn-log/1", "started_on": start.isoformat(), "entries": entries}, tasks, [stage.id for stage in chosen.run.stages])
    return chosen, log, tasks, start + dt.timedelta(days=days * months)


def keeping(workspace: Any, client: Any) -> None:
    """Logs read against the design, and the firm's calendar over many jobs."""
    import datetime as dt

    from treatment.operation.diagnosis.diagnosis import Diagnosis
    from workbench.records.job import Job, Survey
    from workbench.records.log import JobLog
    from workbench.usecases.books import worked_for

    chosen, log, tasks, day = a_log(60, 5)
    line("diagnosis of five years, monthly", [timed(lambda: Diagnosis(chosen, log, day, tasks).document()) for _ in range(10)], "100")
    chosen, log, tasks, day = a_log(520, 8, 7)
    line("ten years, weekly, 40 series", [timed(lambda: Diagnosis(chosen, log, day, tasks).document()) for _ in range(5)], "500")
    jobs = Job.objects.bulk_create(Job(workspace=workspace, name=f"House {n}") for n in range(10_000))
    Survey.objects.bulk_create(Survey(job=job) for job in jobs)
    today = dt.date.today()
    JobLog.objects.bulk_create(
        JobLog(
            job=job,
            started_on=today,
            due_on=day,
            coming=[[day.isoformat(), "softener/salt", "Add salt", "owner"]],
            area=f"Area {job.pk % 12}",
            worked_on=today,
            worked_for=worked_for(job),
        )
        for job, day in ((job, today + dt.timedelta(days=n % 400 - 30)) for n, job in enumerate(jobs))
    )
    client.get("/calendar/")
    line("firm's calendar over 10 000 jobs", [timed(lambda: client.get("/calendar/")) for _ in range(20)], "200")
    JobLog.objects.update(worked_on=None)
    line("the same, every summary out of date", [timed(lambda: client.get("/calendar/")) for _ in range(20)], "-")


if __name__ == "__main__":
    core()
    second_eyes()
    pages()
