"""Every bench runs, small: what it measures means nothing at this size, that it measures does."""

import json
import math
import os
import subprocess
import sys
from unittest import TestCase

from bench.run import GROUPS

ALL = """
import json
from bench.run import GROUPS
rows = {name: [one.row() for one in run()] for name, run in GROUPS.items() if name != "faults"}
print("\\n" + json.dumps(rows))
"""
"""Every group in one process, so that what they need is loaded once; rounds of faults are a test of their
own.
"""


class Small(TestCase):
    def test_every_group_gives_its_rows(self) -> None:
        done = subprocess.run(
            [sys.executable, "-c", ALL],
            capture_output=True,
            text=True,
            env={**os.environ, "BENCH_SMALL": "1"},
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        found = json.loads(done.stdout.splitlines()[-1])
        self.assertEqual(set(found), set(GROUPS) - {"faults"})
        for group, rows in found.items():
            with self.subTest(group):
                self.assertGreater(len(rows), 0)
                for row in rows:
                    self.assertTrue(row["name"] and row["yardstick"], row)
                    self.assertTrue(math.isfinite(row["ratio"]) and row["figure"] > 0, row)
