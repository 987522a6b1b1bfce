"""How pictures are cut into pieces: every sample of every pixel once, whatever each tile asks for."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from trasloco.render.tiles import pieces, tiles_of

WIDE, HIGH = 75, 37


class Pieces(TestCase):
    def test_every_sample_is_drawn_once(self) -> None:
        tiles = tiles_of(WIDE, HIGH)
        rng = np.random.default_rng(5)
        for steepest in (1, 40, 3000):
            done = [int(n) for n in 2 * rng.integers(0, 3, len(tiles))]
            wanted = [had + int(n) for had, n in zip(done, 2 * rng.integers(0, steepest, len(tiles)))]
            most = max(wanted)
            drawn = np.zeros((HIGH, WIDE, most + 1), np.int16)
            for (x0, x1, y0, y1), first, last in pieces(tiles, done, wanted):
                self.assertLess(first, last)
                drawn[y0:y1, x0:x1, first:last] += 1
            for (x0, x1, y0, y1), had, last in zip(tiles, done, wanted):
                expected = np.zeros(most + 1)
                expected[had : max(had, last)] = 1
                self.assertTrue((drawn[y0:y1, x0:x1] == expected).all())

    def test_neighbours_that_ask_for_the_same_go_together(self) -> None:
        tiles = tiles_of(480, 270)
        even = list(pieces(tiles, [0] * len(tiles), [1] * len(tiles)))
        self.assertEqual(len(even), 34)  # a row of tiles each
        self.assertEqual(list(pieces(tiles, [8] * len(tiles), [8] * len(tiles))), [])

    def test_many_samples_are_drawn_in_steps_of_even_numbers(self) -> None:
        sizes = [
            (first, last, (x1 - x0) * (y1 - y0) * (last - first))
            for (x0, x1, y0, y1), first, last in pieces(tiles_of(8, 8), [2], [5000])
        ]
        self.assertTrue(all(size <= 16384 and first % 2 == 0 for first, _, size in sizes), sizes)
        self.assertEqual([first for first, _, _ in sizes[1:]], [last for _, last, _ in sizes[:-1]])
        self.assertEqual((sizes[0][0], sizes[-1][1]), (2, 5000))
