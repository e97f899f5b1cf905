"""Requests are worked on in the order in which they came, a few at once; a process that has waiting ones takes no more."""

from __future__ import annotations

import socket
from typing import Any
from unittest import TestCase, mock

import gevent

from vivid_cairn import turns
from vivid_cairn.turns import InTurn, Turns, WhileNoneWaits


class InOrder(TestCase):
    def asked(self, waits: list[list[float]], at_once: int, wait_s: float = 5.0) -> tuple[list[str], int]:
        """Requests that each wait for the database so often: what began and ended, in order, and how many were at work at once."""
        told: list[str] = []
        at_work, most = 0, 0

        def application(environ: dict[str, Any], answer: Any) -> list[bytes]:
            nonlocal at_work, most
            at_work += 1
            most = max(most, at_work)
            told.append(f"+{environ['n']}")
            for wait in waits[environ["n"]]:
                gevent.sleep(wait)
            told.append(f"-{environ['n']}")
            at_work -= 1
            return [b""]

        held = InTurn(application, Turns(at_once, wait_s))
        gevent.joinall([gevent.spawn(held, {"n": n}, None) for n in range(len(waits))], raise_error=True)
        return told, most

    def test_who_asks_the_database_often_does_not_wait_again_and_again(self) -> None:
        """One at once: each is done before the next begins, however often it waits."""
        told, most = self.asked([[0.001] * 20, [0.001], [0.001]], at_once=1)
        self.assertEqual((told, most), (["+0", "-0", "+1", "-1", "+2", "-2"], 1))

    def test_so_many_at_once(self) -> None:
        told, most = self.asked([[0.01]] * 6, at_once=2)
        self.assertEqual(most, 2)
        self.assertEqual([each for each in told if each[0] == "+"], [f"+{n}" for n in range(6)])

    def test_nobody_waits_for_ever(self) -> None:
        """Behind two that take long a third is worked on after its time."""
        told, most = self.asked([[0.3], [0.3], [0.001]], at_once=2, wait_s=0.02)
        self.assertEqual((told[:4], most), (["+0", "+1", "+2", "-2"], 3))

    def test_a_turn_is_given_back_after_a_failure(self) -> None:
        held = InTurn(mock.Mock(side_effect=[ValueError, [b"well"]]), Turns(1, 0.01))
        with self.assertRaises(ValueError):
            held({}, None)
        self.assertEqual(held({}, None), [b"well"])
        self.assertTrue(held.turns.take())


class Connections(TestCase):
    def test_none_is_taken_while_one_waits(self) -> None:
        """A server whose requests wait leaves a connection to others, and takes it when none waits any more."""
        ours, taken = Turns(1, 5.0), []
        with mock.patch.object(turns, "TURNS", ours):
            server = WhileNoneWaits(("127.0.0.1", 0), lambda client, address: taken.append(address))
            server.start()
            ours.take()
            waiter = gevent.spawn(ours.take)
            gevent.sleep(0.01)
            with socket.create_connection(("127.0.0.1", server.server_port)):
                gevent.sleep(0.05)
                self.assertEqual((ours.waiting, taken), (1, []))
                ours.give_back()
                waiter.join()
                gevent.sleep(0.05)
                self.assertEqual((ours.waiting, len(taken)), (0, 1))
            server.stop()
