"""What comes next is made while no job waits, and left at once when one does."""

from __future__ import annotations

from typing import Any
from unittest import mock

from server.lanes import ahead
from server.moves.bench import Bench
from server.moves.models import Job, Move
from tests.server.making import GLB, ServerTest


class Ahead(ServerTest):
    def setUp(self) -> None:
        self.number = self.made(
            {"rich.glb": GLB, f"{self.id()}.txt": b"another delivery"}, destination="taccuino"
        )
        self.move = Move.objects.get(id=self.number)

    def bench(self) -> Bench:
        return Bench(Move.objects.get(id=self.number))

    def test_a_proof_finds_its_package(self) -> None:
        self.assertFalse(self.bench().has_package())
        self.assertTrue(ahead.make_ready(self.number))
        self.assertTrue(self.bench().has_package())
        self.assertIsNotNone(self.bench().known_plan())

    def test_a_job_that_waits_goes_first(self) -> None:
        with mock.patch.object(ahead, "_ASKED_EVERY_S", 0.0):
            waiting = Job.objects.create(move=self.move, kind="account")
            self.assertFalse(ahead.make_ready(self.number))
            self.assertFalse(self.bench().has_package())
            waiting.delete()
            self.assertTrue(ahead.make_ready(self.number))
        self.assertTrue(self.bench().has_package())

    def test_a_decision_on_the_way_is_not_worked_against(self) -> None:
        first = self.bench().plan().crossings[0].material

        def decided(bench: Bench, report: Any) -> None:
            self.ask(
                f"/moves/{self.number}/decisions",
                "POST",
                [{"target": first, "field": "name", "value": "B"}],
            )
            report(0.5, "measuring")

        with (
            mock.patch.object(ahead, "_ASKED_EVERY_S", 0.0),
            mock.patch.object(Bench, "plan", decided),
        ):
            self.assertFalse(ahead.make_ready(self.number))

    def test_what_is_gone_or_cannot_be_is_left_alone(self) -> None:
        self.assertTrue(ahead.make_ready(-1))
        with (
            mock.patch.object(Bench, "plan", side_effect=RuntimeError("of ours")),
            self.assertLogs(ahead.log),
        ):
            self.assertTrue(ahead.make_ready(self.number))
        self.move.delete()
        self.assertTrue(ahead.make_ready(self.number))
