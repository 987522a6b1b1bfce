"""The note for whoever sent it, and how a package is imported."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

from tests.carried import delivered
from tests.core.test_arrival import FORNACE, LANTERNA, PLAIN, TACCUINO, rich
from trasloco import move
from trasloco.handover.for_the_sender import ADVICE, ONLY_THERE, note_text, notes_for
from trasloco.handover.how_to_import import steps_of
from trasloco.scene.findings import Finding

CORE = Path(__file__).resolve().parents[2] / "trasloco"


def found(kind: str, state: str = "open") -> Finding:
    return replace(Finding(f"{kind}:x", kind, kind.capitalize(), "Trunk", "It shows."), state=state)  # type: ignore[arg-type]


class ReturnNote(TestCase):
    def test_what_only_the_source_can_cure_comes_first(self) -> None:
        notes = notes_for([found("faces_away", "mended"), found("holes"), found("double_names")])
        self.assertEqual([one.only_there for one in notes], [True, False])
        text = note_text("Wagon", [found("faces_away", "mended"), found("holes")])
        self.assertLess(text.index("Only the source can cure"), text.index("Would be saved next time"))
        self.assertIn("Trunk (mended here)", text)
        # What was covered here needs nothing more, and would still be saved.
        self.assertFalse(notes_for([found("holes", "mended")])[0].only_there)

    def test_one_advice_is_given_once_for_all_its_places(self) -> None:
        text = note_text(
            "Wagon", [found("missing_normals"), replace(found("missing_normals"), where="Crate")]
        )
        self.assertEqual(text.count(ADVICE["missing_normals"]), 1)
        self.assertIn("Crate", text)

    def test_nothing_to_say_is_said(self) -> None:
        self.assertIn("came as it should", note_text("Wagon", []))

    def test_advice_is_about_kinds_that_are_noticed(self) -> None:
        source = "".join(path.read_text() for path in CORE.rglob("*.py") if "handover" not in path.parts)
        for kind in {*ADVICE, *ONLY_THERE}:
            self.assertTrue(re.search(rf'"{kind}"|"{kind}:', source), kind)


class HowToImport(TestCase):
    def steps(self, sheet: object) -> str:
        package = delivered(rich(), sheet)  # type: ignore[arg-type]
        reference = move.mend(rich(), PLAIN)
        return " ".join(steps_of(package.files, reference, sheet))  # type: ignore[arg-type]

    def test_it_names_the_file_axis_unit_and_what_this_package_has(self) -> None:
        told = self.steps(LANTERNA)
        for words in (".glb", "Y up, in metres", "materials.json", "green pointing", "cut out", "candela"):
            self.assertIn(words, told)
        self.assertIn("Z up, in centimetres", self.steps(FORNACE))
        self.assertIn("one file", self.steps(TACCUINO))
