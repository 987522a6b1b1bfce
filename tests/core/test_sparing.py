"""What is only looked at takes a small share of the time."""

from __future__ import annotations

from functools import partial
from unittest import TestCase

from trasloco.progress import Sparing


class OnlyLookedAt(TestCase):
    def test_it_takes_no_more_than_its_share_and_begins_at_once(self) -> None:
        now, drawn = [0.0], []
        looked = Sparing(0.1, lambda: now[0])

        def draw() -> None:
            drawn.append(now[0])
            now[0] += 0.5

        while now[0] < 100.0:
            looked.now_and_then("a view", draw)
            now[0] += 0.25
        self.assertEqual(drawn[0], 0.0)
        self.assertLessEqual(0.5 * len(drawn), 0.1 * 100.0 + 0.5)
        self.assertGreaterEqual(0.5 * len(drawn), 0.09 * 100.0)

    def test_each_thing_has_a_share_of_its_own(self) -> None:
        now, drawn = [0.0], []
        looked = Sparing(0.1, lambda: now[0])

        def draw(name: str) -> None:
            drawn.append(name)
            now[0] += 1.0

        for name in ("reference", "arrival", "reference"):
            looked.now_and_then(name, partial(draw, name))
        self.assertEqual(drawn, ["reference", "arrival"])
