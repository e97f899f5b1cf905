"""The people of a firm: their roles, invitations, leaving; the page of an invitation; which firm is open."""

from __future__ import annotations

from allauth.account.utils import perform_login
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods, require_POST

from ..outcome import Done, Refused
from ..records.firm import ROLES, Membership
from ..request import number, status_of
from ..usecases import people
from ..usecases.access import FIRM, ask, membership
from ..usecases.roles import ACTS, may


@require_http_methods(["GET", "POST"])
def shelf(request: HttpRequest) -> HttpResponse:
    """Who belongs to the firm and may do what; an owner invites, changes roles, removes."""
    member = membership(request)
    if request.method == "GET":
        return _page(request, member)
    ask(member, "firm.manage")
    try:
        done = _act(request, member)
    except Membership.DoesNotExist:
        raise Http404 from None
    except Refused as error:
        return _page(request, member, status_of(error), problem=str(error), field=error.field)
    if isinstance(done.made, str):  # shown now, and never again
        return _page(request, member, invited=request.build_absolute_uri(reverse("join", args=[done.made])))
    if done.words:
        messages.success(request, done.words)
    return redirect("people" if Membership.objects.filter(pk=member.pk).exists() else "login")


def _act(request: HttpRequest, member: Membership) -> Done[object]:
    """Do what was asked; an invitation that was made answers with its secret."""
    act, pk = request.POST.get("act", ""), number(request, "member") or 0
    if act == "invite":
        return people.invite(member.workspace, request.POST.get("role", ""), request.POST.get("email", ""), request.user)
    if act == "withdraw":
        return people.withdraw(member.workspace, number(request, "invitation") or 0)
    if act == "remove":
        return people.remove(member.workspace, pk)
    if act == "role":
        return people.set_role(member.workspace, pk, request.POST.get("role", ""))
    raise Refused("This action is not known.")


def _page(request: HttpRequest, member: Membership, status: int = 200, **more: object) -> HttpResponse:
    firm = member.workspace
    context = {
        "firm": firm, "members": firm.memberships.select_related("user").order_by("pk"), "roles": ROLES, "me": member, "manages": may(member.role, "firm.manage"),
        "open": firm.invitations.filter(taken_at=None).select_related("made_by"),
        "table": [(act.words, [role in act.roles for role in ROLES]) for act in ACTS.values() if act.shown],
    }  # fmt: skip
    return render(request, "accounts/people.html", context | more, status=status)


@login_not_required
@never_cache
@require_http_methods(["GET", "POST"])
def join(request: HttpRequest, secret: str) -> HttpResponse:
    """The page of an invitation: a new person chooses a name and a password; one who is logged in becomes a member."""
    held = people.invitation(secret)
    if held is None:
        return _joining(request, 404, ended=True)
    if request.method == "GET":
        return _joining(request, held=held)
    try:
        if request.user.is_authenticated:
            joined = people.take(secret, request.user)
        else:
            joined = people.join(secret, request.POST.get("username", ""), request.POST.get("password", ""))
            perform_login(request, joined.made.user, email_verification="none")
    except Refused as error:
        return _joining(request, status_of(error), held=held, problem=str(error), field=error.field, typed=request.POST.get("username", ""))
    request.session[FIRM] = joined.made.workspace_id
    messages.success(request, joined.words)
    return redirect("jobs")


def _joining(request: HttpRequest, status: int = 200, **context: object) -> HttpResponse:
    response = render(request, "accounts/join.html", context, status=status)
    response["X-Robots-Tag"] = "noindex"
    return response


@require_POST
def open_firm(request: HttpRequest) -> HttpResponse:
    """Open another of one's firms."""
    membership(request)
    held = get_object_or_404(Membership, user=request.user.pk, workspace=number(request, "firm") or 0)
    request.session[FIRM] = held.workspace_id
    return redirect("jobs")
