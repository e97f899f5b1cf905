"""A logbook without end, a firm of ten thousand houses, doors, guesses, large pictures, and what is kept of it all."""

from __future__ import annotations

import io
import json
import os
import secrets
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from threading import Thread

from faults import ODD, meanwhile
from house import DATABASE, ROOT, House
from person import Answer, Person, Tally
from PIL import Image

#: makes a house with a log, a device and addresses, and prints them
MAKE = """
import datetime as dt, json
from django.contrib.auth import get_user_model
from django.utils import timezone
from workbench.records.firm import Workspace
from workbench.records.log import JobLog
from workbench.repository.door import store
from workbench.usecases import doors
from treatment.tests.example import job
user, firm = get_user_model().objects.get(username="demo"), Workspace.objects.order_by("pk").first()
document = job(train=[{"kind": "softener", "id": "softener"}, {"kind": "sediment", "id": "five", "form": "cartridge"}, {"kind": "uv", "id": "uv"}])
document["job"]["name"] = "Meter"
made = store(document, firm, user)
log = JobLog.objects.create(job=made, started_on=timezone.localdate() - dt.timedelta(days=1200))
device, token = doors.new_device(made, "meter", user).made
link, calendar = doors.new_link(firm, None, user).made
print(json.dumps({"job": made.pk, "log": log.pk, "token": token, "calendar": calendar}))
"""

#: the same house so many times over, each with what its log comes to
MANY = """
import copy, datetime as dt
from workbench.records.job import Job
from workbench.records.log import JobLog
one = Job.objects.get(pk=JOB)
kept, jobs = one.log, []
for n in range(HOUSES):
    other = copy.copy(one)
    other.pk, other.name, other._state.adding = None, f"House {n}", True
    jobs.append(other)
logs = []
for n, job in enumerate(Job.objects.bulk_create(jobs, 500)):
    log = copy.copy(kept)
    log.pk, log.job, log.due_on, log._state.adding = None, job, dt.date.today() + dt.timedelta(days=n % 300), True
    logs.append(log)
JobLog.objects.bulk_create(logs, 500)
"""


def years(readings: int = 1_000_000, houses: int = 10_000) -> None:
    """All of it, on a server of its own."""
    with House() as house:
        made = json.loads(managed(house, "shell", "-v", "0", "-c", MAKE).splitlines()[-1])
        without_end(house, made, 10_000)
        without_end(house, made, readings)
        doors(house, made)
        flood(house)
        pictures(house, made)
        many_houses(house, made, houses)
        kept(house)
    installed()


def managed(house: House, *arguments: str) -> str:
    """What a command of the application prints."""
    return subprocess.run(
        [sys.executable, "manage.py", *arguments], cwd=ROOT, env=house.environment, check=True, capture_output=True, text=True
    ).stdout


def inside(house: House, sql: str) -> str:
    """What the house's own database answers."""
    return subprocess.run(["psql", "-qAtX", "-d", DATABASE, "-c", sql], check=True, capture_output=True, text=True).stdout.strip()


def sent(house: House, token: str, body: bytes, timeout: float = 60) -> Answer:
    """What the devices' door answers."""
    asked = urllib.request.Request(
        f"{house.address}/devices/log/", data=body, headers={"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    )
    began = time.monotonic()
    try:
        with urllib.request.urlopen(asked, timeout=timeout) as answer:
            return Answer(answer.status, answer.read().decode(), time.monotonic() - began)
    except urllib.error.HTTPError as error:
        return Answer(error.code, error.read().decode("utf-8", "replace"), time.monotonic() - began)
    except OSError as error:
        return Answer(0, str(error), time.monotonic() - began)


def timed(ask: Callable[[], Answer], times: int = 7) -> str:
    """The median and the worst of some answers [ms]; the first is the one that fills what a process remembers."""
    answers = [ask() for _ in range(times)]
    took = [answer.seconds * 1000 for answer in answers]
    failed = sum(answer.status >= 500 or not answer.status for answer in answers)
    return f"{statistics.median(took):.0f} ms (worst {max(took):.0f}{f', {failed} FAILED' if failed else ''})"


def without_end(house: House, made: dict[str, str], readings: int) -> None:
    """So many readings of a device in three years, three in an entry, drawn together as the device goes on writing; then page, stroke, entry, device."""
    inside(house, f"delete from logs_logentry where log_id = {made['log']}")
    inside(
        house,
        f"""insert into logs_logentry (log_id, "on", body, key, by_name, made_at, gone)
        select {made["log"]}, current_date - (n % 1100)::int,
          json_build_object('readings', json_build_object('five.pressure_in', (44 + random() * 4)::numeric(4, 1) || ' psi',
            'five.pressure_out', (42 + random() * 3)::numeric(4, 1) || ' psi', 'meter', (1100 - n % 1100) * 300 + n / 1100 || ' gal')),
          'k' || n, 'device meter', now() - interval '1 day' * (n % 1100), false
        from generate_series(1, {readings // 3}) n""",
    )
    began, slowest, messages = time.monotonic(), 0.0, 0
    while int(inside(house, f"select count(*) from logs_logentry where log_id = {made['log']}")) > 2000 and messages < 400:
        inside(house, "update logs_device set count = 0")
        answer = sent(house, made["token"], json.dumps({"readings": {"meter": f"{330_000 + messages} gal"}}).encode())
        slowest, messages = max(slowest, answer.seconds), messages + 1
    entries = inside(house, f"select count(*) from logs_logentry where log_id = {made['log']}")
    print(f"{readings} readings: {entries} entries after {messages} messages in {time.monotonic() - began:.0f} s, the slowest {slowest:.2f} s")
    person, page = Person(house.address).log_in(), f"/jobs/{made['job']}/logbook/"
    today = time.strftime("%Y-%m-%d")
    person.get(page)
    print(f"  page {timed(lambda: person.get(page))}", end="; ")
    print(f"stroke {timed(lambda: person.post(page + 'read/', {'line': f'in {44 + secrets.randbelow(400) / 100} psi', 'on': today}))}", end="; ")
    print(f"entry {timed(lambda: person.post(page + 'entry/', {'line': f'in {44 + secrets.randbelow(400) / 100} psi', 'on': today}))}", end="; ")
    print(f"device {timed(lambda: sent(house, made['token'], json.dumps({'readings': {'five.pressure_in': '45 psi'}}).encode()))}")


def doors(house: House, made: dict[str, str], times: int = 400) -> None:
    """Odd bodies at the devices' door, and addresses that nobody was given."""
    tally = Tally()
    for turn in range(times):
        odd = ODD[turn % len(ODD)]
        bodies = (odd, {"readings": odd}, {"readings": {odd[:200]: "1"}}, {"readings": {"meter": odd}}, {"readings": {"meter": "1 gal"}, "on": odd})
        if turn % 25 == 0:
            inside(house, "update logs_device set count = 0")
        answer = sent(house, made["token"], json.dumps(bodies[turn % len(bodies)]).encode("utf-8", "surrogatepass"))
        tally.add(answer)
    stranger = Person(house.address)
    for turn in range(times // 4):
        address = ("/house/", "/calendar/", "/devices/")[turn % 3] + urllib.parse.quote(ODD[turn % len(ODD)][:1500], errors="surrogatepass")
        tally.add(stranger.get(address))
    print(f"doors: {tally.told()}")


def flood(house: House, seconds: float = 10) -> None:
    """Wrong log-ins from as many addresses as it takes, while others look at pages."""
    statuses: Counter[int] = Counter()

    def guess() -> None:
        until, stranger = time.monotonic() + seconds, Person(house.address)
        stranger.get("/login/")
        while time.monotonic() < until:
            statuses[stranger.post("/login/", {"username": secrets.token_hex(6), "password": "x"}).status] += 1

    with meanwhile(house) as others:
        threads = [Thread(target=guess) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    print(f"flood of log-ins: {dict(statuses)} in {seconds:.0f} s; others: {others.told()}")


def pictures(house: House, made: dict[str, str]) -> None:
    """Pictures of 60 million pixels, beside which others look at pages; the memory of the workers after them."""
    held = io.BytesIO()
    Image.new("RGB", (7740, 7740), (90, 120, 140)).save(held, "JPEG", quality=60)
    person, status = Person(house.address).log_in(), Counter[int]()
    person.get(f"/jobs/{made['job']}/logbook/")
    with meanwhile(house) as others:
        for turn in range(4):
            fields = {"line": f"in 4{turn} psi", "on": time.strftime("%Y-%m-%d")}
            status[person.send_file(f"/jobs/{made['job']}/logbook/entry/", "meter.jpg", held.getvalue(), name_of="photo", fields=fields).status] += 1
    most = [
        int(next(line.split()[1] for line in Path(f"/proc/{pid}/status").read_text().splitlines() if line.startswith("VmRSS")))
        for pid in house.workers()
    ]
    print(f"4 pictures of 60 million pixels: {dict(status)}; workers {', '.join(f'{each / 1000:.0f} MB' for each in most)}; others: {others.told()}")


def many_houses(house: House, made: dict[str, str], houses: int) -> None:
    """A firm of so many houses: its calendar as a file and as a page."""
    managed(house, "shell", "-v", "0", "-c", MANY.replace("JOB", str(made["job"])).replace("HOUSES", str(houses)))
    person = Person(house.address).log_in()
    count = inside(house, "select count(*) from logs_joblog")
    size = len(_calendar(house, made, person).text) / 1e6
    print(
        f"{count} houses: calendar file of {size:.1f} MB {timed(lambda: _calendar(house, made, person))}; page {timed(lambda: person.get('/calendar/'))}"
    )


def _calendar(house: House, made: dict[str, str], person: Person) -> Answer:
    inside(house, "update logs_calendarlink set count = 0")
    return person.get(f"/calendar/{made['calendar']}.ics")


def kept(house: House) -> None:
    """A backup of this database, and the same put back into an empty one."""
    with tempfile.TemporaryDirectory() as folder:
        began = time.monotonic()
        told = managed(house, "backup", f"{folder}/kept")
        size, took = sum(each.stat().st_size for each in Path(folder).rglob("*") if each.is_file()), time.monotonic() - began
        empty = f"{DATABASE}_back"
        house.sql(f"drop database if exists {empty} with (force)", f"create database {empty}")
        try:
            environment = house.environment | {"PGDATABASE": empty}
            subprocess.run(
                [sys.executable, "manage.py", "restore", f"{folder}/kept"], cwd=ROOT, env=environment, check=True, stdout=subprocess.DEVNULL
            )
            counted = "select (select count(*) from jobs_job), (select count(*) from logs_logentry), (select count(*) from logs_logphoto)"
            back = subprocess.run(["psql", "-qAtX", "-d", empty, "-c", counted], check=True, capture_output=True, text=True).stdout.strip()
        finally:
            house.sql(f"drop database if exists {empty} with (force)")
        same = back == inside(house, counted)
        print(
            f"backup: {size / 1e6:.1f} MB in {took:.1f} s, {'the same' if same else 'NOT THE SAME'} put back (jobs|entries|photos {back}); {told.splitlines()[-1][:90]}"
        )


def installed() -> None:
    """From an empty database to a first answer, as ``docs/operations.md`` tells; the steps are those of the test."""
    began = time.monotonic()
    environment = os.environ | {"CAIRN_MODE": "test"}
    done = subprocess.run(
        [sys.executable, "manage.py", "test", "--noinput", "workbench.tests.test_keeping.TheInstallation"],
        cwd=ROOT,
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    print(
        f"installation from an empty database: {'done' if done.returncode == 0 else 'FAILED: ' + done.stderr[-300:]} in {time.monotonic() - began:.0f} s"
    )
