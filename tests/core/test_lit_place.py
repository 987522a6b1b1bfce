"""Lamps that are put where they reach a place, rectangles that fill a frame: held against geometry that is
known.
"""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from tests.core.test_round_subject import route_of
from tests.making import cube, quad, scene
from trasloco.errors import Refused
from trasloco.light.lit_place import SIDES, reaching, rectangle_of, wished
from trasloco.rays.embree import RayScene
from trasloco.results.lamp_acts import filling, lighting_place
from trasloco.scene.lit import Light
from trasloco.scene.transforms import looking

FRONT = looking((0, 1, 10), (0, 1, 0))


class FromASide(TestCase):
    def test_sides_are_those_of_whoever_looks(self) -> None:
        ways = {side: wished(side, FRONT) for side in SIDES}
        for way in ways.values():
            self.assertAlmostEqual(float(np.linalg.norm(way)), 1.0)
        self.assertLess(ways["left"][0], -0.5)
        self.assertGreater(ways["right"][0], 0.5)
        self.assertGreater(ways["front"][2], 0.5)
        self.assertLess(ways["behind"][2], -0.5)
        np.testing.assert_allclose(ways["above"], [0, 1, 0])
        # 35 degrees above what lies level.
        self.assertAlmostEqual(math.degrees(math.asin(ways["left"][1])), 35.0)
        self.assertGreater(wished("front", looking((0, 10, 0), (0, 0, 0), (0, 0, -1)))[2], 0)

    def test_the_wish_itself_where_nothing_is_in_the_way(self) -> None:
        ground = quad(10.0)
        rays = RayScene(ground.positions, ground.indices)
        wish = wished("left", FRONT)
        np.testing.assert_allclose(
            reaching(rays, np.zeros(3), np.array([0.0, 1, 0]), wish, math.inf),
            wish,  # type: ignore[arg-type]
        )

    def test_what_is_in_the_way_is_gone_round(self) -> None:
        # A wall to the left, 1 m away and 2 m high: light from the left comes over it, at more than
        # atan(2 / 1) = 63.4 degrees, or from where the wall ends.
        wall = np.array([[-1, 0, -50], [-1, 0, 50], [-1, 2, -50], [-1, 2, 50]], np.float32)
        rays = RayScene(wall, np.array([[0, 1, 2], [1, 3, 2]], np.uint32))
        wish = np.array([-1.0, 0.2, 0.0]) / math.sqrt(1.04)
        found = reaching(rays, np.zeros(3), np.array([0.0, 1, 0]), wish, math.inf)
        assert found is not None
        self.assertLess(found[0], 0)
        height = math.degrees(math.atan2(found[1], -found[0]))
        self.assertTrue(63.4 <= height < 63.4 + 4, height)
        # Before the wall a lamp half a metre away stands as wished.
        np.testing.assert_allclose(
            reaching(rays, np.zeros(3), np.array([0.0, 1, 0]), wish, 0.5),
            wish,  # type: ignore[arg-type]
        )

    def test_nothing_reaches_the_inside_of_a_closed_box(self) -> None:
        box = cube(2.0)
        rays = RayScene(box.positions, box.indices)
        self.assertIsNone(reaching(rays, np.zeros(3), np.array([0.0, 1, 0]), np.array([0.0, 1, 0]), math.inf))


class ALampAtWork(TestCase):
    def test_it_stands_as_far_as_before_looks_there_and_reaches_it(self) -> None:
        lamp = Light("light:lamp", "Lamp", "spot", (1.0, 1.0, 1.0), 40.0, 0.2, 0.4)
        held = scene(quad(8.0), names=("Floor",), lights=((lamp, looking((0, 5, 0), (0, 0, 0))),))
        route = route_of(held)
        light = next(iter(route.reference().lights))
        made = lighting_place(route, light, (1.0, 0.0, 0.0), [float(v) for v in FRONT.ravel()], "left")
        after = route.mended_with(made)
        place = next(after.world_matrices()[n.id] for n in after.nodes.values() if n.light == light)
        ahead = np.array([1.0, 0, 0]) - place[:3, 3]
        self.assertAlmostEqual(float(np.linalg.norm(ahead)), math.sqrt(26), places=4)
        np.testing.assert_allclose(-place[:3, 2], ahead / np.linalg.norm(ahead), atol=1e-6)
        self.assertLess(place[0, 3], 1.0)

    def test_a_new_spot_where_none_is_named_and_none_that_is_not_there(self) -> None:
        route = route_of(scene(quad(8.0), names=("Floor",)))
        eye = [float(v) for v in FRONT.ravel()]
        after = route.mended_with(lighting_place(route, None, (0.0, 0.0, 0.0), eye, "above"))
        (light,) = after.lights.values()
        self.assertEqual(light.kind, "spot")
        place = next(after.world_matrices()[n.id] for n in after.nodes.values() if n.light)
        np.testing.assert_allclose(place[[0, 2], 3], 0, atol=1e-6)
        with self.assertRaises(Refused):
            lighting_place(route, "light:none", (0.0, 0.0, 0.0), eye, "above")


class AFrame(TestCase):
    def test_the_smallest_rectangle_whatever_its_angle(self) -> None:
        rng = np.random.default_rng(4)
        corners = np.array([[-1.5, -0.5, 0], [1.5, -0.5, 0], [1.5, 0.5, 0], [-1.5, 0.5, 0]])
        inside = rng.uniform(-1, 1, (40, 3)) * (1.5, 0.5, 0)
        for _ in range(20):
            turn, _ = np.linalg.qr(rng.standard_normal((3, 3)))
            away = rng.uniform(-9, 9, 3)
            found = rectangle_of(np.concatenate([corners, inside]) @ turn.T + away)
            assert found is not None
            matrix, width, height = found
            np.testing.assert_allclose(sorted((width, height)), [1.0, 3.0], atol=1e-6)
            np.testing.assert_allclose(matrix[:3, 3], away, atol=1e-6)
            np.testing.assert_allclose(matrix[:3, :3].T @ matrix[:3, :3], np.eye(3), atol=1e-9)
            self.assertAlmostEqual(float(np.linalg.det(matrix[:3, :3])), 1.0)
            local = (corners @ turn.T + away - matrix[:3, 3]) @ matrix[:3, :3]
            np.testing.assert_allclose(np.abs(local), np.tile([width / 2, height / 2, 0], (4, 1)), atol=1e-6)

    def test_points_on_a_line_are_no_frame(self) -> None:
        self.assertIsNone(rectangle_of(np.linspace([0, 0, 0], [1, 2, 3], 9)))

    def test_an_opening_lies_in_its_frame_and_looks_inward(self) -> None:
        route = route_of(scene(cube(2.0), quad(12.0), names=("Room", "Ground")))
        # The side at +x of the box is faces 2 and 3.
        after = route.mended_with(filling(route, {"part:Room": [2, 3]}, "opening"))
        (light,) = after.lights.values()
        self.assertTrue(light.opening)
        self.assertAlmostEqual(light.width_m, 2.0, places=5)
        self.assertAlmostEqual(light.height_m, 2.0, places=5)
        place = next(after.world_matrices()[n.id] for n in after.nodes.values() if n.light)
        np.testing.assert_allclose(place[:3, 3], [1, 0, 0], atol=1e-5)
        np.testing.assert_allclose(-place[:3, 2], [-1, 0, 0], atol=1e-5)
        with self.assertRaises(Refused):
            filling(route, {"part:Room": []}, "panel")
