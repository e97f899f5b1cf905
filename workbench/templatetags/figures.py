"""The one road by which numbers reach a page: canonical value + unit -> what this job's people read."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable
from typing import Any

from django import template
from django.urls import reverse
from django.utils import timezone
from django.utils.html import escape, format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from treatment.drawing.shapes import DrawnLine
from treatment.language.analytes import analytes
from treatment.language.display import amount, digits, media_hint, show, show_amount, show_minutes, show_span, show_spread, unit_text
from treatment.language.figure import Figure, Line
from treatment.language.interface import cause
from treatment.language.interface import severity as severity_word
from treatment.language.lists import figure_title, money_text, price_text, quantity_text
from treatment.language.measures import example_for

from ..readers import written as written_for
from ..words import word_of_figure, words

register = template.Library()


@register.simple_tag
def quantity(value: float | None, unit: str, system: str) -> str:
    """Number and unit: ``{% quantity point.clean "kPa" job.units %}``."""
    return show(value, unit, system)


@register.simple_tag
def amount_of(value: float, unit: str, system: str) -> str:
    """A quantity of a list: measured in the job's units, counted without one."""
    return quantity_text(value, unit, system)


@register.simple_tag
def price(value: float, unit: str, system: str, currency: str) -> str:
    """The price of one unit, of the unit that the job shows: ``$1.20 per lb``."""
    return price_text(float(value), unit, system, currency)


@register.simple_tag
def money(value: float, currency: str) -> str:
    """An amount of money with its currency."""
    return money_text(value, currency)


@register.simple_tag
def word(key: str, text: str = "") -> SafeString:
    """A link to what a word means: ``{% word "school" "Schools" %}``."""
    return format_html('<a class="word" href="{}#{}">{}</a>', reverse("words"), key, text or words()[key]["title"])


@register.simple_tag
def word_of(figure: str) -> SafeString:
    """A link to the word that explains a figure, if there is one."""
    key = word_of_figure(figure)
    return format_html('<p class="small">{}</p>', word(key, f"Meaning: {words()[key]['title'].lower()}")) if key else SafeString("")


@register.simple_tag
def example(text: str, dimension: str, system: str) -> str:
    """An example of a measure in the job's units: ``{% example "52 psi" "pressure" job.units %}``."""
    return example_for(text, dimension, system)


@register.simple_tag
def figure(name: str, figure: Figure, system: str) -> str:
    """A figure of a stage, by its name."""
    return show(figure.value, media_hint(name, figure.unit), system)


@register.simple_tag
def concentration(analyte: str, value: float | None, system: str) -> str:
    """A value of an analyte in its canonical unit; microbes in words."""
    row = analytes()[analyte]
    if row.is_microbe and value is not None:
        return "none found" if value == 0 else ("present" if value == 1 else show(value, row.unit, system))
    return show_amount(value, row.shown_unit, system)


@register.simple_tag
def span(analyte: str, low: float, high: float | None, system: str) -> str:
    """A reading from its low to its high end; microbes in words."""
    row = analytes()[analyte]
    return concentration(analyte, low if high is None else high, system) if row.is_microbe else show_span(low, high, row.shown_unit, system)


@register.simple_tag
def bare_value(analyte: str, low: float, high: float | None, system: str) -> str:
    """A reading as a number alone, where its unit stands beside the chart; microbes that are none in a word."""
    row = analytes()[analyte]
    if row.is_microbe and high is None and low <= 1:
        return "present"
    if high is None:
        return f"> {digits(low, row.shown_unit, system)}"
    if row.is_microbe and high == 0:
        return "none"
    ends = amount(low, row.shown_unit, system), amount(high, row.shown_unit, system)
    return ends[1] if ends[0] == ends[1] else f"< {ends[1]}" if low <= 0 else f"{ends[0]} to {ends[1]}"


@register.simple_tag
def mild_value(analyte: str, adverse: float, mild: float, system: str) -> str:
    """The mild end of a value where it reads differently from the adverse one."""
    row = analytes()[analyte]
    return "" if row.is_microbe else show_spread(adverse, mild, row.shown_unit, system)[1]


@register.filter
def percent(value: float) -> str:
    """A share as people read it: ``0.42`` is 42%."""
    return f"{value:.0%}"


@register.filter
def cause_name(id: str) -> str:
    """A cause as people call it."""
    return cause(str(id or "")) or "a cause that is no longer known"


@register.filter
def days_in_words(text: str) -> str:
    """A sentence of the core with its days as its readers write them: ``on 2026-11-24`` is on 24 Nov 2026, or on Nov 24, 2026."""

    def said(match: re.Match[str]) -> str:
        try:
            return written_for(dt.date.fromisoformat(match.group()), "j M Y")
        except ValueError:  # it only looks like a day
            return match.group()

    return _DAY.sub(said, text)


_DAY = re.compile(r"\b\d{4}-\d\d-\d\d\b")


@register.filter
def written(moment: Any, way: str) -> str:
    """A day or a time as its readers write it: ``{{ entry.on|written:"j M Y" }}``."""
    return written_for(timezone.localtime(moment) if isinstance(moment, dt.datetime) and timezone.is_aware(moment) else moment, way)


@register.filter
def severity(key: str, count: int = 1) -> str:
    """The word of a severity, of one finding or of several."""
    return severity_word(key, count)


@register.filter
def px(value: float) -> str:
    """A place on a drawing, to a tenth: the geometry is the core's, only its last digits go."""
    return f"{value:.1f}".removesuffix(".0")


@register.simple_tag
def outline(shapes: Iterable[Any]) -> SafeString:
    """The outline of a unit as the core laid it: paths and rectangles, each with the class of its line."""
    return mark_safe(
        "".join(
            f'<path d="{escape(shape.d)}" class="{escape(shape.css)}"/>'
            if isinstance(shape, DrawnLine)
            else f'<rect x="{px(shape.x)}" y="{px(shape.y)}" width="{px(shape.width)}" height="{px(shape.height)}" rx="{shape.r}" class="{escape(shape.css)}"/>'
            for shape in shapes
        )
    )


@register.filter
def analyte_name(key: str) -> str:
    return analytes()[key].name


@register.filter
def spaced(key: str) -> str:
    """``days_between_regenerations`` as words."""
    return key.replace("_", " ")


@register.filter
def figure_name(key: str) -> str:
    """``ph_out`` as people write it: pH out; ``ct_needed``: CT needed."""
    return figure_title(key)


@register.filter(name="any")
def any_of(counts: dict[str, int]) -> bool:
    """Whether any count of a tally is above nothing."""
    return any(counts.values())


@register.filter
def item(mapping: dict[str, Any], key: str) -> Any:
    """A value of a mapping by a key held in a variable."""
    return mapping.get(key)


@register.simple_tag
def sized(choice: Any, system: str) -> str:
    """What a choice left empty was sized to."""
    return (
        f"{show(choice.sized, media_hint(choice.key, choice.unit), system)} (default)"
        if isinstance(choice.sized, int | float) and choice.unit
        else f"{sized_words(choice.sized)} (default)"
    )


@register.filter
def sized_words(value: Any) -> str:
    """A completed choice in words."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else str(value).replace("_", " ")


@register.simple_tag
def working(figure: Figure, system: str, name: str = "") -> SafeString:
    """The working of a figure: symbols, numbers put in, result and source of each line; then how it reads here."""
    lines = format_html_join(
        "", _WORKING, ((line.symbol, line.expression, line.with_numbers(), line.result, _where(line), line.cited) for line in figure.working)
    )
    unit = media_hint(name, figure.unit)
    reads = "" if unit_text(unit, system) in ("", figure.unit) else show(figure.value, unit, system)
    return format_html('<div class="working my-1">{}{}</div>', lines, format_html("<p>That is <b>{}</b>.</p>", reads) if reads else "")


@register.simple_tag
def total_of(amount: Any, system: str) -> str:
    """A total of a year in the job's units; minutes of more than two hours as hours."""
    value, unit = float(amount.value), str(amount.unit)
    if unit == "min":
        return show_minutes(value)
    if unit in ("1", "kWh", "hour"):
        return f"{value:,.0f}{'' if unit == '1' else ' h' if unit == 'hour' else f' {unit}'}"
    return show(value, unit, system)


@register.simple_tag
def worked(lines: Iterable[Any]) -> SafeString:
    """The working of an amount of money, line by line."""
    told = format_html_join(
        "", _WORKING, ((line.symbol, line.expression, line.with_numbers(), line.result, _where(line), line.cited) for line in lines)
    )
    return format_html('<div class="working my-1">{}</div>', told)


_WORKING = '<p class="mb-1"><code><span class="font-semibold">{}</span> = {}<br>= {} = <span class="font-semibold">{}</span></code></p>{}<p class="faint mb-1.5 italic">{}</p>'


def _where(line: Line) -> SafeString:
    return format_html_join("", '<span class="faint mr-3 inline-block">{} {}</span>', line.where.items())
