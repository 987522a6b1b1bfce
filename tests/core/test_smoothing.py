"""Noise taken out over a surface: what must stay, what must go, and the error that is told; and seams without
negative light.
"""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_bake import BLACK
from tests.making import material, quad, scene
from trasloco.light.lightmaps.changing import LEAST, MOST, change_of_light, weights_of
from trasloco.light.lightmaps.smoothing import Neighbourhood, smoothed
from trasloco.light.lightmaps.stitching import Seams, sides_of, stitched
from trasloco.render.flatten import flatten
from trasloco.scene.lit import Light
from trasloco.scene.transforms import looking

SIDE = 48


def plane(height: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """Places and normals of 48 x 48 texels of 2 cm on a floor."""
    y, x = np.mgrid[0:SIDE, 0:SIDE] * 0.02
    place = np.stack([x.ravel(), np.full(x.size, height), y.ravel()], axis=1)
    return place, np.tile([0.0, 1.0, 0.0], (len(place), 1))


def noisy(light: np.ndarray, noise: float, seed: int = 3) -> tuple[np.ndarray, np.ndarray]:
    random = np.random.default_rng(seed)
    even, odd = (
        np.repeat((light * (1 + noise * random.standard_normal(len(light))))[:, None], 3, axis=1)
        for _ in range(2)
    )
    return even, odd


class Noise(TestCase):
    def setUp(self) -> None:
        self.place, self.normal = plane()
        self.around = Neighbourhood(self.place, self.normal, np.full(len(self.place), 0.02))
        self.none = np.zeros((len(self.place), 3))

    def error(self, made: np.ndarray, light: np.ndarray) -> float:
        return float(np.sqrt((((made.mean(axis=1) - light) / light) ** 2).mean()))

    def test_a_slope_without_noise_is_kept_to_its_border(self) -> None:
        light = 100 + 400 * self.place[:, 0] + 200 * self.place[:, 2]
        exact = np.repeat(light[:, None], 3, axis=1)
        made, left = smoothed(self.around, exact, exact, self.none)
        np.testing.assert_allclose(made, exact, rtol=0.02)
        self.assertLess(float(np.median(left / light)), 0.01)

    def test_noise_on_a_slope_goes_and_what_is_left_is_told(self) -> None:
        light = 100 + 400 * self.place[:, 0]
        even, odd = noisy(light, 0.2)
        made, left = smoothed(self.around, even, odd, self.none)
        raw, after = self.error((even + odd) / 2, light), self.error(made, light)
        self.assertLess(after, raw / 3.5)
        told = float(np.sqrt(((left / light) ** 2).mean()))
        self.assertTrue(after / 3 < told < 3 * after, (after, told))

    def test_the_edge_of_a_shadow_stays_where_it_is(self) -> None:
        light = np.where(self.place[:, 0] > 0.48, 400.0, 100.0)
        even, odd = noisy(light, 0.1)
        made, _ = smoothed(self.around, even, odd, self.none)
        rows = made.mean(axis=1).reshape(SIDE, SIDE).mean(axis=0)
        edge = int(np.argmax(np.diff(rows)))
        self.assertTrue(SIDE / 2 - 1 <= edge <= SIDE / 2)
        self.assertGreater(rows[edge + 2] - rows[edge - 1], 0.9 * 300)
        self.assertLess(self.error(made, light), self.error((even + odd) / 2, light))

    def test_what_faces_elsewhere_or_lies_on_another_plane_takes_no_part(self) -> None:
        below, down = self.place - [0, 0.02, 0], -self.normal
        both = Neighbourhood(
            np.concatenate([self.place, below]),
            np.concatenate([self.normal, down]),
            np.full(2 * len(self.place), 0.02),
        )
        light = np.concatenate([np.full(len(self.place), 500.0), np.full(len(self.place), 5.0)])
        even, odd = noisy(light, 0.1)
        made, _ = smoothed(both, even, odd, np.zeros((len(light), 3)))
        np.testing.assert_allclose(made.mean(axis=1), light, rtol=0.3)

    def test_light_on_both_charts_of_a_surface_is_shared(self) -> None:
        # Texels know no charts here: half of the plane at a random order gives the same.
        order = np.random.default_rng(1).permutation(len(self.place))
        light = 100 + 400 * self.place[:, 0]
        even, odd = noisy(light, 0.2)
        made, _ = smoothed(self.around, even, odd, self.none)
        mixed, _ = smoothed(
            Neighbourhood(self.place[order], self.normal[order], np.full(len(order), 0.02)),
            even[order],
            odd[order],
            self.none,
        )
        self.assertLess(float(np.median(np.abs(mixed - made[order]) / light[order][:, None])), 0.02)


class Stitching(TestCase):
    def test_no_texel_falls_below_zero_and_the_sides_still_agree(self) -> None:
        # One side reads a bright and a dark texel, the other two dark ones: the least change alone would make
        # one negative.
        random = np.random.default_rng(4)
        image = np.abs(random.standard_normal((16, 16, 3))).astype(np.float32) * np.where(
            random.random((16, 16, 1)) < 0.3, 50, 0.5
        ).astype(np.float32)
        at = np.stack(
            [
                np.stack([np.full(40, 2.3), np.linspace(1, 15, 40)], axis=1),
                np.stack([np.full(40, 12.6), np.linspace(1, 15, 40)], axis=1),
            ],
            axis=1,
        )
        seams = Seams(np.zeros((40, 2), np.int64), at, np.zeros((40, 2), np.int64))
        made = stitched(seams, [image], [(16, 16)])
        self.assertGreaterEqual(float(made[0].min()), 0.0)
        before, after = (
            np.abs(np.subtract(*sides_of(seams, maps, [(16, 16)]))).mean() for maps in ([image], made)
        )
        self.assertLess(after, before / 20)


class Change(TestCase):
    def test_it_is_measured_where_light_falls_off_fast(self) -> None:
        # Both floors are lit by one lamp: half a metre above the one, and far from the other.
        lamp = Light("light:l", "Lamp", "point", intensity=50.0)
        near = quad(1.0, "material:f")
        far = replace(near, positions=near.positions + np.array([6, 0, 0], np.float32))
        given = scene(
            near,
            far,
            materials=(material("f", **BLACK),),
            names=("Near", "Far"),
            lights=((lamp, looking((0, 0.5, 0), (0, 0, 0), (0, 0, 1))),),
        )
        found = change_of_light(flatten(given, "straight"), ["part:Near", "part:Far"])
        self.assertGreater(found["part:Near"], 3 * found["part:Far"])
        self.assertEqual(change_of_light(flatten(given, "straight"), []), {})

    def test_even_light_gets_fewer_texels_and_nobody_starves(self) -> None:
        found = weights_of(
            {"even": 0.0, "usual": 10.0, "edgy": 1000.0}, {"even": 1.0, "usual": 1.0, "edgy": 0.01}
        )
        self.assertEqual(found["even"], LEAST)
        self.assertEqual(found["edgy"], MOST)
        self.assertTrue(LEAST < found["usual"] < MOST)
        self.assertEqual(weights_of({"a": 0.0}, {"a": 1.0}), {})
