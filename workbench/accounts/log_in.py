"""Who is not logged in, or no longer: a page is sent to the log-in; what a page asked in the background is told 401, so that nothing typed is lost."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.middleware.csrf import get_token
from django.views.decorators.http import require_http_methods

from .guesses import paced


class LogInFirst(LoginRequiredMiddleware):
    """A log-in before everything but what says that it needs none."""

    def handle_no_permission(self, request: HttpRequest, view_func: Callable[..., Any]) -> HttpResponseBase:  # type: ignore[override]
        if request.headers.get("HX-Request") == "true":
            return HttpResponse("Your log-in has ended.", content_type="text/plain", status=401)
        return super().handle_no_permission(request, view_func)


@login_not_required
@require_http_methods(["GET", "POST"])
def again(request: HttpRequest) -> HttpResponse:
    """Whether somebody is logged in, with the token for the forms of a page (200, 401); or a log-in over the page that stands (200, 422 with what is wrong)."""
    if request.method == "GET":
        return JsonResponse({"token": get_token(request)}) if request.user.is_authenticated else HttpResponse(status=401)
    form = AuthenticationForm(request, data=request.POST)
    if not form.is_valid():
        return JsonResponse({"problem": " ".join(str(error) for errors in form.errors.values() for error in errors)}, status=422)
    login(request, form.get_user())
    return JsonResponse({"token": get_token(request), "user": form.get_user().get_username()})


#: the same within the pace of passwords
again_paced = login_not_required(paced(again, lambda request, why: JsonResponse({"problem": why}, status=422)))
