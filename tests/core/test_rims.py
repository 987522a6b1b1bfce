"""Openings covered, on shapes whose area and edges are known."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from tests.core.test_mends import decide
from tests.core.test_picking import sheet
from tests.making import cube, scene
from trasloco.mends.covering import rims_beside
from trasloco.mends.own_meshes import picked
from trasloco.meshes.rims import rims_of
from trasloco.scene.geometry import joined_mesh
from trasloco.scene.model import Mesh, Primitive, Scene


def without(primitive: Primitive, *gone: int) -> Primitive:
    keep = np.ones(len(primitive.indices), bool)
    keep[list(gone)] = False
    return picked(primitive, keep)


def solid(given: Scene, part: str = "part:Thing 1") -> trimesh.Trimesh:
    """A part as a library that is not ours sees it."""
    points, faces = joined_mesh(given.meshes[given.nodes[part].mesh or ""].primitives)
    return trimesh.Trimesh(points, faces, process=True, merge_norm=True, merge_tex=True)


class Covering(TestCase):
    def test_a_box_without_a_side_is_whole_again(self) -> None:
        box = scene(without(cube(2.0), 4, 5))
        self.assertFalse(solid(box).is_watertight)
        covered = decide(box, ("part:Thing 1", "cover_holes", [0]))
        made = solid(covered)
        self.assertTrue(made.is_watertight)
        # Faces that look the wrong way would take volume away.
        self.assertAlmostEqual(made.volume, 8.0, places=5)
        self.assertEqual(len(covered.meshes["mesh:Thing 1"].primitives), 1)

    def test_only_openings_beside_the_picked_faces_are_covered(self) -> None:
        box = scene(without(cube(2.0), 0, 1, 2, 3))
        mesh = box.meshes["mesh:Thing 1"]
        rims = rims_of(mesh.primitives)
        self.assertEqual(len(rims), 2)
        for rim in rims:
            beside = rims_beside(mesh, [int(rim.faces[0])])
            self.assertGreaterEqual(len(beside), 1)
        first = rims[0]
        only = [int(f) for f in first.faces if not any(int(f) in r.faces for r in rims[1:])]
        covered = decide(box, ("part:Thing 1", "cover_holes", only[:1]))
        self.assertEqual(len(rims_of(covered.meshes["mesh:Thing 1"].primitives)), 1)

    def test_a_ball_with_a_patch_missing_is_closed_across_its_slots(self) -> None:
        ball = trimesh.creation.icosphere(subdivisions=3, radius=1.0)
        points, faces = ball.vertices.astype(np.float32), ball.faces.astype(np.uint32)
        top = points[faces].mean(axis=1)[:, 1] > 0.9
        left = (points[faces].mean(axis=1)[:, 0] < 0) & ~top
        halves = [
            picked(Primitive(points, faces, points, material=name), which)
            for name, which in (("material:a", left), ("material:b", ~left & ~top))
        ]
        given = scene(halves[0])
        given = replace(given, meshes={"mesh:Thing 1": Mesh("mesh:Thing 1", "Ball", tuple(halves))})
        (rim,) = rims_of(given.meshes["mesh:Thing 1"].primitives)
        covered = decide(given, ("part:Thing 1", "cover_holes", [int(rim.faces[0])]))
        made = solid(covered)
        self.assertTrue(made.is_watertight)
        # The cap of a ball cut by a plane at height h: the volume under it is pi (2/3 + h - h^3/3).
        height = float(rim.points[:, 1].mean())
        self.assertAlmostEqual(made.volume, np.pi * (2 / 3 + height - height**3 / 3), delta=0.06)
        self.assertEqual(len(covered.meshes["mesh:Thing 1"].primitives), 2)

    def test_holes_that_touch_in_a_corner_are_two(self) -> None:
        grid = sheet(4, 4)
        # The squares of row 2, column 2 and row 3, column 3 share a corner.
        holed = without(grid, 10, 11, 20, 21)
        rims = [rim for rim in rims_of([holed]) if len(rim.corners) == 4]
        self.assertEqual(len(rims), 2)
        for rim in rims:
            one = rim.points[rim.triangles()]
            across = np.cross(one[:, 1] - one[:, 0], one[:, 2] - one[:, 0])
            np.testing.assert_allclose(across.sum(axis=0) / 2, [0, 1, 0], atol=1e-6)

    def test_numbers_of_faces_stay_what_they_were(self) -> None:
        box = scene(without(cube(2.0), 4, 5))
        both = decide(
            box,
            ("part:Thing 1", "cover_holes", [0]),
            ("part:Thing 1", "faces_slot", [{"faces": [9], "slot": "lid"}]),
        )
        lid = next(p for p in both.meshes["mesh:Thing 1"].primitives if p.material == "material:lid")
        self.assertEqual(len(lid.indices), 1)
