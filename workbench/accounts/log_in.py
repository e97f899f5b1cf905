"""Who is not logged in, or no longer: a page is sent to the log-in; what a page asked in the background is told 401, so that nothing typed is lost."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from allauth.account.forms import LoginForm
from allauth.account.views import LoginView
from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.middleware.csrf import get_token
from django.views.decorators.http import require_http_methods

from ..error_views import told
from .guesses import paced

SECOND = "Your account has a second factor. Log in in another tab, come back here and try again: what you typed stays."


class LogInFirst(LoginRequiredMiddleware):
    """A log-in before everything but what says that it needs none."""

    def handle_no_permission(self, request: HttpRequest, view_func: Callable[..., Any]) -> HttpResponseBase:  # type: ignore[override]
        if request.headers.get("HX-Request") == "true":
            return HttpResponse("Your log-in has ended.", content_type="text/plain", status=401)
        return super().handle_no_permission(request, view_func)


class LogInForm(LoginForm):  # type: ignore[misc]
    """Username (or mail address) and password. The name goes by ``username`` in the page, as browsers and people know it."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["login"].label = "Username or mail address"
        self.fields["login"].widget.attrs = {"autocomplete": "username", "autofocus": True, "maxlength": 254, "autocapitalize": "none"}
        self.fields["password"].widget.attrs.pop("placeholder", None)
        self.fields["password"].help_text = ""

    def add_prefix(self, field_name: str) -> str:
        return "username" if field_name == "login" else str(super().add_prefix(field_name))


class LogIn(LoginView):  # type: ignore[misc]
    """The one place that logs in with a password: what a second factor adds comes after it."""

    template_name = "accounts/login.html"
    form_class = LogInForm

    def get_context_data(self, **kwargs: Any) -> dict[str, Any]:
        more = {
            "demonstration": settings.MODE == "demo",
            "mails": settings.MAILS,
            "next": self.request.POST.get("next") or self.request.GET.get("next", ""),
        }
        return dict(super().get_context_data(**kwargs)) | more


def slowly(view: Callable[..., HttpResponseBase]) -> Callable[..., HttpResponseBase]:
    """A page that checks a password, within the pace of guesses."""
    return paced(view, lambda request, why: told(request, 429, why))


LOG_IN = slowly(LogIn.as_view())


@login_not_required
@require_http_methods(["GET", "POST"])
def again(request: HttpRequest) -> HttpResponse:
    """Whether somebody is logged in, with the token for the forms of a page (200, 401); or a log-in over the page that stands (200, 422 with what is wrong)."""
    if request.method == "GET":
        return JsonResponse({"token": get_token(request)}) if request.user.is_authenticated else HttpResponse(status=401)
    form = LogInForm(data=request.POST, request=request)
    if not form.is_valid():
        return JsonResponse({"problem": " ".join(str(error) for errors in form.errors.values() for error in errors)}, status=422)
    form.login(request)
    if not request.user.is_authenticated:
        return JsonResponse({"problem": SECOND}, status=422)
    return JsonResponse({"token": get_token(request), "user": request.user.get_username()})


#: the same within the pace of passwords
again_paced = login_not_required(paced(again, lambda request, why: JsonResponse({"problem": why}, status=422)))
