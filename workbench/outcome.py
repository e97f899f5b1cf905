"""How a use case answers: done, with what was done in words; or refused, in words for the person, beside the field that caused it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from django.db.models import Manager, Model, QuerySet

from treatment.language.errors import Fault

Found = TypeVar("Found", bound=Model)
Made = TypeVar("Made", covariant=True)


@dataclass(frozen=True, slots=True)
class Done(Generic[Made]):
    """What was done. made: the record that was made or changed, or what was counted; None where there is nothing to hand on.

    words: said to the person, empty where what is shown then says it by itself; stage: of a train, the one to look at then.
    """

    made: Made
    words: str = ""
    stage: str = ""


class Refused(Exception):
    """What is not done, and nothing was changed. words: said to the person, or field -> words for several at once; field: beside which,
    empty for the whole. code: what kind of no it is.
    """

    code = "unfit"

    def __init__(self, words: str | Mapping[str, str], field: str = "") -> None:
        self.fields: dict[str, str] = ({field: words} if field else {}) if isinstance(words, str) else dict(words)
        super().__init__(words if isinstance(words, str) else "; ".join(words.values()))
        self.field = field


class Late(Refused):
    """Somebody else changed it since it was shown. stands: what stands now."""

    code = "late"

    def __init__(
        self, stands: Any = None, words: str | Mapping[str, str] = "Someone else changed this since you opened it. Reload the page."
    ) -> None:
        super().__init__(words)
        self.stands = stands


class Gone(Refused):
    """It is no longer there, or was never this company's."""

    code = "gone"

    def __init__(self, words: str = "This is no longer there.") -> None:
        super().__init__(words)


class Unread(Refused):
    """What was sent is a document that cannot be read. faults: each with its place in it and what was expected there."""

    def __init__(self, faults: Sequence[Fault]) -> None:
        super().__init__("; ".join(fault.message for fault in faults))
        self.faults = faults


def one_of(where: QuerySet[Found] | Manager[Found] | type[Found], **which: Any) -> Found:
    """The one record that is meant. Raises Gone where there is none."""
    rows = where._default_manager.all() if isinstance(where, type) else where.all()
    held = rows.filter(**which).first()
    if held is None:
        raise Gone
    return held
