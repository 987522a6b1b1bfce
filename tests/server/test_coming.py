"""What is still being made is told as long as it is, and no longer."""

import time
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

from server.coming import Coming, told

SOON = ("Words of the first.", "timeit", "-n", "1", "-r", "1", "import time; time.sleep(0.3)")
LONG = ("Words of the second.", "timeit", "-n", "1", "-r", "1", "import time; time.sleep(600)")


class Told(TestCase):
    def test_words_go_as_each_is_done(self) -> None:
        with TemporaryDirectory() as folder:
            data = Path(folder)
            self.assertEqual(told(data), [])
            coming = Coming(data, [SOON, LONG])
            coming.start()
            self.assertEqual(told(data), ["Words of the first.", "Words of the second."])
            until = time.monotonic() + 60
            while len(told(data)) > 1 and time.monotonic() < until:
                coming.tend()
                time.sleep(0.1)
            self.assertEqual(told(data), ["Words of the second."])
            coming.stop()
            self.assertEqual(told(data), [])
            self.assertEqual(list(data.iterdir()), [])

    def test_a_note_that_was_damaged_says_nothing(self) -> None:
        with TemporaryDirectory() as folder:
            (Path(folder) / "coming.json").write_text("[")
            self.assertEqual(told(Path(folder)), [])
