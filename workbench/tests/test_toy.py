"""A treatment that is one room in the core stands in the workbench too: sheet, choices, edit, wall, files."""

from __future__ import annotations

from django.test import TestCase

from treatment.tests.example import HARD_ONLY, job
from treatment.tests.toy import FLUORIDE, toy_treatment

from ..repository import door
from ..usecases.trains import option_of
from .base import people


class ToyTreatment(TestCase):
    def setUp(self) -> None:
        self.enterContext(toy_treatment())
        workspace, designer, _, _ = people()
        self.job = door.store(
            job(readings=HARD_ONLY | FLUORIDE, train=[{"kind": "bone_char", "id": "char"}, {"kind": "softener"}]), workspace, designer
        )
        self.client.force_login(designer)

    def test_its_sheet_shows_figures_choices_and_working(self) -> None:
        """First what its room calls most telling; its grade can be chosen."""
        page = self.client.get(f"/jobs/{self.job.pk}/train/?stage=char").content.decode()
        for words in ("akes fluoride from 6.0 to 0.6 mg/L", "Contact time", "grade of the char", "Bone char filter"):
            self.assertIn(words, page)

    def test_its_choice_can_be_edited(self) -> None:
        """And is refused in the core's own words where it is none."""
        data = {"action": "set", "stage": "char", "key": "grade", "value": "fine", "version": option_of(self.job).version}
        self.assertEqual(self.client.post(f"/jobs/{self.job.pk}/train/edit/", data, headers={"HX-Request": "true"}).status_code, 200)
        data |= {"value": "powder", "version": option_of(self.job).version}
        refused = self.client.post(f"/jobs/{self.job.pk}/train/edit/", data, headers={"HX-Request": "true"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("one of coarse, fine", refused.content.decode())

    def test_wall_materials_and_documents_come_out(self) -> None:
        """Every page and file that a train has."""
        for name in ("wall/", "wall.svg", "wall.dxf", "materials/", "materials.csv", "job.json", "design.json", "train/shelf/", "train/options/"):
            with self.subTest(name):
                self.assertEqual(self.client.get(f"/jobs/{self.job.pk}/{name}").status_code, 200)
