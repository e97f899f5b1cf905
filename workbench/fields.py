"""Small help for any form: a refusal as a sentence, and the choices of a field."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django import forms


def sentence(message: str) -> str:
    """A refusal as a sentence beside a field."""
    return message[0].upper() + message[1:] + ("" if message.endswith((".", ")")) else ".")


def offer(field: forms.Field, choices: Iterable[Any]) -> None:
    """Give a choice field its choices."""
    if not isinstance(field, forms.ChoiceField):
        raise TypeError(f"{field} offers no choices")
    field.choices = list(choices)
