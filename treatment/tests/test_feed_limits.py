"""A designer's own feed limits: read with their faults, put in place of ours, and said."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..job.feed_limits import FeedLimit, OwnFeedLimit, OwnFeedLimits, with_own
from ..job_file import read_job
from ..language.errors import BadDocument, Fault
from ..papers.design_file import design_document
from .example import job, worked


def read(raw: Any) -> tuple[Any, list[Fault]]:
    faults: list[Fault] = []
    return OwnFeedLimits().read(raw, "$", faults), faults


def design(iron: str, **keys: Any) -> Any:
    """An iron filter alone on an acid-free water with so much iron."""
    readings = {"iron": iron, "ferrous_iron": iron, "ph": "7.8", "alkalinity": "150 mg/L as CaCO3"}
    return worked(job(readings=readings, train=[{"kind": "oxidizing_filter", **keys}]))


def broken(design: Any) -> dict[str, Any]:
    return {finding.rule: finding for finding in design.chosen.findings if finding.rule.startswith("feed-limit/oxidizing_filter/")}


MAKER = {"iron": {"high": "15 mg/L", "reason": "maker's sheet"}}


class Reading(TestCase):
    def test_units_are_read_into_the_canonical_one(self) -> None:
        """300 ug/L of iron are 0.3 mg/L; 10 gpg of hardness are 10 x 17.118 mg/L."""
        found, faults = read(
            {
                "fe": {"high": "300 ug/L", "reason": "x"},
                "hardness": {"high": "10 gpg", "reason": "x"},
                "ph": {"low": "6.0", "high": "9", "reason": "x"},
            }
        )
        self.assertEqual(faults, [])
        self.assertEqual([each.analyte for each in found], ["iron", "hardness", "ph"])
        self.assertAlmostEqual(found[0].high, 0.3)
        self.assertAlmostEqual(found[1].high, 171.18, places=1)
        self.assertEqual((found[2].low, found[2].high), (6.0, 9.0))

    def test_what_cannot_be_read_is_refused_at_its_place(self) -> None:
        """No reason, no limit, a range, ends crossed, an unknown analyte, a microbe, one analyte twice: each has its path."""
        for raw, path, word in (
            ({"iron": {"high": "15 mg/L"}}, "$.iron.reason", "reason"),
            ({"iron": {"reason": "x"}}, "$.iron.high", "15 mg/L"),
            ({"iron": {"high": "much", "reason": "x"}}, "$.iron.high", ""),
            ({"iron": {"high": "2..4 mg/L", "reason": "x"}}, "$.iron.high", "range"),
            ({"ph": {"low": "8", "high": "7", "reason": "x"}}, "$.ph.high", "above"),
            ({"irony": {"high": "1", "reason": "x"}}, "$.irony", "unknown"),
            ({"e_coli": {"high": "1 CFU/100mL", "reason": "x"}}, "$.e_coli", "microbes"),
            ({"fe": {"high": "1 mg/L", "reason": "x"}, "iron": {"high": "2 mg/L", "reason": "x"}}, "$.iron", "twice"),
            ({"iron": {"hihg": "1 mg/L", "reason": "x"}}, "$.iron.hihg", ""),
            ([], "$", "object"),
        ):
            with self.subTest(raw=raw):
                _, faults = read(raw)
                self.assertIn(path, [fault.path for fault in faults])
                self.assertIn(word, " ".join(fault.message for fault in faults))

    def test_a_job_with_a_bad_one_is_refused_by_its_path(self) -> None:
        """The path leads through the train to the limit."""
        document = job(train=[{"kind": "softener", "feed_limits": {"tannin": {"high": "3 mg/L"}}}])
        with self.assertRaises(BadDocument) as caught:
            read_job(document)
        self.assertEqual([fault.path for fault in caught.exception.faults], ["$.train[0].feed_limits.tannin.reason"])


class InPlaceOfOurs(TestCase):
    OURS = (
        FeedLimit("iron", None, 10.0, "book", "more than it clears"),
        FeedLimit("ph", 6.8, None, "book", "too slow"),
        FeedLimit("ph", None, 8.8, "book", "colloids", "caution"),
        FeedLimit("uvt", 75.0, 100.0, "book", "too little light"),
    )

    def test_a_ceiling_replaces_ceilings_and_a_floor_floors(self) -> None:
        """pH: only the floor was given, so our ceiling stays; the gravity and the reason stay ours, the source is said."""
        found = with_own(self.OURS, [OwnFeedLimit("ph", 6.2, None, "maker")])
        self.assertEqual([(each.low, each.high, each.own) for each in found if each.analyte == "ph"], [(None, 8.8, False), (6.2, None, True)])
        self.assertEqual(found[-1].because, "too slow")
        self.assertIn("maker", found[-1].source)

    def test_one_end_of_a_limit_with_two_is_replaced_alone(self) -> None:
        """The other end stays ours."""
        found = with_own(self.OURS, [OwnFeedLimit("uvt", 65.0, None, "maker")])
        self.assertEqual([(each.low, each.high) for each in found if each.analyte == "uvt"], [(None, 100.0), (65.0, None)])

    def test_a_limit_on_what_was_not_asked_is_a_fault(self) -> None:
        """The designer asks for more than we do."""
        found = with_own(self.OURS, [OwnFeedLimit("sulfate", None, 100.0, "maker")])
        self.assertEqual((found[-1].analyte, found[-1].high, found[-1].severity), ("sulfate", 100.0, "fault"))

    def test_none_changes_nothing(self) -> None:
        """Without own limits ours stand as they are."""
        self.assertEqual(with_own(self.OURS, []), list(self.OURS))


class InTheAudit(TestCase):
    def test_a_looser_limit_quiets_and_a_stricter_one_speaks(self) -> None:
        """12 mg/L break our 10 mg/L, not the maker's 15; 4 mg/L keep ours, not a maker's 3."""
        self.assertIn("feed-limit/oxidizing_filter/iron", broken(design("12 mg/L")))
        self.assertNotIn("feed-limit/oxidizing_filter/iron", broken(design("12 mg/L", feed_limits=MAKER)))
        self.assertNotIn("feed-limit/oxidizing_filter/iron", broken(design("4 mg/L")))
        strict = broken(design("4 mg/L", feed_limits={"iron": {"high": "3 mg/L", "reason": "old sheet"}}))["feed-limit/oxidizing_filter/iron"]
        self.assertIn("old sheet", strict.source)
        self.assertIn("its feed limit is 3 mg/L", strict.message)

    def test_what_the_treatment_does_stays(self) -> None:
        """A limit changes what is accepted, not the water that leaves."""
        ours, own = design("12 mg/L"), design("12 mg/L", feed_limits=MAKER)
        self.assertEqual(ours.chosen.run.finished, own.chosen.run.finished)

    def test_the_design_document_marks_it(self) -> None:
        """Every limit of a stage stands there, the designer's marked as such."""
        stage = design_document(design("12 mg/L", feed_limits=MAKER))["train"][0]
        rows = {row["analyte"]: row for row in stage["feed_limits"] if row["high"]}
        self.assertEqual((rows["iron"]["high"], rows["iron"]["own"]), ({"value": 15, "unit": "mg/L"}, True))
        self.assertFalse(rows["manganese"]["own"])
