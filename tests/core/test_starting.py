"""The command line answers at once: what a command needs is loaded when it is run."""

import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase, mock

import trimesh

from tests.command import PLAINLY, trasloco
from trasloco.results import at_hand

HEAVY = ("numpy", "numba", "scipy", "pxr", "pydantic", "django", "PIL", "rich.console", "trasloco.scene")

OF_ONE_FORMAT = ("pxr", "MaterialX", "collada", "trimesh", "alktx2")
_AS_CALLED = """
import sys
from console import command
from trasloco import cli
cli.in_a_child = lambda work: work()
sys.argv = ["trasloco", *sys.argv[2:]]
try:
    command.main()
finally:
    print("loaded:", *[one for one in {heavy!r} if one in sys.modules])
"""


def loaded_by(heavy: tuple[str, ...], command: str, *more: str) -> list[str]:
    """Which modules are loaded once a command is through with a box."""
    with tempfile.TemporaryDirectory() as folder:
        box = Path(folder) / "box.glb"
        trimesh.creation.box().export(box)
        words = [sys.executable, "-c", _AS_CALLED.format(heavy=heavy), "--", command, str(box)]
        words += [*more, *(() if command == "survey" else ("--from", "plain", "--to", "lanterna"))]
        done = subprocess.run(words, capture_output=True, text=True, cwd=folder, env=PLAINLY)
    told = [line for line in done.stdout.splitlines() if line.startswith("loaded:")]
    if len(told) != 1 or done.returncode not in (0, 1):
        raise AssertionError(done.stdout + done.stderr)
    return told[0].split()[1:]


class Starting(TestCase):
    def test_help_loads_nothing_of_what_commands_need(self) -> None:
        asked = (
            "import sys, console.command\n"
            "try:\n    console.command.app(['--help'])\nexcept SystemExit:\n    pass\n"
            f"print('loaded:', [one for one in {HEAVY} if one in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True)
        self.assertIn("loaded: []", done.stdout, done.stderr)

    def test_a_survey_of_something_small_loads_nothing_that_compiles_and_no_large_library(self) -> None:
        """They take longer than all the rest of it."""
        heavy = ("numba", "llvmlite", "scipy", "PIL.Image", *OF_ONE_FORMAT, "trasloco.render.picture")
        self.assertEqual(loaded_by(heavy, "survey"), [])

    def test_a_move_loads_no_library_of_a_format_that_is_not_in_it(self) -> None:
        """They take a tenth of a second each; who reads another format does without them."""
        self.assertEqual(loaded_by(OF_ONE_FORMAT, "move", "--out", "delivered"), [])

    def test_what_is_looked_for_is_seen_where_it_is_loaded(self) -> None:
        self.assertEqual(loaded_by(("numpy", "pxr"), "survey"), ["numpy"])

    def test_every_command_is_told_with_what_it_does(self) -> None:
        told = trasloco("--help").stdout
        for command in ("survey", "move", "frames", "batch", "watch", "backup", "restore", "user"):
            self.assertRegex(told, rf"(?m)^\s+{command}\s+\S")

    def test_a_word_that_nobody_knows_is_refused_in_plain_words(self) -> None:
        done = trasloco("remove")
        self.assertEqual(done.returncode, 2)
        self.assertIn("remove", done.stderr)
        self.assertNotIn("Traceback", done.stderr)


class AtHand(TestCase):
    def test_nothing_is_compiled_by_who_only_wants_it_at_hand(self) -> None:
        """Several lanes start at once: one process compiles for all, and they load what is there."""
        for compiled in (False, True):
            with (
                mock.patch.object(at_hand, "is_compiled", return_value=compiled),
                mock.patch.object(at_hand, "drawn") as drawn,
            ):
                at_hand.have_at_hand()
            self.assertEqual(drawn.called, compiled)
