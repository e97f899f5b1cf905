"""Options, the shelf, schools, own limits and accepted findings in the workbench."""

from __future__ import annotations

from django.urls import reverse

from workbench.records.job import Job
from workbench.records.train import TrainOption
from workbench.repository.door import design_of
from workbench.usecases.trains import option_of, shown_stages

from .base import WorkbenchTestCase, read

FAULTY = [
    {"kind": "softener", "id": "softener", "volume": "1 ft3", "tank": "9x48", "salt_dose": "15 lb/ft3", "hour": "02:00"},
    {"kind": "neutralizer", "id": "neutralizer", "hour": "02:00"},
    {"kind": "uv", "id": "uv", "rated_flow": "6 gpm"},
]


class TrainTestCase(WorkbenchTestCase):
    def fresh(self) -> Job:
        return Job.objects.select_related("survey").get(pk=self.job.pk)

    def act(self, **data: object):  # noqa: ANN201
        self.job.refresh_from_db()
        shown = {"version": self.job.version, "seen": option_of(self.job, str(data.get("letter", ""))).version}
        return self.client.post(reverse("option-act", args=[self.job.pk]), shown | data)

    def edit(self, letter: str = "", **data: object):  # noqa: ANN201
        option = option_of(self.fresh(), letter)
        return self.client.post(
            f"{reverse('train-edit', args=[self.job.pk])}?option={option.letter}", {"version": option.version} | data, headers={"HX-Request": "true"}
        )

    def design(self):  # noqa: ANN201
        job = self.fresh()
        return design_of(job, shown_stages(job))


class Options(TrainTestCase):
    def test_copy_change_compare_choose(self) -> None:
        """Option B starts as A; a change in B leaves A alone; chosen, the job follows it, files included."""
        self.client.get(reverse("train", args=[self.job.pk]))
        self.assertRedirects(self.act(act="copy", letter="A"), f"{reverse('train', args=[self.job.pk])}?option=B")
        self.edit("B", action="remove", stage="uv")
        self.assertEqual([len(option.revisions.get(number=option.at).stages or []) for option in TrainOption.objects.order_by("letter")], [0, 4])
        page = self.client.get(reverse("options", args=[self.job.pk]))
        self.assertIn("Option B", read(page))
        words = {option.letter: plain for option, plain in page.context["plainly"]}
        self.assertTrue(any("inactivates microbes" in line for line in words["A"].gets))
        self.assertFalse(any("inactivates microbes" in line for line in words["B"].gets))
        self.assertIn("What you keep doing", read(page))
        self.assertTrue(any(row.what == "Stages" and row.differs for row in page.context["rows"]))
        self.assertNotIn("uv", [stage.kind for stage in design_of(self.fresh(), shown_stages(self.fresh())).chosen.run.stages][:0])
        self.act(act="follow", letter="B")
        self.assertEqual([stage.kind for stage in self.design().chosen.run.stages][-1], "sediment")
        self.assertEqual(len(self.client.get(reverse("job-export", args=[self.job.pk])).json()["train"]), 4)

    def test_an_alternative_becomes_an_option(self) -> None:
        """What another school would build is taken as option B and is complete."""
        page = self.client.get(reverse("options", args=[self.job.pk]))
        self.assertGreaterEqual(len(page.context["alternatives"]), 2)
        wanted = [stage.kind for stage in page.context["alternatives"][0][1].variant.run.stages]
        self.act(act="take", number="0")
        option = TrainOption.objects.get(job=self.job, letter="B")
        self.assertEqual([stage["kind"] for stage in option.revisions.get(number=0).stages], wanted)

    def test_three_at_most_and_never_the_one_followed(self) -> None:
        """A fourth option and dropping the followed one are refused in words."""
        self.client.get(reverse("train", args=[self.job.pk]))
        for _ in range(2):
            self.act(act="copy", letter="A")
        self.assertContains(self.act(act="copy", letter="A"), "three options", status_code=422)
        self.assertContains(self.act(act="drop", letter="A"), "uses this option", status_code=422)
        self.assertContains(self.act(act="take", number="99"), "no longer offered", status_code=422)
        self.act(act="drop", letter="C")
        self.assertEqual(TrainOption.objects.filter(job=self.job).count(), 2)

    def test_replace_in_place(self) -> None:
        """A lamp gives its place to a barrier filter."""
        self.edit(action="replace", stage="uv", kind="barrier_filter")
        self.assertEqual([stage["kind"] for stage in shown_stages(self.fresh()) or []][-1], "barrier_filter")
        self.assertEqual(self.edit(action="replace", stage="softener", kind="nosuch").status_code, 422)


class Shelf(TrainTestCase):
    def test_what_each_would_do_here(self) -> None:
        """At the source a softener would meet iron; behind the iron filter it would not."""
        page = self.client.get(reverse("shelf", args=[self.job.pk]))
        offers = {offer.kind: offer for offer in page.context["offers"]}
        self.assertTrue(any("Ferrous iron" in line for line in offers["softener"].against))
        self.assertTrue(any("pH 6.1 →" in line for line in offers["neutralizer"].changes))
        behind = self.client.get(reverse("shelf", args=[self.job.pk]), {"stage": "oxidizing_filter"})
        self.assertEqual({offer.kind: offer for offer in behind.context["offers"]}["softener"].against, ())


class Decisions(TrainTestCase):
    def send(self, address: str, values: dict[str, object]):  # noqa: ANN201
        """Post to one of the small forms, as it is shown now."""
        return self.client.post(address, {"version": self.fresh().version} | values)

    def panel(self, **data: object):  # noqa: ANN201
        page = self.client.get(reverse("panel", args=[self.job.pk]))
        values = {name: page.context["form"][name].value() or "" for name in page.context["form"].fields}
        return self.client.post(reverse("panel", args=[self.job.pk]), values | data)

    def test_a_school_changes_the_train(self) -> None:
        """Barrier instead of light: the planner follows, the job file says so, and back again."""
        self.panel(disinfection="barrier")
        self.assertIn("barrier_filter", [stage.kind for stage in self.design().proposal.run.stages])
        self.assertEqual(self.client.get(reverse("job-export", args=[self.job.pk])).json()["schools"]["disinfection"], "barrier")
        self.panel(disinfection="uv")
        self.assertNotIn("disinfection", self.client.get(reverse("job-export", args=[self.job.pk])).json().get("schools", {}))

    def test_rain_and_lists_are_read_by_the_core(self) -> None:
        """Twelve months are twelve; eleven are refused beside the field, with what was typed."""
        self.assertEqual(self.panel(roof_area="1200 ft2", monthly_rain="; ".join(["3 in"] * 12), drinking_tap_only="nitrate").status_code, 302)
        self.assertEqual(len(self.fresh().survey.rest["source"]["rain"]["monthly_rain"]), 12)
        page = self.panel(monthly_rain="3 in; 2 in")
        self.assertContains(page, "3 in; 2 in", status_code=422)
        self.assertContains(page, "12", status_code=422)

    def test_a_stale_panel_is_refused_and_kept(self) -> None:
        """Saved by somebody else meanwhile: told, and what was chosen is still there."""
        page = self.panel(version=0, disinfection="barrier")
        self.assertContains(page, "after you opened it", status_code=409)
        self.assertEqual(page.context["form"]["disinfection"].value(), "barrier")

    def test_a_limit_of_ones_own_and_back(self) -> None:
        """With its reason it counts; without it is refused; one click takes it back."""
        address = reverse("panel-limit", args=[self.job.pk])
        self.assertContains(self.send(address, {"analyte": "manganese", "high": "much", "reason": "x"}), "is not a reading", status_code=422)
        self.send(address, {"analyte": "mn", "high": "0.02 mg/L", "reason": "white laundry"})
        need = next(need for need in self.design().needs if need.goal == "manganese")
        self.assertEqual(need.high, 0.02)
        self.send(address, {"back": "manganese"})
        self.assertNotIn("manganese", [need.goal for need in self.design().needs])

    def test_a_working_value_of_ones_own_and_back(self) -> None:
        """With its reason it is reckoned with and told on the panel, on the sheet, in both files; one click goes back to ours."""
        address = reverse("panel-working", args=[self.job.pk])

        def left() -> float:
            return float(next(stage for stage in self.design().chosen.run.stages if stage.kind == "softener").water_out.hardness)

        ours = left()
        self.send(address, {"path": "softener.leakage", "value": "20", "reason": "  tested  here "})
        self.assertAlmostEqual(left(), 2 * ours)
        self.assertContains(self.client.get(reverse("panel", args=[self.job.pk])), "20 mg/L CaCO3 in place of 10: tested here")
        self.assertContains(self.client.get(reverse("train", args=[self.job.pk]) + "?stage=softener"), "20 mg/L CaCO3 in place of 10: tested here")
        document = self.client.get(reverse("job-export", args=[self.job.pk])).json()
        self.assertEqual(document["working_values"], {"softener.leakage": {"value": "20", "unit": "mg/L CaCO3", "reason": "tested here"}})
        told = self.client.get(reverse("design-export", args=[self.job.pk])).json()["assumptions"]
        self.assertIn("$.working_values.softener.leakage", [note["path"] for note in told])
        self.send(address, {"back": "softener.leakage"})
        self.assertNotContains(self.client.get(reverse("train", args=[self.job.pk]) + "?stage=softener"), "in place of 10")

    def test_a_use_of_a_business_and_back(self) -> None:
        """Told in the panel and in the job file, it counts in the day's use; a wrong volume is refused beside its field; one click takes it out."""
        address, before = reverse("panel-event", args=[self.job.pk]), self.design().duty.daily
        use = {"name": "washing down", "volume": "60 gal", "per_day": "4,4,4,4,6,9,0", "opens": "08:00", "closes": "18:00"}
        self.send(address, use)
        self.assertAlmostEqual(self.design().duty.daily - before, 9 * 60 * 3.785411784, delta=0.1)
        self.assertContains(self.client.get(reverse("panel", args=[self.job.pk])), "60 gal, 4, 4, 4, 4, 6, 9, 0 times from Monday, 08:00 to 18:00")
        refused = self.send(address, use | {"volume": "much"})
        self.assertContains(refused, "much", status_code=422)
        self.send(address, {"back": "washing down"})
        self.assertAlmostEqual(self.design().duty.daily, before)

    def test_a_working_value_that_cannot_be_taken_is_refused_beside_its_field(self) -> None:
        """Beyond its bounds, no number, no reason, none chosen: what was typed stays, nothing is kept."""
        address = reverse("panel-working", args=[self.job.pk])
        for values, word in (
            ({"path": "softener.leakage", "value": "900", "reason": "x"}, "from 0 to 100"),
            ({"path": "softener.leakage", "value": "a few", "reason": "x"}, "a few"),
            ({"path": "softener.leakage", "value": "20", "reason": " "}, "required"),
            ({"path": "uv.magic", "value": "20", "reason": "x"}, "uv.magic"),
            ({"path": "", "value": "20", "reason": "x"}, "required"),
        ):
            self.assertContains(self.send(address, values), word, status_code=422)
        self.job.survey.refresh_from_db()
        self.assertNotIn("working_values", self.job.survey.rest)

    def test_a_finding_is_accepted_and_taken_back(self) -> None:
        """Counted no more, its reason shown; dangers stay."""
        before = self.design().chosen.tally["caution"]
        found = next(finding for finding in self.design().chosen.findings if finding.severity == "caution")
        page = self.edit(action="waive", rule=found.rule, on=found.stage, reason="nobody bathes while washing")
        self.assertContains(page, "nobody bathes while washing")
        self.assertEqual(self.design().chosen.tally["caution"], before - 1)
        self.edit(action="waive", rule="boil-water", on="", reason="no")
        self.assertTrue(self.design().chosen.tally["danger"])
        self.edit(action="unwaive", rule=found.rule, on=found.stage)
        self.assertEqual(self.design().chosen.tally["caution"], before)

    def test_a_size_of_ones_own_is_shown_with_its_reason_and_taken_back(self) -> None:
        """The sheet says whose it is; emptied, ours is back."""
        page = self.edit(action="set", stage="softener", key="volume", value="3 ft3")
        self.assertContains(page, "Reset to default")
        page = self.edit(action="set", stage="softener", key="reason", value="already installed")
        self.assertContains(page, "already installed")
        self.assertEqual(self.client.get(reverse("job-export", args=[self.job.pk])).json()["train"][2]["reason"], "already installed")
        self.assertNotContains(self.edit(action="set", stage="softener", key="volume", value=""), "Reset to default")


class Audit(TrainTestCase):
    def test_an_existing_train_is_mended(self) -> None:
        """What stands on the wall is kept where it serves; the changes are told before and recorded after."""
        for stage in FAULTY:
            self.edit(action="add", kind=stage["kind"], stage="")
        option = option_of(self.fresh())
        revision = option.revisions.get(number=option.at)
        revision.stages = FAULTY
        revision.save()
        page = self.client.get(reverse("train", args=[self.job.pk]))
        self.assertContains(page, "Fixed with the fewest changes")
        self.edit(action="mend")
        design = self.design()
        self.assertFalse([finding for finding in design.chosen.findings if finding.severity in ("fault", "danger") and finding.stage])
        kept = {stage["id"]: stage for stage in shown_stages(self.fresh()) or []}
        self.assertLessEqual({"softener", "neutralizer", "uv"}, set(kept))
        option = option_of(self.fresh())
        self.assertTrue(option.revisions.get(number=option.at).summary.startswith("fixed: "))
