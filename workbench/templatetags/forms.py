"""The forms that change something: token, address, hidden values and htmx attributes, written once."""

from __future__ import annotations

from typing import Any

from django import template
from django.middleware.csrf import get_token
from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

register = template.Library()

ATTRIBUTES = {
    "css": "class",
    "trigger": "hx-trigger",
    "sync": "hx-sync",
    "confirm": "hx-confirm",
    "id": "id",
    "enctype": "enctype",
    "label": "aria-label",
}
FLAGS = {"novalidate": "novalidate", "drop": "data-drop"}


@register.simple_block_tag(takes_context=True)
def post(context: template.Context, content: SafeString, where: str, *of: Any, **given: Any) -> SafeString:
    """A form that posts: ``{% post "kit-start" job.pk target="#step" action="go" %} … {% endpost %}``.

    ``job_version`` is the version of the job that the form was shown with; it follows when another form of the page saves.
    ``where`` is the name of a page (``of`` its arguments), an address, or nothing for the page itself. ``target`` or
    ``swap`` make htmx send it, too; `ATTRIBUTES` and `FLAGS` go on the form; all else is a hidden value.
    """
    address = reverse(where, args=of) if where and not where.startswith("/") else where
    htmx = _htmx(address, given.pop("target", ""), given.pop("swap", ""))
    named = [(ATTRIBUTES[key], given.pop(key)) for key in list(given) if key in ATTRIBUTES]
    of_job = given.pop("job_version", None)
    version = "" if of_job is None else format_html('<input type="hidden" name="version" value="{}" data-of="job">', of_job)
    flags = mark_safe("".join(f" {FLAGS[key]}" for key in list(given) if key in FLAGS and given.pop(key)))
    return format_html(
        '<form method="post" action="{}"{}{}><input type="hidden" name="csrfmiddlewaretoken" value="{}">{}{}{}</form>',
        address,
        format_html_join("", ' {}="{}"', [*htmx, *named]),
        flags,
        context.get("csrf_token") or get_token(context["request"]),  # the page's own: masked once, not for every form
        version,
        format_html_join("", '<input type="hidden" name="{}" value="{}">', ((key, "" if value is None else value) for key, value in given.items())),
        content,
    )


@register.simple_block_tag(takes_context=True)
def edit(context: template.Context, content: SafeString, **given: Any) -> SafeString:
    """A form that edits the train or the wall shown: with the version and the stage it was made on."""
    target = given.pop("target", None) or context.get("answer_in") or "#bench"
    made_on = {"version": context["option"].version, "shown": context["revision"].pk, "stage": context.get("selected", "")}
    return post(context, content, context["edit_url"], target=target, **made_on, **given)


def _htmx(address: str, target: str, swap: str) -> list[tuple[str, str]]:
    if not (target or swap):
        return []
    return [("hx-post", address), *([("hx-target", target)] if target else []), ("hx-swap", swap or "outerHTML")]


@register.simple_tag
def htmx_config() -> SafeString:
    """How htmx answers here: a refusal (409, 422) is shown like a page, a failure is announced."""
    return HTMX_CONFIG


HTMX_CONFIG = mark_safe(
    '{"includeIndicatorStyles":false,"allowEval":false,"allowScriptTags":false,"historyCacheSize":0,"defaultSettleDelay":0,'
    '"responseHandling":[{"code":"204","swap":false},{"code":"[23]..","swap":true},{"code":"409","swap":true},'
    '{"code":"422","swap":true},{"code":"[45]..","swap":false,"error":true}]}'
)
