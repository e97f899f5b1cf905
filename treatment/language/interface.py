"""Words that repeat on pages, papers and the command line: ``data/interface.toml``."""

from __future__ import annotations

from .analytes import analytes
from .tables import table


def word(kind: str, key: str) -> str:
    """What people read for a key of the formats. Raises KeyError for one that has no word."""
    return str(table("interface")[kind][key])


def severity(key: str, count: int = 1) -> str:
    """The name of a severity, of one finding or of several.

    >>> severity("advice"), severity("danger", 2)
    ('note', 'dangers')
    """
    one, several = table("interface")["severity"][key]
    return str(one if count == 1 else several)


def counted(key: str, count: int) -> str:
    """How many findings of a severity.

    >>> counted("danger", 2), counted("advice", 1)
    ('2 dangers', '1 note')
    """
    return f"{count} {severity(key, count)}"


def cause(id: str) -> str:
    """What a cause of a diagnosis is called; of one that is no longer known its id stands.

    >>> cause("resin-fouled/iron"), cause("lamp-out")
    ('Resin is fouled: iron', 'UV lamp is out')
    """
    kind, _, what = id.partition("/")
    name = str(table("interface")["cause"].get(kind, kind))
    return f"{name}: {analytes()[what].said if what in analytes() else what}" if what else name


def due(days: int) -> str:
    """How far off something is: days from today, below 0 where it is late.

    >>> due(-19), due(0), due(1), due(3)
    ('19 days overdue', 'due today', 'due in 1 day', 'due in 3 days')
    """
    words = table("interface")["due"]
    if not days:
        return str(words["today"])
    one, several = words["over" if days < 0 else "in"]
    return str(one if abs(days) == 1 else several.format(n=abs(days)))
