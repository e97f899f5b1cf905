"""The pages of one's own account: mail address, password, second factor, passkeys, log-ins. The package's own views under our look."""

from __future__ import annotations

from allauth.account import views as account
from allauth.mfa.base import views as second
from allauth.mfa.recovery_codes import views as codes
from allauth.mfa.totp import views as app
from allauth.mfa.webauthn import views as keys
from allauth.usersessions import views as sessions
from django.contrib.auth.decorators import login_not_required
from django.urls import path, re_path
from django.views.generic import RedirectView

from .log_in import LOG_IN, slowly
from .own_views import own

urlpatterns = [
    path("", own, name="account"),
    path("log-in/", LOG_IN, name="account_login"),
    path("log-out/", account.logout, name="account_logout"),
    path("sign-up/", account.signup, name="account_signup"),
    path("inactive/", account.account_inactive, name="account_inactive"),
    path("again/", slowly(account.reauthenticate), name="account_reauthenticate"),
    path("mail/", account.email, name="account_email"),
    path("mail/sent/", account.email_verification_sent, name="account_email_verification_sent"),
    path("mail/<str:key>/", login_not_required(account.confirm_email), name="account_confirm_email"),
    path("password/", slowly(account.password_change), name="account_change_password"),
    path("password/first/", account.password_set, name="account_set_password"),
    path("forgotten/", login_not_required(account.password_reset), name="account_reset_password"),
    path("forgotten/sent/", login_not_required(account.password_reset_done), name="account_reset_password_done"),
    path("forgotten/done/", login_not_required(account.password_reset_from_key_done), name="account_reset_password_from_key_done"),
    re_path(
        r"^forgotten/(?P<uidb36>[0-9A-Za-z]+)-(?P<key>[^/]+)/$",
        login_not_required(account.password_reset_from_key),
        name="account_reset_password_from_key",
    ),
    path("second/", RedirectView.as_view(pattern_name="account"), name="mfa_index"),
    path("second/log-in/", login_not_required(second.authenticate), name="mfa_authenticate"),
    path("second/again/", second.reauthenticate, name="mfa_reauthenticate"),
    path("second/app/", app.activate_totp, name="mfa_activate_totp"),
    path("second/app/off/", app.deactivate_totp, name="mfa_deactivate_totp"),
    path("second/codes/", codes.view_recovery_codes, name="mfa_view_recovery_codes"),
    path("second/codes/new/", codes.generate_recovery_codes, name="mfa_generate_recovery_codes"),
    path("second/codes.txt", codes.download_recovery_codes, name="mfa_download_recovery_codes"),
    path("keys/", keys.list_webauthn, name="mfa_list_webauthn"),
    path("keys/add/", keys.add_webauthn, name="mfa_add_webauthn"),
    path("keys/again/", keys.reauthenticate_webauthn, name="mfa_reauthenticate_webauthn"),
    path("keys/log-in/", login_not_required(keys.login_webauthn), name="mfa_login_webauthn"),
    path("keys/<int:pk>/remove/", keys.remove_webauthn, name="mfa_remove_webauthn"),
    path("keys/<int:pk>/edit/", keys.edit_webauthn, name="mfa_edit_webauthn"),
    path("log-ins/", sessions.list_usersessions, name="usersessions_list"),
]
