"""A spot with a size throws soft shadows: shares of a disc that an edge covers, by closed form."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import material, quad, scene
from trasloco.fit.lights import soft
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Light
from trasloco.scene.model import Scene
from trasloco.scene.transforms import looking

RADIUS, HEIGHT = 0.1, 2.0
SPOT = Light(
    "light:s", "Spot", "spot", intensity=40.0, inner_cone_rad=0.9, outer_cone_rad=1.0, radius_m=RADIUS
)
MATTE = material(base_color=(0.5, 0.5, 0.5), specular=(0.0,))


def floor(lamp: Light, edge: bool) -> Scene:
    """A floor under a lamp; with ``edge``, half of the air halfway up is closed off."""
    half = quad(2.0)
    half = replace(half, positions=half.positions + np.array([1.0, HEIGHT / 2, 0], np.float32))
    return scene(
        quad(20),
        *((half,) if edge else ()),
        materials=(MATTE,),
        lights=((lamp, looking((0, HEIGHT, 0), (0, 0, 0), (0, 0, -1))),),
    )


def at(given: Scene, x: float) -> float:
    """Light that a place on the floor sends back."""
    view = View("place", looking((x, 0.5, 0.3), (x, 0, 0)), 0.006)
    return float(render(flatten(given), view, Quality(8, 8, 1024, 1)).radiance.mean())


class Soft(TestCase):
    def test_in_the_half_shadow_it_is_as_bright_as_the_share_of_the_disc_that_is_seen(self) -> None:
        for x in (-0.06, -0.02, 0.0, 0.04):
            # Seen through the edge halfway up, the lamp's middle lies as far beyond it as the place before it.
            t = -x / RADIUS
            share = 0.5 + (math.asin(t) + t * math.sqrt(1 - t * t)) / math.pi
            found = at(floor(SPOT, True), x) / at(floor(SPOT, False), x)
            with self.subTest(x=x):
                self.assertAlmostEqual(found, share, delta=0.02)

    def test_beyond_it_all_or_nothing(self) -> None:
        self.assertAlmostEqual(at(floor(SPOT, True), -0.15) / at(floor(SPOT, False), -0.15), 1.0, delta=0.01)
        self.assertEqual(at(floor(SPOT, True), 0.15), 0.0)

    def test_without_a_size_the_shadow_is_hard(self) -> None:
        hard = replace(SPOT, radius_m=0.0)
        self.assertEqual(at(floor(hard, True), 0.02), 0.0)
        self.assertAlmostEqual(at(floor(hard, True), -0.02) / at(floor(hard, False), -0.02), 1.0, delta=0.01)

    def test_its_light_is_a_points_where_nothing_is_in_the_way(self) -> None:
        """Candela over the square of the distance, times albedo over pi."""
        self.assertAlmostEqual(at(floor(SPOT, False), 0.0), 0.5 / math.pi * 40.0 / HEIGHT**2, delta=0.01)

    def test_a_destination_of_points_makes_its_shadows_hard(self) -> None:
        self.assertTrue(soft(SPOT))
        self.assertFalse(soft(replace(SPOT, radius_m=0.0)))
        self.assertFalse(soft(SPOT, SPOT))
