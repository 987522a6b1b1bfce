"""Faces under what is drawn over a picture, on sheets whose squares can be counted."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from tests.core.test_picking import sheet
from tests.making import cube, scene
from trasloco.inventory.in_view import Eye, faces_in, faces_under
from trasloco.inventory.world import WorldTriangles, world_triangles


def from_above(x: float, z: float, height: float, half: float, aspect: float = 1.0) -> Eye:
    """An eye over (x, z) that looks down and sees ``half`` metres to each side at height zero."""
    matrix = np.array([[1, 0, 0, x], [0, 0, 1, height], [0, -1, 0, z], [0, 0, 0, 1]], np.float64)
    return Eye(matrix, 2 * math.atan(half / height), aspect)


class Drawn(TestCase):
    def two_sheets(self) -> WorldTriangles:
        """A sheet of 4 x 4 squares, and under it another of the same."""
        return world_triangles(scene(sheet(4, 4, 1.0), sheet(4, 4, 0.0)))

    def test_places_in_the_picture(self) -> None:
        eye = from_above(2, 2, 10, 2)
        at = eye.seen_at(np.array([[2.0, 0, 2], [4, 0, 2], [2, 0, 0], [2, 11, 2]]))
        np.testing.assert_allclose(at[:3], [[0, 0], [1, 0], [0, 1]], atol=1e-12)
        self.assertTrue(np.isnan(at[3]).all())
        np.testing.assert_allclose(
            eye.seen_at(eye.place + eye.toward(np.array([[0.3, -0.4]]))), [[0.3, -0.4]]
        )

    def test_a_rectangle_takes_what_is_seen_or_all_through(self) -> None:
        world, eye = self.two_sheets(), from_above(2, 2, 100, 2)
        seen = faces_in(world, eye, (-1, -1), (0, 1), False)
        # The left half of the upper sheet: two columns of four squares.
        self.assertEqual(int(seen.sum()), 16)
        self.assertTrue(seen[:32].any() and not seen[32:].any())
        self.assertEqual(int(faces_in(world, eye, (-1, -1), (0, 1), True).sum()), 32)

    def test_backs_are_taken_only_all_through(self) -> None:
        world = world_triangles(scene(cube(2.0)))
        eye = from_above(0, 0, 50, 2)
        top = faces_in(world, eye, (-1, -1), (1, 1), False)
        normals = np.cross(
            *(world.positions[world.triangles[:, k]] - world.positions[world.triangles[:, 0]] for k in (1, 2))
        )
        np.testing.assert_array_equal(top, normals[:, 1] > 0)
        self.assertEqual(int(faces_in(world, eye, (-1, -1), (1, 1), True).sum()), 12)

    def test_a_brush_takes_what_it_touches_however_large(self) -> None:
        world, eye = self.two_sheets(), from_above(2, 2, 100, 2)
        # A dot inside one half of the square of row 1, column 1.
        dot = faces_under(world, eye, [(-0.9, 0.8)], 0.01, False)
        self.assertEqual(int(dot.sum()), 1)
        # A stroke along the first row of squares, thinner than one of them: all four, both halves.
        row = faces_under(world, eye, [(-0.95, 0.75), (0.95, 0.75)], 0.02, False)
        self.assertEqual(sorted(np.flatnonzero(row)), list(range(8)))

    def test_a_wide_picture_keeps_its_brush_round(self) -> None:
        world = self.two_sheets()
        narrow = faces_under(world, from_above(2, 2, 100, 2), [(0, 0)], 0.4, True)
        wide = faces_under(world, from_above(2, 2, 100, 2, aspect=2.0), [(0, 0)], 0.4, True)
        np.testing.assert_array_equal(narrow, wide)
