"""Environment pictures as light: illuminance by closed forms, a planted sun found and taken out with no light
lost.
"""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, quad, scene
from trasloco.decisions.carrying_out import mended
from trasloco.light.surroundings import (
    SUN_PART,
    directions,
    find_sun,
    illuminance,
    solid_angles,
    sun_taken_out,
    without_sun,
)
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment
from trasloco.scene.model import Decision
from trasloco.scene.transforms import looking
from trasloco.sheets.library import built_in_sheets

LIGHT = np.array([0.2126, 0.7152, 0.0722])


def sky_with_sun(
    azimuth: float = 0.7, height: float = 0.6, angle: float = 0.12, nit: float = 800.0, rows: int = 256
) -> np.ndarray:
    """A blue sky of 20 nit over a grey ground of 3, with a warm even disc of a whole angle; azimuth from -Z
    towards +X.
    """
    looks = directions(rows, 2 * rows)
    picture = np.where(looks[..., 1:2] > 0, np.array([15.0, 20.0, 30.0]), 3.0)
    towards = np.array(
        [math.sin(azimuth) * math.cos(height), math.sin(height), -math.cos(azimuth) * math.cos(height)]
    )
    picture[looks @ towards > math.cos(angle / 2)] = nit * np.array([1.2, 1.0, 0.7]) * 50
    return picture.astype(np.float32)


class Illuminance(TestCase):
    def test_an_even_sky_gives_pi_times_its_luminance(self) -> None:
        for normal in ((0, 1, 0), (1, 0, 0), (0.6, 0.0, 0.8)):
            np.testing.assert_allclose(
                illuminance(np.full((128, 256, 3), 10.0, np.float32), np.array(normal)),
                math.pi * 10,
                rtol=2e-3,
            )

    def test_half_a_sky_lights_a_wall_half(self) -> None:
        picture = np.where(directions(256, 512)[..., 1:2] > 0, 10.0, 0.0).repeat(3, axis=2).astype(np.float32)
        np.testing.assert_allclose(illuminance(picture, np.array([0, 0, 1.0])), math.pi * 5, rtol=2e-3)
        np.testing.assert_allclose(illuminance(picture, np.array([0, 1.0, 0])), math.pi * 10, rtol=2e-3)

    def test_solid_angles_make_a_sphere(self) -> None:
        self.assertAlmostEqual(float(solid_angles(37, 80).sum() * 80), 4 * math.pi, places=9)


class Suns(TestCase):
    def test_a_planted_sun_is_found(self) -> None:
        for azimuth, height, angle in ((0.7, 0.6, 0.12), (-2.5, 0.2, 0.06), (3.1, 1.3, 0.1)):
            picture = sky_with_sun(azimuth, height, angle)
            sun = find_sun(picture)
            assert sun is not None
            towards = np.array(
                [
                    math.sin(azimuth) * math.cos(height),
                    math.sin(height),
                    -math.cos(azimuth) * math.cos(height),
                ]
            )
            self.assertLess(math.acos(min(float(sun.direction @ towards), 1.0)), math.pi / 256)
            disc = (
                np.where(
                    (directions(256, 512) @ towards > math.cos(angle / 2))[..., None],
                    picture - [15.0, 20.0, 30.0],
                    0,
                )
                * solid_angles(256, 512)[..., None]
            )
            np.testing.assert_allclose(sun.lux, disc.sum(axis=(0, 1)), rtol=0.005)
            self.assertAlmostEqual(sun.angle_rad, angle, delta=0.1 * angle)

    def test_a_turned_picture_turns_its_sun(self) -> None:
        straight, turned = find_sun(sky_with_sun()), find_sun(sky_with_sun(), 0.5)
        assert straight is not None and turned is not None
        x, y, z = straight.direction
        np.testing.assert_allclose(
            turned.direction,
            [math.cos(0.5) * x + math.sin(0.5) * z, y, -math.sin(0.5) * x + math.cos(0.5) * z],
            atol=1e-9,
        )
        self.assertEqual((straight.u, straight.v), (turned.u, turned.v))

    def test_skies_without_a_sun_have_none(self) -> None:
        rng = np.random.default_rng(1)
        even = np.full((64, 128, 3), 5.0, np.float32)
        window = even.copy()
        window[10:40, 20:70] = 60
        for picture in (even, even * rng.uniform(0.5, 1.5, even.shape).astype(np.float32), window, even * 0):
            self.assertIsNone(find_sun(picture))
            self.assertIsNone(without_sun(picture))

    def test_taking_it_out_leaves_the_light_of_the_whole(self) -> None:
        picture = sky_with_sun()
        apart = without_sun(picture)
        assert apart is not None
        rest, sun = apart
        self.assertLess(float((rest @ LIGHT).max()), 21)
        rng = np.random.default_rng(3)
        for _ in range(8):
            normal = rng.normal(size=3)
            normal /= np.linalg.norm(normal)
            whole = illuminance(picture, normal) @ LIGHT
            parts = (illuminance(rest, normal) + sun.lux * max(float(sun.direction @ normal), 0)) @ LIGHT
            if float(sun.direction @ normal) > 0.1 or float(sun.direction @ normal) < -0.1:
                self.assertAlmostEqual(parts / whole, 1.0, delta=0.005)

    def test_a_floor_looks_the_same_with_the_sun_as_a_light(self) -> None:
        given = scene(
            quad(20),
            materials=(material(base_color=(0.5, 0.5, 0.5), specular=(0.0,)),),
            images=(image("sky", sky_with_sun(), "exr"),),
            environment=Environment("image:sky", 1.0, 0.4),
        )
        made = mended(given, built_in_sheets()["plain"], [Decision("environment", "sun_out", True)])
        self.assertIn(SUN_PART, made.nodes)
        self.assertEqual(
            mended(given, built_in_sheets()["plain"], [Decision("environment", "sun_out", False)]).lights, {}
        )
        view = View("floor", looking((0, 2, 0), (0, 0, 0), (0, 0, -1)), 0.2)
        lit = [
            float(render(flatten(one), view, Quality(16, 16, 512, 1)).radiance[4:12, 4:12].mean())
            for one in (given, made)
        ]
        self.assertAlmostEqual(lit[1] / lit[0], 1.0, delta=0.006)

    def test_without_an_environment_nothing_happens(self) -> None:
        bare = scene(quad())
        self.assertIs(sun_taken_out(bare), bare)
        self.assertIs(sun_taken_out(replace(bare, environment=Environment("image:none"))).nodes, bare.nodes)
