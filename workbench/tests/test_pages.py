"""Every page of every demo job answers, and every part of a job comes back from its form and its file as it went in."""

from __future__ import annotations

import json
import re
from typing import Any

from django.conf import settings
from django.template import RequestContext, Template
from django.test import RequestFactory, SimpleTestCase
from django.urls import NoReverseMatch, reverse

from treatment.job_file import read_job
from treatment.tests.example import ACID_WELL
from workbench.pages.document_form import DocumentForm
from workbench.records.job import Job
from workbench.repository.door import design_of, job_document, store
from workbench.supplies.forms import PumpForm
from workbench.trains.panel import PanelForm
from workbench.usecases.jobs import keep_survey
from workbench.usecases.trains import shown_stages
from workbench.walls.forms import WallForm

from .base import WorkbenchTestCase

DEMO = sorted((settings.BASE_DIR / "demo").glob("*.job.json"))
STEPS = (
    "site",
    "water",
    "water-says",
    "water-history",
    "kits",
    "supply",
    "measure",
    "train",
    "options",
    "shelf",
    "panel",
    "wall",
    "materials",
    "year",
    "choices",
)
FILES = ("job-export", "design-export", "samples-csv", "wall-svg", "wall-dxf", "materials-csv", "costs-csv")


class EveryDemoJob(WorkbenchTestCase):
    def stored(self) -> list[tuple[dict[str, Any], Job]]:
        documents = [json.loads(path.read_text()) for path in DEMO]
        return [(document, store(document, self.workspace, self.designer)) for document in documents]

    def test_every_step_and_every_light_file_answers(self) -> None:
        """In both systems of units, with nothing left unsaid by a template."""
        self.assertGreater(len(DEMO), 5)
        for document, job in self.stored():
            for units in ("us", "metric"):
                Job.objects.filter(pk=job.pk).update(units=units)
                for name in STEPS:
                    response = self.client.get(reverse(name, args=[job.pk]))
                    text = response.content.decode()
                    self.assertEqual(response.status_code, 200, f"{name} of {document['job']['name']}")
                    self.assertNotRegex(
                        re.sub(r"<option.*?</option>|<[^>]*>", " ", text, flags=re.S),
                        r"\bNone\b(?![.:])|\bnan\b|\binf\b|\{\{|\{%",
                        f"{name} of {document['job']['name']}",
                    )
            for name in FILES:
                response = self.client.get(reverse(name, args=[job.pk]))
                self.assertEqual((response.status_code, bool(response.content)), (200, True), name)

    def test_a_job_leaves_and_enters_unchanged(self) -> None:
        """Stored, written out, read again and stored anew it is the same document, and the same design."""
        for document, job in self.stored():
            out = job_document(job, shown_stages(job))
            again = store(json.loads(json.dumps(out)), self.workspace, self.designer)
            self.assertEqual(job_document(again, shown_stages(again)), out, document["job"]["name"])
            self.assertEqual(read_job(out).facts, read_job(job_document(again, shown_stages(again))).facts)
            one, two = (design_of(each, shown_stages(each)).chosen for each in (job, again))
            self.assertEqual([stage.kind for stage in one.run.stages], [stage.kind for stage in two.run.stages])
            self.assertEqual(one.run.finished, two.run.finished)

    def test_what_the_file_says_the_application_keeps(self) -> None:
        """No key of a demo file is lost on the way into the rows."""
        for document, job in self.stored():
            out = job_document(job, shown_stages(job))
            for part in ("source", "building", "supply", "site", "wishes", "observations", "design_basis", "limits", "waivers"):
                if document.get(part):
                    self.assertEqual(read_job(document | {"train": None}).facts.supply, read_job(out | {"train": None}).facts.supply)
                    self.assertIn(part, out, document["job"]["name"])


class ChangingForms(SimpleTestCase):
    def test_a_page_that_does_not_exist_is_no_address(self) -> None:
        """A name mistyped in a template fails when the page is shown, and is not posted to as if it were a path."""
        request = RequestFactory().get("/")
        with self.assertRaises(NoReverseMatch):
            Template('{% post "kit-strat" 1 %}{% endpost %}').render(RequestContext(request))
        shown = Template('{% post "/jobs/1/train/edit/" %}{% endpost %}').render(RequestContext(request))
        self.assertIn('action="/jobs/1/train/edit/"', shown)


class PartsWithoutAColumn(WorkbenchTestCase):
    VALUES: dict[type[DocumentForm], dict[str, str]] = {
        WallForm: {"wall_width": "9 ft", "ceiling": "7 ft", "wall_depth": "30 in", "joining": "crimp", "drain_kind": "floor", "drain_distance": "12 ft",
        "drain_lift": "0 ft", "drain_bore": "3/4 in",
                   "drain_air_gap": "2 in", "outlet_protected": "yes", "frost_free": "no", "in_sun": "", "electrical_panel_x": "6 ft", "meter_x": "1 m"},
        PumpForm: {"shut_off": "80 psi", "best_flow": "10 gpm", "best_pressure": "3.4 bar", "pressure_tank": "20 gal"},
        PanelForm: {"hardness": "scale_control", "disinfection": "uv", "carbon_order": "first", "ro_temperature": "linear", "drinking_tap_only": "nitrate, arsenic",
        "roof_area": "1200 ft2", "runoff": "85 %"},
    }  # fmt: skip

    def test_what_is_typed_comes_back_as_typed(self) -> None:
        """Saved, shown again and saved once more, each form holds the same, and the core reads it."""
        for form_class, values in self.VALUES.items():
            job = store(json.loads(json.dumps(ACID_WELL)), self.workspace, self.designer)
            form = form_class({"version": job.version} | values, job=job)
            self.assertTrue(form.is_valid(), form.errors)
            keep_survey(form.job, form.cleaned_data["version"], self.designer, form.apply)
            job = Job.objects.select_related("survey").get(pk=job.pk)
            first = json.loads(json.dumps(job.survey.rest))
            read_job(job_document(job, None))
            shown = form_class(job=job)
            for name, value in values.items():
                self.assertEqual(str(shown.initial[name]).replace("; ", ", "), value, name)
            again = form_class({name: value for name, value in shown.initial.items() if value not in (None, False)}, job=job)
            self.assertTrue(again.is_valid(), again.errors)
            keep_survey(again.job, again.cleaned_data["version"], self.designer, again.apply)
            self.assertEqual(Job.objects.get(pk=job.pk).survey.rest, first, form_class.__name__)

    def test_emptied_fields_leave_nothing_behind(self) -> None:
        """What was typed and then taken out is not in the job file any more."""
        for form_class, values in self.VALUES.items():
            job = store(json.loads(json.dumps(ACID_WELL)), self.workspace, self.designer)
            before = read_job(job_document(job, None)).facts
            form = form_class({"version": job.version} | values, job=job)
            form.is_valid()
            keep_survey(form.job, form.cleaned_data["version"], self.designer, form.apply)
            job = Job.objects.select_related("survey").get(pk=job.pk)
            self.assertNotEqual(read_job(job_document(job, None)).facts, before)
            emptied = form_class({"version": job.version}, job=job)
            self.assertTrue(emptied.is_valid(), emptied.errors)
            keep_survey(emptied.job, emptied.cleaned_data["version"], self.designer, emptied.apply)
            job = Job.objects.select_related("survey").get(pk=job.pk)
            after = read_job(job_document(job, None)).facts
            self.assertEqual(after.schools, before.schools)
            self.assertEqual(after.wishes, before.wishes)
            self.assertEqual(after.site.wall_width, before.site.wall_width)
            self.assertEqual(after.supply.pressure_tank, before.supply.pressure_tank)

    def test_a_bad_value_is_refused_beside_its_own_field_only(self) -> None:
        """One bad field among good ones: one message, in the core's words, and nothing stored."""
        for form_class, values in self.VALUES.items():
            job = store(json.loads(json.dumps(ACID_WELL)), self.workspace, self.designer)
            name = next(name for name, value in values.items() if re.match(r"\d", value))
            form = form_class({"version": job.version} | values | {name: "seven score"}, job=job)
            self.assertFalse(form.is_valid())
            self.assertEqual(list(form.errors), [name])
            self.assertIn("seven score", form.errors[name][0])
