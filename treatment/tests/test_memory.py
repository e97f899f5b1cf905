"""The collector of circles: off while a search runs, and all is looked through once enough grew old unseen."""

from __future__ import annotations

import gc
import weakref
from unittest import TestCase
from unittest.mock import patch

from ..language import memory


class Ring:
    """Something that holds itself."""

    def __init__(self) -> None:
        self.own = self


class Uncollected(TestCase):
    def test_what_grew_old_unseen_is_found_in_the_end(self) -> None:
        """A forgotten circle outlives the search that made it, and goes once so many objects were not looked at."""
        with memory.uncollected():
            self.assertFalse(gc.isenabled())
            lost = weakref.ref(Ring())
        self.assertTrue(gc.isenabled())
        self.assertIsNotNone(lost())
        with patch.object(memory, "UNSEEN_MOST", 0), memory.uncollected():
            Ring()
        self.assertIsNone(lost())

    def test_where_it_waits_already_nothing_changes(self) -> None:
        """A search inside another leaves the collector as it was."""
        with memory.uncollected():
            with memory.uncollected():
                pass
            self.assertFalse(gc.isenabled())
