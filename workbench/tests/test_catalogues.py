"""A firm's catalogues: read from a table, edited by two, used by a job, never by another firm's."""

from __future__ import annotations

import io
import json
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import IntegrityError, transaction
from openpyxl import Workbook, load_workbook

from treatment.job.catalogue import read_catalogue
from workbench.catalogues.services import made
from workbench.records.catalogue import Catalogue, CatalogueSheet
from workbench.records.firm import Workspace
from workbench.records.job import Job
from workbench.repository.catalogues import document_of
from workbench.repository.door import design_of, job_document, store

from .base import BrowserTestCase, WorkbenchTestCase, expect, read, tag

LARKFELL = json.loads((settings.BASE_DIR / "demo/catalogue/larkfell.json").read_text())
LIST = 'Price list\nArt nr,Description,Kind,Size,Preis\nV9,Tank 9,mineral tank,9x48,"130,50"\nV10,Tank 10,mineral tank,10x54,146\nV11,Tank 11,mineral tank,11,1\n'


def sent(name: str, content: bytes | str) -> SimpleUploadedFile:
    return SimpleUploadedFile(name, content.encode() if isinstance(content, str) else content)


class CatalogueCase(WorkbenchTestCase):
    def larkfell(self, workspace: Workspace | None = None) -> Catalogue:
        return made(workspace or self.workspace, LARKFELL["name"], "LFC", LARKFELL["items"], self.designer, "from a file").made

    def table(self, catalogue: Catalogue, **changes: Any) -> dict[str, str]:
        """The table's form as it is shown, with changes."""
        page = self.client.get(f"/catalogues/{catalogue.pk}/").context
        data = {"version": str(catalogue.number), "rows": str(len(page["rows"]))}
        for at, row in page["rows"]:
            data |= {f"{name}-{at}": str(row[name]) for name in ("was", "code", "kind", "what", "fits", "price", "lead_days")}
        return data | changes


class Reading(CatalogueCase):
    def test_a_list_with_other_headings(self) -> None:
        """Its columns are guessed, what cannot be read is told by its row, the rest is kept once that is confirmed."""
        self.client.post("/catalogues/", {"name": "Stock", "currency": "EUR", "file": sent("a.csv", LIST)})
        held = CatalogueSheet.objects.get()
        page = self.client.get(f"/catalogues/sheets/{held.pk}/")
        self.assertIn("2 rows read as items, 1 not", read(page))
        self.assertIn("Row 5", read(page))
        self.client.post(f"/catalogues/sheets/{held.pk}/", {"keep": "1"})
        document = document_of(Catalogue.objects.get())
        self.assertEqual(
            [(each["code"], each["price"], each["fits"]) for each in document["items"]],
            [("V9", "130.5", {"size": "9x48"}), ("V10", "146", {"size": "10x54"})],
        )
        self.assertFalse(CatalogueSheet.objects.exists())

    def test_a_column_chosen_by_hand(self) -> None:
        rows = "a;b;c;d\nV9;Tank 9;9x48;130\n"
        self.client.post("/catalogues/", {"name": "Stock", "currency": "EUR", "file": sent("a.csv", rows)})
        held = CatalogueSheet.objects.get()
        self.assertEqual(self.client.post(f"/catalogues/sheets/{held.pk}/", {"keep": "1"}).status_code, 422)
        chosen = {"role-0": "code", "role-1": "what", "role-2": "size", "role-3": "price", "kind": "vessel"}
        answer = self.client.post(f"/catalogues/sheets/{held.pk}/", chosen | {"keep": "1"}, follow=True)
        self.assertContains(answer, "V9")

    def test_files_out_and_in_again(self) -> None:
        catalogue = self.larkfell()
        for ending in ("json", "csv", "xlsx"):
            content = self.client.get(f"/catalogues/{catalogue.pk}/catalogue.{ending}").content
            self.client.post("/catalogues/", {"name": f"Again {ending}", "currency": "LFC", "file": sent(f"a.{ending}", content)})
            if ending != "json":
                self.client.post(f"/catalogues/sheets/{CatalogueSheet.objects.get().pk}/", {"keep": "1"})
            back = document_of(Catalogue.objects.latest("pk"))
            self.assertEqual(read_catalogue(back).items, read_catalogue(LARKFELL).items, ending)

    def test_formulas_in_cells_stay_text(self) -> None:
        catalogue = made(self.workspace, "F", "LFC", [{**LARKFELL["items"][0], "what": '=HYPERLINK("x")', "code": "+1"}], self.designer, "").made
        sheet = load_workbook(io.BytesIO(self.client.get(f"/catalogues/{catalogue.pk}/catalogue.xlsx").content)).active
        assert sheet is not None
        self.assertEqual([sheet["A2"].value, sheet["B2"].value], ["'+1", '\'=HYPERLINK("x")'])
        book = Workbook()
        page = book.active
        assert page is not None
        for row in (["code", "what", "kind", "price", "size"], ["V", "=1+1", "vessel", "=2+2", "10x54"]):
            page.append(row)
        out = io.BytesIO()
        book.save(out)
        self.client.post("/catalogues/", {"name": "G", "currency": "LFC", "file": sent("a.xlsx", out.getvalue())})
        self.assertIn("1 not", read(self.client.get(f"/catalogues/sheets/{CatalogueSheet.objects.get().pk}/")))

    def test_refused_beside_the_field(self) -> None:
        self.assertContains(self.client.post("/catalogues/", {"name": "", "currency": ""}), "Enter the name", status_code=422)
        self.assertContains(
            self.client.post("/catalogues/", {"name": "A", "currency": "E", "file": sent("a.json", "{nothing")}), "JSON", status_code=422
        )
        Workspace.objects.filter(pk=self.workspace.pk).update(currency="€")
        self.assertContains(self.client.post("/catalogues/", {"name": "A", "currency": "LFC"}), "currency is €", status_code=422)


class Editing(CatalogueCase):
    def test_a_price_an_item_more_and_one_less(self) -> None:
        catalogue = self.larkfell()
        count = len(LARKFELL["items"])
        data = self.table(catalogue, **{"price-0": "125,50", "gone-1": "1", f"code-{count}": "NEW", f"what-{count}": "Tank", f"kind-{count}": "vessel",
                                        f"fits-{count}": "9x48", f"price-{count}": "130"})  # fmt: skip
        self.assertEqual(self.client.post(f"/catalogues/{catalogue.pk}/", data).status_code, 302)
        items = document_of(Catalogue.objects.get())["items"]
        self.assertEqual((items[0]["price"], items[1]["code"], items[-1]["fits"], len(items)), ("125.5", "LV-1252", {"size": "9x48"}, count))
        self.assertEqual(Catalogue.objects.get().versions.count(), 2)
        self.assertEqual(self.client.post(f"/catalogues/{catalogue.pk}/", self.table(Catalogue.objects.get())).status_code, 302)
        self.assertEqual(Catalogue.objects.get().number, 2, "nothing was changed, no version was made")

    def test_two_at_one_table(self) -> None:
        """Different rows are both kept; the same row is refused beside itself, and what was typed stays."""
        catalogue = self.larkfell()
        mine = self.table(catalogue, **{"price-0": "1"})
        other, both = self.table(catalogue, **{"price-3": "3"}), self.table(catalogue, **{"price-0": "2"})
        for data in (mine, other):
            self.assertEqual(self.client.post(f"/catalogues/{catalogue.pk}/", data).status_code, 302)
        refused = self.client.post(f"/catalogues/{catalogue.pk}/", both)
        self.assertContains(refused, "Someone else changed this item", status_code=422)
        self.assertContains(refused, 'value="2"', status_code=422)
        prices = [item["price"] for item in document_of(Catalogue.objects.get())["items"]]
        self.assertEqual((prices[0], prices[3]), ("1", "3"))

    def test_bad_cells(self) -> None:
        catalogue = self.larkfell()
        cases = {
            "price-0": ("-4", "amount of money"),
            "fits-0": ("sise: 10x54", "has no “sise”"),
            "code-1": ("LV-0844", "already the code"),
            "lead_days-0": ("soon", "number"),
        }
        for field, (text, said) in cases.items():
            answer = self.client.post(f"/catalogues/{catalogue.pk}/", self.table(catalogue, **{field: text}))
            self.assertContains(answer, said, status_code=422)
            self.assertContains(answer, f'value="{text}"', status_code=422)
        self.assertEqual(Catalogue.objects.get().number, 1)

    def test_a_viewer_sees_no_prices(self) -> None:
        catalogue = self.larkfell()
        data = self.table(catalogue)
        self.client.force_login(self.viewer)
        self.assertEqual(self.client.get(f"/catalogues/{catalogue.pk}/").status_code, 403)
        for address in (f"/catalogues/{catalogue.pk}/", "/catalogues/", f"/catalogues/{catalogue.pk}/retire/", f"/jobs/{self.job.pk}/catalogue/"):
            self.assertEqual(self.client.post(address, data).status_code, 403, address)


class Used(CatalogueCase):
    def choose(self, catalogue: Catalogue | None, job: Job | None = None) -> Any:
        held = job or Job.objects.get(pk=self.job.pk)
        return self.client.post(f"/jobs/{held.pk}/catalogue/", {"catalogue": catalogue.pk if catalogue else "", "version": held.version}, follow=True)

    def test_a_job_is_built_of_it(self) -> None:
        catalogue = self.larkfell()
        page = self.choose(catalogue)
        self.assertContains(page, "LV-")
        self.assertContains(page, "LFC")
        self.assertIn("code", self.client.get(f"/jobs/{self.job.pk}/materials.csv").content.decode().splitlines()[0])
        self.assertIn("LV-", self.client.get(f"/jobs/{self.job.pk}/materials.csv").content.decode())
        exported = json.loads(self.client.get(f"/jobs/{self.job.pk}/job.json").content)
        self.assertEqual(exported["catalogue"]["name"], LARKFELL["name"])
        self.assertNotContains(self.choose(None), "LV-")

    def test_it_changes_a_size(self) -> None:
        """Without 8×44 and 10×54 in stock, no vessel of the train is one of them."""
        few = [item for item in LARKFELL["items"] if item["kind"] == "vessel" and item["code"] in ("LV-1252", "LV-1354")]
        self.choose(made(self.workspace, "Few", "LFC", few, self.designer, "").made)
        sizes = {
            stage.sizing.bed.tank for stage in design_of(Job.objects.get(pk=self.job.pk), None).chosen.run.stages if stage.sizing.bed is not None
        }
        self.assertTrue(sizes)
        self.assertLessEqual(sizes, {"12x52", "13x54"})

    def test_nothing_of_one_firm_reaches_another(self) -> None:
        """A catalogue of another firm is not found by its number, whatever is posted; its pages and files are not either."""
        theirs = Workspace.objects.get(name="Theirs")
        foreign = self.larkfell(theirs)
        self.assertEqual(self.choose(foreign).status_code, 404)
        self.assertIsNone(Job.objects.get(pk=self.job.pk).catalogue)
        for address in ("", "catalogue.json", "catalogue.csv"):
            self.assertEqual(self.client.get(f"/catalogues/{foreign.pk}/{address}").status_code, 404)
        for address in ("", "send/", "retire/"):
            self.assertEqual(self.client.post(f"/catalogues/{foreign.pk}/{address}", {}).status_code, 404)
        self.assertNotContains(self.client.get("/catalogues/"), LARKFELL["name"])
        self.assertNotIn("catalogue", job_document(Job.objects.get(pk=self.job.pk), None))

    def test_deleted_while_a_job_uses_it(self) -> None:
        catalogue = self.larkfell()
        self.choose(catalogue)
        self.client.post(f"/catalogues/{catalogue.pk}/retire/")
        self.assertTrue(Catalogue.objects.get().retired)
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/materials/"), "LV-")
        with self.assertRaises(IntegrityError), transaction.atomic():
            Catalogue.objects.all().delete()
        self.choose(None)
        self.client.post(f"/catalogues/{catalogue.pk}/retire/")
        self.assertFalse(Catalogue.objects.exists())

    def test_a_currency_changed_later(self) -> None:
        self.choose(self.larkfell())
        form = self.client.get("/firm/").context["form"]
        data = {name: form.initial.get(name) or "" for name in form.fields} | {"currency": "€"}
        self.assertContains(self.client.post("/firm/", data), "another currency", status_code=422)
        Workspace.objects.filter(pk=self.workspace.pk).update(currency="€", prices={"salt": 2.0})  # however that came about
        document = job_document(Job.objects.get(pk=self.job.pk), None)
        self.assertNotIn("firm", document)
        self.assertEqual(self.client.get(f"/jobs/{self.job.pk}/materials/").status_code, 200)

    def test_a_copy_follows_it_and_a_file_carries_it(self) -> None:
        self.choose(self.larkfell())
        self.client.post(f"/jobs/{self.job.pk}/duplicate/")
        self.assertEqual(Job.objects.latest("pk").catalogue, Catalogue.objects.get())
        document = json.loads(self.client.get(f"/jobs/{self.job.pk}/job.json").content)
        moved = store(document, Workspace.objects.get(name="Theirs"), self.stranger)
        self.assertIsNone(moved.catalogue)
        self.assertEqual(job_document(moved, None)["catalogue"]["currency"], "LFC")

    def test_late_is_told(self) -> None:
        catalogue = self.larkfell()
        answer = self.client.post(f"/jobs/{self.job.pk}/catalogue/", {"catalogue": catalogue.pk, "version": 0}, follow=True)
        self.assertContains(answer, "Someone else changed this job")
        self.assertIsNone(Job.objects.get(pk=self.job.pk).catalogue)


@tag("browser")
class InTheBrowser(BrowserTestCase):
    def test_a_price_list_becomes_the_codes_of_a_job(self) -> None:
        """From a file to the materials of a job: by its form, the columns, the choice."""
        from treatment.tests.example import job as job_document_of

        job = store(job_document_of(), self.workspace, self.designer)
        page = self.page
        page.goto("/catalogues/")
        page.fill("#name", "Valley stock")
        page.fill("#currency", "EUR")
        page.set_input_files("#file", {"name": "list.csv", "mimeType": "text/csv", "buffer": LIST.encode()})
        page.get_by_role("button", name="Create").click()
        page.get_by_role("button", name="Keep 2 items, leave out 1").click()
        expect(page.get_by_role("textbox", name="Price of V9")).to_have_value("130.5")
        page.get_by_role("textbox", name="Price of V9").fill("140")
        page.keyboard.press("Enter")
        expect(page.get_by_text("version 2").first).to_be_visible()
        page.goto(f"/jobs/{job.pk}/materials/")
        page.select_option("#catalogue", label="Valley stock")
        page.get_by_role("button", name="Use it").click()
        expect(page.get_by_text("V9").or_(page.get_by_text("V10")).first).to_be_visible()
