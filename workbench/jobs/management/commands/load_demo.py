"""Loads the Larkfell demonstration: one workspace, one designer, its jobs. Loading again changes nothing."""

import json
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction

from workbench.accounts.models import Membership, Workspace
from workbench.door import store
from workbench.jobs.models import Job


class Command(BaseCommand):
    help = "Load the made-up Larkfell valley: a workspace, the user demo, and its jobs."

    @transaction.atomic
    def handle(self, *args: Any, **options: Any) -> None:
        workspace, _ = Workspace.objects.get_or_create(name="Larkfell Water Design")
        user, made = get_user_model().objects.get_or_create(username="demo")
        if made:
            user.set_password("larkfell-demo")
            user.save()
        Membership.objects.get_or_create(workspace=workspace, user=user)
        for path in sorted((settings.BASE_DIR / "demo").glob("*.job.json"), reverse=True):
            document = json.loads(path.read_text())
            if not Job.objects.filter(workspace=workspace, name=document["job"]["name"]).exists():
                store(document, workspace, user)
