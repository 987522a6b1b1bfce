"""What comes next is made while no job waits, and left at once when one does."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any
from unittest import TestCase, mock

from django.conf import settings
from django.db import OperationalError

from server.holding import hold
from server.lanes import ahead, lane
from server.moves.bench import Bench
from server.moves.models import Job, Move
from server.moves.store import store
from tests.server.making import GLB, ServerTest
from trasloco.results.opening import expect_aspect, still_name


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
        self.assertTrue(ahead.work_ahead(self.number))
        self.assertTrue(self.bench().has_package())
        self.assertIsNotNone(self.bench().known_plan())

    def test_what_is_seen_first_of_others_is_drawn_in_the_shape_that_was_opened_last(self) -> None:
        other = self.made({"rich.glb": GLB, "second.txt": self.id().encode()}, destination="lanterna")
        expect_aspect(store, 1.35)
        self.assertTrue(ahead.work_ahead(self.number, [other, -1]))
        for number in (self.number, other):
            bench = Bench(Move.objects.get(id=number))
            self.assertTrue(store.has(still_name(bench, "mended", 1.35).key))
        self.assertTrue(self.bench().has_package())
        self.assertFalse(bench.has_package())

    def test_a_job_that_waits_goes_first(self) -> None:
        with mock.patch.object(ahead, "_ASKED_EVERY_S", 0.0):
            waiting = Job.objects.create(move=self.move, kind="account")
            self.assertFalse(ahead.work_ahead(self.number))
            self.assertFalse(self.bench().has_package())
            waiting.delete()
            self.assertTrue(ahead.work_ahead(self.number))
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
            self.assertFalse(ahead.work_ahead(self.number))

    def test_what_is_gone_or_cannot_be_is_left_alone(self) -> None:
        self.assertTrue(ahead.work_ahead(-1))
        with (
            mock.patch.object(Bench, "plan", side_effect=RuntimeError("of ours")),
            self.assertLogs(ahead.log),
        ):
            self.assertTrue(ahead.work_ahead(self.number))
        with mock.patch.object(Bench, "plan", side_effect=OperationalError("database is locked")):
            self.assertFalse(ahead.work_ahead(self.number))  # later, after a pause
        self.move.delete()
        self.assertTrue(ahead.work_ahead(self.number))

    def test_one_lane_works_ahead_at_a_time(self) -> None:
        held = hold(settings.DATA_DIR, "ahead")
        self.assertFalse(ahead.work_ahead(self.number))
        self.assertFalse(self.bench().has_package())
        held.let_go()
        self.assertTrue(ahead.work_ahead(self.number))
        self.assertTrue(self.bench().has_package())

    def test_light_is_not_baked_unasked(self) -> None:
        wish = {"target": "lightmaps", "field": "lightmaps", "value": True}
        self.ask(f"/moves/{self.number}/decisions", "POST", [wish])
        with mock.patch.object(Bench, "plan", side_effect=AssertionError("nothing is made")):
            self.assertTrue(self.bench().wish.wanted and ahead.work_ahead(self.number))


class Lane(TestCase):
    def test_it_pauses_before_it_looks_again_and_forgets_what_is_ready(self) -> None:
        """Left because a job waits that cannot begin yet: no turn without a pause. Once ready, nothing is
        asked.
        """
        told: list[str] = []
        moves = [SimpleNamespace(move_id=5), SimpleNamespace(move_id=7)]
        jobs = iter([*moves, None, None, None])

        def claim(*_: object) -> Any:
            told.append("look")
            if (job := next(jobs, "over")) == "over":
                raise KeyboardInterrupt
            return job

        ready = iter([False, True])
        with (
            mock.patch.object(lane, "claim", claim),
            mock.patch.object(lane, "carry_out", lambda job: told.append("job")),
            mock.patch.object(lane, "have_at_hand"),
            mock.patch.object(
                lane, "work_ahead", lambda id, others: told.append(f"ahead {id} {others}") or next(ready)
            ),
            mock.patch.object(lane.time, "sleep", lambda s: told.append("pause")),
            mock.patch.object(lane.os, "nice"),
            self.assertRaises(KeyboardInterrupt),
        ):
            lane.work("long 1", quick=False)
        turns = [["job"], ["job"], ["ahead 7 [5]", "pause"], ["ahead 7 [5]"], ["pause"], []]
        self.assertEqual(told, [one for turn in turns for one in ("look", *turn)])
