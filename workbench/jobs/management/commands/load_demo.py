"""Loads the Larkfell demonstration: one workspace, one designer, its jobs. Loading again changes nothing."""

import datetime as dt
import json
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction
from django.utils import timezone

from treatment.demonstration import STORIES
from workbench.catalogues.services import made
from workbench.logs import demonstration as logs
from workbench.records.catalogue import Catalogue
from workbench.records.firm import Membership, Workspace
from workbench.records.job import Job
from workbench.records.sample import KitRun, KitSession
from workbench.repository.door import store
from workbench.starts import demonstration
from workbench.usecases.customers import keep

RUNS = {"High Tarn Farm": demonstration.begun, "Mill Street 4": demonstration.soaking, "Becklow Guest House": demonstration.recorded}

#: jobs that are built of the company's stock list
STOCKED = ("Mill Street 4", "Becklow Guest House")

#: for whom, and where
CUSTOMERS = {
    "High Tarn Farm": ("The Tarn family", "High Tarn", "Fell Road 2, Larkfell"), "Mill Street 4": ("Otto Beck", "Mill side", "Mill Street 4, Larkfell"),
    "Becklow Guest House": ("Hanna Low", "Becklow", "Low Lane 11, Larkfell"), "Peat Bothy": ("The Tarn family", "Peat Bothy", "Upper path, Larkfell"),
}  # fmt: skip

#: whose house it is, and its area
HOUSES = {"High Tarn Farm": ("tess", "Upper valley"), "Peat Bothy": ("tess", "Upper valley"), "Becklow Guest House": ("demo", "Mill side")}


class Command(BaseCommand):
    help = "Load the made-up Larkfell valley: a workspace, the user demo, and its jobs."

    @transaction.atomic
    def handle(self, *args: Any, **options: Any) -> None:
        workspace, _ = Workspace.objects.get_or_create(name="Larkfell Water Design", defaults={"owner_links": True, "currency": "LFC"})
        user, made = get_user_model().objects.get_or_create(username="demo")
        if made:
            user.set_password("larkfell-demo")
            user.save()
        Membership.objects.get_or_create(workspace=workspace, user=user, defaults={"role": "owner"})
        tess, _ = get_user_model().objects.get_or_create(username="tess")  # who looks after houses; without a password nobody logs in as her
        Membership.objects.get_or_create(workspace=workspace, user=tess, defaults={"role": "technician"})
        stock = Catalogue.objects.filter(workspace=workspace).first() or _stock(workspace, user)
        for path in sorted((settings.BASE_DIR / "demo").glob("*.job.json"), reverse=True):
            document = json.loads(path.read_text())
            if not Job.objects.filter(workspace=workspace, name=document["job"]["name"]).exists():
                job = store(document, workspace, user, stock if document["job"]["name"] in STOCKED else None)
                if job.name in CUSTOMERS:
                    who, place, address = CUSTOMERS[job.name]
                    keep(job, {"customer": who, "place": place, "address": address}, job.version, user)
                if job.name == "The Old Smithy, as found":
                    _vial(job)
                if job.name in STORIES:
                    logs.kept(job, user, STORIES[job.name])
                    logs.looked_after_by(job, *HOUSES[job.name], user)
                if job.name == "Quarry Lane 9":
                    logs.meter(job, user)
                if job.name in RUNS:
                    RUNS[job.name](job, user)


def _stock(workspace: Workspace, user: Any) -> Catalogue:
    """The made-up stock list that ships."""
    document = json.loads((settings.BASE_DIR / "demo/catalogue/larkfell.json").read_text())
    return made(workspace, document["name"], document["currency"], document["items"], user, "from a file").made


def _vial(job: Job) -> None:
    """A bacteria vial that stands on the shelf since the day before yesterday."""
    begun = timezone.now() - dt.timedelta(hours=47, minutes=52)
    session = KitSession.objects.create(job=job, kit="well", point="tap", started_at=begun)
    KitRun.objects.create(session=session, test="bacteria", started_at=begun)
