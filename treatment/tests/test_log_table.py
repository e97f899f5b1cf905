"""A table of readings as people keep it: days that settle each other, columns by their words, notes, and what cannot be kept."""

from __future__ import annotations

import datetime as dt
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..language.errors import NotUnderstood
from ..operation.entry.log_table import NOTE, Understood, choices, date_of, order_of, understood, words_of
from .fuzz import fuzz
from .test_log_line import line

TODAY = dt.date(2026, 6, 1)
IDS = ("chlorine", "iron", "stone", "soft", "uv")


def read(*rows: str, system: str = "us", **more: object) -> Understood:
    found = line(system=system)
    return understood([row.split("|") for row in rows], found, found.ids, system, TODAY, **more)  # type: ignore[arg-type]


class Days(TestCase):
    def test_days_settle_each_other(self) -> None:
        """03/04 alone could be two days; 25/04 in the same column says that the day comes first, and 04/25 that the month does."""
        day_first = read("Date|pH", "03/04/2026|7.1", "25/04/2026|7.2")
        self.assertEqual([on for on, _ in day_first.rows], [dt.date(2026, 4, 3), dt.date(2026, 4, 25)])
        month_first = read("Date|pH", "03/04/2026|7.1", "04/25/2026|7.2")
        self.assertEqual([on for on, _ in month_first.rows], [dt.date(2026, 3, 4), dt.date(2026, 4, 25)])

    def test_what_no_day_settles_is_asked_once(self) -> None:
        found = read("Date|pH", "03/04/2026|7.1", "05/05/2026|7.2")
        self.assertTrue(found.asks)
        self.assertEqual(([on for on, _ in found.rows], [number for number, _ in found.bad]), ([dt.date(2026, 5, 5)], [2]))
        told = read("Date|pH", "03/04/2026|7.1", "05/05/2026|7.2", order="month")
        self.assertEqual((told.asks, [on for on, _ in told.rows]), (False, [dt.date(2026, 3, 4), dt.date(2026, 5, 5)]))

    def test_days_that_disagree_settle_nothing(self) -> None:
        self.assertEqual(order_of(["25/04/2026", "04/25/2026"]), "")

    def test_days_written_anyhow(self) -> None:
        for text in ("2026-03-14", "14.03.2026", "14 Mar 2026", "14 March 2026", "2026/03/14", "14/3/26", "3-14-2026", "2026-03-14T08:00:00"):
            self.assertEqual(date_of(text), dt.date(2026, 3, 14), text)
        for text in ("", "soon", "31/02/2026", "14.13.2026"):
            self.assertRaises(NotUnderstood, date_of, text)

    def test_a_day_to_come_is_refused_beside_its_row(self) -> None:
        found = read("Date|pH", "2026-07-01|7.1", "2026-05-01|7.2")
        self.assertEqual([number for number, _ in found.bad], [2])
        self.assertIn("future", found.bad[0][1])
        self.assertEqual(found.rest, "Date\tpH\n2026-07-01\t7.1")

    @given(st.dates(dt.date(2000, 1, 1), dt.date(2026, 5, 31)))
    def test_either_order_reads_the_day_that_was_written(self, day: dt.date) -> None:
        self.assertEqual(date_of(f"{day:%d/%m/%Y}", "day" if day.day <= 12 else ""), day)
        self.assertEqual(date_of(f"{day:%m/%d/%Y}", "month" if day.day <= 12 else ""), day)


class Columns(TestCase):
    def test_headings_in_words_with_their_unit(self) -> None:
        """0.25 under “iron after iron filter (mg/L)” is that unit's; 12 under “salt level” is in the job's own inches."""
        found = read("Date|iron after iron filter (mg/L)|salt level|Remarks", "2026-05-01|0.25|12|red water")
        self.assertEqual([key for _, key in found.columns], ["date", "iron.iron_out", "soft.salt_level", NOTE])
        self.assertEqual(found.rows[0][1], {"readings": {"iron.iron_out": "0.25 mg/L", "soft.salt_level": "12 in"}, "note": "red water"})

    def test_a_column_nobody_knows_is_kept_in_words_where_a_person_says_so(self) -> None:
        rows = ("Date|pH|Sky", "2026-05-01|7.1|gray")
        self.assertNotIn("note", read(*rows).rows[0][1])
        self.assertEqual(read(*rows, chosen={2: NOTE}).rows[0][1]["note"], "Sky: gray")

    def test_a_key_of_another_train_is_not_taken(self) -> None:
        self.assertEqual(read("Date|pH", "2026-05-01|7", chosen={1: "ozone.ph_out"}).columns[1], ("pH", ""))

    def test_a_cell_that_is_no_reading_leaves_the_other_rows(self) -> None:
        found = read("Date|pH", "2026-05-01|plenty", "2026-05-02|7.2")
        self.assertEqual((len(found.rows), found.bad[0][0]), (1, 2))
        self.assertIn("pH", found.bad[0][1])

    def test_what_every_column_may_be(self) -> None:
        known = {key: words for _, keys in choices(line()) for key, words in keys}
        self.assertEqual(known["meter"], "House: water meter, running total")
        self.assertIn("soft.hardness_out", known)
        for key in known:
            self.assertTrue(words_of(key, line()), key)

    def test_a_table_without_days_or_rows_says_so(self) -> None:
        self.assertIn("Choose the column", read("pH|iron", "7|0.1").problem)
        self.assertIn("headings", read("Date|pH").problem)
        self.assertIn("columns", read("|".join("a" for _ in range(101)), "b").problem)

    @fuzz(200)
    @given(st.lists(st.lists(st.text(max_size=12), min_size=1, max_size=5), max_size=6))
    def test_anything_pasted_is_answered(self, rows: list[list[str]]) -> None:
        """Every row is kept or told, whatever is in it."""
        found = understood([["Date", "pH", "meter"], *rows], line(), IDS, "us", TODAY)
        if not found.problem:
            self.assertEqual(len(found.rows) + len(found.bad), sum(any(cell.strip() for cell in row) for row in rows))
