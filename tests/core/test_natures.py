"""What is mended all at once cannot change what was meant; everything else waits to be looked at."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_inventory import undeclared
from tests.making import cube, demo_files, material, scene
from trasloco import move
from trasloco.formats.bundle import gather
from trasloco.inventory.survey import notice
from trasloco.scene.findings import Finding
from trasloco.sheets.library import sheet_named

PLAIN, LANTERNA, BOTTEGA = sheet_named("plain"), sheet_named("lanterna"), sheet_named("bottega")


def natures(findings: list[Finding]) -> dict[str, set[str]]:
    told: dict[str, set[str]] = {}
    for finding in findings:
        told.setdefault(finding.kind, set()).update(mend.nature for mend in finding.mends[:1])
    return told


class Natures(TestCase):
    def test_units_axes_strays_and_doubles_are_guesses_in_the_demo(self) -> None:
        told = natures(move.survey(move.receive(gather([demo_files()[2]])), BOTTEGA, LANTERNA))
        for kind in (
            "unit",
            "axis",
            "stray",
            "duplicate",
            "leftover_tint",
            "missing_image",
            "seen_from_behind",
        ):
            self.assertEqual(told[kind], {"guess"}, kind)
        self.assertIn("repair", told["faces_away"])

    def test_painted_colours_are_no_ids_unless_the_source_gives_them(self) -> None:
        painted = cube()
        near = np.where(
            (np.arange(len(painted.positions)) % 2)[:, None] == 0,
            (0.5, 0.5, 0.5, 1.0),
            (0.505, 0.5, 0.5, 1.0),
        ).astype(np.float32)
        given = scene(replace(painted, colors=near), names=("Mask",))
        self.assertNotIn("close_ids", natures(notice(given, PLAIN, LANTERNA, [])))

    def test_the_only_part_is_never_left_out(self) -> None:
        self.assertNotIn("stray", natures(notice(scene(cube(), names=("old helper",)), PLAIN, LANTERNA, [])))

    def test_a_costume_of_metres_by_the_hundred_is_no_costume(self) -> None:
        """A body's height tells centimetres from metres: 175 units are 1.75 m, not 175 m nor 4.4 m."""
        tall = cube(1.0)
        body = replace(
            tall,
            positions=(tall.positions - tall.positions.min(axis=0))
            * np.array([0.5, 1.75, 0.3], np.float32)
            * 100,
        )
        given = undeclared(scene(body, materials=(material(),), names=("Costume of Brighella",)))
        first = next(f for f in notice(given, PLAIN, LANTERNA, []) if f.kind == "unit").mends[0]
        self.assertEqual((first.label, first.nature), ("Set centimetres", "guess"))
