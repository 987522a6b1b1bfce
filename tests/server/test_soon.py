"""What a page does not wait for."""

from __future__ import annotations

import threading
import time
from unittest import mock

from django.test import override_settings

from server.moves import soon as module
from server.moves.models import Move
from server.moves.soon import soon
from server.moves.store import store
from tests.server.making import ServerTest
from trasloco import move as verbs
from trasloco.errors import Refused
from trasloco.progress import Progress
from trasloco.results import samples


@override_settings(SOON=True)
class Soon(ServerTest):
    def setUp(self) -> None:
        store.memory.clear()  # what another test left is in no row of this one

    def waited(self, about: str, key: str, work: object) -> None:
        until = time.monotonic() + 20
        while not soon(about, key, work):  # type: ignore[arg-type]
            self.assertLess(time.monotonic(), until)

    def test_what_is_quick_is_there_at_once_and_what_is_not_comes(self) -> None:
        self.waited("quick", "1", lambda report: None)
        go, made = threading.Event(), []

        def slow(report: Progress) -> None:
            go.wait(20)
            made.append(1)

        started = time.monotonic()
        self.assertFalse(soon("slow", "1", slow))
        self.assertFalse(soon("slow", "1", slow))
        self.assertLess(time.monotonic() - started, 2)
        go.set()
        self.waited("slow", "1", slow)
        self.assertEqual(made, [1])  # asked for three times, made once

    def test_what_is_asked_for_later_stops_what_was_before(self) -> None:
        stopped, begun = threading.Event(), threading.Event()

        def long(report: Progress) -> None:
            begun.set()
            try:
                for _ in range(2000):
                    report(0.5, "")
                    time.sleep(0.01)
            finally:
                stopped.set()

        self.assertFalse(soon("plan", "old", long))
        self.assertTrue(begun.wait(10))
        soon("plan", "new", lambda report: None)
        self.assertTrue(stopped.wait(10))

    def test_who_waited_for_what_was_stopped_hears_that_it_is_not_there(self) -> None:
        begun, heard = threading.Event(), []

        def long(report: Progress) -> None:
            begun.set()
            for _ in range(2000):
                report(0.5, "")
                time.sleep(0.01)

        with mock.patch.object(module, "PATIENCE_S", 15):
            waiting = threading.Thread(target=lambda: heard.append(soon("page", "old", long)))
            waiting.start()
            self.assertTrue(begun.wait(10))
            self.assertTrue(soon("page", "new", lambda report: None))
            waiting.join(15)
        self.assertEqual(heard, [False])

    def test_a_refusal_is_told_to_who_asks(self) -> None:
        def refused(report: Progress) -> None:
            raise Refused("It cannot be.", "here", "Do something else.")

        with self.assertRaises(Refused):
            self.waited("refused", "1", refused)
        self.assertFalse(module.being_made("refused"))

    def test_marks_are_promised_first_and_measured_after(self) -> None:
        move = self.made()
        self.assertTrue(self.ask(f"/moves/{move}/fit")["measured"])  # by who surveyed it, its images at hand
        rougher = {"target": "material:glass/roughness", "field": "factor", "value": [0.9]}
        self.ask(f"/moves/{move}/decisions", "POST", [rougher])
        store.memory.clear()
        go = threading.Event()

        def measured(*given: object) -> object:
            go.wait(20)
            return plan(*given)

        plan = verbs.plan
        with mock.patch.object(verbs, "plan", measured):
            first = self.ask(f"/moves/{move}/fit")
            self.assertFalse(first["measured"])
            self.assertTrue(first["crossings"])
            go.set()
            until = time.monotonic() + 20
            while not (told := self.ask(f"/moves/{move}/fit"))["measured"]:
                self.assertLess(time.monotonic(), until)
        self.assertEqual([c["id"] for c in first["crossings"]], [c["id"] for c in told["crossings"]])
        self.assertTrue(any(c["error_codes"] is not None for c in told["crossings"]))

    def test_a_sample_that_is_being_made_says_so_and_is_there_after(self) -> None:
        move = self.made()
        path = f"/moves/{move}/samples?material=material:glass&quick=true"
        go, real = threading.Event(), samples.sample

        def slow(*given: object) -> object:
            go.wait(20)
            return real(*given)  # type: ignore[arg-type]

        with mock.patch.object(samples, "sample", slow):
            self.assertEqual(self.ask(path, expect=202), {"coming": True})
            go.set()
            until = time.monotonic() + 30
            while (answer := self.client.get(f"/api{path}")).status_code == 202:
                self.assertLess(time.monotonic(), until)
        self.assertEqual(answer.status_code, 200)
        self.assertGreaterEqual(answer.json()["mean"], 0)

    def test_the_survey_for_another_destination_comes_after_what_the_structure_tells(self) -> None:
        move = self.made()
        Move.objects.filter(id=move).update(destination="taccuino")
        told = self.ask(f"/moves/{move}/inventory")
        until = time.monotonic() + 20
        while not told["surveyed"]:
            self.assertLess(time.monotonic(), until)
            told = self.ask(f"/moves/{move}/inventory")
        with override_settings(SOON=False):
            again = self.ask(f"/moves/{move}/inventory")
        self.assertEqual(told["findings"], again["findings"])
