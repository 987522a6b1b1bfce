"""Faces found from faces on a cube, a ball and a corner, where they can be counted."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_mends import decide
from tests.making import cube, quad, scene
from trasloco.meshes.picking import found_from
from trasloco.scene.model import Mesh, Primitive, Scene


def sheet(rows: int, columns: int, height: float = 0.0) -> Primitive:
    """A flat grid of squares in the XZ plane, two faces each, row by row, looking up."""
    x, z = np.meshgrid(np.arange(columns + 1.0), np.arange(rows + 1.0))
    points = np.stack([x.ravel(), np.full(x.size, height), z.ravel()], axis=1).astype(np.float32)
    faces = []
    for r in range(rows):
        for c in range(columns):
            a = r * (columns + 1) + c
            b, d = a + 1, a + columns + 1
            faces += [(a, d, b), (b, d, d + 1)]
    return Primitive(points, np.array(faces, np.uint32), material="material:sheet")


class Picking(TestCase):
    def box(self) -> Mesh:
        return Mesh("mesh:box", "Box", (cube(),))

    def test_a_face_of_a_box_finds_its_side_and_no_other(self) -> None:
        for face in range(12):
            side = found_from(self.box(), [face], "plane")
            self.assertEqual(len(side), 2)
            self.assertIn(face, side)
        self.assertEqual(len(found_from(self.box(), [0], "smooth", 20)), 2)
        # The sides of a box meet at 90 degrees.
        self.assertEqual(len(found_from(self.box(), [0], "smooth", 90)), 12)
        self.assertEqual(len(found_from(self.box(), [0], "connected")), 12)

    def test_pieces_that_touch_nowhere_are_not_reached(self) -> None:
        two = Mesh("mesh:two", "Two", (sheet(2, 2), sheet(2, 2, 1.0)))
        self.assertEqual(found_from(two, [0], "connected"), list(range(8)))
        self.assertEqual(found_from(two, [9], "plane"), list(range(8, 16)))
        self.assertEqual(len(found_from(two, [0], "slot")), 16)

    def test_a_ring_more_and_a_ring_fewer(self) -> None:
        grid = Mesh("mesh:grid", "Grid", (sheet(5, 5),))
        middle = [24, 25]  # the square of the third row and column
        # All eight neighbours of a square share a corner with it; of two of them, where the diagonals point
        # away from it, only one half does: 2 + 4 x 2 + 2 x 2 + 2 x 1.
        ring = found_from(grid, middle, "more")
        self.assertEqual(len(ring), 16)
        self.assertEqual(found_from(grid, ring, "fewer"), middle)

    def test_nothing_is_found_from_nothing(self) -> None:
        self.assertEqual(found_from(self.box(), [], "connected"), [])
        self.assertEqual(found_from(self.box(), [99], "plane"), [])


class Done(TestCase):
    def held(self) -> Scene:
        return scene(cube(), quad(), names=("Box", "Flat"))

    def faces(self, held: Scene, part: str) -> np.ndarray:
        mesh = held.meshes[held.nodes[part].mesh or ""]
        return np.concatenate([p.positions[p.indices] for p in mesh.primitives])

    def test_picked_faces_are_turned_and_turned_again(self) -> None:
        before = self.faces(decide(self.held()), "part:Box")
        once = self.faces(decide(self.held(), ("part:Box", "turn_picked", [0, 5])), "part:Box")
        for k in range(12):
            a, b = (np.cross(f[k, 1] - f[k, 0], f[k, 2] - f[k, 0]) for f in (before, once))
            np.testing.assert_allclose(b, -a if k in (0, 5) else a, atol=1e-6)
        twice = decide(self.held(), ("part:Box", "turn_picked", [0, 5]), ("part:Box", "turn_picked", [5]))
        again = self.faces(twice, "part:Box")
        a, b = (np.cross(f[5, 1] - f[5, 0], f[5, 2] - f[5, 0]) for f in (before, again))
        np.testing.assert_allclose(b, a, atol=1e-6)

    def test_faces_put_to_no_slot_are_gone_and_numbers_hold_for_what_is_put_later(self) -> None:
        after = decide(
            self.held(),
            ("part:Box", "faces_slot", [{"faces": [0, 1], "slot": None}]),
            ("part:Box", "faces_slot", [{"faces": [11], "slot": "Lid"}]),
        )
        before = self.faces(decide(self.held()), "part:Box")
        mesh = after.meshes[after.nodes["part:Box"].mesh or ""]
        self.assertEqual(sum(len(p.indices) for p in mesh.primitives), 10)
        lid = next(p for p in mesh.primitives if after.materials[p.material or ""].name == "Lid")
        np.testing.assert_allclose(lid.positions[lid.indices][0], before[11])
        self.assertEqual(replace(lid).material, lid.material)
