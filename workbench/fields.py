"""Small help for any form: a refusal as a sentence, and the choices of a field."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django import forms

from treatment.language.prose import full_sentence as sentence

__all__ = ["offer", "sentence"]


def offer(field: forms.Field, choices: Iterable[Any]) -> None:
    """Give a choice field its choices."""
    if not isinstance(field, forms.ChoiceField):
        raise TypeError(f"{field} offers no choices")
    field.choices = list(choices)
