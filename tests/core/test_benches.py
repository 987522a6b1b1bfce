"""Every bench runs, small: what it measures means nothing at this size, that it measures does."""

import json
import math
import os
import subprocess
import sys
from unittest import TestCase

from bench.run import GROUPS


class Small(TestCase):
    def test_every_group_gives_its_rows(self) -> None:
        for group in GROUPS:
            if group == "faults":
                continue  # the same rounds are a test of their own
            with self.subTest(group):
                done = subprocess.run(
                    [sys.executable, "-m", "bench.run", "--only", group],
                    capture_output=True,
                    text=True,
                    env={**os.environ, "BENCH_SMALL": "1"},
                )
                self.assertEqual(done.returncode, 0, done.stderr[-2000:])
                rows = json.loads(done.stdout[done.stdout.index("[\n") :])
                self.assertGreater(len(rows), 0)
                for row in rows:
                    self.assertTrue(row["name"] and row["yardstick"], row)
                    self.assertTrue(math.isfinite(row["ratio"]) and row["figure"] > 0, row)
