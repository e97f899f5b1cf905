"""What stands in a list of figures, materials and money, as people read it."""

from __future__ import annotations

from .display import per_shown, show, unit_text

#: units that a material is measured in; anything else is counted
MEASURED = ("kg", "m", "L")
#: currencies that are written by a sign close before the amount
SIGNS = ("$", "£", "€", "C$", "A$")
_SHORT = {"ph": "pH", "ct": "CT", "uv": "UV", "uvt": "UVT", "tds": "TDS", "ro": "RO"}


def figure_title(key: str) -> str:
    """The key of a figure as people write it.

    >>> figure_title("ph_out"), figure_title("ct_needed"), figure_title("bed_depth")
    ('pH out', 'CT needed', 'Bed depth')
    """
    words = [_SHORT.get(word, word) for word in key.split("_")]
    return " ".join([words[0] if words[0] in _SHORT.values() else words[0].capitalize(), *words[1:]])


def quantity_text(value: float, unit: str, system: str) -> str:
    """A quantity of a list: measured in the job's units, counted without one.

    >>> quantity_text(10, "kg", "us"), quantity_text(3, "each", "us")
    ('22 lb', '3')
    """
    return show(value, unit, system) if unit in MEASURED else f"{value:g}"


def money_text(value: float, currency: str) -> str:
    """An amount of money with its currency; nothing before it where none was named.

    >>> money_text(12345.6, "€"), money_text(12, "CHF"), money_text(12, "")
    ('€12,345.60', 'CHF 12.00', '12.00')
    """
    text = f"{value:,.2f}" if abs(value) >= 10_000 else f"{value:.2f}"
    return f"{currency}{'' if currency in SIGNS else ' '}{text}".strip()


def price_text(value: float, unit: str, system: str, currency: str) -> str:
    """The price of one unit, of the unit that the job shows.

    >>> price_text(1.1, "kg", "us", "$"), price_text(12, "each", "us", "")
    ('$0.50 per lb', '12.00 each')
    """
    if unit not in MEASURED:
        return f"{money_text(value, currency)} {'each' if unit == 'each' else f'per {unit}'}"
    return f"{money_text(per_shown(value, unit, system), currency)} per {unit_text(unit, system)}"
