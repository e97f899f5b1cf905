"""Every string that people read, with the place it stands in: tables, templates, Python, scripts of the browser, the command line."""

from __future__ import annotations

import ast
import re
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

ROOT = Path(__file__).resolve().parent.parent

#: tables that hold no prose, or the words of others: what reports print, where numbers come from
SILENT = {"report_words", "house_words", "units", "sources"}
#: keys of tables whose values are names, conditions or spellings that are read from people, not said to them
UNSAID = {
    "words", "aliases", "names", "needs", "when", "only", "unless", "readings", "amounts", "id", "key", "source", "kind", "kinds", "unit", "must", "may", "never",
    "drawing", "figures", "basis", "phase", "who", "where", "shows", "figure", "load", "quantity", "severity", "materials", "analyte", "verbs",
    "cautions", "find", "family", "read", "hazards", "style", "places", "formula", "column", "reads", "at", "own",
}  # fmt: skip
PYTHON = ("treatment", "workbench", "intake", "simulated", "vivid_cairn")
_TAG, _COMMENT = re.compile(r"\{%.*?%\}|\{\{.*?\}\}", re.DOTALL), re.compile(r"<!--.*?-->|\{#.*?#\}|<(script|style)\b.*?</\1>", re.DOTALL)
_READ = re.compile(r'\b(?:aria-label|title|placeholder|alt|data-\w*(?:say|text|word)\w*)="([^"]*)"')
_MARKUP = re.compile(r"<[^>]*>")
_CODE = re.compile(r"\\[bsdw]|\(\?|^\W*$|^[a-z_.<>/\-]+$")


class Said(NamedTuple):
    """A string, the file and line it stands in, and what it is: a key of a table, text, attribute, python or script."""

    where: str
    line: int
    what: str
    text: str


def everything() -> Iterator[Said]:
    """All of it."""
    for path in sorted((ROOT / "treatment/data").glob("*.toml")):
        if path.stem not in SILENT:
            yield from of_table(path)
    for path in sorted(ROOT.glob("workbench/**/templates/**/*")):
        if path.suffix in (".html", ".svg", ".txt", ".md"):
            yield from of_template(path)
    for top in PYTHON:
        for path in sorted((ROOT / top).rglob("*.py")):
            if "tests" not in path.parts and "migrations" not in path.parts:
                yield from of_python(path)
    for path in sorted((ROOT / "static/js").glob("*.js")):
        yield from of_script(path)


def of_table(path: Path) -> Iterator[Said]:
    """The values of a table, each with its key."""
    text = path.read_text(encoding="utf-8")
    for key, value in _values(tomllib.loads(text), ""):
        place = text.find(value.split("\n")[0][:40])
        yield Said(str(path.relative_to(ROOT)), text.count("\n", 0, max(place, 0)) + 1, key, value)


def _values(held: Any, key: str) -> Iterator[tuple[str, str]]:
    if isinstance(held, str):
        if " " in held or held[:1].isupper():
            yield key, held
    elif isinstance(held, dict):
        for name, each in held.items():
            if name not in UNSAID:
                yield from _values(each, name if not isinstance(each, dict) else (key and f"{key}.{name}") or name)
    elif isinstance(held, list):
        for each in held:
            yield from _values(each, key)


def of_template(path: Path) -> Iterator[Said]:
    """The text of a template, and the attributes that are read out."""
    raw, where = path.read_text(encoding="utf-8"), str(path.relative_to(ROOT))
    blank = _COMMENT.sub(lambda found: "\n" * found.group().count("\n"), raw)
    plain = _TAG.sub(lambda found: "…" + "\n" * found.group().count("\n"), blank)
    for found in _READ.finditer(plain):
        yield Said(where, plain.count("\n", 0, found.start()) + 1, "attribute", found.group(1))
    for found in _TAG.finditer(blank):
        for quoted in re.finditer(r"\"([^\"]*)\"|'([^']*)'", found.group()):
            text = quoted.group(1) or quoted.group(2) or ""
            if re.match(r"[A-Z][a-z]+|[a-z]+[ ,][a-z]+", text) and not re.search(r"[%/{}:]|^[A-Z] |css|\.html|_", text):
                yield Said(where, blank.count("\n", 0, found.start()) + 1, "tag", text)
    for number, line in enumerate(_MARKUP.sub(lambda found: "\n" * found.group().count("\n") or "\x00", plain).split("\n"), 1):
        for piece in line.split("\x00"):
            if re.search("[A-Za-z]{2}", piece):
                yield Said(where, number, "text", " ".join(piece.split()))


def of_python(path: Path) -> Iterator[Said]:
    """Strings of a module that are sentences or several words: no docstrings, patterns or names."""
    where, tree = str(path.relative_to(ROOT)), ast.parse(path.read_text(encoding="utf-8"))
    silent = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)}
    inside = {id(part) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for part in ast.walk(node) if part is not node}
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            text = "".join(str(part.value) if isinstance(part, ast.Constant) else "…" for part in node.values)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in silent and id(node) not in inside:
            text = node.value
        else:
            continue
        if " " in text and re.search("[a-z]{2}", text) and not _CODE.search(text):
            yield Said(where, node.lineno, "python", " ".join(text.split()))


def of_script(path: Path) -> Iterator[Said]:
    """Quoted words of a script of the browser."""
    for number, line in enumerate(path.read_text(encoding="utf-8").split("\n"), 1):
        for found in re.finditer(r"\"([^\"\n]+)\"|'([^'\n]+)'|`([^`\n]+)`", line.split(" // ")[0]):
            text = next(part for part in found.groups() if part)
            if " " in text and re.search("[A-Za-z]{3} [A-Za-z]", text):
                yield Said(str(path.relative_to(ROOT)), number, "script", text)
