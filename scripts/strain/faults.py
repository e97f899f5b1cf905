"""Kills, bombs, slow clients and odd requests, for the night. Prints what was lost, how long others waited, and what failed."""

from __future__ import annotations

import os
import random
import re
import signal
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from threading import Event, Lock, Thread
from urllib.parse import quote

from bombs import bombs
from house import House
from person import Person, Tally

ODD = (
    "x" * 5000, "0", "-1", "1e400", "nan", "²", "１２", "9" * 400 + "/" + "3" * 400, "1e70 mg/L", "9" * 5000, "<b>&{{ x }}", "a\x00\x0b\ufffe", "=1+1",
    "0000-00-00", "'; --", "[" * 3000, "\U0001f4a7" * 300, "-0", "1,2,3,4", "  ", "\u202e12 mg/L", "\ud800", "", "true", "null", "../../etc", "A" * 70_000,
)  # fmt: skip


def faults(odd: int = 20_000) -> None:
    with House() as house:
        killed(house)
        bombed(house)
        slow(house)
        oddly(house, odd)


@contextmanager
def meanwhile(house: House, people: int = 2) -> Iterator[Tally]:
    """Others look at pages all the while; how long they waited."""
    tally, over, lock = Tally(), Event(), Lock()
    persons = [Person(house.address).log_in() for _ in range(people)]
    jobs = persons[0].jobs()

    def look(person: Person, seed: int) -> None:
        pick = random.Random(seed)
        while not over.is_set():
            answer = person.get(f"/jobs/{pick.choice(jobs)}/{pick.choice(('train', 'water', 'site'))}/")
            with lock:
                tally.add(answer)
            time.sleep(0.1)

    threads = [Thread(target=look, args=(person, i)) for i, person in enumerate(persons)]
    for thread in threads:
        thread.start()
    yield tally
    over.set()
    for thread in threads:
        thread.join()


def killed(house: House, rounds: int = 6, each_s: float = 5) -> None:
    """Every writer counts a reading up; what was acknowledged must stand after workers, server and database were killed."""
    writers = [Person(house.address).log_in() for _ in range(4)]
    jobs = writers[0].jobs()[: len(writers)]
    acknowledged, wrote, over = [0] * len(writers), [0] * len(writers), Event()
    samples = [_sample(person, job) for person, job in zip(writers, jobs, strict=True)]

    def write(i: int) -> None:
        value = 0
        while not over.is_set():
            value += 1
            answer = writers[i].post(f"/jobs/{jobs[i]}/water/samples/{samples[i]}/readings/", {"line": f"chloride {value} mg/L"}, timeout=15)
            if answer.status in (200, 302):
                acknowledged[i], wrote[i] = value, wrote[i] + 1
            else:
                time.sleep(0.1)

    threads = [Thread(target=write, args=(i,)) for i in range(len(writers))]
    for thread in threads:
        thread.start()
    back, did = [], []
    for turn in range(rounds):
        time.sleep(each_s)
        what = ("a worker", "the server", "the database")[turn % 3]
        if what == "a worker":
            os.kill(house.workers()[0], signal.SIGKILL)
        elif what == "the server":
            house.kill()
            house.start()
        else:
            try:
                os.kill(house.backends()[0], signal.SIGKILL)  # the database ends all its processes and recovers from its log
            except PermissionError:
                what = "the database (not allowed here, left out)"
        back.append(house.wait())
        did.append(what)
    over.set()
    for thread in threads:
        thread.join()
    lost = sum(
        stood < told for stood, told in zip((_chloride(writers[i], jobs[i], samples[i]) for i in range(len(writers))), acknowledged, strict=True)
    )
    print(
        f"killed with -9: {', '.join(did)}; back after at most {max(back):.1f} s; {sum(wrote)} acknowledged, {lost} of {len(writers)} writers lost one"
    )


def _sample(person: Person, job: str) -> str:
    person.post(f"/jobs/{job}/water/samples/", {"line": "chloride 0 mg/L"})
    found = re.findall(rf"/jobs/{job}/water/samples/(\d+)/readings/", person.get(f"/jobs/{job}/water/").text)
    return max(found, key=int)


def _chloride(person: Person, job: str, sample: str) -> int:
    page = person.get(f"/jobs/{job}/water/samples/{sample}/table/").text
    found = re.search(r'name="was-chloride"\s+value="(\d+)', page) or re.search(r'name="chloride"[^>]*?value="(\d+)', page)
    return int(found[1]) if found else -1


def bombed(house: House) -> None:
    """Each file alone, then all at once, while others look at pages."""
    files = bombs()
    persons = {name: Person(house.address).log_in() for name in files}
    job = next(iter(persons.values())).jobs()[0]
    for name, content in files.items():
        with meanwhile(house) as others:
            answer = persons[name].send_file(f"/jobs/{job}/water/report/", name, content)
        print(
            f"{name:<22} {len(content) / 1000:7.0f} kB  {answer.status} in {answer.seconds:4.1f} s; others waited at most {max(others.seconds, default=0):.2f} s"
        )
    with meanwhile(house) as others:
        slowest: list[float] = []
        threads = [
            Thread(target=lambda name=name: slowest.append(persons[name].send_file(f"/jobs/{job}/water/report/", name, files[name], 90).seconds))
            for name in files
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    print(f"all {len(files)} at once: the last answered after {max(slowest):.1f} s; others: {others.told()}")


def slow(house: House, count: int = 200) -> None:
    """Half heads and half bodies that are held open, while others look at pages."""
    held = []
    for i in range(count):
        client = socket.create_connection(("127.0.0.1", house.port))
        half = (
            b"GET /login/ HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: a"
            if i % 2
            else b"POST /login/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9000\r\n\r\nx"
        )
        client.sendall(half)
        held.append(client)
    with meanwhile(house) as others:
        time.sleep(20)
    ended = 0
    for client in held:
        client.settimeout(0.2)
        with suppress(OSError):
            client.recv(1)  # an answer, or the end
            ended += 1
        client.close()
    print(f"{count} slow clients: {ended} ended by the server within 20 s; others: {others.told()}")


def oddly(house: House, count: int) -> None:
    """Odd requests to every address that a page names, by eight people."""
    persons = [Person(house.address).log_in() for _ in range(8)]
    job = persons[0].jobs()[0]
    targets = _targets(persons[0], job)
    tally, failed, lock = Tally(), [], Lock()

    def work(person: Person, seed: int) -> None:
        pick = random.Random(seed)
        for _ in range(count // len(persons)):
            address, fields = pick.choice(targets)
            values = {name: pick.choice(ODD) if pick.random() < 0.5 else value for name, value in fields.items()}
            if pick.random() < 0.15:
                answer = person.get(
                    f"{address.partition('?')[0]}?{pick.choice(('option', 'stage', 'q', 'page', 'state', 'flow'))}={_quoted(pick.choice(ODD))}"
                )
            else:
                answer = person.post(address, values)
            with lock:
                tally.add(answer)
                if answer.status >= 500 or answer.status == 0:
                    failed.append(f"{answer.status} {address} { ({name: value[:30] for name, value in values.items()})!r} {answer.text[:80]!r}")

    threads = [Thread(target=work, args=(person, i)) for i, person in enumerate(persons)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    print(f"odd requests to {len(targets)} forms: {tally.told()}")
    for line in failed[:10]:
        print("  ", line)


def _quoted(text: str) -> str:
    return quote(text[:2000], errors="surrogatepass")


def _targets(person: Person, job: str) -> list[tuple[str, dict[str, str]]]:
    """Forms of the pages of a job: address and fields; those that end what the others need are left out."""
    found = []
    pages = [
        f"/jobs/{job}/{step}/"
        for step in (
            "site",
            "water",
            "supply",
            "train",
            "wall",
            "water/says",
            "water/history",
            "train/options",
            "train/schools",
            "water/kits",
            "commission",
            "logbook",
        )
    ]
    for page in [*pages, "/", "/firm/", "/prices/", "/jobs/import/"]:
        html = person.get(page).text
        for attributes, inside in re.findall(r"<form([^>]*)>(.*?)</form>", html, re.S):
            address = re.search(r'(?:action|hx-post)="([^"]*)"', attributes)
            where = (address[1] if address and address[1] else page).replace("&amp;", "&")
            if "delete" in where or "logout" in where or "post" not in attributes:
                continue
            names = re.findall(r'<(?:input|select|textarea|button)[^>]*?name="([^"]+)"[^>]*?(?:value="([^"]*)")?[^>]*>', inside, re.S)
            found.append((where, {name: value for name, value in names if name != "csrfmiddlewaretoken"}))
    return found
