"""Work done apart: its answer comes back, its faults and its hanging end it alone and are told."""

import os
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from unittest import TestCase, mock

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
    if what == "who":
        return {"out": np.array([os.getpid(), os.getppid()])}
    if what.startswith("hang"):
        Path(what[5:]).write_text(str(os.getpid()))
        time.sleep(60)
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

    def test_one_stands_ready_and_another_where_that_was_ended(self) -> None:
        (one, parent), (other, same) = asked("who"), asked("who")
        self.assertNotEqual(one, other)
        self.assertEqual(parent, same)
        os.kill(parent, signal.SIGKILL)
        self.assertNotEqual(asked("who")[1], parent)

    def test_what_nobody_waits_for_is_ended(self) -> None:
        with tempfile.TemporaryDirectory() as folder, mock.patch("trasloco.own_process._WAITING", 3):
            path = Path(folder) / "pid"
            with self.assertRaises(Refused):
                asked(f"hang {path}")
            gone = time.monotonic() + 20
            while Path(f"/proc/{path.read_text()}").exists() and time.monotonic() < gone:
                time.sleep(0.05)
            self.assertFalse(Path(f"/proc/{path.read_text()}").exists())

    def test_several_at_once_get_each_their_own(self) -> None:
        with ThreadPoolExecutor(4) as pool:
            found = list(pool.map(lambda _: asked("who", 20).tolist(), range(8)))
        self.assertEqual(len({pid for pid, _ in found}), 8)
        self.assertEqual(len({parent for _, parent in found}), 1)

    def test_what_cannot_be_loaded_is_told(self) -> None:
        with self.assertRaises(Refused) as told:
            run_apart("trasloco.no_such_program", {}, "It cannot be done", "here", "Do it yourself.")
        self.assertIn("No module named", told.exception.what)

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
