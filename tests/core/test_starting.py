"""The command line answers at once: what a command needs is loaded when it is run."""

import subprocess
import sys
from unittest import TestCase, mock

from tests.command import trasloco
from trasloco.results import at_hand

HEAVY = ("numpy", "numba", "scipy", "pxr", "pydantic", "django", "PIL", "rich.console", "trasloco.scene")


class Starting(TestCase):
    def test_help_loads_nothing_of_what_commands_need(self) -> None:
        asked = (
            "import sys, console.command\n"
            "try:\n    console.command.app(['--help'])\nexcept SystemExit:\n    pass\n"
            f"print('loaded:', [one for one in {HEAVY} if one in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True)
        self.assertIn("loaded: []", done.stdout, done.stderr)

    def test_the_verbs_load_no_library_of_a_single_format(self) -> None:
        """They take a tenth of a second each; who reads another format does without them."""
        heavy = ("pxr", "MaterialX", "collada", "trimesh", "alktx2")
        asked = f"import sys, trasloco.move, trasloco.batch; print('loaded:', [one for one in {heavy} if one in sys.modules])"
        done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True)
        self.assertIn("loaded: []", done.stdout, done.stderr)

    def test_the_verbs_and_the_survey_load_no_library_that_few_of_their_rules_need(self) -> None:
        """Half a second of what a survey of something small takes."""
        heavy = ("scipy.spatial", "scipy.optimize", "scipy.ndimage", "scipy.sparse", "PIL.Image")
        asked = (
            "import sys, trasloco.move, trasloco.commands.survey\n"
            f"print('loaded:', [one for one in {heavy} if one in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True)
        self.assertIn("loaded: []", done.stdout, done.stderr)

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
