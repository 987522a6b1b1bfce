"""Area lights and a wide sun, against closed forms."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_transport import MATTE, middle
from tests.making import cube, material, quad, scene, sky
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment, Light
from trasloco.scene.transforms import looking


class Lights(TestCase):
    def under(self, light: Light, height: float = 1.0, shift: float = 0.0) -> float:
        """Reflected radiance of a grey floor straight under a lamp, or beside the foot."""
        given = scene(
            quad(40),
            materials=(material(**MATTE),),
            lights=((light, looking((0, height, 0), (0, 0, 0), (0, 0, -1))),),
        )
        view = View("foot", looking((shift + 0.3, 0.1, 0), (shift, 0, 0)), 0.03)
        return float(middle(given, view, Quality(16, 16, 400, 1)).mean())

    def test_a_rectangle_lights_a_floor_by_its_form_factor(self) -> None:
        # A small floor parallel under the middle of a rectangle a x b at height h: four corners of
        # F = 1/(2 pi) (X / sqrt(1 + X^2) atan(Y / sqrt(1 + X^2)) + Y / sqrt(1 + Y^2) atan(X / sqrt(1 +
        # Y^2))), X = a / 2h, Y = b / 2h.
        a, b, h, nit = 1.2, 0.6, 0.8, 70.0
        x, y = a / 2 / h, b / 2 / h
        factor = (
            4
            / (2 * math.pi)
            * (
                x / math.hypot(1, x) * math.atan(y / math.hypot(1, x))
                + y / math.hypot(1, y) * math.atan(x / math.hypot(1, y))
            )
        )
        light = Light("light:a", "Panel", "rectangle", intensity=nit, width_m=a, height_m=b)
        self.assertAlmostEqual(self.under(light, h), 0.5 * nit * factor, delta=0.5 * nit * factor * 0.01)

    def test_a_disc_lights_a_floor_by_its_form_factor(self) -> None:
        # On its axis: F = r^2 / (r^2 + h^2).
        light = Light("light:a", "Disc", "disc", intensity=70.0, width_m=1.0)
        self.assertAlmostEqual(
            self.under(light, 0.7), 0.5 * 70 * 0.25 / (0.25 + 0.49), delta=0.5 * 70 * 0.338 * 0.01
        )

    def test_an_area_light_shines_one_way_and_falls_off_by_both_cosines(self) -> None:
        light = Light("light:a", "Spot of paint", "disc", intensity=1000.0, width_m=0.02)
        below, beside = self.under(light), self.under(light, shift=1.0)
        self.assertAlmostEqual(beside / below, 0.25, delta=0.01)  # cos^4 of 45 degrees
        given = scene(
            quad(40),
            materials=(material(**MATTE),),
            lights=((light, looking((0, 1, 0), (0, 2, 0), (0, 0, -1))),),
        )
        self.assertEqual(
            float(middle(given, View("foot", looking((0.3, 0.1, 0), (0, 0, 0)), 0.03)).mean()), 0.0
        )

    def test_a_wide_sun_gives_its_lux_and_a_soft_edge(self) -> None:
        sun = Light("light:s", "Sun", "sun", intensity=100.0, angle_rad=0.2)
        given = scene(
            quad(40),
            materials=(material(**MATTE),),
            lights=((sun, looking((0, 5, 0), (0, 0, 0), (0, 0, -1))),),
        )
        view = View("floor", looking((0.3, 0.4, 0), (0, 0, 0)), 0.05)
        # Even over a cap of half angle a, the mean cosine to its axis is (1 + cos a) / 2.
        expected = 0.5 / math.pi * 100 * (1 + math.cos(0.1)) / 2
        self.assertAlmostEqual(float(middle(given, view).mean()), expected, delta=expected * 0.005)
        wall = quad(2.0)
        wall = replace(
            wall, positions=(wall.positions + np.array([1.0, 1.0, 0], np.float32))
        )  # its edge is above x = 0, a metre up
        shaded = replace(
            scene(
                quad(40),
                wall,
                materials=(material(**MATTE, double_sided=True),),
                lights=((sun, looking((0, 5, 0), (0, 0, 0), (0, 0, -1))),),
            )
        )
        at = {
            x: float(
                middle(
                    shaded, View("edge", looking((x - 0.3, 0.2, 0), (x, 0, 0)), 0.005), Quality(8, 8, 400, 1)
                ).mean()
            )
            / expected
            for x in (-0.13, 0.0, 0.13)
        }
        # Half the sun is seen at the edge itself, all and none of it beyond tan(0.1) metres.
        self.assertAlmostEqual(at[0.0], 0.5, delta=0.03)
        self.assertAlmostEqual(at[-0.13], 1.0, delta=0.01)
        self.assertAlmostEqual(at[0.13], 0.0, delta=0.01)

    def test_light_kept_apart_adds_up_to_the_picture(self) -> None:
        lamps = tuple(
            (Light(f"light:{n}", n, "point", intensity=10.0), looking((x, 1, 0), (x, 0, 0), (0, 0, -1)))
            for n, x in (("left", -1.0), ("right", 1.0))
        )
        panel = (
            Light("light:p", "panel", "rectangle", intensity=20.0, width_m=0.5, height_m=0.5),
            looking((0, 1.5, 0), (0, 0, 0), (0, 0, -1)),
        )
        given = scene(
            quad(6),
            cube(0.4),
            materials=(material(**MATTE),),
            images=(sky(0.3),),
            lights=(*lamps, panel),
            environment=Environment("image:sky", 1.0),
        )
        view = View("above", looking((1, 2, 2), (0, 0, 0)), 0.8)
        quality = Quality(24, 16, 16, 3)
        whole, apart = render(flatten(given), view, quality), render(flatten(given, "apart"), view, quality)
        assert apart.layers is not None
        np.testing.assert_allclose(apart.radiance, whole.radiance, rtol=1e-4, atol=1e-4)
        np.testing.assert_allclose(apart.layers.sum(axis=1)[0], apart.even, rtol=1e-4, atol=1e-4)
        only = replace(
            given,
            lights={"light:left": given.lights["light:left"]},
            environment=None,
            nodes={
                id: node if node.light in (None, "light:left") else replace(node, light=None)
                for id, node in given.nodes.items()
            },
        )
        self.assertEqual(
            apart.layer_names, ("environment", "glow", "part:left", "part:right", "area light:part:panel")
        )
        number = apart.layer_names.index("part:left")
        alone = render(flatten(only), view, Quality(24, 16, 256, 3)).radiance.mean()
        self.assertAlmostEqual(float(apart.layers[:, number].mean()), float(alone), delta=float(alone) * 0.06)
