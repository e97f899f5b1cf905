"""How the account package behaves here: nobody signs up but by an invitation, and its mails speak in our words."""

from __future__ import annotations

from typing import Any

from allauth.account.adapter import DefaultAccountAdapter
from django.http import HttpRequest


class Adapter(DefaultAccountAdapter):  # type: ignore[misc]
    """Accounts are made by an invitation (``usecases.people``) or at the command line."""

    def is_open_for_signup(self, request: HttpRequest) -> bool:
        return False

    def format_email_subject(self, subject: str) -> str:
        return f"Vivid Cairn: {subject}"

    def add_message(self, request: HttpRequest, level: int, message_template: str | None = None, *args: Any, **kwargs: Any) -> None:
        """No word of logging in or out: the page shows it."""
        if message_template and message_template.endswith(("logged_in.txt", "logged_out.txt")):
            return
        super().add_message(request, level, message_template, *args, **kwargs)
