"""Absurd but readable jobs get an answer, never an error: extreme waters, tiny supplies, odd trains."""

from __future__ import annotations

import json
import random
from typing import Any
from unittest import TestCase

from ..design import design
from ..drawing.train.view import draw_train
from ..job_file import read_job
from ..language.analytes import Analyte, analytes
from ..language.errors import BadDocument
from ..papers.design_file import design_document
from ..stages import ROOMS

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
        worked = 0
        for seed in range(60):
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
        self.assertGreater(worked, 40)
