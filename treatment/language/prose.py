"""Sentences of the tables -> what one job's people read: a quantity in braces is shown in their own units."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache

from .display import show
from .quantity import canonical_unit, find_unit
from .tables import table

#: ``{2 psi}``: a number, a space, a unit that people write
QUANTITY = re.compile(r"\{(\d+(?:\.\d+)?) ([^{}|]+)\}")
#: dimensions that prose speaks of, in the order in which a unit's name is looked up
SPOKEN = ("pressure", "temperature", "length", "flow", "volume", "mass", "concentration", "hardness")
_WHOLE = re.compile(r"(?<=\d)\.0+(?=\s|$)")


@lru_cache(maxsize=4096)
def prose(text: str, system: str) -> str:
    """A sentence with each quantity in the units of a system of the job.

    Raises KeyError where a unit is none that prose speaks of.
    >>> prose("Set the air {2 psi} below cut-in; keep it above {15 degC}.", "us")
    'Set the air 2 psi below cut-in; keep it above 59 °F.'
    >>> prose("Leave {24 in} clear in front, and {3 mg/L} of iron at the most.", "metric")
    'Leave 610 mm clear in front, and 3 mg/L of iron at the most.'
    """
    return QUANTITY.sub(lambda found: _shown(float(found.group(1)), found.group(2), system), text) if "{" in text else text


def prosed(lines: Iterable[str], system: str) -> tuple[str, ...]:
    """Several sentences, each as ``prose`` has it."""
    return tuple(prose(line, system) for line in lines)


def was(names: Sequence[str]) -> str:
    """The verb behind names.

    >>> was(["E. coli"]), was(["Enterococci"]), was(["E. coli", "Protozoa"])
    ('was', 'were', 'were')
    """
    return "were" if len(names) > 1 or names[0].endswith("cocci") else "was"


def listed(words: Iterable[str]) -> str:
    """Several things in a row.

    >>> listed(["carbon", "softener", "tank"]), listed(["carbon"])
    ('carbon, softener and tank', 'carbon')
    """
    *first, last = list(words) or [""]
    return f"{', '.join(first)} and {last}" if first else last


def full_sentence(message: str) -> str:
    """A refusal as a sentence with its stop.

    >>> full_sentence("expected a length"), full_sentence("Enter a date.")
    ('Expected a length.', 'Enter a date.')
    """
    return message[0].upper() + message[1:] + ("" if message.endswith((".", ")")) else ".")


def sentence(words: str) -> str:
    """Words as a sentence begins with them: pH stays pH.

    >>> sentence("hard water scales it"), sentence("pH falls")
    ('Hard water scales it', 'pH falls')
    """
    return words if words[:2] == "pH" else words[:1].upper() + words[1:]


def _shown(value: float, unit: str, system: str) -> str:
    dimension = next((name for name in SPOKEN if name in table("units") and find_unit(name, unit) is not None), None)
    if dimension is None:
        raise KeyError(unit)
    known = find_unit(dimension, unit)
    assert known is not None
    held, canonical = known.to_canonical(value), canonical_unit(dimension)
    if dimension == "length":
        held, canonical = (held * 1000, "mm") if held < 1.0 else (held, "m")
    return _WHOLE.sub("", show(held, canonical, system))
