"""Sheets -> samples: walks the lines, keeps what is said of a sample, reads every row under the heading that stands over it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import replace

from ...language.analytes import analytes, find_analyte, fold, nearest_name
from ...language.errors import NotUnderstood
from .blocks import apart, once
from .dates import day, day_first
from .flags import apply, flag_in, legend_of
from .groups import ungrouped
from .headings import about, heading, is_unit, parted, point_of
from .layouts import Layout, Long, SampleColumn, Wide, aligned, beside, layout_at, phase_in, titles_over
from .loose import labelled, loose_row, name_and_value, rows_beside, sentence, unled, unread, unstuck
from .names import Meaning, danger_of, meaning
from .numbers import decimal_mark
from .report import Report, ReportRow, ReportSample
from .results import Judged, Printed, is_mark, is_year, judge, looks_like_result
from .sheets import SheetLine, TextSheet, plain
from .told import by_method, facts_table, is_facts, is_identifier, labels_of, phase_of_rows, title_of, unit_of_all, unit_of_section

MOST_ROWS, MOST_GUESSED = 20_000, 400
_PLACE = re.compile(
    r"\b(?:after|before|behind|inlet|outlet|softened|filtered|house|barn|garden|upstairs|main|cold|hot|warm|tank|cistern|reservoir|vessel|zisterne|behalter|citerne|deposito|cisterna|kalt|froid|chaud|froide|chaude|fria|caliente|koud|nach|vor|hinter|apres|avant|despues|antes|na|voor|maison|haus|casa|huis)\b"
)


def read_sheets(sheets: Sequence[TextSheet], known: dict[str, list[str]] | None = None) -> Report:
    """Every row of a report, by sample. Raises NotUnderstood where there is too much of it.

    known: what was remembered of this layout: folded label -> [key of the analyte or empty for aside, unit where the report gives none].
    """
    lines = [line for sheet in sheets for line in sheet.lines]
    if len(lines) > MOST_ROWS:
        raise NotUnderstood("", f"the file has more than {MOST_ROWS} rows")
    texts = [cell for line in lines for cell in line.cells if cell]
    walk = _Walk(decimal_mark(texts), day_first(texts), known or {})
    for sheet in sheets:
        walk.sheet(sheet)
    samples = walk.done()
    if not any(row.analyte or row.status == "ask" or row.limit or danger_of(row.label) for sample in samples for row in sample.rows):
        why = "it is a list of limits or prices and contains no results" if walk.lists else "it names no known analyte"
        return Report([], "the file is empty" if not texts else why, walk.words)
    return Report(samples, "", walk.words)


def layout_of(sheets: Sequence[TextSheet]) -> str:
    """What tells one laboratory's layout from another's: the words of its first heading, folded; empty where there is none."""
    for sheet in sheets:
        for i in range(len(sheet.lines)):
            if sheet.lines[i].filled and (found := layout_at(sheet.lines, i)):
                return _words(found)
    return ""


def _words(layout: Layout) -> str:
    return " | ".join(fold(cell) for cell in layout.words)[:300]


#: the number of a sample before its name
_ORDINAL = re.compile(r"^\d{1,3}\s*[:.)–]\s+(?=[^\W\d])")


def _lettered(name: str) -> bool:
    """Whether a sample's name says more than a number does."""
    return any(letter.isalpha() for letter in name)


class _Walk:
    def __init__(self, mark: str, first: bool | None, known: dict[str, list[str]]) -> None:
        self.mark, self.first, self.known = mark, first, known
        self.samples: dict[str, ReportSample] = {}
        self.words, self.count = "", 0
        self.titles, self.cuts, self.cut, self.rows_under = [""], [0], 0, 0
        self.lists, self.over = False, tuple[str, ...]()
        self.legend: dict[str, str] = {}
        self.notes: dict[str, list[str]] = {}
        self.partly: list[tuple[ReportRow, str]] = []
        self.cover = ReportSample()

    def sheet(self, sheet: TextSheet) -> None:
        """Read a sheet; what its head says of the sample holds for what stands in it."""
        self.layout: Layout | None = None
        self.told = set[int]()  # columns of which a row told a sample's name, number or day
        self.here = ReportSample(self.cover.taken_on, self.cover.point, self.cover.label)
        self.block, self.phase, self.unit, self.section = f"{sheet.name}:0", "", "", ""
        self.begun = False
        above: tuple[str, ...] = ()
        over: SheetLine | None = None
        lines, i = labelled(ungrouped(unled(sheet.lines))), 0
        while i < len(lines):
            line = lines[i]
            if not line.filled:
                above, i = (), i + 1
                continue
            if told := facts_table(lines, i):
                for role, value in told:
                    self._tell(role, value, sheet.name, line)
                above, i = (), i + 2
                continue
            if self.layout is not None and (joined := beside(lines, i, self.layout)) is not None:
                self.layout, line = joined
                self._begin_all(titles_over(self.layout, None))
                if not line.filled:
                    above, over, i = (), None, i + 1
                    continue
            found = None if self._fits(line) or is_facts(line) or self._heads_nothing(lines, i) else layout_at(lines, i, above)
            if found is not None:
                self.layout, self.phase, self.told = found, "", set()
                self._begin(
                    next((found.words[part.name] for part in found.parts if isinstance(part, Long) and not heading(found.words[part.name]).role), "")
                )
                if len(found.parts) > 1:
                    self._begin_all(titles_over(found, over))
                self.words = self.words or _words(found)
                above, over, i = found.words, None, i + found.lines
                continue
            across = self.layout is not None and self._across(aligned(line, self.layout.spans, len(self.layout.words)))
            if not across and not self._titled(line) and not self._says_against(line) and not self._says_of_sample(line, sheet.name):
                before = self.count
                self._row(line)
                if self.count == before and (title := title_of(line)):
                    self._begin(title)
            if not rows_beside(line):
                self.over = tuple(line.filled)
            above, over, i = (line.cells if not line.spans else ()), line, i + 1
        if not self.begun:
            self.cover = self.here

    @staticmethod
    def _heads_nothing(lines: Sequence[SheetLine], i: int) -> bool:
        """Whether a line of two cells that says nothing of results has no row of ours below it: a title, or a fact, and no heading."""
        cells = lines[i].filled
        roles = {heading(cell).role for cell in cells}
        if len(cells) != 2 or not roles <= {"", "name", "point", "sample", "sampled"} or "" not in roles:
            return False
        return not any(meaning(line.filled[0]).how for line in lines[i + 1 : i + 4] if line.filled)

    def _begin(self, title: str) -> None:
        """Another table begins. title: what stands over it, as far as it may be a sample's name."""
        if self.rows_under:
            self.titles.append(title)
            self.rows_under = 0
        else:
            self.titles[-1] = title or self.titles[-1]
        self.cuts = [len(self.titles) - 1]

    def _titled(self, line: SheetLine) -> bool:
        """Whether a line is the title of a table by its method: another begins."""
        found = len(line.filled) == 1 and by_method(line.filled[0])
        if found:
            self._begin(title_of(line))
        return found

    def _begin_all(self, titles: list[str]) -> None:
        """Tables begin that stand side by side; those that stand already go on."""
        new = titles[len(self.cuts) if self.rows_under else 0 :]
        kept = self.cuts if self.rows_under else []
        self.titles += new
        self.cuts, self.rows_under = [*kept, *range(len(self.titles) - len(new), len(self.titles))], 0

    def _says_against(self, line: SheetLine) -> bool:
        """Keep what a legend or a note says against results; False where a line is neither."""
        if legend := legend_of(line):
            self.legend[legend[0]] = legend[1]
            return True
        text = " ".join(line.filled)
        if len(line.filled) > 2 or len(text) < 15 or self._fits(line) or not flag_in(text):
            return False
        self.notes.setdefault(self.block if self.begun else "", []).append(text)
        return True

    def _fits(self, line: SheetLine) -> bool:
        """Whether a line is a row under the heading that stands: a result under a result, and a name beside it."""
        if self.layout is None:
            return False
        cells = aligned(line, self.layout.spans, len(self.layout.words))
        for part in self.layout.parts:
            if not isinstance(part, Long) or part.name >= len(cells):
                continue
            at = [*(column.result for column in part.columns), *(part.at.get(role, -1) for role in ("low", "high", "range", "average", "percentile"))]
            results = [cells[k] for k in at if 0 <= k < len(cells)]
            if cells[part.name] and any(looks_like_result(cell) for cell in results):
                return True
        return False

    def done(self) -> list[ReportSample]:
        """The samples that hold rows; what stands twice in one is to be looked at."""
        found = []
        for name, whole in self.samples.items():
            apply(whole.rows, self.legend, [*self.notes.get("", ()), *self.notes.get(name.partition("|")[0], ())])
            for sample in apart(whole, self.titles, self._names_a_sample):
                held = {row.analyte.key for row in sample.rows if row.analyte and row.reading}
                for row, key in self.partly:
                    if key in held and any(row is each for each in sample.rows):
                        row.status, row.why = "aside", f"only what is dissolved of the {analytes()[key].said}; all of it is above or below"
                once(sample.rows)
                found.append(sample)
        return [sample for sample in found if sample.rows]

    def _says_of_sample(self, line: SheetLine, sheet: str) -> bool:
        """Keep what a line tells of the sample, its phase or its units; False where it may be a row."""
        labels = labels_of(line, self._fits(line))
        for role, value in labels:
            self._tell(role, value, sheet, line)
        if labels:
            return True
        if unit := unit_of_all(line):
            self.unit = unit
            return True
        if (section := unit_of_section(line)) is not None:
            self.section = section
        phase = phase_of_rows(line)
        self.phase = self.phase if phase is None else phase
        return bool(phase)

    def _tell(self, role: str, value: str, sheet: str, line: SheetLine) -> None:
        other = {
            "label": value[:120] != self.here.label,
            "sampled": self.here.taken_on is not None and (day(value, self.first) or self.here.taken_on) != self.here.taken_on,
            "point": self.here.point is not None and (point_of(value) or self.here.point) != self.here.point,
        }
        if role not in other:
            return
        if self.begun and other[role]:
            self.here, self.block, self.begun, self.phase = ReportSample(), f"{sheet}:{line.at}", False, ""
        if role == "label":
            value = _ORDINAL.sub("", value) or value
        if role == "sampled":
            self.here.taken_on = day(value, self.first) or self.here.taken_on
        elif role == "point":
            self.here.point = point_of(value) or self.here.point
            if not _lettered(self.here.label):
                self.here.label = value[:120]
        else:
            self.here.taken_on = self.here.taken_on or day(value, self.first)
            self.here.label = value[:120]
            self.here.point = self.here.point or point_of(value)
        if sample := self.samples.get(self.block):
            sample.taken_on, sample.point, sample.label = self.here.taken_on, self.here.point, self.here.label

    def _sample(self, key: str = "", label: str = "", taken: str = "", point: str = "") -> ReportSample:
        """The sample a row belongs to, made where it is new."""
        self.begun = True
        name = f"{self.block}|{key}"
        if not key:
            name = self.block
        head, _, rest = label.partition(":")
        label = rest.strip() if rest.strip() and about(head) else label
        if name not in self.samples:
            said = label or self.here.label
            where = point_of(point) or point_of(label) or self.here.point
            self.samples[name] = ReportSample(day(taken, self.first) or day(label, self.first) or self.here.taken_on, where, said[:120])
        return self.samples[name]

    def _row(self, line: SheetLine) -> None:
        if self.layout is None:
            self._free(line)
            return
        before = self.count
        cells = aligned(line, self.layout.spans, len(self.layout.words))
        for k, part in enumerate(self.layout.parts):
            if isinstance(part, Long) and len(part.columns) == 1:
                cells = unstuck(line, cells, part.name, part.columns[0].result)
            self.cut = self.cuts[min(k, len(self.cuts) - 1)]
            if isinstance(part, Wide):
                self._wide(line.at, cells, part)
            else:
                self._long(line.at, cells, part)
        if self.count == before and len(line.filled) < 3:
            self._free(line, strict=True)

    def _across(self, cells: list[str]) -> bool:
        """Keep what a row tells of the samples that stand across, such as the day of each; False where it is no such row."""
        told = False
        for part in self.layout.parts if self.layout else ():
            if not isinstance(part, Long) or len(part.columns) < 2 or part.name >= len(cells):
                continue
            role = about(cells[part.name])
            if (
                not role
                and (not any(cells[: part.name + 1]) or plain(cells[part.name]) in ("date", "datum", "fecha"))
                and all(day(cells[each.result], True) for each in part.columns if each.result < len(cells))
            ):
                role = "sampled"  # days that stand under the samples' names
            if not role:
                continue
            before: ReportSample | None = None
            for column in part.columns:
                value = cells[column.result] if 0 <= column.result < len(cells) else ""
                sample = self._sample(f"{column.result}", column.label)
                if value:
                    self.told.add(column.result)
                if role == "sampled":
                    sample.taken_on = day(value, self.first) or sample.taken_on
                    if before is not None and not sample.label:  # one name over several days
                        sample.label, sample.point = before.label, sample.point or before.point
                    before = sample
                elif value:
                    sample.point = point_of(value) or sample.point
                    if _lettered(value) or not _lettered(sample.label):
                        sample.label = value[:120]
            told = True
        return told

    def _long(self, at: str, cells: list[str], part: Long) -> None:
        def cell(k: int | None) -> str:
            return cells[k] if k is not None and 0 <= k < len(cells) else ""

        label = cell(part.name)
        if not label or (heading(label).role == "name" and heading(label).whole and not meaning(label).how):
            return
        if not part.columns:  # a list of limits, or of prices
            self.count, self.lists = self.count + 1, True
            return
        ranges = {role: cell(part.at.get(role)) for role in ("low", "high", "range", "average", "percentile")}
        marked = any(is_mark(cell(column.qualifier)) for column in part.columns)
        if not any(cell(column.result) for column in part.columns) and not any(ranges.values()) and not marked:
            if meaning(label).analyte is not None and len([each for each in cells if each]) > 1:
                self._keep(self._sample_of(cells, part, part.columns[0]), at, label, Printed(headed=True, unit=cell(part.at.get("unit"))))
            return
        for column in part.columns:
            result = cell(column.result)
            if not result and len(part.columns) > 1:
                continue
            beside = cell(column.result + 1) if column.result + 1 >= len(self.layout.words if self.layout else ()) else ""
            unit = cell(column.unit) or cell(part.at.get("unit")) or (beside if is_unit(beside) else "") or part.unit
            if not result and looks_like_result(unit):  # set so close that result and unit are one
                result, unit = unit, ""
            if not result and len(cut := name_and_value(label)) == 2:  # or name and result
                label, result = cut
            shown = Printed(
                result=result, mark=cell(column.qualifier), unit=unit, reporting=cell(column.reporting) or cell(part.at.get("reporting")),
                detection=cell(column.detection) or cell(part.at.get("detection")),
                limit=cell(part.at.get("limit")) or cell(part.at.get("limit_too")), headed=True,
                taken_for="" if column.result in self.told or self._names_a_sample(column.label) else column.label,
                low=ranges["low"], high=ranges["high"], range=ranges["range"], average=ranges["average"], percentile=ranges["percentile"],
            )  # fmt: skip
            phase = column.phase or phase_in(cell(part.at.get("fraction")))
            self._keep(self._sample_of(cells, part, column), at, label, shown, phase, cell(part.at.get("verdict")))

    def _names_a_sample(self, label: str) -> bool:
        """Whether a heading over results is that of a sample: a day, a number, a place, or a word for a sample."""
        return (
            any(letter.isdigit() for letter in label)
            or bool(_PLACE.search(plain(label)))
            or point_of(label) is not None
            or heading(label).role in ("sample", "point", "sampled", "result")
        )

    def _sample_of(self, cells: list[str], part: Long, column: SampleColumn) -> ReportSample:
        def cell(role: str) -> str:
            k = part.at.get(role)
            return cells[k] if k is not None and k < len(cells) else ""

        if not column.phase and (len(part.columns) > 1 or column.label):
            return self._sample(f"{column.result}", column.label)
        key = " ".join(filter(None, (cell("sample"), cell("point"), cell("sampled") if not is_year(cell("sampled")) else "")))
        return self._sample(key, cell("sample") or cell("point"), cell("sampled"), cell("point")) if key else self._sample()

    def _wide(self, at: str, cells: list[str], part: Wide) -> None:
        def cell(k: int | None) -> str:
            return cells[k] if k is not None and k < len(cells) else ""

        filled = [(k, label) for k, label in part.analytes if cell(k)]
        if not filled or not any(looks_like_result(cell(k)) for k, _ in filled):
            return
        said = cell(part.at.get("sample")) or cell(part.at.get("point")) or (cells[0] if 0 not in dict(part.analytes) else "")
        if heading(said).role in ("limit", "reporting", "detection", "unit", "average", "low", "high", "method"):
            return
        sample = self._sample(at, said, cell(part.at.get("sampled")), cell(part.at.get("point")))
        for k, label in filled:
            self._keep(sample, at, label, Printed(result=cell(k), unit=part.units.get(k, ""), headed=True))

    def _free(self, line: SheetLine, strict: bool = False) -> None:
        """A row without a heading."""
        self.cut = self.cuts[-1]
        if entries := sentence(line):
            for entry in entries:
                assert entry.reading
                analyte, why = analytes()[entry.reading.analyte], entry.reading.note or entry.mended or "read from a line of text"
                self._sample().rows.append(ReportRow(line.at, analyte.name, entry.text, "", "check", analyte, entry.reading, why))
                self.count += 1
        elif several := rows_beside(line):
            if len(self.cuts) != len(several):
                self._begin_all(list(self.over) if len(self.over) == len(several) else [""] * len(several))
            for k, part in enumerate(several):
                self.cut = self.cuts[k]
                if row := loose_row(part, self.phase, strict):
                    self._keep(self._sample(), line.at, row.label, row.shown)
        elif row := loose_row(line, self.phase, strict) or unread(line):
            self._keep(self._sample(), line.at, row.label, row.shown)

    def _keep(self, sample: ReportSample, at: str, label: str, shown: Printed, phase: str = "", remark: str = "") -> None:
        """A row of a sample. phase: of its column or its own cell; remark: what is said of it in a column of its own."""
        self.count += 1
        meant = meaning(label, phase or self.phase)
        if not meant.how and is_identifier(label):
            return
        self.rows_under += 1
        if not shown.unit and not meant.unit and meant.analyte:
            told = (unit for unit in (self.section, self.unit) if unit and meant.analyte.factor_for(unit))
            shown = _with_unit(shown, unit) if (unit := next(told, "")) else shown
        judged = self._remembered(label, shown) or judge(meant, shown, self.mark)
        analyte = meant.analyte if judged.reading is None else analytes()[judged.reading.analyte]
        why = "; ".join(dict.fromkeys(judged.why))
        if not meant.how and judged.status == "aside" and self.count <= MOST_GUESSED and (near := nearest_name(parted(label)[0], 0.78)):
            why += f"; perhaps {analytes()[near].said}?"
        result = shown.result or shown.range or " – ".join(filter(None, (shown.low, shown.high))) or shown.percentile or shown.average
        taken = analyte if judged.status != "aside" or judged.reading else None
        flag, marks = flag_in(f"{remark} {shown.mark}"), (*judged.marks, *([plain(remark)] if 0 < len(remark) < 4 else []))
        name = f"{label}, {phase}" if phase and phase not in plain(label) else label
        row = ReportRow(
            at, name, _printed(shown.mark, result), shown.unit or meant.unit, judged.status, taken, judged.reading, why, shown.limit, marks, flag,
            self.cut,
        )  # fmt: skip
        sample.rows.append(row)
        if meant.partly:
            self.partly.append((row, meant.partly))

    def _remembered(self, label: str, shown: Printed) -> Judged | None:
        """As it was taken last time from this layout; None where nothing was remembered."""
        if fold(label) not in self.known:
            return None
        key, unit = self.known[fold(label)]
        analyte = find_analyte(key) if key else None
        if analyte is None:
            return Judged("aside", None, ["not used, as in the saved layout"])
        said = meaning(label)
        return judge(
            Meaning(analyte, "sure", basis=said.basis, unit=said.unit), _with_unit(shown, unit) if unit and not shown.unit else shown, self.mark
        )


def _printed(mark: str, result: str) -> str:
    """A result with the mark that stands in a column of its own."""
    if not is_mark(mark) or plain(mark) in plain(result).split() or result.startswith(("<", ">")):
        return result
    return f"{mark}{result}" if mark in ("<", ">") else f"{result} {mark}".strip()


def _with_unit(shown: Printed, unit: str) -> Printed:
    return replace(shown, unit=unit)


def sheets_of(rows: Iterable[Sequence[str]]) -> list[TextSheet]:
    """Plain rows as one sheet, each at its number."""
    return [TextSheet("", tuple(SheetLine(str(number), tuple(str(cell).strip() for cell in row)) for number, row in enumerate(rows, 1)))]
