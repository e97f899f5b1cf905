"""How a use case says no: one kind of refusal, in words for the person, beside the field that caused it."""

from __future__ import annotations

from collections.abc import Mapping


class Refused(Exception):
    """What is not done, and nothing was changed. words: said to the person, or field -> words for several at once; field: beside which,
    empty for the whole.
    """

    def __init__(self, words: str | Mapping[str, str], field: str = "") -> None:
        self.fields: dict[str, str] = ({field: words} if field else {}) if isinstance(words, str) else dict(words)
        super().__init__(words if isinstance(words, str) else "; ".join(words.values()))
        self.field = field
