"""What growing Trasloco takes: one more of each thing, by registration alone, in a process of its own."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]


class Growing(TestCase):
    def test_one_more_of_each_goes_all_the_way(self) -> None:
        """A material input, a check with its mend, a decision, a layout and an encoding of light that are
        listed from outside travel through plan, package, arrival, history and API.
        """
        with tempfile.TemporaryDirectory() as data:
            done = subprocess.run(
                [sys.executable, "manage.py", "test", "--noinput", "tests.grown.grown"],
                cwd=ROOT,
                env={**os.environ, "DJANGO_SETTINGS_MODULE": "tests.grown.settings", "TRASLOCO_DATA": data},
                capture_output=True,
                text=True,
            )
        self.assertEqual(done.returncode, 0, done.stderr[-4000:])
        self.assertIn("Ran 4 tests", done.stderr)
