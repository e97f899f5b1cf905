"""./cairn user add|password|firm …"""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from workbench.outcome import Refused
from workbench.records.firm import Membership, Workspace
from workbench.usecases import people


class Command(BaseCommand):
    help = (
        "Add a person to a company, change a role, end a membership, set a password, create or rename a company. "
        "The password is requested, or read from the first line of standard input."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        acts = parser.add_subparsers(dest="act", required=True)
        add = acts.add_parser("add", help="a new person in a company")
        add.add_argument("name")
        add.add_argument("--firm", required=True)
        add.add_argument("--role", choices=list(Membership.Role.values), help="by default owner of a company that has none, else designer")
        role = acts.add_parser("role", help="another role for a member")
        role.add_argument("name")
        role.add_argument("--firm", required=True)
        role.add_argument("--role", required=True, choices=list(Membership.Role.values))
        remove = acts.add_parser("remove", help="end a membership")
        remove.add_argument("name")
        remove.add_argument("--firm", required=True)
        password = acts.add_parser("password", help="a new password")
        password.add_argument("name")
        firm = acts.add_parser("firm", help="a new company, or a new name for one")
        firm.add_argument("name")
        firm.add_argument("--rename", metavar="NAME", help="its new name")

    @transaction.atomic
    def handle(self, *args: Any, act: str, name: str, **options: Any) -> None:
        try:
            {"add": self.add, "role": self.role, "remove": self.remove, "password": self.password, "firm": self.firm}[act](name, options)
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None

    def add(self, name: str, options: dict[str, Any]) -> None:
        """A person in a company; somebody who is there already becomes a member and is asked for no password."""
        firm, users = self._firm(options["firm"]), get_user_model()
        owned = firm.memberships.filter(role=Membership.Role.OWNER).exists()
        role = options["role"] or (Membership.Role.DESIGNER.value if owned else Membership.Role.OWNER.value)
        user = users.objects.filter(username=name).first()
        if user is not None and firm.memberships.filter(user=user).exists():
            raise CommandError(f"{name} is a member of {firm.name} already.")
        if user is None:
            user = users(username=name)
            user.set_password(self._password(user))
            user.full_clean()
            user.save()
        Membership.objects.create(workspace=firm, user=user, role=role)
        self.stdout.write(f"{name} is {'an' if role[0] in 'aeiou' else 'a'} {role} of {firm.name}.")

    def role(self, name: str, options: dict[str, Any]) -> None:
        member = self._member(name, options["firm"])
        try:
            people.set_role(member.workspace, member.pk, options["role"])
        except Refused as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{name} is now {options['role']} of {member.workspace.name}.")

    def remove(self, name: str, options: dict[str, Any]) -> None:
        member = self._member(name, options["firm"])
        try:
            people.remove(member.workspace, member.pk)
        except Refused as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{name} is no longer a member of {member.workspace.name}.")

    def _member(self, name: str, firm: str) -> Membership:
        held = self._firm(firm).memberships.select_related("workspace").filter(user__username=name).first()
        if held is None:
            raise CommandError(f"{name} is not a member of {firm}.")
        return held

    def password(self, name: str, options: dict[str, Any]) -> None:
        user = get_user_model().objects.filter(username=name).first()
        if user is None:
            raise CommandError(f"There is nobody called {name}.")
        user.set_password(self._password(user))
        user.save()
        self.stdout.write(f"{name} has a new password; anyone logged in with the old one is logged out.")

    def firm(self, name: str, options: dict[str, Any]) -> None:
        if options["rename"]:
            firm = self._firm(name)
            self._free(options["rename"])
            firm.name = options["rename"]
        else:
            self._free(name)
            firm = Workspace(name=name)
        firm.full_clean()
        firm.save()
        self.stdout.write(f"Company {firm.name} created.")

    def _firm(self, name: str) -> Workspace:
        firms = list(Workspace.objects.filter(name=name)[:2])
        if len(firms) != 1:
            raise CommandError(f"There is {'no firm' if not firms else 'more than one firm'} called {name}.")
        return firms[0]

    def _free(self, name: str) -> None:
        if Workspace.objects.filter(name=name).exists():
            raise CommandError(f"There is already a company called {name}.")

    def _password(self, user: Any) -> str:
        word = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
        validate_password(word, user)
        return word
