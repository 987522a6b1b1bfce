"""Light under surfaces and through them, against closed forms."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_transport import DOWN, MATTE, ball, in_the_sky, middle
from tests.making import cube, material, quad, scene
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Light
from trasloco.scene.model import Input, Scene
from trasloco.scene.transforms import looking


def skin(color: tuple[float, float, float], radius_m: float) -> Scene:
    """A ball that light enters and leaves, in an even sky; nothing is reflected at its surface."""
    inside = material(
        base_color=(1.0, 1.0, 1.0),
        specular=(0.0,),
        subsurface=(1.0,),
        subsurface_color=Input(color),
        subsurface_radius=(radius_m,),
    )
    return in_the_sky(ball(), inside)


class Insides(TestCase):
    def test_a_ball_of_clear_glass_in_an_even_sky_is_not_seen(self) -> None:
        view = View("ball", looking((0, 0, 3), (0, 0, 0)), 0.25)
        for rough in (0.0, 0.4):
            given = in_the_sky(
                ball(),
                material(
                    base_color=(1.0, 1.0, 1.0), roughness=(rough,), transmission=(1.0,), thickness=(1.0,)
                ),
            )
            np.testing.assert_allclose(
                middle(given, view, Quality(16, 16, 128, 24)), 1.0, atol=0.02, err_msg=str(rough)
            )

    def test_what_glass_absorbs_follows_beer_and_lambert(self) -> None:
        # A slab a metre thick seen straight on: 0.5 a metre is left of what went in, twice the boundary's
        # Fresnel and all echoes between.
        slab = cube(1.0)
        given = in_the_sky(
            slab,
            material(
                base_color=(1.0, 1.0, 1.0),
                roughness=(0.0,),
                transmission=(1.0,),
                thickness=(1.0,),
                attenuation_color=Input((0.5, 0.25, 1.0)),
                attenuation_distance=(1.0,),
            ),
        )
        view = View("through", looking((0, 0, 4), (0, 0, 0)), 0.02)
        found = middle(given, view, Quality(16, 16, 512, 24))
        for value, left in zip(found, (0.5, 0.25, 1.0), strict=True):
            r = 0.04
            inside = (1 - r) ** 2 * left / (1 - (r * left) ** 2)
            expected = r + inside + (1 - r) ** 2 * r * left**2 / (1 - (r * left) ** 2)
            self.assertAlmostEqual(float(value), expected, delta=0.012)

    def test_light_under_the_skin_comes_out_in_its_colour(self) -> None:
        # Deep against its mean free path a ball is a half space, for which van de Hulst's inversion was made.
        given = skin((0.8, 0.5, 0.2), 0.002)
        found = middle(given, View("ball", looking((0, 0, 3), (0, 0, 0)), 0.2), Quality(12, 12, 256, 2))
        np.testing.assert_allclose(found, [0.8, 0.5, 0.2], atol=0.03)

    def test_a_preview_of_it_has_the_same_colour(self) -> None:
        given = skin((0.8, 0.5, 0.2), 0.01)
        view = View("ball", looking((0, 0, 3), (0, 0, 0)), 0.2)
        found = middle(given, view, Quality(12, 12, 256, 2, preview=True))
        np.testing.assert_allclose(found, [0.8, 0.5, 0.2], atol=0.02)
        quick, walked = (
            render(flatten(given), view, Quality(12, 12, 16, 2, preview=p)).rays for p in (True, False)
        )
        self.assertLess(quick, 0.6 * walked)

    def test_white_insides_keep_all_light(self) -> None:
        given = skin((1.0, 1.0, 1.0), 0.1)
        self.assertAlmostEqual(
            float(
                middle(
                    given, View("ball", looking((0, 0, 3), (0, 0, 0)), 0.2), Quality(12, 12, 128, 2)
                ).mean()
            ),
            1.0,
            delta=0.02,
        )

    def test_a_leaf_lets_half_the_light_through(self) -> None:
        sun = Light("light:s", "Sun", "sun", intensity=100.0)
        leaf = material(
            base_color=(0.4, 0.4, 0.4),
            specular=(0.0,),
            diffuse_transmission=(0.5,),
            diffuse_transmission_color=Input((0.8, 0.8, 0.8)),
            double_sided=True,
        )
        given = scene(quad(4), materials=(leaf,), lights=((sun, looking((0, 5, 0), (0, 0, 0), (0, 0, -1))),))
        below = middle(given, View("below", looking((0.2, -1, 0), (0, 0, 0)), 0.1))
        above = middle(given, View("above", looking((0.2, 1, 0), (0, 0, 0)), 0.1))
        np.testing.assert_allclose(below, 0.5 * 0.8 / math.pi * 100, rtol=0.01)
        np.testing.assert_allclose(above, 0.5 * 0.4 / math.pi * 100, rtol=0.01)

    def test_a_pane_lets_a_lamp_through_as_its_closures_say(self) -> None:
        # Straight down: weight x colour x (1 - F) of pane and of coat, F = 0.04 each, none where the specular
        # weight is 0.
        lamp = Light("light:p", "Lamp", "point", intensity=10.0)
        for more, left in (
            ({}, 0.96),
            ({"specular": (0.0,)}, 1.0),
            ({"clearcoat": (1.0,)}, 0.96 * 0.96),
            ({"specular": (0.0,), "metalness": (0.5,)}, 0.5),
        ):
            pane = material(
                "pane",
                **{
                    "base_color": (0.8, 0.8, 0.8),
                    "roughness": (0.0,),
                    "transmission": (1.0,),
                    "double_sided": True,
                    **more,
                },
            )
            glass = quad(0.5, "material:pane")
            glass = replace(glass, positions=glass.positions + np.array([0, 1.0, 0], np.float32))
            given = scene(
                quad(20),
                glass,
                materials=(material(**MATTE), pane),
                lights=((lamp, looking((0, 2, 0), (0, 0, 0), (0, 0, -1))),),
            )
            found = float(
                middle(
                    given, View("foot", looking((0.3, 0.2, 0), (0, 0, 0)), 0.01), Quality(16, 16, 16, 1)
                ).mean()
            )
            self.assertAlmostEqual(found / (0.5 / math.pi * 10 / 4), 0.8 * left, delta=0.01, msg=str(more))

    def test_frosted_thin_glass_spreads_the_sky(self) -> None:
        given = in_the_sky(
            quad(20),
            material(base_color=(1.0, 1.0, 1.0), roughness=(0.6,), transmission=(1.0,), double_sided=True),
        )
        self.assertAlmostEqual(float(middle(given, View("down", DOWN, 0.3)).mean()), 1.0, delta=0.015)
