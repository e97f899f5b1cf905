"""People of a firm: invited, given roles, removed; the last owner stays; money is not shown to all."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management import CommandError, call_command
from django.test import Client
from django.utils import timezone

from workbench.records.firm import Invitation, Membership, Workspace
from workbench.usecases import people
from workbench.usecases.roles import ACTS

from .base import BrowserTestCase, WorkbenchTestCase, expect, read, tag


class PeopleCase(WorkbenchTestCase):
    def invite(self, role: str = "technician", email: str = "") -> str:
        """The address of an invitation."""
        page = self.client.post("/people/", {"act": "invite", "role": role, "email": email})
        return re.search(r"/join/[\w-]+/", page.content.decode())[0]  # type: ignore[index]

    def member(self, user: Any) -> Membership:
        return Membership.objects.get(workspace=self.workspace, user=user)


class Invited(PeopleCase):
    def test_a_new_person_joins_once(self) -> None:
        address, guest = self.invite(), Client()
        self.assertContains(guest.get(address), "You are invited as technician")
        weak = guest.post(address, {"username": "tess", "password": "1234"})
        self.assertContains(weak, 'value="tess"', status_code=422)
        self.assertEqual(guest.post(address, {"username": "dora", "password": "long-word-1"}).status_code, 422, "the name is taken")
        self.assertRedirects(guest.post(address, {"username": "tess", "password": "long-word-1"}), "/")
        self.assertEqual(Membership.objects.get(user__username="tess").role, "technician")
        self.assertEqual(Client().get(address).status_code, 404, "it works once")
        self.assertNotIn(address.split("/")[2], str(Invitation.objects.values_list()), "only its hash is kept")

    def test_somebody_with_an_account_joins_another_firm(self) -> None:
        """And opens either of the two."""
        guest = Client()
        guest.force_login(self.stranger)
        self.assertRedirects(guest.post(self.invite("viewer")), "/")
        self.assertContains(guest.get("/"), self.job.name)
        guest.post("/firm/open/", {"firm": Workspace.objects.get(name="Theirs").pk})
        self.assertNotContains(guest.get("/"), self.job.name)
        self.assertEqual(guest.get(f"/jobs/{self.job.pk}/site/").status_code, 404)
        self.assertEqual(guest.post("/firm/open/", {"firm": 999}).status_code, 404)
        self.assertContains(guest.get("/firm/"), "Company that is open")

    def test_taken_by_another_address(self) -> None:
        get_user_model().objects.filter(pk=self.stranger.pk).update(email="stan@valley.example")
        guest = Client()
        guest.force_login(self.stranger)
        address = self.invite(email="tess@valley.example")
        self.assertContains(guest.post(address), "is for tess@valley.example", status_code=422)
        self.assertEqual(Client().get(address).status_code, 200, "it was not used up")

    def test_ended_forged_withdrawn(self) -> None:
        address = self.invite()
        Invitation.objects.update(ends_at=timezone.now() - dt.timedelta(seconds=1))
        for tried in (address, "/join/forged/", "/join/" + "x" * 300 + "/"):
            self.assertEqual(Client().get(tried).status_code, 404)
            self.assertEqual(Client().post(tried, {"username": "a", "password": "long-word-1"}).status_code, 404)
        address = self.invite()
        self.client.post("/people/", {"act": "withdraw", "invitation": Invitation.objects.latest("pk").pk})
        self.assertEqual(Client().get(address).status_code, 404)
        self.assertEqual(Client().get(address)["Referrer-Policy"], "same-origin", "no other site learns it")

    def test_a_role_that_is_none(self) -> None:
        self.assertContains(self.client.post("/people/", {"act": "invite", "role": "king"}), "Choose a role", status_code=422)


class Roles(PeopleCase):
    def test_the_last_owner_stays(self) -> None:
        mine = self.member(self.designer)
        for act in ({"act": "role", "role": "viewer"}, {"act": "remove"}):
            self.assertContains(self.client.post("/people/", act | {"member": mine.pk}), "last owner", status_code=422)
        other = self.member(self.viewer)
        self.client.post("/people/", {"act": "role", "member": other.pk, "role": "owner"})
        self.assertEqual(self.client.post("/people/", {"act": "remove", "member": mine.pk}).status_code, 302)
        self.assertFalse(Membership.objects.filter(pk=mine.pk).exists())
        self.client.force_login(self.viewer)
        self.assertContains(self.client.post("/people/", {"act": "remove", "member": other.pk}), "last owner", status_code=422)

    def test_leaving_ends_everything_at_once(self) -> None:
        theirs = Client()
        theirs.force_login(self.viewer)
        self.assertEqual(theirs.get("/").status_code, 200)
        self.client.post("/people/", {"act": "remove", "member": self.member(self.viewer).pk})
        self.assertEqual(theirs.get("/").status_code, 302, "the session has ended")
        theirs.force_login(self.viewer)
        self.assertEqual(theirs.get("/").status_code, 403, "no firm is left")

    def test_another_firms_member_is_not_found(self) -> None:
        theirs = Membership.objects.get(user=self.stranger)
        self.assertEqual(self.client.post("/people/", {"act": "remove", "member": theirs.pk}).status_code, 404)
        self.assertTrue(Membership.objects.filter(pk=theirs.pk).exists())

    def test_the_table_is_shown(self) -> None:
        page = read(self.client.get("/people/"))
        for act in (each for each in ACTS.values() if each.shown):
            self.assertIn(act.words.replace("'", "&#x27;"), page)

    def test_money_is_not_shown_to_all(self) -> None:
        """A technician sees what is to be bought, not what it costs, in the page, the papers' data and the documents."""
        Membership.objects.filter(user=self.viewer).update(role="technician")
        self.client.force_login(self.viewer)
        page = read(self.client.get(f"/jobs/{self.job.pk}/materials/"))
        self.assertIn("Softening resin", page)
        self.assertNotIn("What it costs", page)
        self.assertNotIn("Total", page)
        design = self.client.get(f"/jobs/{self.job.pk}/design.json").json()
        self.assertFalse({"costs", "firm"} & set(design))
        self.assertFalse({"price", "sample_price"} & set(design["materials"][0]))
        self.assertNotIn("first", design["choice"])
        self.assertNotIn("firm", self.client.get(f"/jobs/{self.job.pk}/job.json").json())
        self.assertNotIn("to begin with", read(self.client.get(f"/jobs/{self.job.pk}/train/options/")))

    def test_only_an_owner_renames_the_firm(self) -> None:
        Membership.objects.filter(user=self.designer).update(role="designer")
        form = self.client.get("/firm/").context["form"]
        data = {name: form.initial.get(name) or "" for name in form.fields} | {"name": "Mine now"}
        self.client.post("/firm/", data)
        self.assertEqual(Workspace.objects.get(pk=self.workspace.pk).name, "Ours")


class OnTheCommandLine(WorkbenchTestCase):
    def test_roles_and_leaving(self) -> None:
        call_command("people", "role", "vera", "--firm", "Ours", "--role", "installer")
        self.assertEqual(Membership.objects.get(user=self.viewer).role, "installer")
        call_command("people", "add", "stan", "--firm", "Ours", "--role", "viewer")
        self.assertEqual(Membership.objects.filter(user=self.stranger).count(), 2)
        for arguments in (("remove", "dora", "--firm", "Ours"), ("role", "dora", "--firm", "Ours", "--role", "viewer")):
            with self.assertRaisesMessage(CommandError, "owner"):
                call_command("people", *arguments)
        call_command("people", "remove", "vera", "--firm", "Ours")
        self.assertFalse(Membership.objects.filter(user=self.viewer).exists())

    def test_invitations_of_who_left_end(self) -> None:
        other = Membership.objects.create(workspace=self.workspace, user=self.stranger, role="owner")
        secret = people.invite(self.workspace, "viewer", "", self.stranger).made
        people.remove(self.workspace, other.pk)
        self.assertIsNone(people.invitation(secret))


@tag("browser")
class InTheBrowser(BrowserTestCase):
    def test_invited_from_one_browser_joined_in_another(self) -> None:
        page = self.page
        page.goto("/people/")
        page.get_by_role("button", name="Make the invitation").click()
        address = page.locator("code").inner_text()
        guest = self.browser.new_context(base_url=self.live_server_url).new_page()
        guest.goto(address)
        guest.fill("#username", "tess")
        guest.fill("#password", "long-word-1")
        guest.get_by_role("button", name="Make an account and join").click()
        expect(guest.get_by_text("Welcome to Ours")).to_be_visible()
        guest.context.close()
