"""One's own account on one page: what there is, and where it is changed."""

from __future__ import annotations

from allauth.account.models import EmailAddress
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe


@require_safe
def own(request: HttpRequest) -> HttpResponse:
    """Mail address, password, second factor, passkeys, and where one is logged in."""
    held = [each.type for each in Authenticator.objects.filter(user=request.user.pk)]
    context = {
        "address": EmailAddress.objects.filter(user=request.user.pk).order_by("-primary", "pk").first(), "mails": settings.MAILS,
        "app": Authenticator.Type.TOTP in held, "codes": Authenticator.Type.RECOVERY_CODES in held, "keys": held.count(Authenticator.Type.WEBAUTHN),
        "log_ins": UserSession.objects.filter(user=request.user.pk).count(),
    }  # fmt: skip
    return render(request, "accounts/own.html", context)
