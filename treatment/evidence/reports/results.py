"""A row's result, with the marks, limits and units beside it -> a reading, and how sure it is."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from functools import cache

from ...language.analytes import Analyte
from ...language.errors import NotUnderstood
from ...language.quantity import ABOUT
from ...language.reading import Reading, parse_reading
from ...language.tables import table
from .headings import is_unit
from .names import Meaning
from .numbers import NUMBER, number, powers
from .sheets import plain

_VALUE = re.compile(rf"^(?P<sign><=|>=|[<>≤≥=~≈]|(?:nd|lt|gt)\b)?\s*(?P<a>-?(?:{NUMBER}))(?P<rest>.*)$", re.IGNORECASE | re.DOTALL)
_RANGE = re.compile(
    rf"^(?P<la>nd|n\.d\.|bdl|<|u)?\s*(?P<a>{NUMBER})?\s*(?P<ua>[^\d\s<>–-][^–<>]{{0,12}}?)?\s*(?:\.\.|…|–|—|-|\bto\b|\bbis\b|\ba\b|\btot\b)\s*(?P<sign><)?\s*(?P<b>{NUMBER})(?P<rest>.*)$",
    re.IGNORECASE,
)
_SPREAD = re.compile(rf"(?:±|\+/-|\+-)\s*(?:{NUMBER})\s*%?")
_LOOKS = re.compile(
    rf"^\W{{0,3}}(?:(?:nd|u|lt|gt|tntc)\b\W*)?(?:{NUMBER})(?:\W.*|[a-zA-Zµμ°].{{0,14}})?$|^(?:tntc|present|absent|nd|bdl|negative|positive|not detected|detected)$",
    re.IGNORECASE,
)
_SIGNS = {"nd": "<", "lt": "<", "≤": "<", "<=": "<", "gt": ">", "≥": ">", ">=": ">", "=": "", "~": "", "≈": ""}
_WORDED = re.compile(
    r"^(?:(?P<below>less than|below|under|not more than|kleiner als|weniger als|unter|inf[ée]rieur [àa]|moins de|menor que|menos de|minder dan|kleiner dan)"
    r"|greater than|more than|above|over|exceeds|gr[öo](?:ß|ss)er als|mehr als|sup[ée]rieur [àa]|mayor que|meer dan|groter dan)\s*(?=[\d.,])",
    re.IGNORECASE,
)
_UNDER = re.compile(
    rf"^(?:nd|n\.?\s?d\.?|n\.?\s?n\.?|n\.?\s?b\.?|bdl|blq|bloq|u|not detected|nicht nachweisbar|non d[ée]tect[ée]|<\s*(?:loq|lod|rl|mrl|mdl|pql|dl|bg|lq|ng))"
    rf"\s*[@(<:at]*\s*(?:rl|mrl|mdl|loq|lod|bg|lq|ng|dl|limit|limite)?\s*[:=<]*\s*(?P<limit>{NUMBER})(?P<rest>[^)]*)\)?$",
    re.IGNORECASE,
)
_OF_VOLUME = re.compile(r"\s*(?:/|per|in|pro|par)\s*\d*\s*m?l$")
_AT_20 = re.compile(r"(?<!\d)20\s*[°º]?\s*C", re.IGNORECASE)
#: a unit with something in brackets behind it
_ASIDE = re.compile(r"^(?P<unit>[^()]+?)\s*\((?P<told>[^()]+)\)$")
_ONE_IN = re.compile(r"^1\s*/\s*(?P<volume>100|250|)\s*ml$", re.IGNORECASE)
_FAR = 10.0  # beyond the plausible range by this factor, a number is asked about


@dataclass(frozen=True, slots=True)
class Printed:
    """What a row prints. result, mark, unit: as they stand; reporting, detection, limit: cells of those columns; low, high, average, percentile:

    cells of a town's table; headed: whether the result stands under a heading we know; crowd: how many numbers stand in the row without one;

    taken_for: a heading that was taken for a sample's name, for want of a better.
    """

    result: str = ""
    mark: str = ""
    unit: str = ""
    reporting: str = ""
    detection: str = ""
    limit: str = ""
    low: str = ""
    high: str = ""
    range: str = ""
    average: str = ""
    percentile: str = ""
    headed: bool = False
    crowd: int = 0
    taken_for: str = ""


@dataclass(slots=True)
class Judged:
    """status: "sure", "check", "ask" or "aside"; reading: None where there is none; why: empty where it is sure."""

    status: str
    reading: Reading | None = None
    why: list[str] = field(default_factory=list)
    marks: tuple[str, ...] = ()


@cache
def _texts(section: str, kind: str) -> frozenset[str]:
    return frozenset(table("report_words")[section][kind])


@cache
def _mark_letters() -> frozenset[str]:
    """Every letter that may stand behind a number and is no unit."""
    kinds = (_texts("marks", kind) for kind in ("below", "above", "estimated", "none"))
    return frozenset().union(*kinds, table("report_words")["flags"]["marks"])


def _worded(said: str, kind: str) -> bool:
    """Whether a text is one of the words for such a result, with or without its points and spaces: ``n. b.``."""
    texts = _texts("results", kind)
    return said in texts or (
        len(said) < 12 and re.sub(r"[\s.]", "", said) in {re.sub(r"[\s.]", "", each) for each in texts} and said.strip(" .") != ""
    )


def looks_like_result(text: str) -> bool:
    """Whether a cell could be a result: a number with what may stand by it, or a word that is one."""
    said = _OF_VOLUME.sub("", plain(text)) if plain(text)[:1].isalpha() else plain(text)
    return (
        bool(_LOOKS.match(said))
        or bool(_UNDER.match(text.strip()))
        or any(_worded(said, kind) for kind in ("absent", "present", "undetected", "uncountable"))
    )


def is_mark(text: str) -> bool:
    """Whether a text is a mark that laboratories set beside a result."""
    said = plain(text).strip(" .")
    return bool(said) and any(said in _texts("marks", kind) for kind in ("below", "above", "estimated"))


def is_year(text: str) -> bool:
    """Whether a text is a year and nothing else."""
    return bool(re.fullmatch(r"\s*(?:19|20)\d\d\s*", text))


def judge(meaning: Meaning, row: Printed, mark: str) -> Judged:
    """What a row says of its analyte. mark: the file's decimal mark, or nothing."""
    if meaning.analyte is None:
        return Judged(meaning.how or "aside", None, [meaning.why or "not a known analyte"])
    try:
        return _ResultRow(meaning.analyte, meaning, row, mark).judged()
    except NotUnderstood as error:
        return Judged("ask", None, [str(error)])


class _ResultRow:
    def __init__(self, analyte: Analyte, meaning: Meaning, row: Printed, mark: str) -> None:
        named = {plain(each) for each in (*analyte.own_symbols, *analyte.basis)}
        if plain(row.mark) in named:  # a column of chemical symbols
            row = replace(row, mark="")
        self.analyte, self.meaning, self.row, self.mark = analyte, meaning, row, mark
        self.doubts: list[str] = [meaning.why] if meaning.how == "check" else []
        self.flags: list[str] = []

    def judged(self) -> Judged:
        analyte, row = self.analyte, self.row
        if analyte.is_microbe and (word := self._word(plain(row.result))):
            return word
        text = self._town() or self._single(row.result, row.mark)
        if not text:
            return Judged("aside", None, ["no result in this row"])
        body, unit = text
        if analyte.key == "conductivity" and _AT_20.search(unit):
            self.doubts.append("at 20 °C; at 25 °C it is about a ninth more")
        reading = self._read(body, unit)
        if row.crowd > 1 and not row.headed:
            self.doubts.append("this row has several numbers and no heading shows which is the result")
        elif not row.headed and not unit and analyte.unit != "pH":
            self.doubts.append("no heading and no unit beside it")
        if row.taken_for:
            self.doubts.append(f"“{row.taken_for}” is read as a sample")
        low, high = analyte.plausible
        far = max(reading.low, reading.high or 0.0) > max(high, 1e-9) * (_FAR if analyte.key != "ph" else 1) or (
            analyte.key == "ph" and reading.low < low
        )
        if far:
            self.doubts.append("no natural water contains as much: check the unit")
        return Judged("check" if self.doubts else "sure", reading, self.doubts, tuple(self.flags))

    def _word(self, said: str) -> Judged | None:
        """A microbe's result in a word."""
        analyte = self.analyte
        bare = _OF_VOLUME.sub("", said).strip()
        marked = plain(self.row.mark)
        if said in _texts("results", "uncountable") or bare in _texts("results", "uncountable"):
            plate = table("report_words")["plate"].get(analyte.key, 200)
            self.doubts.append(f"too many to count: more than a plate's {plate}")
            return Judged(
                "check", parse_reading(analyte, f">{plate} {'CFU/mL' if analyte.key == 'heterotrophic_count' else analyte.unit}"), self.doubts
            )
        for kind, word in (("absent", "absent"), ("present", "present")):
            if said in _texts("results", kind) or bare in _texts("results", kind):
                return Judged("check" if self.doubts else "sure", parse_reading(analyte, word), self.doubts)
        if not said and marked in ("absent", "present", "positive", "negative"):
            return Judged("check" if self.doubts else "sure", parse_reading(analyte, marked), self.doubts)
        return None

    def _town(self) -> tuple[str, str] | None:
        """An interval from the columns of a town's yearly table: least and most, a range, a percentile, an average."""
        row = self.row
        if row.range and (found := self._span(row.range)):
            return found
        if row.low and row.high:
            low, high = self._number(row.low), self._number(row.high)
            if low is not None and high is not None:
                return self._between(low[0], high[0], row.unit or low[1] or high[1])
        if row.percentile and not row.result:
            value = self._number(row.percentile)
            if value is not None:
                self.doubts.append("nine of ten samples are at or below this; one house can be above")
                return self._between("0", value[0], row.unit or value[1])
        if not row.result and row.high and (value := self._number(row.high)):
            self.doubts.append("the highest of several samples")
            return self._between("0", value[0], row.unit or value[1])
        if not row.result and row.average and (found := self._single(row.average, row.mark)):
            self.doubts.append("an average of several samples")
            return found
        return None

    def _between(self, low: str, high: str, unit: str) -> tuple[str, str]:
        if float(low) > float(high):
            self.doubts.append("the lower value was printed after the higher")
            low, high = high, low
        return (f"{low}..{high}" if float(low) != float(high) else low), unit

    def _number(self, text: str) -> tuple[str, str] | None:
        """A number and the unit behind it; what was not found counts as nothing."""
        said = plain(text)
        if _worded(said, "undetected") or said in ("nd", "<"):
            return "0", ""
        match = _VALUE.match(powers(text.strip()))
        if not match:
            return None
        value = self._plain(match["a"])
        return ("0" if (match["sign"] or "") in ("<", "≤", "<=") and text is self.row.low else value), self._unit_in(match["rest"])

    def _plain(self, token: str) -> str:
        sign = "-" if token.startswith("-") else ""
        value, doubt = number(token.lstrip("-"), self.mark)
        if not value:
            raise NotUnderstood(token, f"“{token}” is not a number")
        if doubt:
            self.doubts.append(doubt)
        return sign + value

    def _span(self, text: str) -> tuple[str, str] | None:
        """``0.2 - 0.8``, ``ND to 2.3``, ``<0.1–0.4``: an interval; None where it is none."""
        match = _RANGE.match(powers(_SPREAD.sub("", text)).strip())
        if not match or (match["a"] is None and match["la"] is None):
            return None
        low = self._plain(match["a"]) if match["a"] and not (match["la"] or "").strip() else "0"
        unit = self._unit_in(match["rest"]) or self._unit_in(match["ua"] or "")
        return self._between(low, self._plain(match["b"]), unit or self.row.unit)

    def _single(self, text: str, mark: str) -> tuple[str, str] | None:
        """One result with the marks beside it, as the reading grammar writes it: body and unit. None where the row has none."""
        said, marked = plain(text).strip(" *"), plain(mark).strip(" .")
        below = _texts("marks", "below")
        if said in _texts("results", "nothing") and marked not in below:
            return None
        counted = self.analyte.is_microbe and re.match(r"^[<>\d]", said)
        if not counted and (_worded(said, "undetected") or (not said and marked in below)):
            return self._under_limit()
        cleaned = _WORDED.sub(lambda match: "<" if match["below"] else ">", powers(_SPREAD.sub("", text)).strip(" *†‡"))
        return self._in_brackets(text) or self._limit_told(cleaned) or self._interval(cleaned) or self._value(text, cleaned, marked)

    def _in_brackets(self, text: str) -> tuple[str, str] | None:
        """``7.2 (7.0-7.5)``: the interval behind an average."""
        inside = re.search(rf"\(\s*(?P<span>(?:nd|{NUMBER})\s*(?:-|–|to)\s*{NUMBER})\s*\)", text, re.IGNORECASE)
        return self._span(inside["span"]) if inside else None

    def _limit_told(self, cleaned: str) -> tuple[str, str] | None:
        """``ND (0.5)``, ``ND<0.5``: not detected, with its limit."""
        found = _UNDER.match(cleaned)
        if not found or re.match(r"\s*(?:-|–|to)\s*\d", found["rest"]):
            return None
        return f"<{self._plain(found['limit'])}", self._unit_in(found["rest"]) or self.row.unit

    def _interval(self, cleaned: str) -> tuple[str, str] | None:
        return None if re.match(r"^[>≤≥]|^<[^–-]*$", cleaned) else self._span(cleaned)

    def _value(self, text: str, cleaned: str, marked: str) -> tuple[str, str]:
        """A number with its sign, unit and flags."""
        exact = ABOUT.sub("", cleaned)
        if exact != cleaned:
            self.doubts.append("printed as about so much")
        match = _VALUE.match(exact)
        if not match:
            raise NotUnderstood(text, f"“{text[:40]}” is not a readable result")
        value = self._plain(match["a"])
        unit, flags = self._tail(match["rest"])
        said = (match["sign"] or "").lower()
        sign = _SIGNS.get(said, said)
        for flag in [*flags, marked]:
            sign = self._flagged(flag, sign)
        if sign == "<" and float(value) == 0:
            return self._under_limit()
        return f"{sign}{value}", unit or self.row.unit

    def _flagged(self, flag: str, sign: str) -> str:
        """The sign that a flag makes of a result; what a flag says is told, here or by the report's own legend."""
        if flag:
            self.flags.append(flag)
        if flag in _texts("marks", "below"):
            return "<"
        if flag in _texts("marks", "above"):
            return ">"
        if flag in _texts("marks", "estimated"):
            self.doubts.append("an estimate, below what the laboratory reports firmly")
        elif flag not in _texts("marks", "none") and flag not in table("report_words")["flags"]["marks"]:
            self.doubts.append(f"“{flag}” is printed beside it")
        return sign

    def _tail(self, rest: str) -> tuple[str, list[str]]:
        """The unit and the flags behind a number."""
        rest = rest.strip(" *†‡")
        if not rest:
            return "", []
        if (said := _ASIDE.match(rest)) and is_unit(said["unit"]) and self._same_again(said["told"]):
            return said["unit"], []
        if self.analyte.factor_for(rest) or is_unit(rest):
            return rest, []
        head, _, last = rest.rpartition(" ")
        if head and is_unit(head):
            return head, [plain(last)]
        if plain(rest) in _mark_letters():
            return "", [plain(rest)]
        first, _, after = rest.partition(" ")
        if after and is_unit(after) and len(first) < 3:
            return after, [plain(first)]
        inside = re.match(r"^\((.*)\)$", rest)
        if inside:
            return (inside[1], []) if is_unit(inside[1]) else ("", [plain(inside[1])])
        return rest, []

    def _same_again(self, told: str) -> bool:
        """Whether what stands in brackets behind a unit is the basis of the result, which is kept, or the same result in another unit."""
        basis = re.sub(r"(?i)^(?:as|als|en|como)\s+", "", told.strip())
        if basis in self.analyte.basis:
            self.meaning = replace(self.meaning, basis=basis)
            return True
        match = _VALUE.match(told.strip())
        return match is not None and is_unit(match["rest"].strip())

    def _unit_in(self, rest: str) -> str:
        rest = rest.strip(" *†()")
        return rest if rest and is_unit(rest) else ""

    def _under_limit(self) -> tuple[str, str]:
        """Not detected: below the reporting limit beside it, else the detection limit."""
        for cell in (self.row.reporting, self.row.detection):
            match = _VALUE.match(powers(cell.strip()))
            if match and float(value := self._plain(match["a"])) > 0:
                return f"<{value}", self._unit_in(match["rest"]) or self.row.unit
        raise NotUnderstood("", "not detected, and no detection limit is printed: enter it, such as “<0.01 mg/L”")

    def _read(self, body: str, unit: str) -> Reading:
        """The reading, once the unit and its basis are known."""
        analyte, basis = self.analyte, self.meaning.basis
        unit = _ONE_IN.sub(lambda found: f"/{found['volume']}mL", unit) if analyte.is_microbe else unit  # “0 1/100 ml” is no hundredth
        if analyte.key == "ph" and unit and analyte.factor_for(unit) is None:
            unit = ""
        own_unit = (
            self.meaning.unit
            if self.meaning.unit
            and (analyte.factor_for(self.meaning.unit) or (is_unit(self.meaning.unit) and analyte.dimension in ("concentration", "hardness")))
            else ""
        )
        unit = unit or own_unit
        head, _, last = unit.rpartition(" ")
        if head and analyte.factor_for(unit) is None and analyte.factor_for(head) and last.replace(".", "").replace(",", "").isdigit():
            unit = head  # the limit beside it was set close
        if not unit and analyte.unit != "pH" and (beside := self._unit_of_limit()):
            unit = beside
            self.doubts.append(f"its unit is that of the limit beside it, {beside}")
        if unit and plain(unit) in ("p/a", "presence/absence", "absent/present") and analyte.is_microbe:
            unit = analyte.unit
        if basis and unit and basis in analyte.basis and not self._says(unit):
            unit = f"{unit} as {basis}"
        if not unit and analyte.unit != "pH":
            if not analyte.bare or (analyte.ambiguous_basis and not basis):
                raise NotUnderstood(body, f"no unit is printed; {analyte.name} needs one, such as {analyte.accepted_units()[0]}")
            unit = f"{analyte.bare} as {basis}" if basis in analyte.basis and basis.lower() not in analyte.bare.lower() else analyte.bare
            if not (analyte.is_microbe and self.row.headed and body in ("0", "<1")):
                self.doubts.append(f"no unit is printed: read as {unit}")
        if unit and analyte.factor_for(unit) is None and not (analyte.dimension == "hardness" and is_unit(unit)):
            raise NotUnderstood(body, f"“{unit}” is not a unit of {analyte.said}")
        if analyte.ambiguous_basis and not self._says(unit) and not self._amount(unit):
            limit = self._limit_says(unit)
            if not limit:
                raise NotUnderstood(body, f"{analyte.name} as what? The report does not say as {' or as '.join(analyte.basis)}")
            self.doubts.append(f"the limit beside it is that of {analyte.said} as {limit}")
            unit = f"{unit} as {limit}"
        reading = parse_reading(analyte, f"{body} {unit}".strip())
        if reading.note:
            self.doubts.append(reading.note)
        return reading

    def _unit_of_limit(self) -> str:
        """The unit that stands with the limit of a row that has none of its own; empty where there is none."""
        found = re.search(rf"(?:{NUMBER})\s*(?P<unit>[^\d\s(.,–-].*)$", self.row.limit.strip())
        unit = found["unit"].strip(" ()") if found else ""
        return unit if unit and self.analyte.factor_for(unit) and is_unit(unit) else ""

    def _says(self, unit: str) -> str:
        """The basis that a unit says."""
        found = self.analyte.factor_for(unit) if unit else None
        return found[2] if found else ""

    def _amount(self, unit: str) -> bool:
        return unit.lower().replace("μ", "µ") in ("mmol/l", "meq/l", "umol/l", "µmol/l", "mval/l")

    def _limit_says(self, unit: str) -> str:
        """As what a limit beside the result must be."""
        match = _VALUE.match(self.row.limit.strip())
        by_limit = table("report_words")["basis_by_limit"].get(self.analyte.key, {})
        if not match or "ug" in unit.lower().replace("µ", "u"):
            return ""
        value, _ = number(match["a"], self.mark)
        return str(by_limit.get(f"{float(value):g}", "")) if value else ""
