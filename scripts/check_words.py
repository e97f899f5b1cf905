"""Looks over everything people read: words that the product does not use, orders that do not begin with a verb, warning signs that do
not say *if*, units typed into prose, sentences too long for an owner. Lists each with its place; --count: how many, by file.
"""

from __future__ import annotations

import re
import sys
import tomllib
from collections import Counter
from collections.abc import Iterator

from spoken import ROOT, Said, everything

TABLE = tomllib.loads((ROOT / "treatment/data/house_words.toml").read_text(encoding="utf-8"))
GRAMMAR = TABLE["grammar"]
VERBS = frozenset(verb.lower() for verb in GRAMMAR["verbs"])
#: what an owner reads
OWNERS = ("workbench/templates/logs/house.html", "workbench/templates/logs/labels_pdf.html")
#: tables whose sentences name quantities that every job reads in its own units
PROSE = ("commissioning", "upkeep", "causes", "verdicts", "words")


def offences(said: Said) -> list[str]:
    """What is said against a string."""
    return [*_words(said), *_grammar(said)]


def _words(said: Said) -> Iterator[str]:
    """Each word that is not used, and what to use."""
    for word in TABLE["word"]:
        for hit in re.finditer(word["find"], said.text, re.IGNORECASE):
            if not any(said.where.startswith(each["where"]) and re.search(each.get("text", ""), said.text) for each in word.get("allow", ())):
                yield f"“{hit.group()}”: use {word['use']}"


def _grammar(said: Said) -> Iterator[str]:
    table, key = said.where.rpartition("/")[2].removesuffix(".toml"), said.what.rpartition(".")[2]
    ways = [re.sub(r"^\[[^\]]*\] *", "", way) for way in said.text.split("|")] if said.where.endswith(".toml") else [said.text]
    if f"{table}.{key}" in GRAMMAR["commands"]:
        yield from (f"“{way[:40]}”: begin with a verb" for way in ways if not begins_with_a_verb(way))
    if key == "bad_sign":
        yield from (f"“{way[:40]}”: say “If …: do …”" for way in ways if not (way.startswith("If ") and ": " in way))
    if (
        said.where.endswith(".toml")
        and table in PROSE
        and re.search(GRAMMAR["units"], re.sub(r"\{[^}]*\}", "", said.text))
        and not re.search(GRAMMAR["two"], said.text)
    ):
        yield "a unit typed into prose: write {2 psi}"
    if said.where in OWNERS and said.what == "text":
        yield from (f"“{each[:40]} …”: {len(each.split())} words; {GRAMMAR['owner']} at most" for each in sentences(said.text) if too_long(each))


def begins_with_a_verb(text: str) -> bool:
    """Whether an order begins with a verb, after a short label with a colon where it has one."""
    parts = [text, *([text.split(": ", 1)[1]] if ": " in text[: GRAMMAR["label"]] else [])]
    return any(part.split()[0].strip(".,:").lower() in VERBS for part in parts if part.split())


def too_long(sentence: str) -> bool:
    """Whether a sentence is too long for an owner, and none that is allowed to be."""
    return len(sentence.split()) > GRAMMAR["owner"] and not any(each["text"] in sentence for each in GRAMMAR["longer"])


def sentences(text: str) -> list[str]:
    """The sentences of a text."""
    return [each for each in re.split(r"(?<=[.!?:])\s+", text) if each]


def main() -> int:
    spoken = list(everything())
    found = [(said, each) for said in spoken for each in offences(said)]
    if "--count" in sys.argv:
        for where, count in Counter(said.where for said, _ in found).most_common():
            print(f"{count:4} {where}")
        print(f"{len(found)} in {len(spoken)} strings")
        return 0
    for said, each in found:
        print(f"{said.where}:{said.line}: {each}\n    {said.text[:220]}", file=sys.stderr)
    return int(bool(found))


if __name__ == "__main__":
    sys.exit(main())
