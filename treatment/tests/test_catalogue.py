"""A company's catalogue: read by path, chosen from, priced, and what it lacks said; nothing of one reaches another job."""

from __future__ import annotations

import copy
import json
from decimal import Decimal
from math import ceil, pi
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import jsonschema
from hypothesis import given, settings
from hypothesis import strategies as st

from ..choices.field import field_of
from ..cli import design_in
from ..house.beds import FT3
from ..house.hydraulics import GPM
from ..house.pipes import INCH
from ..job.catalogue import FORMAT, KINDS, asked_of, catalogue_schema, read_catalogue
from ..job.catalogue_table import fits_typed, heading_at, item_of, roles_of, rows_read, table_of, unknown_fields
from ..language.errors import BadDocument
from ..papers.design_file import design_document
from ..papers.design_schema import design_schema
from .example import HARD_ONLY, job, worked

LARKFELL = Path(__file__).resolve().parents[2] / "demo/catalogue/larkfell.json"
LITTLE = {"format": FORMAT, "name": "Little stock", "version": "1", "currency": "LFC", "items": []}


def item(code: str, kind: str, price: str = "100", **fits: Any) -> dict[str, Any]:
    return {"code": code, "what": f"{kind} {code}", "kind": kind, "price": price, "fits": {name.rstrip("_"): value for name, value in fits.items()}}


def stock(*items: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {**LITTLE, "items": list(items), **more}


def sold(document: dict[str, Any], *items: dict[str, Any]) -> dict[str, Any]:
    """The design document of a job with a catalogue of these items."""
    return design_document(worked({**document, "catalogue": stock(*items)}))


def rows(document: dict[str, Any], key: str) -> list[dict[str, Any]]:
    return [row for row in document["materials"] if row["key"] == key]


def lacks(document: dict[str, Any]) -> dict[str, str]:
    return {finding["rule"]: finding["message"] for finding in document["findings"] if finding["rule"].startswith("catalogue/")}


def stage(document: dict[str, Any], kind: str) -> dict[str, Any]:
    return next(each for each in document["train"] if each["kind"] == kind)


TOWN = job(
    {"source": {"kind": "town", "disinfectant": "chlorine"}},
    readings={**HARD_ONLY, "free_chlorine": "1.2 mg/L"},
    train=[{"kind": "carbon", "id": "c"}],
)


class Chosen(TestCase):
    def test_parallel_vessels_by_hand(self) -> None:
        """Only 10x54 is sold: (54 − 4) in ÷ 1.5 of depth × its area, measured down to quarters of a cubic foot, so many times as the contact asks."""
        volume = worked({**TOWN}).chosen.run.stages[0].sizing.vessels.total_volume
        depth, area = (54 - 4) * INCH / 1.5, pi / 4 * (10 * INCH) ** 2
        most = int(depth * area * 1000 / (FT3 / 4)) * FT3 / 4  # 42.9 L, so 42.5 L: six quarters
        self.assertAlmostEqual(most, 1.5 * FT3, places=6)
        found = sold(TOWN, item("V", "vessel", "146", size="10x54"))
        bed = stage(found, "carbon")["params"]
        duty = worked(TOWN).duty
        by_contact, by_flow = ceil(volume / most - 1e-9), ceil(duty.flow / GPM / (10 * area / 0.09290304))
        self.assertEqual((bed["tank"], bed["vessels"]), ("10x54", max(by_contact, by_flow)))
        (vessel,) = rows(found, "vessel")
        self.assertEqual((vessel["code"], vessel["price"], vessel["sample"], vessel["quantity"]["value"]), ("V", "146.00", False, bed["vessels"]))
        self.assertEqual(lacks(found), {})

    def test_fewest_pieces_then_the_smallest(self) -> None:
        """A softener in one vessel, though two of a smaller one would hold it; the smallest that does."""
        hard = job(readings=HARD_ONLY, train=[{"kind": "softener"}])
        plain = stage(design_document(worked(hard)), "softener")["params"]
        self.assertEqual(plain["vessels"], 1)
        found = sold(hard, item("S", "vessel", "90", size="8x44"), item("L", "vessel", "400", size="21x62"), item("M", "vessel", "250", size="16x65"))
        self.assertEqual((stage(found, "softener")["params"]["tank"], stage(found, "softener")["params"]["vessels"]), ("16x65", 1))
        self.assertEqual([row["code"] for row in rows(found, "vessel")], ["M"])

    def test_as_far_as_the_wall_is_wide(self) -> None:
        """Two of 9 in, 0.46 m, hold the carbon; on a wall of 0.4 m stands one, and what is missing is said with its amount."""
        vessel = item("V", "vessel", size="9x48")
        self.assertEqual(stage(sold(TOWN, vessel), "carbon")["params"]["vessels"], 2)
        narrow = sold({**TOWN, "site": {"wall_width": "0.4 m"}}, vessel)
        self.assertRegex(lacks(narrow)["catalogue/vessel"], r"9x48 in carries 4.4 gpm, 2.6 gpm short and holds 1.00 ft³ of media, 0.75 ft³ short")
        self.assertNotIn("code", rows(narrow, "vessel")[0])
        self.assertTrue(rows(narrow, "vessel")[0]["sample"])

    def test_a_valve_that_passes_the_wash(self) -> None:
        """Calcite in 10 in: 10 gpm/ft² × 0.545 ft² × the cold factor; a valve of less does not serve, and the larger one is taken."""
        acid = job(readings={**HARD_ONLY, "ph": "6.2", "alkalinity": "40 mg/L as CaCO3"}, train=[{"kind": "neutralizer", "tank": "10x54"}])
        small = item("A", "valve", "200", service="20 gpm", backwash="3 gpm", vessels=["10x54"])
        large = item("B", "valve", "300", service="20 gpm", backwash="9 gpm", vessels=["10x54"])
        vessel = item("V", "vessel", size="10x54")
        self.assertEqual([row["code"] for row in rows(sold(acid, vessel, small, large), "valve_head")], ["B"])
        found = sold(acid, vessel, small)
        wash = stage(found, "neutralizer")["figures"]["backwash_flow"]["value"] / GPM
        self.assertIn(f"{wash - 3:.1f} gpm short of {wash:.1f} gpm", lacks(found)["catalogue/valve"])

    def test_a_lamp_by_its_own_rating(self) -> None:
        """One of 30 mJ/cm² gives three quarters of its flow at the dose of 40; two of the small ones rather than nothing."""
        well = job(readings={**HARD_ONLY, "total_coliform": "present", "uvt": "95 %"}, train=[{"kind": "sediment", "micron": "5 um"}, {"kind": "uv"}])
        flow = worked(well).duty.demand.passable.value
        plenty = item("W", "lamp", rated=f"{flow * 1.4:.3f} L/min", rated_uvt=95, rated_dose=30, power="70 W")
        under = item("U", "lamp", rated=f"{flow * 1.3:.3f} L/min", rated_uvt=95, rated_dose=30, power="60 W")  # × 30 ÷ 40 is 0.975 of what is asked
        found = sold(well, under, plenty)
        params = stage(found, "uv")["params"]
        self.assertEqual((params["lamps"], [row["code"] for row in rows(found, "uv")]), (1, ["W"]))
        self.assertEqual(params["lamp_power"], {"value": 70, "unit": "W"})
        self.assertAlmostEqual(stage(found, "uv")["figures"]["energy_per_year"]["value"], 70 * 8.760, delta=1)
        both = sold(well, under)
        self.assertEqual((stage(both, "uv")["params"]["lamps"], rows(both, "uv")[0]["quantity"]["value"]), (2, 2))
        tiny = sold(well, item("T", "lamp", rated="1 L/min", rated_uvt=95, rated_dose=40, power="9 W"))
        self.assertIn("4 side by side", lacks(tiny)["catalogue/lamp"])

    def test_media_by_whole_bags(self) -> None:
        """Resin of a cubic foot a bag, 52 lb: so many bags as the mass fills, the last one whole; a top-up by its kilogram."""
        hard = job(readings=HARD_ONLY, train=[{"kind": "softener"}])
        bag = item("R", "medium", "172", medium="softening_resin", bag="1 ft3", mass="52 lb")
        found = sold(hard, bag)
        litres = stage(found, "softener")["figures"]["resin_volume"]["value"]
        (row,) = rows(found, "softening_resin")
        self.assertEqual((row["quantity"], row["code"]), ({"value": ceil(litres / FT3 - 1e-6), "unit": "bag"}, "R"))
        line = next(each for each in found["costs"]["lines"] if each["of"] == "medium" and each["kind"] == "first")
        self.assertEqual(Decimal(line["amount"]), 172 * Decimal(str(row["quantity"]["value"])))

    def test_a_coded_price_counts_everywhere(self) -> None:
        """Cartridges: the yearly line stands on the item's price, not on the sample's nor the company's list."""
        fine = job(
            {"firm": {"prices": {"cartridge": "99"}}}, readings={**HARD_ONLY, "turbidity": "3 NTU"}, train=[{"kind": "sediment", "micron": "5 um"}]
        )
        found = sold(fine, item("K", "cartridge", "18.50", housing="20x4.5", micron=5), item("H", "cartridge_housing", "112", housing="20x4.5"))
        yearly = next(each for each in found["costs"]["lines"] if each["of"] == "cartridge")
        self.assertEqual(yearly["working"][-1]["where"]["price"].split()[0], "18.50")
        self.assertFalse(yearly["sample"])
        self.assertEqual(found["costs"]["currency"], "LFC")
        self.assertEqual(stage(found, "sediment")["params"]["housing"], "20x4.5")

    def test_tanks_and_pumps(self) -> None:
        """Contact is held by the fewest tanks that are sold; a pump short of pressure is told by how much."""
        feed = [{"kind": "chemical_feed", "chemical": "chlorine"}, {"kind": "retention_tank"}, {"kind": "booster_pump", "pressure": "60 psi"}]
        fed = job(readings={"total_coliform": "present"}, train=feed)
        plain = stage(design_document(worked(fed)), "retention_tank")["params"]["volume"]["value"]
        found = sold(fed, item("T", "tank", "150", volume=f"{plain / 2.5:.1f} L"), item("P", "pump", flow="90 gpm", pressure="50 psi", power="900 W"))
        self.assertEqual([(row["code"], row["quantity"]["value"]) for row in rows(found, "tank")], [("T", 3)])
        self.assertIn("10 psi short of 60 psi", lacks(found)["catalogue/pump"])

    def test_the_planner_looks_for_what_is_sold(self) -> None:
        """Iron media: with only one sold, the train uses that one, and nothing is missing."""
        generic = next(each["params"]["medium"] for each in design_document(worked(job()))["train"] if each["kind"] == "oxidizing_filter")
        self.assertEqual(generic, "air_charged")
        media = [
            item(key, "medium", medium=key, bag="1 ft3", mass="50 lb")
            for key in ("calcite", "softening_resin", "zeolite", "manganese_dioxide", "granular_carbon")
        ]
        found = sold(job(), *media)
        self.assertNotIn("catalogue/medium", lacks(found))
        self.assertNotIn("air_charged", [each["params"].get("medium") for each in found["train"]])

    def test_what_is_not_sold_at_all_stays_generic(self) -> None:
        found = sold(job(), item("V", "vessel", size="10x54"))
        (note,) = [each for each in found["assumptions"] if each["path"] == "$.catalogue.items"]
        self.assertIn("no lamp", note["why"])
        self.assertNotIn("no vessel", note["why"])
        self.assertNotIn("catalogue/lamp", lacks(found))

    def test_choices_are_of_what_is_sold(self) -> None:
        """Every point of the field stands on vessels that are sold, and put into the job as its train it costs the same."""
        document = {**job(readings=HARD_ONLY), "catalogue": json.loads(LARKFELL.read_text())}
        sizes = {each["fits"]["size"] for each in document["catalogue"]["items"] if each["kind"] == "vessel"}
        points = field_of(worked(document), 40).as_json()["points"]
        self.assertGreater(len(points), 10)
        for point in points[:12]:
            design = worked({**document, "train": point["train"]})
            self.assertEqual(design_document(design)["choice"]["first"], point["first"], point["train"])
            for each in design.chosen.run.stages:
                if each.sizing.bed is not None:
                    self.assertIn(each.sizing.bed.tank, sizes)


class Apart(TestCase):
    def test_one_catalogue_never_reaches_another_job(self) -> None:
        """The same job with two catalogues and with none, in turn, in one process: each stands on its own."""
        hard = job(readings=HARD_ONLY)
        one, other = [item("ONE", "vessel", size="12x52")], [item("TWO", "vessel", size="13x54")]
        before = json.dumps(design_document(worked(hard)))
        for items, code in ((one, "ONE"), (other, "TWO"), (one, "ONE")):
            self.assertEqual({row["code"] for row in rows(sold(hard, *items), "vessel")}, {code})
        self.assertEqual(json.dumps(design_document(worked(hard))), before)


ANYTHING = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=12),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["code", "kind", "fits", "price", "what", "items", "size"]), inner, max_size=4)
    ),
)


class Refused(TestCase):
    def told(self, document: Any) -> str:
        with self.assertRaises(BadDocument) as caught:
            worked({**job(), "catalogue": document})
        return "\n".join(str(fault) for fault in caught.exception.faults)

    def test_each_by_its_path(self) -> None:
        vessel = item("V", "vessel", size="10x54")
        cases = {
            "$.catalogue.items[1].code": stock(vessel, vessel),
            "$.catalogue.items[0].fits.rated_dose": stock(item("L", "lamp", rated="12 gpm", rated_uvt=95, power="55 W")),
            "$.catalogue.items[0].price": stock(item("V", "vessel", "-1", size="10x54")),
            "$.catalogue.items[0].fits.siz": stock(item("V", "vessel", siz="10x54")),
            "$.catalogue.items[0].fits.size": stock(item("V", "vessel")),
            "$.catalogue.items[0].kind": stock(item("V", "vessels", size="10x54")),
            "$.catalogue.items[0].fits.key": stock(item("F", "fitting", key="slat")),
            "$.catalogue.items[0].fits.for": stock(item("M", "membrane", rated="400 gpd", recovery=0.5, for_="garden")),
            "$.catalogue.items[0].code": stock({**vessel, "code": "  "}),
            "$.catalogue.currency": stock(vessel, currency=""),
            "$.catalogue.format": stock(vessel, format="cairn-job/1"),
            "$.catalogue": "elsewhere.json",
        }
        for path, document in cases.items():
            with self.subTest(path):
                self.assertIn(f"{path}: ", self.told(document))

    def test_two_currencies_in_one_job(self) -> None:
        with self.assertRaises(BadDocument) as caught:
            worked({**job({"firm": {"currency": "EUR"}}), "catalogue": stock()})
        self.assertEqual([fault.path for fault in caught.exception.faults], ["$.catalogue.currency"])

    @settings(max_examples=60, deadline=None)
    @given(ANYTHING)
    def test_anything_is_read_or_refused(self, thing: Any) -> None:
        for document in (thing, stock(thing), stock(item("A", "vessel", size=thing))):
            try:
                read_catalogue(document)
            except BadDocument as error:
                self.assertTrue(all(fault.path.startswith("$") for fault in error.faults))


class Files(TestCase):
    def test_the_sample_reads_and_writes_the_same(self) -> None:
        document = json.loads(LARKFELL.read_text())
        jsonschema.validate(document, catalogue_schema())
        read = read_catalogue(document)
        self.assertEqual(read_catalogue(read.written()), read)
        self.assertEqual({each["kind"] for each in document["items"]}, set(KINDS))
        for kind in KINDS:
            self.assertTrue(asked_of(kind))

    def test_a_design_with_a_catalogue_keeps_its_schema(self) -> None:
        document = design_document(worked({**job(), "catalogue": json.loads(LARKFELL.read_text())}))
        jsonschema.validate(document, design_schema())

    def test_a_path_beside_or_below_the_job(self) -> None:
        with TemporaryDirectory() as folder:
            here = Path(folder)
            (here / "jobs/sub").mkdir(parents=True)
            for path in (here / "jobs/sub/c.json", here / "above.json"):
                path.write_text(json.dumps(stock(item("V", "vessel", size="13x54"))))
            document = copy.deepcopy(job(readings=HARD_ONLY))
            (here / "jobs/j.json").write_text(json.dumps({**document, "catalogue": "sub/c.json"}))
            bed = next(each.sizing.bed for each in design_in(str(here / "jobs/j.json")).chosen.run.stages if each.sizing.bed is not None)
            self.assertEqual(bed.tank, "13x54")
            for elsewhere in ("../above.json", str(here / "above.json"), "sub/none.json"):
                (here / "jobs/j.json").write_text(json.dumps({**document, "catalogue": elsewhere}))
                with self.assertRaises(BadDocument) as caught:
                    design_in(str(here / "jobs/j.json"))
                self.assertEqual([fault.path for fault in caught.exception.faults], ["$.catalogue"])


class Tables(TestCase):
    def test_a_catalogue_as_a_table_and_back(self) -> None:
        items = json.loads(LARKFELL.read_text())["items"]
        sheet = table_of(items)
        read = rows_read(sheet, roles_of(sheet[0]), 1)
        self.assertEqual([row.faults for row in read], [{}] * len(items))
        back = read_catalogue({**json.loads(LARKFELL.read_text()), "items": [row.document for row in read]})
        self.assertEqual(back, read_catalogue(json.loads(LARKFELL.read_text())))

    def test_a_suppliers_list(self) -> None:
        """Headings of another language with units in them, a title above, a decimal comma, a kind that no row names."""
        sheet = [["Preisliste 2026"], ["Art nr", "Bezeichnung", "Rated flow (gpm)", "UVT", "Dose", "Watts (W)", "Preis"],
                 ["A1", "UV 12", "12", "95 %", "40", "55", "€ 1.240,50"], ["", "", "", "", "", "", ""], ["A1", "UV 13", "13", "95", "40 mJ/cm2", "55", "gratis"]]  # fmt: skip
        at = heading_at(sheet)
        first, second = rows_read(sheet, roles_of(sheet[at]), at + 1, "lamp")
        self.assertEqual((first.document["price"], first.document["fits"]["rated"], first.faults), ("1240.5", "12 gpm", {}))
        self.assertEqual((second.number, set(second.faults)), (5, {"code", "price"}))

    def test_a_line_that_is_typed(self) -> None:
        typed = fits_typed("vessel", "10x54; height: 55 in")
        self.assertEqual(
            item_of({"code": ("V", ""), "what": ("Tank", ""), "price": ("12,50", ""), **typed}, "vessel")["fits"],
            {"size": "10x54", "height": "55 in"},
        )
        self.assertEqual(unknown_fields("vessel", fits_typed("vessel", "size: 10x54; hight: 3 m")), ["hight"])

    def test_twenty_thousand_rows(self) -> None:
        sheet = [["code", "what", "kind", "price", "size"], *([f"V{i}", "Tank", "vessel", "1", "10x54"] for i in range(20_500))]
        read = rows_read(sheet, roles_of(sheet[0]), 1)
        self.assertEqual((len(read), sum(bool(row.faults) for row in read)), (20_000, 0))
