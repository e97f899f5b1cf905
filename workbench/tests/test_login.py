"""Guesses at a log-in: a few are free, then the wait grows; another account or another address is not hit by it."""

from __future__ import annotations

import datetime as dt
from unittest import mock

from axes.models import AccessAttempt
from django.test import TestCase
from django.urls import reverse

from ..accounts import guesses
from ..accounts.guesses import FREE, LONGEST, Pace, wait_after
from .base import people


class Guesses(TestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        people()

    def setUp(self) -> None:
        self.enterContext(mock.patch.object(guesses, "PACE", Pace(at_once=1000.0)))

    def enter(self, name: str = "dora", password: str = "wrong", address: str = "10.0.0.1") -> int:
        return self.client.post(reverse("login"), {"username": name, "password": password}, REMOTE_ADDR=address).status_code

    def test_five_are_free_then_even_the_right_password_waits(self) -> None:
        """In clear words, with 429; another address and another account go on."""
        for _ in range(FREE - 1):
            self.assertEqual(self.enter(), 200)
        self.assertEqual(self.enter(), 429)
        self.assertEqual(self.enter(password="pass-word-1"), 429)
        locked = self.client.post(reverse("login"), {"username": "dora", "password": "x"}, REMOTE_ADDR="10.0.0.1")
        self.assertContains(locked, "Too many attempts", status_code=429)
        self.assertEqual(self.enter(name="vera", password="pass-word-1"), 302)
        self.client.logout()
        self.assertEqual(self.enter(password="pass-word-1", address="10.0.0.2"), 302)

    def test_after_the_wait_it_opens(self) -> None:
        """A minute after the fifth failure."""
        for _ in range(FREE):
            self.enter()
        AccessAttempt.objects.update(attempt_time=dt.datetime.now(dt.UTC) - dt.timedelta(minutes=1, seconds=5))
        self.assertEqual(self.enter(password="pass-word-1"), 302)

    def test_a_right_one_forgets_the_wrong_ones(self) -> None:
        """Four wrong, one right, four wrong: no wait."""
        for _ in range(2):
            for _ in range(FREE - 1):
                self.assertEqual(self.enter(), 200)
            self.assertEqual(self.enter(password="pass-word-1"), 302)
            self.client.logout()

    def test_the_wait_grows_and_ends(self) -> None:
        """1, 2, 4, 8 minutes, never more than an hour."""
        waits = [wait_after(n) for n in range(FREE, FREE + 20)]
        self.assertEqual(waits, sorted(waits))
        self.assertEqual((waits[0], waits[1], waits[-1]), (dt.timedelta(minutes=1), dt.timedelta(minutes=2), LONGEST))


class Flood(TestCase):
    """Guesses from many addresses: so many passwords are checked in a second and no more."""

    @classmethod
    def setUpTestData(cls) -> None:
        people()

    def test_a_pace(self) -> None:
        """Four at once, two a second: four, then none; after half a second one, after 1.5 more three; never more than four."""
        now = [100.0]
        pace = Pace(a_second=2.0, at_once=4.0, clock=lambda: now[0])
        taken = []
        for later in (0.0, 0.5, 1.5, 60.0):
            now[0] += later
            taken.append(sum(pace.take() for _ in range(9)))
        self.assertEqual(taken, [4, 1, 3, 4])

    def test_above_it_no_password_is_checked(self) -> None:
        """Both doors say so in words; who looks at a page is not hit by it."""
        with mock.patch.object(guesses, "PACE", Pace(a_second=0.0, at_once=3.0)):
            answers = [
                self.client.post(reverse("login"), {"username": "dora", "password": "x"}, REMOTE_ADDR=f"10.0.1.{n}").status_code for n in range(5)
            ]
            self.assertEqual(answers, [200, 200, 200, 429, 429])
            with mock.patch("django.contrib.auth.authenticate", side_effect=AssertionError("checked")):
                told = self.client.post(reverse("login"), {"username": "dora", "password": "pass-word-1"})
                self.assertContains(told, "Too many people are logging in", status_code=429)
                over = self.client.post(reverse("login-again"), {"username": "dora", "password": "pass-word-1"})
            self.assertIn("Too many people", over.json()["problem"])
            self.assertEqual(self.client.get(reverse("login")).status_code, 200)
