"""Faces that lie on one another and look opposite ways, each drawn from its front alone."""

from __future__ import annotations

import itertools
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import cube, material, quad, scene
from trasloco import move
from trasloco.proof.apart import Apart
from trasloco.render.coincident import APART, held_apart
from trasloco.render.flatten import flatten
from trasloco.render.picture import Floats, Quality, View, render
from trasloco.scene.lit import Light
from trasloco.scene.model import Primitive, Scene
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named
from trasloco.sheets.text import changed

RED, BLUE = (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)


def turned(given: Primitive, wears: str) -> Primitive:
    """Its faces the other way round, on points of their own."""
    normals = None if given.normals is None else -given.normals
    return replace(given, indices=given.indices[:, ::-1].copy(), normals=normals, material=wears)


def shown(given: Scene, eye: tuple[float, float, float]) -> Floats:
    view = View("v", looking(eye, (0.0, 0.0, 0.0), (0, 0, 1)), 0.3)
    return render(flatten(given), view, Quality(16, 16, 4, 2)).radiance


class Curtain(TestCase):
    """A sheet that glows red, looking up, and its lining that glows blue, looking down."""

    def curtain(self, lining_first: bool) -> Scene:
        sheet = quad(2.0, "material:cloth")
        sides = [sheet, turned(sheet, "material:lining")]
        worn = [
            material(name, base_color=(0.0,) * 3, emission=color, emission_strength=(1.0,), specular=(0.0,))
            for name, color in (("cloth", RED), ("lining", BLUE))
        ]
        return scene(*(sides[::-1] if lining_first else sides), materials=tuple(worn))

    def test_each_side_shows_from_where_it_looks(self) -> None:
        for first, (eye, color) in itertools.product(
            (False, True), (((0.1, 4.0, 0.2), RED), ((0.1, -4.0, 0.2), BLUE))
        ):
            made = shown(self.curtain(first), eye)
            np.testing.assert_allclose(made, np.broadcast_to(color, made.shape), atol=1e-6)

    def test_a_mirror_shows_the_side_that_looks_at_it(self) -> None:
        """From between the curtain and a smooth mirror below it: the mirror shows the lining."""
        for first in (False, True):
            given = self.curtain(first)
            mirror = material("mirror", base_color=(1.0,) * 3, metalness=(1.0,), roughness=(0.0,))
            below = quad(6.0, "material:mirror")
            below = replace(below, positions=below.positions - np.array([0, 1, 0], np.float32))
            both = scene(
                *(p for mesh in given.meshes.values() for p in mesh.primitives),
                below,
                materials=(*given.materials.values(), mirror),
            )
            view = View("v", looking((2.4, 0.5, 0.0), (1.3, -1.0, 0.0), (0, 1, 0)), 0.02)
            made = render(flatten(both), view, Quality(8, 8, 4, 3)).radiance
            np.testing.assert_array_equal(made[..., :2], 0.0)
            self.assertGreater(float(made[..., 2].mean()), 0.95)


class Moved(TestCase):
    def test_only_what_lies_on_another_is_moved_and_that_by_little(self) -> None:
        sheet = np.array([[0, 0, 0], [8, 0, 0], [0, 8, 0]], np.float32)
        beside = sheet + np.array([0, 0, 1], np.float32)
        positions = np.concatenate([sheet, sheet, beside, beside[::-1]])
        triangles = np.array([[0, 1, 2], [5, 4, 3], [6, 7, 8], [11, 10, 9]])
        made = held_apart(positions, triangles, np.ones(4, bool))
        far = 8 * APART
        np.testing.assert_allclose(made[:3, 2], far, rtol=1e-3)
        np.testing.assert_allclose(made[3:6, 2], -far, rtol=1e-3)
        # The other two look the same way, and what is drawn from both sides needs no twin.
        np.testing.assert_array_equal(made[6:], positions[6:])
        self.assertIs(held_apart(positions, triangles, np.zeros(4, bool)), positions)
        one = held_apart(positions, triangles, np.array([True, False, True, True]))
        np.testing.assert_array_equal(one, positions)


class Delivered(TestCase):
    def test_backs_that_are_given_as_faces_arrive_as_seen(self) -> None:
        """A box with two sides, for a program that draws no backs: whichever way its faces look."""
        sheet = changed(sheet_named("lanterna"), {"materials.two_sided": "never"})
        lamp = (Light("light:p", "P", "point", intensity=40.0), looking((1.5, 2, 2.5), (0, 0, 0)))
        wood = replace(material("Wood", base_color=(0.5, 0.2, 0.1), roughness=(0.6,)), double_sided=True)
        for outward in (True, False):
            given = scene(cube(material="material:Wood", outward=outward), materials=(wood,), lights=(lamp,))
            plan = move.plan(given, sheet_named("plain"), sheet, [])
            arrival = move.arrive(move.package(move.carry(given, plan, sheet), sheet), sheet)
            self.assertFalse(any(m.double_sided for m in arrival.materials.values()))
            view = View("v", looking((2.0, 1.5, 3.0), (0, 0, 0)), 0.5)
            self.assertGreater(
                float(render(flatten(given), view, Quality(24, 16, 4, 3)).radiance.mean()), 0.01
            )
            self.assertLess(Apart(given, view, Quality(96, 64, 16, 3), 4.0).of(arrival)[0], 0.05)
