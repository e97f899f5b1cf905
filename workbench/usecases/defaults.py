"""What a new job starts from: a person's last choice, else what the firm set, else what the browser's language suggests."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import F

from ..outcome import Done
from ..records.firm import Membership
from .acting import use_case

EUROPE = (
    "de", "fr", "es", "nl", "it", "pt", "da", "sv", "fi", "pl", "cs", "sk", "hu", "ro", "bg", "el", "hr", "sl", "et", "lv", "lt", "mt", "ga", "ca", "eu",
)  # fmt: skip
#: language, or language and country, as browsers name them -> limits and units
BY_LANGUAGE = {
    "en-us": ("us", "us"), "es-us": ("us", "us"), "en-gb": ("uk", "metric"), "cy": ("uk", "metric"), "gd": ("uk", "metric"), "en-ie": ("eu", "metric"),
    "en-au": ("au", "metric"), "en-nz": ("who", "metric"), "en-ca": ("ca", "metric"), "fr-ca": ("ca", "metric"), "en-za": ("who", "metric"), "en-in": ("who", "metric"),
    **dict.fromkeys(EUROPE, ("eu", "metric")),
    "es-mx": ("who", "metric"), "pt-br": ("who", "metric"), "de-ch": ("who", "metric"), "fr-ch": ("who", "metric"), "nb": ("eu", "metric"), "no": ("eu", "metric"),
}  # fmt: skip


@dataclass(frozen=True)
class Start:
    """Limits and units of a new job."""

    standard: str
    units: str


def start_of(member: Membership, languages: str) -> Start:
    """What a new job of this person starts from. languages: the browser's Accept-Language."""
    firm = member.workspace
    suggested = None if firm.chosen else of_languages(languages)
    standard, units = suggested or (firm.standard, firm.units)
    return Start(member.last_standard or standard, member.last_units or units)


def of_languages(told: str) -> tuple[str, str] | None:
    """Limits and units that fit the first language we know; None where we know none.

    >>> of_languages("en-GB,en;q=0.9"), of_languages("xx")
    (('uk', 'metric'), None)
    """
    for each in told[:400].split(","):
        language = each.split(";")[0].strip().lower()
        for name in (language, language.partition("-")[0]):
            if name in BY_LANGUAGE:
                return BY_LANGUAGE[name]
    return None


@use_case("job.see", apart=True)
def remember(member: Membership, standard: str = "", units: str = "") -> Done[None]:
    """Keep a person's choice for their next job."""
    Membership.objects.filter(pk=member.pk).update(last_standard=standard or F("last_standard"), last_units=units or F("last_units"))
    return Done(None)
