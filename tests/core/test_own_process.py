"""Work done apart: its answer comes back, its faults and its hanging end it alone and are told."""

import os
import signal
import subprocess
import sys
import time
from unittest import TestCase

import numpy as np

from trasloco.errors import Refused
from trasloco.limits import LIMITS, reading_bytes
from trasloco.own_child import in_a_child
from trasloco.own_process import Arrays, run_apart, serve


def answer(given: Arrays) -> Arrays:
    """Doubles what it is given; or spins, waits on another's account, dies, or complains, as it is told."""
    what = given["what"].tobytes().decode()
    if what == "spin":
        while True:
            pass
    if what == "wait":
        time.sleep(1.5)
    if what == "die":
        os.abort()
    if what == "take":
        return {"out": np.ones(2**28, np.uint8)[:3]}
    if what == "complain":
        raise ValueError("there are too many")
    return {"out": given["numbers"] * 2}


def asked(what: str, seconds: float = 1.0, most_bytes: int = LIMITS.apart_bytes) -> np.ndarray:
    return run_apart(
        "tests.core.test_own_process",
        {"what": np.frombuffer(what.encode(), np.uint8), "numbers": np.arange(3)},
        "It cannot be done",
        "here",
        "Do it yourself.",
        seconds,
        most_bytes=most_bytes,
    )["out"]


class Apart(TestCase):
    def test_an_answer_comes_back(self) -> None:
        self.assertEqual(asked("double").tolist(), [0, 2, 4])

    def test_waiting_is_not_work(self) -> None:
        self.assertEqual(asked("wait").tolist(), [0, 2, 4])

    def test_faults_are_told(self) -> None:
        for what, words in (("spin", "longer than 1 s"), ("complain", "too many"), ("die", "cannot be done")):
            with self.assertRaises(Refused) as told:
                asked(what)
            self.assertIn(words, told.exception.what)

    def test_memory_is_what_may_be_taken_more_than_before(self) -> None:
        """A quarter of a gibibyte fits into half of one and not into an eighth."""
        self.assertEqual(asked("take", 10, 2**29).tolist(), [1, 1, 1])
        with self.assertRaises(Refused) as told:
            asked("take", 10, 2**27)
        self.assertIn("allocate", told.exception.what)

    def test_few_bytes_may_not_take_all_there_is(self) -> None:
        self.assertLess(reading_bytes(3000), 2**31)
        self.assertGreater(reading_bytes(2**30), reading_bytes(3000))
        self.assertLessEqual(reading_bytes(2**40), LIMITS.apart_bytes)

    def test_the_end_of_a_child_is_a_refusal_and_its_code_is_ours(self) -> None:
        with self.assertRaises(Refused) as told:
            in_a_child(os.abort)
        self.assertIn("SIGABRT", told.exception.what)
        with self.assertRaises(SystemExit) as left:
            in_a_child(lambda: os._exit(3))
        self.assertEqual(left.exception.code, 3)

    def test_asking_the_parent_to_end_ends_the_child(self) -> None:
        work = "import os, time; print(os.getpid(), flush=True); time.sleep(60)"
        asked = f"from trasloco.own_child import in_a_child; in_a_child(lambda: exec({work!r}))"
        with subprocess.Popen([sys.executable, "-c", asked], stdout=subprocess.PIPE, text=True) as parent:
            assert parent.stdout is not None
            child = int(parent.stdout.readline())
            parent.terminate()
            self.assertEqual(parent.wait(timeout=20), 128 + signal.SIGTERM)
        with self.assertRaises(ProcessLookupError):
            os.kill(child, 0)


if __name__ == "__main__":
    serve(answer)
