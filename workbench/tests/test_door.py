from __future__ import annotations

import datetime as dt
import json

from django.db import IntegrityError, transaction
from django.test import TestCase

from treatment.language.errors import BadDocument
from treatment.papers.design_file import design_document
from treatment.tests.example import HARD_ONLY, worked
from treatment.tests.example import job as job_document
from workbench.records.job import Job, Survey
from workbench.records.sample import Reading
from workbench.repository.door import design_of, store
from workbench.repository.door import job_document as written
from workbench.usecases.trains import shown_stages

from .base import people

FULL = job_document(
    {
        "source": {"kind": "rain", "rain": {"roof_area": "1200 ft2", "runoff": "90 %"}},
        "building": {"bathrooms": 2.5, "extra_daily_use": "40 gal", "events": [{"name": "milking", "volume": "30 gal", "per_day": 2}]},
        "supply": {"drawdown": {"drawn": "8 gal", "recovery": "96 s"}, "coldest": "45 degF", "night_pressure": "70 psi"},
        "site": {"ceiling": "7 ft", "drain": {"kind": "floor", "distance": "12 ft"}},
        "wishes": {"low_sodium": True, "drinking_tap_only": ["nitrate"], "target_ph": 7.4, "soften_above": "5 gpg"},
        "schools": {"peak_flow": "bathrooms", "iron_compensation": "x5", "prefilter": "single", "hardness": "exchange"},
        "observations": ["orange_stains"],
    },
    train=[{"kind": "softener", "volume": "1.5 ft3", "install": {"bypass": True}}, {"kind": "uv"}],
)


class ThroughTheDoor(TestCase):
    def setUp(self) -> None:
        self.workspace, self.designer, _, _ = people()

    def test_a_job_file_comes_out_as_it_went_in(self) -> None:
        """Import and export lose nothing: every fact, as it was written, and so the same design."""
        for document in (FULL, job_document(), job_document(readings=HARD_ONLY)):
            job = store(document, self.workspace, self.designer)
            out = written(job, shown_stages(job))
            for part in ("source", "building", "supply", "site", "wishes", "schools"):
                for key, value in document.get(part, {}).items():
                    self.assertEqual(out[part][key], value, f"{part}.{key}")
            self.assertEqual(out["samples"], document["samples"])
            self.assertEqual(out["train"], document.get("train"))
            same = design_document(design_of(job, shown_stages(job)))
            again = design_document(worked(document | {"as_of": dt.date.today().isoformat()}))
            self.assertEqual(same["train"], again["train"])
            self.assertEqual(same["findings"], again["findings"])

    def test_a_bad_document_stores_nothing(self) -> None:
        """Refused as a whole, with every fault."""
        with self.assertRaises(BadDocument) as caught:
            store(job_document({"supply": {"flow": "7"}, "building": {"people": -1}}), self.workspace, self.designer)
        self.assertEqual(len(caught.exception.faults), 2)
        self.assertEqual(Job.objects.count(), 0)

    def test_the_database_refuses_nonsense_by_itself(self) -> None:
        """Constraints hold even where a form would be passed by."""
        job = store(job_document(), self.workspace, self.designer)
        reading = Reading.objects.filter(sample__job=job).first()
        assert reading is not None
        for change in (
            lambda: Survey.objects.filter(job=job).update(people=-1),
            lambda: Survey.objects.filter(job=job).update(flow_l_min=0),
            lambda: Survey.objects.filter(job=job).update(pressure_low_kpa=500, pressure_high_kpa=300),
            lambda: Reading.objects.filter(pk=reading.pk).update(low=5, high=1),
            lambda: Job.objects.filter(pk=job.pk).update(units="furlongs"),
        ):
            with self.assertRaises(IntegrityError), transaction.atomic():
                change()

    def test_quantities_stand_in_canonical_units(self) -> None:
        """7 gpm is 26.5 L/min in its column, and reads as it was typed."""
        survey = store(job_document(), self.workspace, self.designer).survey
        self.assertAlmostEqual(survey.flow_l_min, 26.4979, places=3)
        self.assertEqual(survey.typed["flow_l_min"], "7 gpm")

    def test_the_demonstration_jobs_are_read_whole(self) -> None:
        """Each demonstration file is accepted and works through."""
        from django.conf import settings

        for path in (settings.BASE_DIR / "demo").glob("*.job.json"):
            job = store(json.loads(path.read_text()), self.workspace, self.designer)
            self.assertIsNotNone(design_of(job, shown_stages(job)).chosen)
