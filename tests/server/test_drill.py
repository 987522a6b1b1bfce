"""The drills, small: a whole instance whose processes are killed, whose disk fills up, whose database is
held, and which several artists use at once.
"""

from __future__ import annotations

from unittest import TestCase

from drill.crowd import crowd
from drill.filling import fill_up
from drill.instance import processes_of
from drill.killing import kill_at_random
from drill.locking import hold_database
from drill.run import instance
from drill.sealing import seal_up


class Drill(TestCase):
    def test_killed_held_and_crowded(self) -> None:
        with instance() as one:
            killed = kill_at_random(one, 2)
            self.assertEqual((killed.moments, killed.lost, killed.stuck, killed.damaged), (2, 0, 0, 0))
            self.assertLessEqual(set(killed.ends), {"done", "stopped"})
            self.assertEqual(sorted(processes_of(one.data)), sorted(one.processes()["lane"]))
            held = hold_database(one, 12)
            self.assertIn(503, held.told)
            self.assertLessEqual(set(held.told), {200, 503})
            self.assertEqual((held.well, held.job), (True, "done"))
            used = crowd(one, artists=3, seconds=4, alone_s=1, hurry=0.2)
            self.assertEqual((used.together.lost, used.together.away), (0, 0))
            self.assertGreaterEqual(len(used.together.decisions), 4)
            self.assertEqual(one.wrong, [])

    def test_a_disk_that_fills_up(self) -> None:
        try:
            with instance(disk=True) as one:
                made = fill_up(one, 2)
        except PermissionError as error:
            self.skipTest(str(error))
        self.assertEqual((made.points, made.lost, made.dead, made.damaged, made.wrong), (2, 0, 0, 0, []))
        self.assertGreater(made.told[507], 0)

    def test_a_folder_that_may_not_be_written(self) -> None:
        try:
            with instance(bound_by_rights=True) as one:
                made = seal_up(one, 1)
        except PermissionError as error:
            self.skipTest(str(error))
        self.assertEqual((made.times, made.lost, made.dead, made.wrong), (1, 0, 0, []))
        self.assertEqual(set(made.told), {507})
        self.assertIn("The data folder cannot be written.", made.start)
