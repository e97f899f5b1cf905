"""The demonstration's stories: each reads as a log of its job, and what it tells of is found."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path
from unittest import TestCase

from ..demonstration import STORIES, log_document
from ..design import Design, design
from ..job_file import read_job
from ..operation.diagnosis.diagnosis import Diagnosis
from ..operation.maintenance.log import read_log
from ..operation.maintenance.upkeep import upkeep

DEMO = Path(__file__).resolve().parents[2] / "demo"
TODAY = dt.date(2026, 12, 1)


def jobs() -> dict[str, Design]:
    found = (design(read_job(json.loads(path.read_text()))) for path in DEMO.glob("*.job.json"))
    return {each.facts.job.name: each for each in found}


class Stories(TestCase):
    def diagnosed(self, name: str) -> Diagnosis:
        chosen = jobs()[name].chosen
        tasks = upkeep(chosen)
        document = log_document(STORIES[name], chosen, TODAY)
        log = read_log(document, tasks, [stage.id for stage in chosen.run.stages])
        self.assertEqual(len(log.entries), len(document["entries"]))
        return Diagnosis(chosen, log, TODAY, tasks)

    def causes(self, name: str) -> set[str]:
        return {cause.id for cause in self.diagnosed(name).causes}

    def test_every_story_is_of_a_job_that_ships(self) -> None:
        self.assertLessEqual(set(STORIES), set(jobs()))

    def test_the_same_day_tells_the_same(self) -> None:
        chosen = jobs()["Peat Bothy"].chosen
        story = STORIES["Peat Bothy"]
        self.assertEqual(log_document(story, chosen, TODAY), log_document(story, chosen, TODAY))

    def test_the_farm(self) -> None:
        """Iron passes the iron filter and fouls the resin: hardness rises over a year while the salt goes on as before."""
        self.assertIn("resin-fouled/iron", self.causes("High Tarn Farm"))

    def test_the_bothy(self) -> None:
        """Cartridges of 62 days last 18 in the end."""
        self.assertEqual(self.causes("Peat Bothy"), {"cartridge-clogged-early"})

    def test_the_guest_house(self) -> None:
        """A lamp past its hours."""
        self.assertEqual(self.causes("Becklow Guest House"), {"lamp-old"})
