from __future__ import annotations

from typing import Any

from django.urls import reverse

from treatment.tests.example import job as job_document
from workbench.records.train import TrainOption
from workbench.repository.door import store
from workbench.usecases.trains import option_of, revision_of, shown_stages

from .base import WorkbenchTestCase


class EditingATrain(WorkbenchTestCase):
    def edit(self, action: str, stage: str = "", version: int | None = None, **more: Any):  # noqa: ANN201
        option = option_of(self.job)
        data: dict[str, Any] = {"action": action, "stage": stage, "version": version if version is not None else option.version} | more
        return self.client.post(reverse("train-edit", args=[self.job.pk]), data, headers={"HX-Request": "true"})

    def kinds(self) -> list[str]:
        job = type(self.job).objects.get(pk=self.job.pk)
        return [stage["kind"] for stage in shown_stages(job) or []]

    def test_it_starts_as_the_proposal_and_the_first_edit_makes_it_ones_own(self) -> None:
        """Until then it follows the water test; sizes stay open after."""
        self.client.get(reverse("train", args=[self.job.pk]))
        self.assertIsNone(shown_stages(self.job))
        self.assertEqual(self.edit("earlier", "softener").status_code, 200)
        self.assertEqual(self.kinds(), ["neutralizer", "softener", "oxidizing_filter", "sediment", "uv"])

    def test_move_add_remove_set_undo_and_redo(self) -> None:
        """Each edit is one step; undo walks back to the proposal, redo forward again."""
        self.edit("move", "uv", to="0")
        self.assertEqual(self.kinds()[0], "uv")
        self.edit("add", "uv", kind="sediment")
        self.assertEqual(self.kinds()[:2], ["uv", "sediment"])
        self.edit("remove", "neutralizer")
        self.assertNotIn("neutralizer", self.kinds())
        self.assertEqual(self.edit("set", "softener", key="volume", value="2 ft3").status_code, 200)
        for _ in range(4):
            self.assertEqual(self.edit("undo").status_code, 200)
        self.assertEqual(self.kinds(), [])
        self.assertContains(self.edit("undo"), "nothing to undo", status_code=422)
        self.edit("redo")
        self.assertEqual(self.kinds()[0], "uv")

    def test_a_new_edit_after_undo_drops_what_was_undone(self) -> None:
        """There is one line of history."""
        self.edit("remove", "uv")
        self.edit("undo")
        self.edit("remove", "softener")
        self.assertContains(self.edit("redo"), "nothing to redo", status_code=422)

    def test_what_a_stage_takes_can_be_set_with_a_reason_and_taken_back(self) -> None:
        """The sheet marks it as yours; the other end of the same analyte is kept; one click goes back to ours."""
        page = self.edit("takes", "uv", analyte="iron", end="high", value="0.5 mg/L", reason="maker's sheet")
        self.assertContains(page, "the designer&#x27;s own limit: maker&#x27;s sheet")
        self.assertEqual((shown_stages(self.job) or [])[-1]["feed_limits"], {"iron": {"high": "0.5 mg/L", "reason": "maker's sheet"}})
        self.edit("takes", "uv", analyte="iron", end="low", value="0.1 mg/L", reason="odd")
        self.edit("takes", "uv", analyte="iron", end="high", value="")
        self.assertEqual((shown_stages(self.job) or [])[-1]["feed_limits"]["iron"]["low"], "0.1 mg/L")
        self.edit("takes", "uv", analyte="iron", end="low", value="")
        self.assertNotIn("feed_limits", (shown_stages(self.job) or [])[-1])

    def test_a_limit_that_cannot_be_read_is_refused_beside_its_field(self) -> None:
        """No reason, no number, a microbe, an unknown end: what was typed stays, nothing is stored."""
        for more, word in (
            ({"analyte": "iron", "end": "high", "value": "0.5 mg/L"}, "needs a reason"),
            ({"analyte": "iron", "end": "high", "value": "lots & more", "reason": "r"}, "lots &amp; more"),
            ({"analyte": "e_coli", "end": "high", "value": "1", "reason": "r"}, "Microbes keep the default limit"),
            ({"analyte": "nonsense", "end": "high", "value": "1", "reason": "r"}, "Unknown analyte"),
            ({"analyte": "iron", "end": "sideways", "value": "1 mg/L", "reason": "r"}, "This action is not known"),
        ):
            with self.subTest(more=more):
                self.assertContains(self.edit("takes", "uv", **more), word, status_code=422)
        self.assertIsNone(shown_stages(self.job))

    def test_a_wrong_order_is_flagged_at_once(self) -> None:
        """The softener before the neutralizer: hardness comes back after it."""
        self.edit("move", "softener", to="0")
        response = self.client.get(reverse("train", args=[self.job.pk]))
        self.assertContains(response, "hardness-after-softener")

    def test_a_stale_edit_is_refused_and_can_be_made_again(self) -> None:
        """Nothing is overwritten; the answer says who changed what, and offers the same change on the new state."""
        version = option_of(self.job).version
        self.edit("remove", "uv")
        response = self.edit("later", "neutralizer", version=version)
        self.assertContains(response, "You, in another window, changed this train", status_code=409)
        self.assertContains(response, "move neutralizer one place later", status_code=409)
        self.assertEqual(self.kinds(), ["neutralizer", "oxidizing_filter", "softener", "sediment"])
        wanted = response.context["stale"]["wanted"]
        again = self.client.post(
            reverse("train-edit", args=[self.job.pk]), wanted | {"version": response.context["option"].version}, headers={"HX-Request": "true"}
        )
        self.assertEqual(again.status_code, 200)
        self.assertEqual(self.kinds()[:2], ["oxidizing_filter", "neutralizer"])

    def test_edits_of_different_things_merge(self) -> None:
        """From one page, one sets the softener's resin, another a limit of the lamp, a third removes the filter: all stand.

        Two who set the same size, or two who change the order: the later one is told, and nothing is written.
        """
        option = option_of(self.job)
        shown = {"version": option.version, "shown": revision_of(option).pk}
        self.assertEqual(self.edit("set", "softener", key="volume", value="60 L", **shown).status_code, 200)
        self.assertEqual(self.edit("takes", "uv", analyte="iron", end="high", value="0.2 mg/L", reason="own lamp", **shown).status_code, 200)
        self.assertEqual(self.edit("set", "softener", key="salt_dose", value="100 g/L", **shown).status_code, 200)
        self.assertEqual(self.edit("set", "softener", key="volume", value="80 L", **shown).status_code, 409)
        self.assertEqual(self.edit("remove", "uv", **shown).status_code, 409)
        self.assertEqual(self.edit("remove", "sediment", **shown).status_code, 200)
        self.assertEqual(self.edit("later", "softener", **shown).status_code, 409)
        self.assertEqual(self.edit("undo", "", **shown).status_code, 409)
        stages = {stage["id"]: stage for stage in shown_stages(self.job) or []}
        self.assertEqual((stages["softener"]["volume"], stages["softener"]["salt_dose"]), ("60 L", "100 g/L"))
        self.assertEqual(stages["uv"]["feed_limits"]["iron"]["high"], "0.2 mg/L")
        self.assertEqual(list(stages), ["neutralizer", "oxidizing_filter", "softener", "uv"])

    def test_a_bad_size_is_refused_beside_its_field_and_kept(self) -> None:
        """The message says what is expected; the train stays."""
        response = self.edit("set", "softener", key="volume", value="much")
        self.assertContains(response, "does not start with a number", status_code=422)
        self.assertContains(response, 'value="much"', status_code=422)
        self.assertEqual(option_of(self.job).at, 0)
        self.assertEqual(self.edit("set", "softener", key="nonsense", value="1").status_code, 422)

    def test_edits_that_make_no_sense_are_told(self) -> None:
        """An unknown action, a stage that is gone, an unknown treatment, no version."""
        for response in (
            self.edit("explode"), self.edit("remove", "no-such-stage"), self.edit("add", "softener", kind="wand"),
            self.client.post(reverse("train-edit", args=[self.job.pk]), {"action": "undo"}, headers={"HX-Request": "true"}),
        ):  # fmt: skip
            self.assertEqual(response.status_code, 422)
            self.assertContains(response, 'role="alert"', status_code=422)

    def test_the_proposal_can_be_taken_back(self) -> None:
        """One click back to the planner's train."""
        self.edit("remove", "uv")
        self.edit("restore")
        self.assertIsNone(shown_stages(type(self.job).objects.get(pk=self.job.pk)))

    def test_every_train_draws_even_the_longest(self) -> None:
        """No stage, one, and forty: each page answers."""
        for train in ([], [{"kind": "uv"}], [{"kind": "sediment"}] * 40):
            job = store(job_document(train=train), self.workspace, self.designer)
            self.assertEqual(self.client.get(reverse("train", args=[job.pk])).status_code, 200)
        full = store(job_document(train=[{"kind": "sediment"}] * 40), self.workspace, self.designer)
        option = TrainOption.objects.get(job=full)
        response = self.client.post(
            reverse("train-edit", args=[full.pk]), {"action": "add", "kind": "uv", "version": option.version}, headers={"HX-Request": "true"}
        )
        self.assertContains(response, "at most 40", status_code=422)
