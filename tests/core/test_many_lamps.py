"""Many lamps: what lights a floor is the sum over all of them, whichever a path asks."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from tests.making import material, quad, scene
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, frame_of, render
from trasloco.scene.lit import Light
from trasloco.scene.model import Scene
from trasloco.scene.transforms import compose, looking

VIEW = View("above", looking([0, 6, 12], [0, 0, 0]), 0.7, aspect=16 / 9)
ALBEDO, SUN_LUX, INNER, OUTER = 0.5, 0.4, 0.3, 0.9


def places(count: int) -> np.ndarray:
    return np.random.default_rng(3).uniform([-6, 0.5, -6], [6, 3, 6], (count, 3))


def hall(count: int, mixed: bool = False, roughness: float = 1.0) -> Scene:
    """Lamps all over a floor, matte or with a gloss, as bright together however many; every third a spot that
    looks down, and a sun, where they are mixed.
    """
    gloss = (float(roughness < 1),)
    floor = material("floor", base_color=(ALBEDO,) * 3, roughness=(roughness,), specular=gloss)
    lights = []
    for k, place in enumerate(places(count)):
        spot = mixed and k % 3 == 0
        light = Light(
            f"light:{k}",
            f"{k}",
            "spot" if spot else "point",
            intensity=200.0 / count,
            inner_cone_rad=INNER if spot else 0.0,
            outer_cone_rad=OUTER,
        )
        # Seen along -Z: turned about X to look down.
        lights.append(
            (light, looking(list(place), list(place - [0, 1, 0])) if spot else compose(tuple(place)))
        )
    if mixed:
        lights.append((Light("light:s", "s", "sun", intensity=SUN_LUX), looking([0, 5, 0], [0, 0, 0])))
    return scene(quad(14.0, "material:floor"), materials=(floor,), names=("Floor",), lights=tuple(lights))


def illuminance(points: np.ndarray, count: int) -> np.ndarray:
    """Lux of the mixed hall on a level floor at points (N, 3): KHR_lights_punctual, and the cosine law."""
    lux = np.full(len(points), SUN_LUX)
    for k, place in enumerate(places(count)):
        away = place - points
        far = np.linalg.norm(away, axis=1)
        cosine = away[:, 1] / far
        send = np.full(len(points), 200.0 / count)
        if k % 3 == 0:
            scale = 1 / (math.cos(INNER) - math.cos(OUTER))
            send *= np.clip((cosine - math.cos(OUTER)) * scale, 0, 1) ** 2
        lux += send * cosine / far**2
    return lux


def noise(count: int, roughness: float = 1.0) -> float:
    """Of the floor's brightness at eight samples, as a share of it."""
    made = render(flatten(hall(count, roughness=roughness)), VIEW, Quality(160, 90, 8, 1))
    seen = made.ids[..., 0] >= 0
    return float(np.sqrt((((made.even - made.odd)[seen] / 2 / made.radiance[seen]) ** 2).mean()))


class Many(TestCase):
    def test_a_floor_is_lit_by_all_of_them(self) -> None:
        count = 200
        size = Quality(96, 54, 256, 1)
        made = render(flatten(hall(count, mixed=True)), VIEW, size)
        eye, looks = frame_of(VIEW, size.width, size.height)
        level = looks[..., 1] < -1e-3
        points = eye + looks[level] * (-eye[1] / looks[level][:, 1])[:, None]
        inside = (np.abs(points[:, [0, 2]]) < 6.5).all(axis=1)
        meant = ALBEDO / math.pi * illuminance(points[inside], count)
        found = made.radiance[level][inside].mean(axis=1)
        self.assertAlmostEqual(float(found.mean() / meant.mean()), 1, delta=0.005)
        # By blocks of the floor, so that nothing is made up for elsewhere.
        across = np.digitize(points[inside][:, 0], [-4, -2, 0, 2, 4])
        for block in range(6):
            here = across == block
            self.assertAlmostEqual(float(found[here].mean() / meant[here].mean()), 1, delta=0.02)

    def test_a_thousand_are_no_more_than_twice_as_noisy_as_ten(self) -> None:
        for roughness in (1.0, 0.5):
            with self.subTest(roughness=roughness):
                self.assertLess(noise(1000, roughness), 2 * noise(10, roughness))
