"""A wrong mend shows when what is mended is looked at again; right ones leave nothing to tell."""

from unittest import TestCase

from tests.core.test_inventory import LANTERNA, PLAIN, undeclared
from tests.making import cube, material, quad, scene
from trasloco import move
from trasloco.inventory.survey import notice, with_states
from trasloco.mends.faces import with_normals
from trasloco.scene.model import Decision, Scene


def after(given: Scene, *decisions: Decision) -> list[tuple[str, str]]:
    before = with_states(notice(given, PLAIN, LANTERNA, decisions), decisions)
    return [
        (one.finding.kind, one.why)
        for one in move.survey_again(move.mend(given, PLAIN, decisions), PLAIN, LANTERNA, before)
    ]


class Again(TestCase):
    def test_sound_mends_leave_nothing_and_open_findings_are_no_news(self) -> None:
        given = undeclared(
            scene(
                with_normals(cube(1.7, outward=False), 0.5),
                quad(6),
                materials=(material(),),
                names=("Crate", "Floor"),
            )
        )
        turn = Decision("part:Crate", "turn_faces", [0])
        self.assertEqual(after(given, turn), [])
        self.assertEqual(after(given), [])

    def test_sound_faces_that_were_turned_are_told_as_made(self) -> None:
        given = scene(with_normals(cube(), 0.5), names=("Crate",))
        self.assertIn(("faces_away", "made"), after(given, Decision("part:Crate", "turn_faces", True)))

    def test_a_wrong_scale_is_told_as_made(self) -> None:
        given = scene(with_normals(cube(), 0.5), names=("Crate",))
        self.assertEqual(after(given, Decision("scene", "scale", 100_000.0)), [("unit", "made")])
