"""Run beside a restored database (``manage.py shell``): what the demonstration's person gets of each job, as JSON on the last line."""

from __future__ import annotations

import json
from typing import Any

from django.contrib.auth import get_user_model
from django.test import Client

from workbench.records.job import Job

PLACES = {"job": "job.json", "log": "logbook/log.json", "run": "commission/record.json", "samples": "samples.csv"}


def documents() -> dict[str, Any]:
    """Job, log, checklist and samples of every job that has them, as they are sent."""
    client, found = Client(), dict[str, Any]()
    client.force_login(get_user_model().objects.get(username="demo"))
    for job in Job.objects.order_by("pk"):
        for name, place in PLACES.items():
            answer = client.get(f"/jobs/{job.pk}/{place}")
            if answer.status_code == 200:
                text = answer.content.decode()
                found[f"{job.pk} {name}"] = text if name == "samples" else json.loads(text)
    return found


def doors(secrets: dict[str, str]) -> dict[str, int]:
    """What the addresses of an owner, a calendar and a device answer, and the pages of people."""
    client = Client()
    entry = {"readings": {"meter": "90000 gal"}}
    device = client.post(
        "/devices/log/", json.dumps(entry), content_type="application/json", headers={"authorization": f"Bearer {secrets['device']}"}
    )
    found = {
        "owner": client.get(f"/house/{secrets['owner']}/").status_code,
        "calendar": client.get(f"/calendar/{secrets['calendar']}.ics").status_code,
    }
    client.force_login(get_user_model().objects.get(username="demo"))
    return found | {"device": device.status_code, "people": client.get("/people/").status_code, "history": client.get("/history/").status_code}
