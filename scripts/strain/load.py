"""Sixteen people at once for half a minute: looking at every step of the demonstration's jobs, and changing trains and waters."""

from __future__ import annotations

import random
import re
import time
from threading import Lock, Thread

from house import House
from person import Person, Tally

STEPS = ("train", "water", "site", "supply", "wall", "water/says", "water/history")


def load(people: int = 16, seconds: float = 30) -> None:
    with House() as house:
        persons = [Person(house.address).log_in() for _ in range(people)]
        jobs = persons[0].jobs()
        for job in jobs:  # the first look at each is the dearest, and comes once
            persons[0].get(f"/jobs/{job}/train/")
        looks, changes, lock = Tally(), Tally(), Lock()
        until = time.monotonic() + seconds

        def work(person: Person, seed: int) -> None:
            pick = random.Random(seed)
            while time.monotonic() < until:
                job = pick.choice(jobs)
                if pick.random() < 0.8:
                    answer, tally = person.get(f"/jobs/{job}/{pick.choice(STEPS)}/"), looks
                else:
                    answer, tally = _change(person, job, pick), changes
                with lock:
                    tally.add(answer)

        threads = [Thread(target=work, args=(person, i)) for i, person in enumerate(persons)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        count = len(looks.seconds) + len(changes.seconds)
        print(f"{people} people for {seconds:.0f} s: {count / seconds:.1f} requests a second")
        print("looking: ", looks.told())
        print("changing:", changes.told())


def _change(person: Person, job: str, pick: random.Random):  # noqa: ANN202
    """A value of the train, or a reading of the newest sample; a stale train is an answer like any other."""
    if pick.random() < 0.5:
        page = person.get(f"/jobs/{job}/train/").text
        version = re.search(r'id="bench"[^>]*data-version="(\d+)"', page)
        return person.post(
            f"/jobs/{job}/train/edit/",
            {"action": "undo" if pick.random() < 0.5 else "add", "kind": "sediment", "version": version[1] if version else "0"},
        )
    sample = re.findall(rf"/jobs/{job}/water/samples/(\d+)/readings/", person.get(f"/jobs/{job}/water/").text)
    if not sample:
        return person.get(f"/jobs/{job}/water/")
    return person.post(f"/jobs/{job}/water/samples/{sample[0]}/readings/", {"line": f"chloride {pick.randint(5, 60)} mg/L"})
