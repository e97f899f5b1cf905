"""Inputs and lists of a form, written straight as text: what the framework's own templates give but for line ends, in a tenth of their time.

A page of a job has some hundred options and attributes, each of which would be a template of its own. What is not here is still
drawn by its template.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.forms.renderers import DjangoTemplates
from django.utils.html import conditional_escape
from django.utils.safestring import SafeData, SafeString, mark_safe

Widget = dict[str, Any]
FOLDER = "django/forms/widgets/"
OPTION = FOLDER + "select_option.html"


def _text(value: Any) -> str:
    """A value as text that may stand in a page."""
    return conditional_escape(value if isinstance(value, SafeData) else str(value))


def _attributes(widget: Widget) -> str:
    """Its attributes: those that are True by their name alone, those that are False not at all."""
    return "".join(
        f" {_text(name)}" if value is True else f' {_text(name)}="{_text(value)}"' for name, value in widget["attrs"].items() if value is not False
    )


def _input(widget: Widget) -> str:
    value = "" if widget["value"] is None else f' value="{_text(widget["value"])}"'
    return f'<input type="{_text(widget["type"])}" name="{_text(widget["name"])}"{value}{_attributes(widget)}>'


def _ticked(widget: Widget) -> str:
    """One of several boxes or buttons, with its label round it where that is asked for."""
    if not widget.get("wrap_label"):
        return _input(widget)
    of = f' for="{_text(widget["attrs"]["id"])}"' if widget["attrs"].get("id") else ""
    return f"<label{of}>{_input(widget)} {_text(widget['label'])}</label>"


def _option(widget: Widget) -> str:
    return f'<option value="{_text(widget["value"])}"{_attributes(widget)}>{_text(widget["label"])}</option>'


def _select(widget: Widget) -> str:
    parts = [f'<select name="{_text(widget["name"])}"{_attributes(widget)}>']
    for group, options, _ in widget["optgroups"]:
        parts += [f'\n  <optgroup label="{_text(group)}">'] if group else []
        parts += [f"\n  {_option(option)}" for option in options]
        parts += ["\n  </optgroup>"] if group else []
    return f"{''.join(parts)}\n</select>"


def _textarea(widget: Widget) -> str:
    return f'<textarea name="{_text(widget["name"])}"{_attributes(widget)}>\n{_text(widget["value"]) if widget["value"] else ""}</textarea>'


WRITTEN: dict[str, Callable[[Widget], str]] = {
    FOLDER + "select.html": _select,
    FOLDER + "textarea.html": _textarea,
    FOLDER + "checkbox_option.html": _ticked,
    FOLDER + "radio_option.html": _ticked,
    **{f"{FOLDER}{kind}.html": _input for kind in ("checkbox", "date", "email", "hidden", "input", "number", "password", "text", "url")},
}


class Written(DjangoTemplates):
    """Draws the widgets of ``WRITTEN`` itself."""

    def render(self, template_name: str, context: dict[str, Any], request: Any = None) -> SafeString:
        write = WRITTEN.get(template_name)
        if write is None or any(option["template_name"] != OPTION for _, options, _ in context["widget"].get("optgroups", ()) for option in options):
            return mark_safe(super().render(template_name, context, request))
        return mark_safe(write(context["widget"]))
