"""The simulation of many machines against closed forms."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

from bench.simulated import Costs, run

FREE = Costs([[0.5] * 256], 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 1e9)


class Simulated(TestCase):
    def test_work_alone_is_shared_out(self) -> None:
        for workers in (1, 2, 8, 64):
            told = run(FREE, workers)
            self.assertAlmostEqual(told.seconds, 128 / workers, places=6)
            self.assertAlmostEqual(told.working, 1.0, places=6)

    def test_passes_wait_for_one_another(self) -> None:
        """Three tiles for two workers take two turns, each time."""
        told = run(replace(FREE, rounds=[[1.0] * 3] * 4), 2)
        self.assertAlmostEqual(told.seconds, 8.0, places=6)

    def test_a_scene_doubles_its_holders_each_turn(self) -> None:
        told = run(replace(FREE, rounds=[], scene=1e9, read=0.25), 7)
        self.assertAlmostEqual(told.seconds, 3 + 0.25, places=6)

    def test_what_comes_back_fills_one_network_card(self) -> None:
        told = run(replace(FREE, rounds=[[0.0] * 256], result=1e8), 64)
        self.assertAlmostEqual(told.seconds, 256 * 0.1, places=6)
        self.assertAlmostEqual(told.hearing, 1.0, places=6)

    def test_pieces_are_handed_out_one_after_the_other(self) -> None:
        """With 64 workers each piece is one tile."""
        told = run(replace(FREE, rounds=[[0.0] * 256], handed=0.01), 64)
        self.assertAlmostEqual(told.seconds, 2.56, places=6)
