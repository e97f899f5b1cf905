"""What owners read in another language: every sentence of the tables, of every rule, and of the frozen designs has its message."""

from __future__ import annotations

import ast
import gettext
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..evidence.symptoms import observed
from ..job.facts import OBSERVATIONS
from ..language.analytes import analytes
from ..language.messages import DOMAIN, FOLDER, LANGUAGES, Messages, messages_in
from ..language.tables import table
from ..language.translated import broken, translated, untranslated
from ..papers.issue import frozen
from ..papers.printed import PAPERS, SAFETY
from . import golden
from .example import worked
from .fuzz import fuzz
from .test_audit import CASES

CORE = Path(__file__).resolve().parents[1]
OTHER = [language for language in LANGUAGES if language != "en"]
QUANTITY = re.compile(r"\{(\d[^{}|]*)\}")
#: rules that only an installer's or designer's page shows: their severity is a note's
PLACE = "\u0001"


def say(language: str) -> Messages:
    found = messages_in(language)
    assert found is not None
    return found


def entries(language: str) -> dict[str, str]:
    return {text: said for text, said in gettext.translation(DOMAIN, FOLDER, [language])._catalog.items() if text}  # type: ignore[attr-defined]


def variants(text: str) -> list[str]:
    """A sentence of the tables as it is read: each of its forms, quantities written out."""
    return [QUANTITY.sub(r"\1", re.sub(r"^\[\w+\] ", "", form)) for form in text.split("|")]


def of_tables() -> Iterator[str]:
    """Every sentence of the tables that an owner may read."""

    def under(rows: Any, keys: tuple[str, ...]) -> Iterator[str]:
        for key, value in rows.items() if isinstance(rows, dict) else ():
            if key in keys:
                yield from [value] if isinstance(value, str) else value if isinstance(value, list) else ()
            yield from under(value, keys)

    yield from under(table("upkeep"), ("task", "do", "why"))
    yield from under(table("commissioning"), ("bad_sign",))
    yield from table("commissioning")["hazards"].values()
    yield from under(table("causes"), ("do",))
    yield from table("interface")["cause"].values()
    yield from (row.name for row in analytes().values())
    yield from (row["name"] for row in table("media").values() if isinstance(row, dict) and "min_bed" in row)
    yield from map(observed, OBSERVATIONS)
    yield from SAFETY
    yield from (row["words"] for row in table("report_words")["dangerous"].values())


def templates() -> Iterator[tuple[str, str]]:
    """The message of every rule of the core as it is written, what is filled in marked; and where it is."""

    def text(node: ast.expr | None) -> str:
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            return node.value
        if isinstance(node, ast.JoinedStr):
            return "".join(part.value if isinstance(part, ast.Constant) else PLACE for part in node.values)
        return text(node.left) + text(node.right) if isinstance(node, ast.BinOp) else PLACE

    for path in [*sorted((CORE / "checks").glob("*.py")), *sorted((CORE / "treatments").glob("*.py"))]:
        for node in ast.walk(ast.parse(path.read_text())):
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "Hit"):
                continue
            told = node.args[1] if len(node.args) > 1 else next(word.value for word in node.keywords if word.arg == "message")
            for form in (told.body, told.orelse) if isinstance(told, ast.IfExp) else (told,):
                yield text(form), f"{path.name}:{node.lineno}"


def unsaid(template: str, everything: str) -> list[str]:
    """The stretches of a template, between what is filled in, that stand in no message."""
    parts = (re.sub(r"^ ?(%|µm|min|kW|g/L|days)(?=[ ;]|$)", "", part).strip() for part in re.split(f"{PLACE}|(?<=[.?!]) ", template))
    return [part for part in parts if len(part) > 9 and part not in everything]


class MessageFiles(TestCase):
    def test_places_are_the_same_on_both_sides(self) -> None:
        for language in OTHER:
            for text, said in entries(language).items():
                with self.subTest(text, language=language):
                    self.assertTrue(said)
                    self.assertEqual(set(re.findall(r"\{(\w+)\}", text)), set(re.findall(r"\{(\w+)\}", said)))

    def test_every_sentence_of_the_tables(self) -> None:
        for language in OTHER:
            left = {
                text
                for sentence in of_tables()
                for text in variants(sentence)
                if say(language).say(text) is None and say(language).amount(text) is None
            }
            self.assertEqual(left, set(), language)

    def test_every_rule_has_a_message(self) -> None:
        """What a rule may say, fired or not, is in the message file, stretch by stretch between what it fills in."""
        for language in OTHER:
            everything = "\n".join(entries(language))
            for text, where in templates():
                with self.subTest(where, language=language):
                    self.assertEqual(unsaid(text, everything), [])


class Designs(TestCase):
    """The papers of frozen designs, and of every mistake that a rule knows."""

    BESIDE = {
        "to": "", "reason": "", "place": None, "firm": "Larkfell", "mark": "", "train": "", "wall": "", "wall_scale": 20, "bypass": "x", "shut": "x", "options": [],
    }  # fmt: skip

    def lines(self, job: dict[str, Any], design: dict[str, Any]) -> Iterator[str]:
        whole = frozen(job, design | {"engine": ""}, self.BESIDE)
        for name in ("proposal", "book", "labels"):
            for block in PAPERS[name](whole).blocks:
                yield from (block.heading, *block.lines, *(cell for row in block.rows for cell in row))

    def left(self, lines: Iterator[str], language: str) -> set[str]:
        page = "".join(f"<p>{line.replace('&', '&amp;').replace('<', '&lt;')}</p>" for line in lines)
        return set(untranslated(page, say(language)))

    def test_frozen_designs(self) -> None:
        for row in golden.frozen():
            for language in OTHER:
                with self.subTest(row["name"], language=language):
                    self.assertEqual(self.left(self.lines(row["job"], row["design"]), language), set())

    def test_every_mistake(self) -> None:
        """Of each rule the job that fires it: what its proposal warns of."""
        for id, (job, _) in CASES.items():
            for language in OTHER:
                with self.subTest(id, language=language):
                    grave = [finding.message for finding in worked(job).chosen.findings if finding.severity != "advice"]
                    self.assertEqual(self.left(iter(grave), language), set())


class Looked(TestCase):
    ENTRIES = {
        "The {a} is {n} full.": "{a}: {n} voll.",
        "Tank": "Behälter",
        "{a} was found.": "{a} gefunden.",
        "Iron": "Eisen",
        "Lead": "Blei",
        "and": "und",
    }

    def test_a_sentence_with_an_unknown_part_stays_whole(self) -> None:
        say = Messages(self.ENTRIES)
        self.assertEqual(say("The tank is 1,234.5 L full."), "Behälter: 1.234,5 L voll.")
        self.assertEqual(say("The cistern is 3 L full."), "The cistern is 3 L full.")
        self.assertEqual(say("The tank is quite full."), "The tank is quite full.")
        self.assertEqual(say("Iron and lead was found. The tank is 3 L full."), "Eisen und Blei gefunden. Behälter: 3 L voll.")

    def test_numbers_and_days(self) -> None:
        """A point becomes a comma, thousands a point; a fraction, a range and a unit stay; a month is named, shortly where it was short."""
        german = say("de")
        told = {
            "1,250.5 mg/L": "1.250,5 mg/L", "0.056 mg/L": "0,056 mg/L", "10,000": "10.000", "3/4 in": "3/4 in", "< 0.01 mg/L": "< 0,01 mg/L", "12.5%": "12,5%",
            "3 December 2026": "3. Dezember 2026", "3 Dec 2026": "3. Dez. 2026", "May 3, 2026": "3. Mai 2026", "120 CFU/100 mL": "120 KBE/100 mL",
        }  # fmt: skip
        for text, said in told.items():
            self.assertEqual(german.amount(text), said)
        for text in ("Tuesday", "12 Monkeys live here", "3 days"):
            self.assertIsNone(german.amount(text))

    def test_a_page(self) -> None:
        """Marks, scripts and what people typed stay; what is read out of marks does not."""
        page = '<p class="Iron" title="Iron"> Iron: <bdi>Iron</bdi></p><script>Iron</script><input placeholder="Lead" value="Lead">'
        said = '<p class="Iron" title="Eisen"> Iron: <bdi>Iron</bdi></p><script>Iron</script><input placeholder="Blei" value="Lead">'
        self.assertEqual(translated(page, Messages(self.ENTRIES)), said)
        self.assertEqual(untranslated(page, Messages(self.ENTRIES)), ["Iron:"])

    def test_names_in_a_drawing(self) -> None:
        """The lines of a name are one name: two lines of ours, two of theirs; a name beside it is another."""
        drawn = '<text x="1" y="5" class="t-name">Calcite</text>\n<text x="1" y="18" class="t-name">neutralizer</text><text x="9" y="5" class="t-name">Softener</text>'
        said = re.findall(r">([^<]*)<", translated(drawn, say("de")))
        self.assertEqual([text for text in said if text.strip()], ["Calcit-", "Entsäuerungsfilter", "Enthärter"])

    @given(st.lists(st.text("abcdef", min_size=1, max_size=14), min_size=1, max_size=5), st.integers(1, 3))
    def test_a_broken_name_loses_no_letter(self, words: list[str], lines: int) -> None:
        told = broken(" ".join(words), lines)
        self.assertEqual(len(told), lines)
        self.assertEqual("".join(told).replace(" ", ""), "".join(words))

    @fuzz(300)
    @given(st.text(max_size=60))
    def test_any_text_comes_back(self, text: str) -> None:
        """Whatever people write, nothing breaks, and marks of a page stay as many."""
        page = f"<p>{text}</p>".replace("\x00", "")
        self.assertEqual(translated(page, say("de")).count("<"), page.count("<"))
