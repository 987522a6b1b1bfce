"""Processes that end by themselves are started again, after pauses that grow, and stopped when asked."""

from __future__ import annotations

import sys
from unittest import TestCase

from server.tending import LONGEST_PAUSE_S, SETTLED_S, Tended

ENDS = [sys.executable, "-c", "raise SystemExit(3)"]
STAYS = [sys.executable, "-c", "import time; time.sleep(60)"]
DEAF = [
    sys.executable,
    "-c",
    "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print(1, flush=True); time.sleep(60)",
]


class Clock:
    now = 0.0

    def __call__(self) -> float:
        return self.now


class Kept(TestCase):
    def test_pauses_double_up_to_a_minute_and_are_short_again_after_it_ran_for_long(self) -> None:
        clock = Clock()
        child = Tended("thing", ENDS, quiet=True, clock=clock)
        child.start()
        waited = []
        for _ in range(8):
            assert child.process is not None
            child.process.wait()
            child.tend()  # notices
            begun, starts = clock.now, child.starts
            while child.starts == starts:
                clock.now += 0.5
                child.tend()
            waited.append(clock.now - begun)
        self.assertEqual(waited, [1, 2, 4, 8, 16, 32, LONGEST_PAUSE_S, LONGEST_PAUSE_S])
        child.command = STAYS
        assert child.process is not None
        child.process.wait()
        child.tend()
        clock.now += LONGEST_PAUSE_S
        child.tend()
        clock.now += SETTLED_S + 1
        child.tend()
        self.assertEqual((child.ended, child.pause_s), (False, 1.0))
        child.stop()
        self.assertTrue(child.ended)

    def test_what_does_not_end_when_asked_is_ended(self) -> None:
        child = Tended("thing", DEAF)
        child.start()
        child.stop(within_s=0.5)
        self.assertTrue(child.ended)
