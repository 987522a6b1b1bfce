"""Which way faces look and which are missing, piece by piece: slabs, boxes without a side, sheets."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_inventory import FORNACE, LANTERNA, PLAIN, kinds
from tests.making import cube, material, quad, scene
from trasloco.decisions.carrying_out import mended
from trasloco.mends.faces import with_normals
from trasloco.scene.geometry import face_vectors
from trasloco.scene.lit import Camera
from trasloco.scene.model import Node, Primitive, Scene
from trasloco.scene.transforms import looking


def without(faces: list[int], flat: float = 1.0) -> Primitive:
    """A box, looking out, that lacks some of its twelve faces (0-1 left, 2-3 right, 4-5 down, 6-7 up);
    ``flat`` squeezes it upright.
    """
    box = cube()
    kept = np.delete(box.indices, faces, axis=0)
    return replace(box, positions=box.positions * np.array([1, flat, 1], np.float32), indices=kept)


def outward(primitive: Primitive) -> np.ndarray:
    """Which faces look away from the middle of the box."""
    centres = primitive.positions[primitive.indices].mean(axis=1)
    return np.asarray((face_vectors(primitive.positions, primitive.indices) * centres).sum(axis=1) > 0)


class Slabs(TestCase):
    def test_the_rim_of_a_slab_stays_and_its_larger_top_is_turned(self) -> None:
        slab = without([4, 5], flat=0.05)
        top = np.flatnonzero(slab.positions[slab.indices][:, :, 1].min(axis=1) > 0)
        wrong = slab.indices.copy()
        wrong[top] = wrong[top][:, ::-1]
        given = scene(replace(slab, indices=wrong), names=("Hatch",))
        finding = kinds(given)["mixed_winding"][0]
        self.assertEqual(finding.mends[0].label, f"Turn {len(top)} faces")
        after = mended(given, PLAIN, finding.mends[0].decisions)
        self.assertTrue(outward(after.meshes["mesh:Hatch"].primitives[0]).all())

    def test_each_piece_is_decided_for_itself(self) -> None:
        first, second = without([4, 5], 0.05), without([4, 5], 0.05)
        a, b = first.indices.copy(), second.indices.copy()
        a[[0]], b[[0, 1, 2, 3, 4, 5]] = a[[0]][:, ::-1], b[[0, 1, 2, 3, 4, 5]][:, ::-1]
        both = replace(
            first,
            positions=np.concatenate([first.positions, second.positions + np.array([3, 0, 0], np.float32)]),
            indices=np.concatenate([a, b + 8]).astype(np.uint32),
        )
        given = scene(both, names=("Hatches",))
        after = (
            mended(given, PLAIN, kinds(given)["mixed_winding"][0].mends[0].decisions)
            .meshes["mesh:Hatches"]
            .primitives[0]
        )
        for start, shift in ((0, 0.0), (10, 3.0)):
            piece = replace(
                after,
                positions=after.positions - np.array([shift, 0, 0], np.float32),
                indices=after.indices[start : start + 10],
            )
            self.assertTrue(outward(piece).all())

    def test_of_a_flat_sheet_rays_tell_nothing_and_the_larger_share_stays(self) -> None:
        sheet = quad()
        turned = replace(
            sheet,
            positions=np.concatenate([sheet.positions, [[1.5, 0, 0]]]).astype(np.float32),
            normals=None,
            uvs=(),
            indices=np.array([[0, 2, 1], [1, 2, 3], [1, 4, 3]], np.uint32),
        )
        after = mended(scene(turned, names=("Leaf",)), PLAIN, [])
        mixed = kinds(after)["mixed_winding"][0]
        self.assertEqual(mixed.evidence["face_count"], 1)


class Boxes(TestCase):
    def test_boxes_that_lack_sides_are_found(self) -> None:
        for faces, words in (
            ([6, 7], "1 side of 1 box missing"),
            ([6, 7, 0, 1], "2 sides of 1 box missing"),
            ([6, 7, 4, 5], "2 sides of 1 box missing"),
            ([6], "half a side of a box missing"),
        ):
            found = kinds(scene(without(faces), names=("Plinth",)))["open_box"][0]
            self.assertIn(words, found.where)

    def test_closed_boxes_sheets_and_wedges_are_not(self) -> None:
        wedge = replace(
            without([6]),
            positions=cube().positions * np.array([1, 1, 1], np.float32)
            + np.where(np.arange(8)[:, None] == 3, 0.4, 0).astype(np.float32),
        )
        for other in (cube(), quad(), wedge):
            self.assertNotIn("open_box", kinds(scene(other, names=("Plinth",))))


class Backs(TestCase):
    def seen(self, from_below: bool) -> Scene:
        given = scene(quad(), materials=(material(),), names=("Leaf",))
        eye = looking([0.3, -2.0 if from_below else 2.0, 0.4], [0, 0, 0])
        nodes = {**given.nodes, "part:Eye": Node("part:Eye", "Eye", None, eye, camera="camera:Eye")}
        return replace(given, nodes=nodes, cameras={"camera:Eye": Camera("camera:Eye", "Eye", 0.8)})

    def test_turning_stands_beside_drawing_both_sides(self) -> None:
        finding = kinds(self.seen(True))["seen_from_behind"][0]
        self.assertEqual([m.label for m in finding.mends], ["Draw both sides", "Turn them round"])
        for mend in finding.mends:
            self.assertNotIn("seen_from_behind", kinds(mended(self.seen(True), PLAIN, mend.decisions)))
        self.assertNotIn("seen_from_behind", kinds(self.seen(False)))

    def test_what_looks_away_may_be_drawn_on_both_sides_where_the_destination_can(self) -> None:
        given = scene(with_normals(cube(outward=False), 0.5), names=("Crate",))
        self.assertEqual(
            [m.label for m in kinds(given, LANTERNA)["faces_away"][0].mends],
            ["Turn 12 faces", "Draw both sides"]
            if LANTERNA.materials.two_sided == "flag"
            else ["Turn 12 faces"],
        )
        self.assertEqual(
            len(kinds(given, FORNACE)["faces_away"][0].mends),
            2 if FORNACE.materials.two_sided == "flag" else 1,
        )
