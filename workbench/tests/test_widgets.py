"""Widgets that are written as text say what their templates say."""

from __future__ import annotations

import re
from typing import Any

from django import forms
from django.forms.renderers import DjangoTemplates
from django.test import SimpleTestCase
from django.utils.safestring import mark_safe

from ..pages.widgets import Written

ODD = 'a "quoted" <b>&amp; µ</b>'
CHOICES = [("", "not given"), ("a", ODD), ("Group <1>", [(1, "one"), (2, mark_safe("<i>two</i>"))]), (True, "yes")]
WIDGETS: list[tuple[forms.Widget, list[Any]]] = [
    (forms.TextInput({"maxlength": 80, "required": True, "autofocus": False, "data-x": ODD}), [None, "", "7 gpm", ODD, mark_safe("&deg;"), 3.5]),
    (forms.NumberInput({"step": "any"}), [None, 0, 12]),
    (forms.EmailInput(), [ODD]),
    (forms.HiddenInput(), [None, "7"]),
    (forms.PasswordInput(), ["secret"]),
    (forms.URLInput(), ["http://localhost/?a=1&b=2"]),
    (forms.DateInput({"type": "date"}), [None, "2026-11-30"]),
    (forms.CheckboxInput({"class": "tick"}), [None, True, False, "on"]),
    (forms.Textarea({"rows": 4, "cols": 10}), [None, "", f"two\nlines {ODD}"]),
    (forms.Select({"aria-label": ODD}, CHOICES), [None, "", "a", 1, "1", True]),
    (forms.SelectMultiple({"size": 3}, CHOICES), [None, ["a", 2]]),
    (forms.RadioSelect({"class": "r"}, CHOICES), [None, "a"]),
    (forms.CheckboxSelectMultiple({}, CHOICES), [None, ["a"]]),
    (forms.ClearableFileInput({"accept": ".pdf"}), [None]),
]


def said(html: str) -> str:
    """What a page says, whatever its lines."""
    return re.sub(r"(?<=>) | (?=<)", "", re.sub(r"\s+", " ", html))


class AsTheirTemplates(SimpleTestCase):
    def test_every_kind_with_every_value(self) -> None:
        for widget, values in WIDGETS:
            for value in values:
                for more in ({}, {"id": "id_x", "aria-invalid": "true", "aria-describedby": "x_error"}):
                    ours, theirs = (widget.render("a<b", value, more, renderer) for renderer in (Written(), DjangoTemplates()))
                    self.assertEqual(said(ours), said(theirs), (type(widget).__name__, value))

    def test_boxes_and_buttons_one_by_one(self) -> None:
        for kind in (forms.RadioSelect, forms.CheckboxSelectMultiple):
            for labelled in (False, True):
                drawn = []
                for renderer in (Written(), DjangoTemplates()):
                    form = type("Asked", (forms.Form,), {"x": forms.ChoiceField(choices=[("a", ODD), (1, "one")], widget=kind)})(
                        {"x": "a"}, renderer=renderer
                    )
                    drawn.append([said(str(each.tag(wrap_label=labelled))) for each in form["x"].subwidgets])
                self.assertEqual(drawn[0], drawn[1])
