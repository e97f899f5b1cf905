"""Who may do what: one table, read by the code, its tests and the page of people alike."""

from __future__ import annotations

from typing import NamedTuple

from ..records.firm import ROLES
from ..who import DEVICE, HOUSE, ITSELF, LINK, VISITOR

OWNER, DESIGNER, INSTALLER, TECHNICIAN, VIEWER = ROLES
DESIGNS = frozenset({OWNER, DESIGNER})
ON_SITE = DESIGNS | {INSTALLER, TECHNICIAN}


class Act(NamedTuple):
    """Something that may be done. words: what it is; refused: what somebody is answered who may not; roles: who may; shown: on the page of people."""

    words: str
    refused: str
    roles: frozenset[str]
    shown: bool = True


ACTS: dict[str, Act] = {
    "job.see": Act("See the company's jobs", "You are not a member of this company.", frozenset(ROLES)),
    "job.change": Act("Make, change, archive and delete jobs; issue designs", "Your role can view but not change.", DESIGNS),
    "run.write": Act("Write the commissioning checklist", "Your role can view the checklist but not write it.", ON_SITE),
    "log.write": Act("Write the logbook", "Your role can view the logbook but not write it.", ON_SITE),
    "money.see": Act("See prices and costs", "Your role does not show prices and costs.", DESIGNS),
    "money.change": Act("Change prices, catalogs and the company's defaults", "Your role can view but not change.", DESIGNS),
    "link.make": Act("Make and end links without an account", "Your role cannot make links.", DESIGNS),
    "link.run": Act("Make and end links to the checklist", "Your role cannot make links.", DESIGNS | {INSTALLER}),
    "offer.answer": Act("Answer an issued design", "Your role can view issued designs but not answer them.", DESIGNS, shown=False),
    "firm.join": Act("Join a company by its invitation", "This needs an invitation.", frozenset(ROLES), shown=False),
    "firm.manage": Act("People, roles, the company's name", "Only an owner of the company can do this.", frozenset({OWNER})),
}


#: what may be done at each door
DOORS: dict[str, frozenset[str]] = {
    VISITOR: frozenset({"firm.join"}), DEVICE: frozenset({"log.write"}), HOUSE: frozenset({"log.write"}), LINK: frozenset({"offer.answer"}),
}  # fmt: skip


def may(who: str, act: str) -> bool:
    """Whether a role, or who comes by a door, may do something. Raises KeyError for an act that is not in the table."""
    return who in ACTS[act].roles or who == ITSELF or act in DOORS.get(who, ())
