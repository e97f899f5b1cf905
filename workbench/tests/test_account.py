"""One's own account: a second factor that no door goes round, codes for a lost phone, a password by mail, log-ins seen and ended, passkeys."""

from __future__ import annotations

import re
from typing import Any
from unittest import mock

from allauth.account.models import EmailAddress
from allauth.mfa.models import Authenticator
from allauth.mfa.totp.internal import auth as totp
from django.core import mail
from django.core.exceptions import ImproperlyConfigured
from django.test import Client, override_settings, tag
from django.urls import reverse
from playwright.sync_api import expect

from vivid_cairn.settings.modes import proxies_of

from ..accounts import guesses
from ..accounts.account_urls import urlpatterns
from ..accounts.guesses import Pace
from .base import BrowserTestCase, WorkbenchTestCase, read

#: pages of the account that somebody without a log-in needs
OPEN = {
    "account_login", "account_signup", "account_inactive", "account_logout", "account_confirm_email", "account_email_verification_sent", "account_reset_password",
    "account_reset_password_done", "account_reset_password_from_key", "account_reset_password_from_key_done", "mfa_authenticate", "mfa_login_webauthn",
}  # fmt: skip
#: what pages of the account want of their address
PARTS: dict[str, Any] = {"key": "x-y", "uidb36": "1", "pk": 1}


def code_now(secret: str) -> str:
    """The six digits that an app shows now."""
    return str(totp.format_hotp_value(totp.hotp_value(secret, next(iter(totp.yield_hotp_counters_from_time())))))


class Account(WorkbenchTestCase):
    def setUp(self) -> None:
        self.enterContext(mock.patch.object(guesses, "PACE", Pace(at_once=1000.0)))
        self.client.post(reverse("login"), {"username": "dora", "password": "pass-word-1"})

    def with_app(self) -> str:
        """Set up an app; its secret."""
        self.assertIn("/again/", self.client.get(reverse("mfa_activate_totp"))["Location"])  # the password once more
        self.client.post(reverse("account_reauthenticate"), {"password": "pass-word-1"})
        page = read(self.client.get(reverse("mfa_activate_totp")))
        found = re.search(r'break-all">(\w+)<', page)
        assert found is not None
        self.assertIn("<svg", page)
        self.assertNotIn("data:image", page)
        self.client.post(reverse("mfa_activate_totp"), {"code": code_now(found[1])})
        self.assertTrue(Authenticator.objects.filter(user=self.designer, type="totp").exists())
        return found[1]

    def test_every_page_without_a_log_in(self) -> None:
        """Those that are needed before it answer; all others send to the log-in; none breaks. Then the same with one."""
        for logged_in in (False, True):
            for pattern in urlpatterns:
                address = reverse(
                    pattern.name,
                    kwargs={
                        name: PARTS[name] for name in (*pattern.pattern.converters, *getattr(pattern.pattern, "regex", re.compile("")).groupindex)
                    },
                )
                client = Client()
                if logged_in:
                    client.force_login(self.designer)
                for answer in (client.get(address), client.post(address, {})):
                    self.assertLess(answer.status_code, 500, pattern.name)
                    if not logged_in and pattern.name not in OPEN:
                        self.assertRedirects(answer, f"/login/?next={address}", fetch_redirect_response=False, msg_prefix=pattern.name)

    def test_a_second_factor_stands_before_every_door(self) -> None:
        """The password alone opens neither the log-in nor the one over a page; with the code it does."""
        secret = self.with_app()
        other = Client()
        answer = other.post(reverse("login"), {"username": "dora", "password": "pass-word-1", "next": "/people/"})
        self.assertRedirects(answer, reverse("mfa_authenticate"), fetch_redirect_response=False)
        self.assertEqual(other.get("/people/").status_code, 302)
        self.assertContains(other.get(reverse("mfa_authenticate")), "six digits")
        over = other.post(reverse("login-again"), {"username": "dora", "password": "pass-word-1"})
        self.assertEqual((over.status_code, "second factor" in over.json()["problem"]), (422, True))
        self.assertEqual(other.get(reverse("login-again")).status_code, 401)
        self.assertContains(other.post(reverse("mfa_authenticate"), {"code": "000000"}), "error")
        with mock.patch.object(totp, "is_code_used", lambda *_: False, create=True):
            for attempt in (code_now(secret),):
                other.post(reverse("mfa_authenticate"), {"code": attempt})
        self.assertEqual(other.get("/people/").status_code, 200)

    def test_a_code_for_a_lost_phone_works_once(self) -> None:
        """A recovery code in place of the app; the second time it does not."""
        self.with_app()
        codes = Authenticator.objects.get(user=self.designer, type="recovery_codes").wrap().get_unused_codes()
        for time in (0, 1):
            other = Client()
            other.post(reverse("login"), {"username": "dora", "password": "pass-word-1"})
            other.post(reverse("mfa_authenticate"), {"code": codes[0]})
            self.assertEqual(other.get("/people/").status_code, 302 if time else 200)

    def test_a_forgotten_password(self) -> None:
        """By the confirmed address: a mail, a link that works once, all log-ins end; an address nobody has gets no mail and the same answer."""
        EmailAddress.objects.create(user=self.designer, email="dora@larkfell.example", verified=True, primary=True)
        other = Client()
        for address in ("nobody@larkfell.example", "dora@larkfell.example"):
            answer = other.post(reverse("account_reset_password"), {"email": address})
            self.assertRedirects(answer, reverse("account_reset_password_done"))
        self.assertEqual(len(mail.outbox), 1)
        self.assertIn("Vivid Cairn", mail.outbox[0].subject)
        self.assertNotIn("example.com", mail.outbox[0].body)
        link = re.search(r"http://testserver(\S+)", mail.outbox[0].body)
        assert link is not None
        form = other.get(link[1], follow=True)
        other.post(form.request["PATH_INFO"], {"password1": "another-word-22", "password2": "another-word-22"})
        self.assertEqual(self.client.get("/people/").status_code, 302)
        self.assertEqual(Client().post(reverse("login"), {"username": "dora", "password": "another-word-22"}).status_code, 302)
        self.assertContains(Client().get(link[1], follow=True), "This link has ended")

    def test_log_ins_are_seen_and_ended(self) -> None:
        """Another browser is out at its next request."""
        other = Client(headers={"user-agent": "Phone of dora"})
        other.post(reverse("login"), {"username": "dora", "password": "pass-word-1"})
        self.assertContains(self.client.get(reverse("usersessions_list")), "Phone of dora")
        self.client.post(reverse("usersessions_list"))
        self.assertEqual((other.get("/people/").status_code, self.client.get("/people/").status_code), (302, 200))

    def test_nobody_signs_up(self) -> None:
        """Only an invitation makes an account."""
        answer = Client().post(reverse("account_signup"), {"username": "x", "email": "x@larkfell.example", "password1": "pass-word-33"})
        self.assertContains(answer, "By invitation only")

    def test_a_mail_address_logs_in_too(self) -> None:
        """The same field takes it."""
        EmailAddress.objects.create(user=self.designer, email="dora@larkfell.example", verified=True, primary=True)
        self.assertEqual(Client().post(reverse("login"), {"username": "dora@larkfell.example", "password": "pass-word-1"}).status_code, 302)


class Behind(WorkbenchTestCase):
    """Proxies before the application."""

    def test_the_address_of_who_asks(self) -> None:
        """One proxy: the last entry counts, whatever the client wrote before it; five wrong guesses from one address lock nobody elsewhere."""
        with override_settings(PROXIES=1), mock.patch.object(guesses, "PACE", Pace(at_once=1000.0)):
            for number in range(5):
                forwarded = f"10.9.9.{number}, 10.0.0.1"
                Client().post(reverse("login"), {"username": "dora", "password": "x"}, headers={"x-forwarded-for": forwarded})
            for last, status in (("10.0.0.1", 429), ("10.0.0.2", 302)):
                answer = Client().post(reverse("login"), {"username": "dora", "password": "pass-word-1"}, headers={"x-forwarded-for": last})
                self.assertEqual(answer.status_code, status)

    def test_how_many(self) -> None:
        self.assertEqual([proxies_of({}), proxies_of({"CAIRN_PROXIES": "2"})], [0, 2])
        with self.assertRaises(ImproperlyConfigured):
            proxies_of({"CAIRN_PROXIES": "two"})


@tag("browser")
class Passkey(BrowserTestCase):
    def test_a_passkey_and_an_app_by_hand(self) -> None:
        """A virtual authenticator: a passkey is added, and logs in without a password; the app's code is asked for after one."""
        page = self.page
        cdp = page.context.new_cdp_session(page)
        cdp.send("WebAuthn.enable")
        options = {
            "protocol": "ctap2", "transport": "internal", "hasResidentKey": True, "hasUserVerification": True, "isUserVerified": True,
            "automaticPresenceSimulation": True,
        }  # fmt: skip
        cdp.send("WebAuthn.addVirtualAuthenticator", {"options": options})
        page.goto("/account/")
        page.get_by_role("link", name="Add").nth(2).click()
        page.get_by_role("link", name="Add a key").click()
        page.fill("#id_password", "pass-word-1")
        page.get_by_role("button", name="Confirm").click()
        page.fill("#id_name", "Laptop of dora")
        page.check("#id_passwordless")
        page.get_by_role("button", name="Add").click()
        page.wait_for_url("**/codes/")  # the first of an account brings codes for a lost phone
        page.get_by_label("I have kept these codes").check()
        page.goto("/account/keys/")
        expect(page.get_by_text("Laptop of dora")).to_be_visible()
        page.get_by_role("button", name="Log out").first.click()
        page.wait_for_url("**/login/**")
        page.get_by_role("button", name="Use a passkey").click()
        page.wait_for_url(lambda url: url.rstrip("/").count("/") == 2)
        page.goto("/account/second/app/")
        page.fill("#id_password", "pass-word-1")
        page.get_by_role("button", name="Confirm").click()
        secret = page.locator("code").inner_text()
        page.fill("#id_code", code_now(secret))
        page.get_by_role("button", name="Add the app").click()
        page.wait_for_url("**/account/**")
        other = self.browser.new_context(base_url=self.live_server_url).new_page()
        other.goto("/login/")
        other.fill("#id_username", "dora")
        other.fill("#id_password", "pass-word-1")
        other.get_by_role("button", name="Log in").click()
        expect(other.get_by_role("heading", name="Second factor")).to_be_visible()
