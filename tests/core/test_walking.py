"""Walking into walls, through doorways and up steps, and shapes that close what is open."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from tests.core.test_inventory import PLAIN
from tests.making import cube, scene
from trasloco.inventory.checks.ways import closed_m2, closed_ways
from trasloco.inventory.context import Context
from trasloco.inventory.obstacles import EYE_M, obstacles_of, walked
from trasloco.meshes.hulls import shapes_of
from trasloco.scene.geometry import joined_mesh
from trasloco.scene.model import Primitive, Scene, Tags


def block(low: tuple[float, float, float], high: tuple[float, float, float]) -> Primitive:
    made = cube(1.0)
    a, b = np.array(low), np.array(high)
    return replace(made, positions=((made.positions + 0.5) * (b - a) + a).astype(np.float32))


def gate(width: float = 1.0, lap: float = 0.001) -> list[Primitive]:
    """A wall along X, 6 m long, 3 m high and 0.2 m deep, with a doorway 2 m high in its middle; without a lap
    its lintel shares corners with its posts, and all is one piece.
    """
    half = width / 2
    return [
        block((-3, 0, -0.1), (-half, 3, 0.1)),
        block((half, 0, -0.1), (3, 3, 0.1)),
        block((-half + lap, 2, -0.1), (half - lap, 3, 0.1)),
    ]


def held(shape: str, *primitives: Primitive) -> Scene:
    """One part of several primitives, that collides as is said."""
    made = scene(primitives[0], names=("Gate",))
    mesh = replace(made.meshes["mesh:Gate"], primitives=primitives)
    node = replace(made.nodes["part:Gate"], tags=Tags(collision=shape))
    return replace(made, meshes={mesh.id: mesh}, nodes={node.id: node})


class Walking(TestCase):
    def walk(
        self, given: Scene, start: tuple[float, float], way: tuple[float, float], far: float
    ) -> tuple[float, ...]:
        obstacles = obstacles_of(given)
        eye, self.stopped = walked(obstacles, np.array([start[0], EYE_M, start[1]]), np.array(way), far)
        return tuple(round(float(v), 4) for v in eye)

    def test_a_wall_stops_at_arms_length(self) -> None:
        wall = held("mesh", block((-3, 0, -0.1), (3, 3, 0.1)))
        x, _, z = self.walk(wall, (0, 2), (0, -1), 5.0)
        # A quarter of a metre before the face at z = 0.1.
        self.assertEqual((x, z), (0.0, 0.35))
        self.assertEqual(self.stopped, "part:Gate")

    def test_slantwise_one_slides_along_it(self) -> None:
        wall = held("mesh", block((-9, 0, -0.1), (9, 3, 0.1)))
        x, _, z = self.walk(wall, (0, 1), (1, -1), 4.0)
        self.assertAlmostEqual(z, 0.35, delta=0.11)  # the shoulder that leads is what meets it
        # The rest of the way runs along the wall at the share that lies along it.
        self.assertGreater(x, 2.0)

    def test_a_doorway_lets_through_where_its_shape_does(self) -> None:
        for shape, passes in (("mesh", True), ("pieces", True), ("hull", False), ("box", False)):
            with self.subTest(shape):
                z = self.walk(held(shape, *gate()), (0, 2), (0, -1), 4.0)[2]
                self.assertEqual(z, -2.0 if passes else 0.35)
        # Too narrow for shoulders of half a metre.
        self.assertEqual(self.walk(held("mesh", *gate(0.4)), (0, 2), (0, -1), 4.0)[2], 0.35)

    def test_what_nothing_is_said_of_or_is_no_obstacle_lets_through(self) -> None:
        for said in ("", "none"):
            self.assertEqual(self.walk(held(said, *gate()), (2, 2), (0, -1), 4.0)[2], -2.0)
        self.assertEqual(obstacles_of(held("", *gate())).unsaid, 1)
        everything = obstacles_of(held("none", *gate()), everything=True)
        eye, stopped = walked(everything, np.array([2.0, EYE_M, 2.0]), np.array([0.0, -1.0]), 4.0)
        self.assertEqual((round(float(eye[2]), 4), stopped), (0.35, "part:Gate"))

    def test_steps_are_climbed_and_a_table_is_not(self) -> None:
        ground = block((-9, -0.1, -9), (9, 0, 9))
        step = held("mesh", ground, block((-1, 0, -2), (1, 0.3, 0)))
        self.assertAlmostEqual(self.walk(step, (0, 1), (0, -1), 2.0)[1], 0.3 + EYE_M, places=4)
        self.assertAlmostEqual(self.walk(step, (0, 1), (0, -1), 4.0)[1], EYE_M, places=4)
        table = held("mesh", ground, block((-1, 0, -2), (1, 0.8, 0)))
        self.assertEqual(self.walk(table, (0, 1), (0, -1), 4.0)[2], 0.25)


class ClosedWays(TestCase):
    def told(self, given: Scene) -> list[str]:
        return [
            str(one.mends[0].decisions[0].value) for one in closed_ways(Context(given, given, PLAIN, PLAIN))
        ]

    def test_a_hull_that_closes_a_doorway_is_told_and_what_opens_it(self) -> None:
        self.assertEqual(self.told(held("hull", *gate(1.2))), ["pieces"])
        self.assertEqual(self.told(held("box", *gate(1.2))), ["pieces"])
        self.assertEqual(self.told(held("pieces", *gate(1.2))), [])
        self.assertEqual(self.told(held("mesh", *gate(1.2))), [])

    def test_one_piece_with_a_doorway_collides_as_it_is(self) -> None:
        self.assertEqual(self.told(held("hull", *gate(1.2, 0.0))), ["mesh"])
        self.assertEqual(self.told(held("pieces", *gate(1.2, 0.0))), ["mesh"])

    def test_a_solid_thing_a_narrow_gap_and_an_open_corner_are_quiet(self) -> None:
        for parts in (
            [block((-1, 0, -1), (1, 2, 1))],
            gate(0.3),
            [block((-2, 0, -2), (2, 2, -1.8)), block((-2, 0, -2), (-1.8, 2, 2))],
        ):
            self.assertEqual(self.told(held("hull", *parts)), [])

    def test_floor_between_posts_is_measured(self) -> None:
        # Two walls 3 m long, 2 m apart: between them a person's middle has 2 - 2 x 0.25 m by 3 m, in cells of 0.1 m.
        walls = [block((-1.2, 0, -1.5), (-1, 2, 1.5)), block((1, 0, -1.5), (1.2, 2, 1.5))]
        points, faces = joined_mesh(walls)
        self.assertAlmostEqual(closed_m2(points.astype(float), faces, "box"), 1.5 * 3, delta=0.6)


class Hulls(TestCase):
    def test_they_are_closed_look_out_and_hold_what_a_library_says(self) -> None:
        rng = np.random.default_rng(8)
        cloud = rng.standard_normal((60, 3))
        faces = np.arange(60).reshape(-1, 3)
        for shape in ("box", "hull"):
            ((points, triangles),) = shapes_of(cloud, faces, shape)  # type: ignore[arg-type]
            made = trimesh.Trimesh(points, triangles, process=False)
            self.assertTrue(made.is_watertight)
            want = (
                np.prod(np.ptp(cloud, axis=0))
                if shape == "box"
                else trimesh.PointCloud(cloud).convex_hull.volume
            )
            self.assertAlmostEqual(made.volume, want, places=9)

    def test_a_flat_sheet_has_two_sides(self) -> None:
        flat = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.5, 0.5, 0]], float)
        ((points, triangles),) = shapes_of(flat, np.array([[0, 1, 4], [1, 2, 4], [2, 3, 4]]), "hull")
        self.assertEqual((len(points), len(triangles)), (4, 4))
        self.assertTrue(math.isfinite(float(points.sum())))
