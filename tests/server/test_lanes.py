"""Lanes: moves take turns, quick jobs have a lane of their own, and a lane that ends gives back what it did."""

from __future__ import annotations

import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import TestCase

from django.db import connections
from django.utils import timezone

from server.holding import HeldElsewhere, hold, holder
from server.lanes.queue import begin, claim, expected_s, give_back
from server.moves import jobs
from server.moves.models import Job, Move, Revision
from tests.making import noise_image
from tests.server.making import ServerTest


class Turns(ServerTest):
    def move(self, name: str) -> Move:
        move = Move.objects.create(name=name, source="plain", destination="lanterna")
        Revision.objects.create(move=move, number=1)
        return move

    def job(self, move: Move, kind: str = "prove", **fields: Any) -> Job:
        return Job.objects.create(move=move, kind=kind, **fields)

    def test_moves_take_turns_however_many_jobs_one_has(self) -> None:
        greedy, modest = self.move("greedy"), self.move("modest")
        first, second = self.job(greedy), self.job(greedy, "deliver")
        other = self.job(modest)
        order = []
        while (job := claim("long 1")) is not None:
            order.append(job.id)
            Job.objects.filter(id=job.id).update(state=Job.State.DONE)
        self.assertEqual(order, [first.id, other.id, second.id])

    def test_the_quick_lane_takes_what_is_expected_to_be_quick_and_nothing_else(self) -> None:
        move = self.move("m")
        self.job(move, "bake", expected_s=60)
        quick = self.job(move, "account", expected_s=0.4)
        taken = claim("quick", quick=True)
        assert taken is not None
        self.assertEqual((taken.id, taken.lane, taken.state, taken.tries), (quick.id, "quick", "running", 1))
        self.assertIsNone(claim("quick", quick=True))
        self.assertEqual(getattr(claim("long 1"), "kind", None), "bake")

    def test_what_is_expected_follows_what_was_measured(self) -> None:
        move = self.move("m")
        self.assertGreater(expected_s(move, "account", {}), 2)
        now = timezone.now()
        self.job(move, "account", state=Job.State.DONE, started=now - timedelta(seconds=1.5), finished=now)
        self.assertAlmostEqual(expected_s(move, "account", {}), 1.5, delta=0.01)
        self.assertGreater(expected_s(move, "account", {"anew": True}), 2)

    def test_nothing_begins_before_the_delivery_is_read_and_no_kind_runs_twice(self) -> None:
        move = self.move("m")
        reading, proof, again = self.job(move, "receive"), self.job(move), self.job(move)
        self.assertEqual(getattr(claim("a"), "id", None), reading.id)
        self.assertIsNone(claim("b"))
        Job.objects.filter(id=reading.id).update(state=Job.State.DONE)
        self.assertEqual(getattr(claim("b"), "id", None), proof.id)
        self.assertIsNone(claim("a"))
        Job.objects.filter(id=proof.id).update(state=Job.State.DONE)
        self.assertEqual(getattr(claim("a"), "id", None), again.id)

    def test_one_job_begins_once(self) -> None:
        job = self.job(self.move("m"))
        self.assertIsNotNone(begin(job.id, "a"))
        self.assertIsNone(begin(job.id, "b"))

    def test_a_lane_that_ends_gives_back_its_own_jobs_alone(self) -> None:
        move = self.move("m")
        mine = self.job(move, state=Job.State.RUNNING, lane="long 1", tries=1)
        other = self.job(move, "bake", state=Job.State.RUNNING, lane="long 2", tries=1)
        self.assertEqual(give_back("long 1", signal.SIGKILL), 1)
        states = {job.id: (job.state, job.lane) for job in Job.objects.all()}
        self.assertEqual(states, {mine.id: ("waiting", ""), other.id: ("running", "long 2")})

    def test_a_delivery_that_ends_its_reader_is_refused_on_the_desk_and_can_be_tried_again(self) -> None:
        for ended, said in (
            (signal.SIGSEGV, "ended the program"),
            (signal.SIGXCPU, "longer"),
            (signal.SIGABRT, "memory"),
        ):
            move = self.move("m")
            self.job(move, "receive", state=Job.State.RUNNING, lane="long 1", tries=1)
            give_back("long 1", ended)
            told = self.ask(f"/moves/{move.id}")
            self.assertIn(said, told["refusal"]["what"])
            self.assertEqual((told["job"]["state"], told["ready"]), ("refused", False))
            again = self.ask(f"/moves/{move.id}/jobs", "POST", {"kind": "receive"})
            self.assertEqual(again["state"], "waiting")

    def test_a_job_whose_move_is_gone_stops_at_its_next_report(self) -> None:
        job = self.job(self.move("m"), state=Job.State.RUNNING)
        report = jobs.reporter(job.id)
        Job.objects.all().delete()
        with self.assertRaises(jobs.Cancelled):
            report(0.5, "half")


class AtOnce(ServerTest):
    def test_files_added_at_the_same_moment_all_arrive(self) -> None:
        move = self.made()
        pictures = {f"{n}.png": noise_image(str(n), 8, 8).data for n in range(4)}

        def add(name: str) -> None:
            try:
                self.upload({name: pictures[name]}, path=f"/moves/{move}/files")
            finally:
                connections.close_all()

        with ThreadPoolExecutor(4) as pool:
            list(pool.map(add, pictures))
        last = Revision.objects.filter(move_id=move).order_by("-number").first()
        assert last is not None
        self.assertEqual(set(last.files), {"rich.glb", *pictures})
        self.assertEqual(last.number, 5)


class Holding(TestCase):
    """The lock is held by a process, and the system lets go of it with the process."""

    def test_one_instance_a_folder_until_its_process_ends_however_it_ends(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            self.assertIsNone(holder(folder, "run"))
            other = subprocess.Popen(
                [
                    sys.executable,
                    "-c",
                    "import sys, time; from pathlib import Path; from server.holding import hold\n"
                    "held = hold(Path(sys.argv[1]), 'run', {'address': 'here'}); print(1, flush=True); time.sleep(60)",
                    name,
                ],
                stdout=subprocess.PIPE,
            )
            assert other.stdout is not None
            other.stdout.readline()
            told = holder(folder, "run")
            self.assertEqual(told, {"process": other.pid, "address": "here"})
            with self.assertRaisesRegex(HeldElsewhere, f"process {other.pid} at here"):
                hold(folder, "run")
            other.kill()
            other.wait()
            other.stdout.close()
            time.sleep(0.05)
            held = hold(folder, "run")
            held.let_go()


class Orphans(TestCase):
    def test_what_is_started_ends_with_who_started_it_even_when_that_is_killed(self) -> None:
        child = "from server.holding import end_with_parent; import time; end_with_parent(); time.sleep(60)"
        parent = subprocess.Popen(
            [
                sys.executable,
                "-c",
                "import subprocess, sys, time; from server.holding import child_environment\n"
                f"p = subprocess.Popen([sys.executable, '-c', {child!r}], env=child_environment()); print(p.pid, flush=True); time.sleep(60)",
            ],
            stdout=subprocess.PIPE,
        )
        assert parent.stdout is not None
        pid = int(parent.stdout.readline())
        self.assertTrue(Path(f"/proc/{pid}").exists())
        parent.kill()
        parent.wait()
        parent.stdout.close()
        until = time.monotonic() + 10
        while _alive(pid):
            self.assertLess(time.monotonic(), until, "it lives on alone")
            time.sleep(0.1)


def _alive(pid: int) -> bool:
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except OSError:
        return False
    return state != "Z"
