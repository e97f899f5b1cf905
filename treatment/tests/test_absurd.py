"""Absurd but readable jobs get an answer, never an error: extreme waters, tiny supplies, odd trains."""

from __future__ import annotations

import contextlib
import copy
import json
import random
from collections.abc import Callable, Iterator
from typing import Any
from unittest import TestCase

from ..design import design
from ..drawing.train.view import draw_train
from ..job_file import read_job
from ..language.analytes import Analyte, analytes
from ..language.errors import BadDocument
from ..operation.maintenance.log import read_log
from ..operation.maintenance.upkeep import upkeep
from ..papers.design_file import design_document
from ..treatments import ROOMS
from .example import job, worked
from .fuzz import TIMES
from .golden import frozen

BEDS = ("neutralizer", "softener", "oxidizing_filter")


def reading(pick: random.Random, row: Analyte) -> str:
    low, high = row.plausible
    value = pick.choice([low, high, 0.0, pick.uniform(low, high)])
    unit = "" if row.unit == "pH" else f" {row.unit}"
    forms = [f"{value:.4g}{unit}", f"<{max(value, 0.001):.4g}{unit}", f">{value:.4g}{unit}", f"{value:.4g}..{value * 2 + 0.01:.4g}{unit}"]
    return pick.choice(["present", "absent"]) if row.is_microbe else pick.choice(forms)


def stage(pick: random.Random) -> dict[str, Any]:
    kind = pick.choice(list(ROOMS))
    entry: dict[str, Any] = {"kind": kind}
    if kind in BEDS:
        entry |= pick.choice(
            [{}, {"volume": f"{pick.choice([0.01, 0.5, 2, 30])} ft3"}, {"tank": pick.choice(["8x44", "36x72", "6x18"])}, {"vessels": 8}]
        )
    if kind == "softener":
        entry |= pick.choice(
            [{}, {"twin": True}, {"regeneration": "timer", "every_days": 60}, {"hardness_setting": "0 gpg"}, {"salt_dose": "29 lb/ft3"}]
        )
    if kind == "uv":
        entry |= pick.choice([{}, {"rated_flow": "0.1 gpm", "rated_uvt": 0.1}, {"restrictor": "1 gpm", "rated_uvt": 1.0}])
    if kind == "sediment":
        entry |= pick.choice([{}, {"micron": 0.5}, {"micron": 400, "housing": "10x2.5"}])
    return entry


def absurd(seed: int) -> dict[str, Any]:
    """A job that the reader mostly accepts and nobody would have."""
    pick = random.Random(seed)
    rows = list(analytes().values())
    return {
        "format": "cairn-job/1",
        "job": {"standard": pick.choice(["us", "who", "ca", "eu", "uk", "au"]), "units": pick.choice(["us", "metric"])},
        "source": {"kind": pick.choice(["drilled_well", "spring", "rain", "town"])},
        "samples": [{"readings": {row.key: reading(pick, row) for row in pick.sample(rows, pick.randint(0, 25))}} for _ in range(2)],
        "supply": {
            "flow": pick.choice(["0.05 gpm", "2 gpm", "300 gpm"]),
            "pressure_low": pick.choice(["0 psi", "200 psi"]),
            "temperature": pick.choice(["33 degF", "150 degF"]),
        },
        "building": {
            "people": pick.choice([0, 1, 300]),
            "top_fixture_height": pick.choice(["-20 ft", "90 ft"]),
            "fixtures": {"wc": pick.choice([0, 900])},
        },
        "wishes": {"no_salt": pick.random() < 0.3, "no_power": pick.random() < 0.3},
        "train": None if pick.random() < 0.4 else [stage(pick) for _ in range(pick.randint(0, 8))],
    }


class AbsurdJobs(TestCase):
    def test_each_gets_an_answer(self) -> None:
        """Refused with its faults, or worked through, written as JSON and drawn; numbers all finite."""
        worked, seeds = 0, 6 if not TIMES else 60 * TIMES
        for seed in range(seeds):
            with self.subTest(seed=seed):
                try:
                    job = read_job(absurd(seed))
                except BadDocument as error:
                    self.assertTrue(error.faults)
                    continue
                done = design(job)
                json.dumps(design_document(done), allow_nan=False)
                draw_train(done, done.chosen, "us")
                worked += 1
        self.assertGreater(worked, seeds * 0.65)


AbsurdJobs.test_each_gets_an_answer.tags = {"property"}  # type: ignore[attr-defined]

#: what nobody should write, of every kind that JSON has
NONSENSE: tuple[Any, ...] = (
    None, True, 3, -1, 1e308, "", "x" * 5000, "9" * 400 + "/1", "1/" + "9" * 400, "9" * 5000, "1e400 mg/L", [], {}, [[]], [{}], [None], {"a": 1}, "nan", "\ud800", "\x00", "²",
    "5..1 mg/L", ">" * 50, "<", "1,2,3", "0/0",
)  # fmt: skip


class AnyValueInAnyPlace(TestCase):
    def places(self, document: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
        """Every place of a document."""
        for name, each in document.items() if isinstance(document, dict) else enumerate(document) if isinstance(document, list) else ():
            yield (*path, name)
            yield from self.places(each, (*path, name))

    def refused_or_read(self, document: Any, read: Callable[[Any], Any]) -> int:
        """Each place filled with a few of what is nonsense: it is read, or refused with its faults, and nothing else happens."""
        tried = 0
        for turn, path in enumerate(self.places(document)):
            for shift in range(4):
                odd = copy.deepcopy(document)
                here = odd
                for name in path[:-1]:
                    here = here[name]
                here[path[-1]] = NONSENSE[(turn * 5 + shift * 7) % len(NONSENSE)]
                with contextlib.suppress(BadDocument):
                    read(odd)
                tried += 1
        return tried

    def test_of_a_job(self) -> None:
        waived = {"waivers": [{"rule": "sample-stale", "stage": "", "reason": "known"}]}
        tried = sum(self.refused_or_read(row["job"] | waived, read_job) for row in frozen()[: 6 if TIMES else 2])
        self.assertGreater(tried, 500)

    def test_of_a_log(self) -> None:
        chosen = worked(job(train=[{"kind": "softener", "id": "softener"}, {"kind": "uv", "id": "uv"}])).chosen
        tasks = upkeep(chosen)
        log = {
            "format": "cairn-log/1",
            "started_on": "2025-01-01",
            "entries": [
                {
                    "on": "2025-02-01",
                    "at": "23:30",
                    "readings": {"softener.hardness_out": "0.5 gpg", "uv.lamp_hours": 20},
                    "seen": ["orange_stains"],
                    "note": "so",
                },
                {"on": "2025-02-02", "did": "softener/salt", "amount": "40 lb"},
                {"on": "2025-03-02", "alarm": "uv", "away": {"from": "2025-02-10", "to": "2025-02-20"}},
            ],
        }
        read_log(log, tasks, ["softener", "uv"])
        self.assertGreater(self.refused_or_read(log, lambda odd: read_log(odd, tasks, ["softener", "uv"])), 60)
