"""Eight people at the list of ten thousand jobs: looking, searching, sorting, turning pages."""

from __future__ import annotations

import random
import time
from pathlib import Path
from threading import Lock, Thread

from house import House
from person import Person, Tally

COPY = """
with big as (select {of} as firm),
fresh as (
  insert into jobs_job (workspace_id, name, standard, units, option, state, version, created_at, updated_at, customer_id, place_id)
  select firm, 'House ' || n || ' ' || j.name, j.standard, j.units, j.option,
         (array['asked','tested','designed','offered','accepted','installed','kept','closed'])[1 + n % 8], 1, now(), now() - n * interval '1 minute',
         (select id from customers_customer where workspace_id = firm order by id offset n % 2 limit 1), null
  from big, generate_series(1, {count}) n
  join lateral (select * from jobs_job where workspace_id = {of} and binned_at is null order by id offset n % 3 limit 1) j on true
  returning id
)
insert into jobs_survey (job_id, source_kind, disinfectant, last_event, observations, fixtures, low_sodium, no_salt, no_power, spare_outdoor_taps,
  peak_flow_school, iron_school, prefilter_school, regeneration_school, pipe_material, typed, rest, people)
select id, 'well', '', '', '[]', '{{}}', false, false, false, true, '', '', '', '', '', '{{}}', '{{}}', 1 + id % 6 from fresh
"""
WORDS = ("house 4", "beck", "High", "7777", "tarn farm 9", "nobody", "larkfell")
SORTS = ("changed", "name", "created", "customer", "state", "due", "findings")


def jobs(count: int = 10_000, people: int = 8, seconds: float = 25) -> None:
    with House() as house:
        firm = house.sql_of("select min(workspace_id) from jobs_job").strip()
        house.sql_of(COPY.format(of=firm, count=count), "analyze")
        persons = [Person(house.address).log_in() for _ in range(people)]
        tally, lock, until = Tally(), Lock(), time.monotonic() + seconds

        def work(person: Person, seed: int) -> None:
            pick = random.Random(seed)
            while time.monotonic() < until:
                page = pick.choice((1, 1, 2, 3, pick.randint(1, count // 25)))
                words = pick.choice(WORDS) if pick.random() < 0.4 else ""
                state = pick.choice(("", "", "kept", "offered"))
                answer = person.get(f"/?page={page}&sort={pick.choice(SORTS)}&search={words.replace(' ', '+')}&state={state}")
                with lock:
                    tally.add(answer)
                time.sleep(pick.uniform(0.2, 0.8))

        threads = [Thread(target=work, args=(person, i)) for i, person in enumerate(persons)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        print(f"{people} people at a list of {count} jobs for {seconds:.0f} s: {len(tally.seconds) / seconds:.1f} requests a second")
        print(tally.told())
        for pid in house.workers():
            held = next(line for line in Path(f"/proc/{pid}/status").read_text().splitlines() if line.startswith("VmRSS"))
            print(f"worker {pid}: {int(held.split()[1]) / 1024:.0f} MB")
