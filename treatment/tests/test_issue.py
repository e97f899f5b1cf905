"""Issued designs: one spelling, one checksum, letters, what changed and why; papers from the frozen document alone."""

from __future__ import annotations

import copy
import hashlib
import json
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..papers.design_file import design_document
from ..papers.issue import FACTS, FROZEN, PRICES, RULES, VALUES, canonical, changes, checksum, frozen, letter
from ..papers.printed import PAPERS, SAFETY, PaperText
from ..papers.sheets import train_sheet, wall_sheet
from ..train.weights import load_rows
from .example import job, worked

BESIDES = {"firm": "Larkfell Water", "to": "the Tarn family", "reason": "", "train": "<svg/>", "wall": "<svg/>", "wall_scale": 20, "options": []}


def issued(document: dict[str, Any] | None = None, **besides: Any) -> dict[str, Any]:
    held = document or job()
    return frozen(held, design_document(worked(held)), BESIDES | besides)


def text_of(paper: PaperText) -> str:
    return "\n".join("\n".join((block.heading, *block.lines, *(" | ".join(row) for row in block.rows))) for block in paper.blocks)


class Frozen(TestCase):
    def test_the_checksum_is_over_one_spelling(self) -> None:
        """As anybody works it out from the document: sorted keys, no blanks, UTF-8."""
        whole = issued()
        self.assertEqual(set(whole), set(FROZEN))
        spelled = json.dumps(whole, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False).encode()
        self.assertEqual(checksum(whole), hashlib.sha256(spelled).hexdigest())
        self.assertEqual(canonical(json.loads(spelled)), spelled)
        self.assertEqual(checksum(issued()), checksum(whole), "the same job is frozen as the same bytes")

    @given(st.integers(0, 20_000))
    def test_letters_follow_each_other(self, number: int) -> None:
        """Longer ones after shorter ones, each once, in the order of the alphabet."""
        one, other = letter(number), letter(number + 1)
        self.assertLess((len(one), one), (len(other), other))

    def test_letters_by_hand(self) -> None:
        self.assertEqual([letter(n) for n in (0, 25, 26, 51, 52, 701, 702)], ["A", "Z", "AA", "AZ", "BA", "ZZ", "AAA"])

    def test_nothing_of_a_catalogue_but_its_name_and_version(self) -> None:
        item = {"code": "V", "what": "Tank", "kind": "vessel", "price": "12", "fits": {"size": "12x52"}}
        catalogue = {"format": "cairn-catalogue/1", "name": "Stock", "version": "3", "currency": "LFC", "items": [item]}
        whole = issued(job({"catalogue": catalogue}))
        self.assertEqual(whole["catalogue"], {"name": "Stock", "version": "3", "currency": "LFC"})
        self.assertNotIn("catalogue", whole["job"])


class Changed(TestCase):
    def test_nothing_changed(self) -> None:
        self.assertEqual(changes(issued(), issued()), [])

    def test_a_fact_and_what_follows(self) -> None:
        """More iron: the fact first, then values that follow from it."""
        found = changes(issued(), issued(job(readings={"iron": "6 mg/L", "ferrous_iron": "6 mg/L"})))
        self.assertEqual(found[0].why, FACTS)
        self.assertIn(("$.job.samples[0].readings.iron", "2.4 mg/L", "6 mg/L"), [(each.path, each.then, each.now) for each in found])
        self.assertIn(VALUES, {each.why for each in found})

    def test_a_later_engine_and_a_new_rule(self) -> None:
        then = issued()
        now = copy.deepcopy(then)
        now["engine"] = now["design"]["engine"] = "99.0"
        finding = copy.deepcopy(now["design"]["findings"][0]) | {"rule": "new-rule", "severity": "fault", "stage": None}
        now["design"]["findings"].append(finding)
        self.assertEqual([(each.why, each.path) for each in changes(then, now)], [(RULES, "$.engine"), (RULES, "$.design.findings.new-rule")])

    def test_a_price(self) -> None:
        found = changes(issued(), issued(job({"firm": {"prices": {"softening_resin": "9"}}})))
        self.assertIn(("$.prices.softening_resin", PRICES), [(each.path, each.why) for each in found])
        self.assertIn("$.design.costs.first.value", [each.path for each in found])


class Papers(TestCase):
    def test_a_proposal_says_all_that_is_signed(self) -> None:
        whole = issued(reason="They boil it.")
        text = text_of(PAPERS["proposal"](whole))
        for said in (
            "For the Tarn family.", "They boil it.", "Iron is 2.4 mg/L; the limit is 0.3 mg/L", "Softener: exchanges hardness", "Your water now", "To begin with:",
            "What you keep doing", "Add salt", "sample prices, made up", "Signature",
        ):  # fmt: skip
            self.assertIn(said, text)

    def test_money_stands_in_the_proposal_only(self) -> None:
        whole = issued()
        first = f"{float(whole['design']['costs']['first']['value']):,.2f}"
        self.assertIn(first, text_of(PAPERS["proposal"](whole)))
        for name in ("pack", "book", "labels"):
            text = text_of(PAPERS[name](whole))
            self.assertNotIn(first, text)
            for row in whole["design"]["materials"]:
                if row["price"] not in ("0.00", "1.00") and row["group"] == "equipment":
                    self.assertNotIn(row["price"], text, name)

    def test_the_pack_has_every_step_and_piece(self) -> None:
        whole = issued()
        text = text_of(PAPERS["pack"](whole))
        for step in whole["design"]["commissioning"]["steps"]:
            self.assertIn(step["title"], text)
        for row in whole["design"]["materials"]:
            if row["group"] not in ("consumables",):
                self.assertIn(row["what"], text)

    def test_every_paper_of_every_kind_of_train(self) -> None:
        """Nothing in a paper is empty or a word of the machine."""
        for train in (
            None,
            [],
            [{"kind": "uv", "lamp": "flow_switched"}],
            [{"kind": "reverse_osmosis"}, {"kind": "chemical_feed", "chemical": "chlorine"}],
        ):
            whole = issued(job(train=train) if train is not None else job())
            for paper in PAPERS.values():
                text = text_of(paper(whole))
                self.assertNotRegex(text, r"\bNone\b|\{|\bnan\b|\bXXX\b")

    def test_both_sentences_of_safety(self) -> None:
        self.assertIn("only a test of the treated water", SAFETY[0])
        self.assertIn("Local code", SAFETY[1])


class Sheets(TestCase):
    def test_the_train_from_the_frozen_document_alone(self) -> None:
        """Read again from its bytes it says the same: dangers, each stage with why it is there and its figures, findings with what to do and their source."""
        whole = issued(job({"limits": {"iron": {"high": "0.2 mg/L", "reason": "the laundry"}}}))
        sheet = train_sheet(whole)
        self.assertEqual(train_sheet(json.loads(canonical(whole))), sheet)
        text = text_of(sheet)
        self.assertIn("Calcite neutralizer → Air-charged iron filter → Softener", text)
        self.assertIn("1. Calcite neutralizer\nNeeded because otherwise pH would stay at 6.1.", text)
        self.assertIn("pH out | 7.1", text)
        self.assertIn("Iron: at most 0.2 mg/L. the laundry", text)
        self.assertIn("danger | Danger | Total coliform was found in the water.", text)
        self.assertIn("What to do: Keep boiling", text)
        self.assertIn(" | boil-water · Public-health practice", text)
        self.assertEqual(
            [len(block.rows) - 1 for block in sheet.blocks if block.name == "figures"], [len(stage["figures"]) for stage in whole["design"]["train"]]
        )

    def test_what_the_designer_said_stands_on_it(self) -> None:
        """A reason for a stage, and a limit of its own with its reason."""
        own = {"iron": {"high": "4 mg/L", "reason": "the maker's sheet"}}
        given: dict[str, Any] = {"train": [{"kind": "softener", "id": "soft", "reason": "it stood there", "feed_limits": own}]}
        text = text_of(train_sheet(issued(job(given))))
        self.assertIn("Fixed by the designer: it stood there", text)
        self.assertIn("The designer's own limit of iron: at most 4 mg/L (the maker's sheet).", text)

    def test_an_empty_train(self) -> None:
        self.assertIn("No treatment.", text_of(train_sheet(issued(job({"train": []})))))

    def test_the_wall_with_and_without_money(self) -> None:
        """Three mineral tanks of 10x54 in and what they cost; who may not see money reads the same list without it, and no amount of a cost."""
        besides = {"paper": "A3", "bar": "<svg/>", "above": "<svg/>", "loads": load_rows(worked(job()).chosen.run.stages, "us")}
        whole = issued(**besides)
        rows = whole["design"]["materials"]
        with_it, without = (text_of(wall_sheet(whole, money)) for money in (True, False))
        tank = next(row for row in rows if row["key"] == "vessel")
        each, count = float(tank["price"]), tank["quantity"]["value"]
        self.assertIn(f"{tank['what']} | {tank['note']} | {count:g} | {each:.2f} each | {each * count:.2f}", with_it)
        self.assertIn(f"{tank['what']} | {tank['note']} | {count:g}\n", without)
        whole_cost = sum(round(float(row["price"]) * row["quantity"]["value"], 2) for row in rows)
        self.assertIn(f"Total, with first-year consumables: {whole_cost:.2f}." if whole_cost < 10_000 else f"{whole_cost:,.2f}", with_it)
        self.assertIn("1000 gallons", with_it)
        for words in ("What it costs", "Total, with", "Price", f"{each:.2f}"):
            self.assertNotIn(words, without)
        self.assertIn("Weights and circuits\nUnit | Filled | Floor load", without)
        self.assertIn("Printed at full size on A3, the bar below has its stated length at 1:20.", without)
        self.assertEqual(wall_sheet(json.loads(canonical(whole)), True), wall_sheet(whole, True))

    def test_a_half_cent_is_rounded_as_on_the_list(self) -> None:
        """Half a unit at 0.25 is 0.125: 0.13, as the list of materials has it, not the 0.12 of rounding to even."""
        whole = issued(paper="A3", bar="<svg/>", above="<svg/>", loads=[])
        row = whole["design"]["materials"][0]
        row["price"], row["quantity"] = "0.25", {"value": 0.5, "unit": "each"}
        self.assertIn("| 0.5 | 0.25 each | 0.13\n", text_of(wall_sheet(whole, True)))
