"""What a camera did, told from pictures that were bent by hand, or taken by the renderer's own lens."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np
from scipy import ndimage

from tests.making import image, material, quad, scene
from trasloco.outside.developed import developed
from trasloco.outside.lens import Focus, Lens, Measure, contrast, focus_of, fringe, lens_of, white_point
from trasloco.rays.nearest import nearest
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, frame_of, render
from trasloco.scene.lit import Light
from trasloco.scene.model import Input, Scene, Texture
from trasloco.scene.transforms import compose, looking

H, W = 240, 400
ALL = np.ones((H, W), bool)


def patches(seed: int = 1) -> np.ndarray:
    """Light (H, W, 3) of uneven patches with hard edges."""
    rng = np.random.default_rng(seed)
    big = rng.uniform(0.02, 1.0, (H // 12 + 1, W // 12 + 1, 3))
    fine = rng.uniform(0.5, 1.5, (H // 4, W // 4, 1)).repeat(4, 0).repeat(4, 1)
    return np.asarray(big.repeat(12, 0).repeat(12, 1)[:H, :W] * fine, np.float32)


def grain(light: np.ndarray, amount: float = 0.01) -> np.ndarray:
    rng = np.random.default_rng(9)
    return np.asarray(light * (1 + amount * rng.normal(size=light.shape)), np.float32)


class Light_(TestCase):
    def test_another_white_and_contrast(self) -> None:
        light = patches()
        white, told = white_point(grain(light * np.float32([1.2, 1.0, 0.7])), light, ALL)
        self.assertTrue(told)
        np.testing.assert_allclose(np.array(white) / white[1], [1.2, 1.0, 0.7], rtol=0.01)
        self.assertFalse(white_point(grain(light), light, ALL)[1])
        grey = np.repeat(light[..., :1], 3, axis=2)
        for power in (-0.15, 0.2):
            found = contrast(grain(0.18 * (grey / 0.18) ** (1 + power)), grey, ALL)
            self.assertAlmostEqual(found.value, power, delta=0.01)
            self.assertTrue(found.told)
        self.assertFalse(contrast(grain(grey), grey, ALL).told)


class Fringes(TestCase):
    def test_a_channel_that_is_shown_larger(self) -> None:
        """Red scaled by a library about the middle, by 0.4 %: 0.8 pixels at the border."""
        light = ndimage.gaussian_filter(np.repeat(patches()[..., :1], 3, axis=2), (1.0, 1.0, 0)) * [
            1,
            0.8,
            0.6,
        ]
        for share in (0.004, -0.003):
            bent = light.copy()
            matrix = np.eye(2) / (1 + share)
            middle = (np.array([H, W]) - 1) / 2
            bent[..., 0] = ndimage.affine_transform(
                light[..., 0], matrix, middle - matrix @ middle, order=3, mode="nearest"
            )
            picture = grain(bent, 0.003)
            red, blue = fringe(picture, 0, ALL), fringe(picture, 2, ALL)
            self.assertAlmostEqual(red.value, share, delta=0.0006)
            self.assertTrue(red.told)
            self.assertFalse(blue.told, blue)


NONE = Measure(0.0, 0.0, False)
PLAIN = Lens((1.0, 1.0, 1.0), False, NONE, NONE, NONE, None)


class Developed(TestCase):
    """What was told, done to the light again."""

    def test_nothing_told_is_nothing_done(self) -> None:
        light = patches()
        np.testing.assert_array_equal(developed(light, PLAIN, np.full((H, W), 3.0), 0.5), light)

    def test_white_and_contrast_about_the_median(self) -> None:
        grey = np.repeat(patches()[..., :1], 3, axis=2)
        lens = replace(PLAIN, white=(1.1, 1.0, 0.8), tinted=True, contrast=Measure(0.2, 0.01, True))
        middle = float(np.median(grey[..., 0]))
        meant = middle * (grey / middle) ** 1.2 * [1.1, 1.0, 0.8]
        np.testing.assert_allclose(developed(grey, lens, np.full((H, W), 3.0), 0.5), meant, rtol=1e-4)
        # What is told of it is what was done.
        found = lens_of(
            developed(grey, lens, np.full((H, W), np.inf), 0.5), grey, ALL, np.full((H, W), np.inf), 0.5
        )
        self.assertAlmostEqual(found.contrast.value, 0.2, delta=0.01)
        np.testing.assert_allclose(np.array(found.white) / found.white[1], [1.1, 1.0, 0.8], rtol=0.01)

    def test_a_channel_is_as_much_larger_as_was_told(self) -> None:
        """A slope keeps its value in the middle and falls off 1 / (1 + s) times as fast."""
        across = np.linspace(-1, 1, W, dtype=np.float32)
        light = np.tile((2 + across)[None, :, None], (H, 1, 3)).astype(np.float32)
        made = developed(light, replace(PLAIN, red=Measure(0.01, 0.001, True)), np.full((H, W), 3.0), 0.5)
        np.testing.assert_allclose(made[..., 0], np.tile(2 + across / 1.01, (H, 1)), atol=1e-5)
        np.testing.assert_array_equal(made[..., 1:], light[..., 1:])

    def test_a_point_becomes_as_wide_as_a_thin_lens_makes_it(self) -> None:
        """The disc's diameter D F |1/f - 1/z|, its variance along a line a sixteenth of its square."""
        light = np.zeros((H, W, 3), np.float32)
        light[H // 2, W // 2] = 1.0
        yfov, at, wide = 0.5, 4.0, 0.05
        pixels = H / 2 / math.tan(yfov / 2)
        for far in (4.0, 2.5, 9.0):
            lens = replace(PLAIN, focus=Focus(at, wide, 0.1))
            made = developed(light, lens, np.full((H, W), far), yfov)[..., 0].astype(np.float64)
            self.assertAlmostEqual(float(made.sum()), 1.0, places=4)
            x = np.arange(W) - W // 2
            variance = float((made * x[None] ** 2).sum())
            disc = wide * pixels * abs(1 / at - 1 / far)
            self.assertAlmostEqual(variance, disc**2 / 16, delta=0.03 * disc**2 / 16 + 1e-9)


def fence() -> Scene:
    """Uneven boards one behind the other, from 2 to 12 metres away, side by side as they are seen."""
    rng = np.random.default_rng(4)
    made, materials, images = [], [], []
    for k in range(6):
        texels = rng.integers(20, 235, (64, 64, 1), np.uint8).repeat(3, 2)
        images.append(image(f"i{k}", texels))
        materials.append(
            material(
                f"m{k}", base_color=Input((1.0,) * 3, Texture(f"image:i{k}", "rgb", "srgb")), specular=(0.0,)
            )
        )
        far = 2.0 * (1.43**k)
        half = 0.2 * far
        board = quad(1.0, f"material:m{k}")
        x = (k - 2.5) * 0.27 * far
        corners = np.float32([[-1, -1], [1, -1], [-1, 1], [1, 1]]) * [0.13 * far, half] + [x, 0]
        points = np.concatenate([corners, np.full((4, 1), -far)], axis=1).astype(np.float32)
        uv = np.float32([[0, 1], [1, 1], [0, 0], [1, 0]])
        made.append(
            replace(
                board,
                positions=points,
                uvs=(uv,),
                normals=np.tile(np.float32([0, 0, 1]), (4, 1)),
                indices=np.uint32([[0, 1, 2], [2, 1, 3]]),
            )
        )
    sun = Light("light:s", "s", "sun", intensity=3.0)
    return scene(
        *made,
        materials=tuple(materials),
        images=tuple(images),
        lights=((sun, looking((0, 0, 5), (0, 0, 0))),),
    )


class Lenses(TestCase):
    def test_focus_and_opening_of_the_renderers_own_lens(self) -> None:
        """f/D: a lens 8 cm wide at 4 m, one 16 cm wide at 7 m."""
        given = fence()
        view = View("v", compose((0, 0, 0)), 0.5, aspect=1.8)
        size = Quality(576, 320, 32, 1)
        flat = flatten(given)
        sharp = render(flat, view, size)
        origin, looks = frame_of(view, size.width, size.height)
        rays = looks.reshape(-1, 3).astype(np.float32)
        _, far = nearest(flat.rays, np.broadcast_to(origin, rays.shape).astype(np.float32), rays)
        depth = (far * -rays[:, 2]).reshape(size.height, size.width).astype(np.float64)
        where = sharp.ids[..., 0] >= 0
        for at, wide in ((4.0, 0.08), (7.0, 0.16)):
            taken = render(flat, replace(view, lens_radius_m=wide / 2, focus_m=at), replace(size, seed=5))
            found = focus_of(taken.radiance, sharp.radiance, where, depth, view.yfov_rad)
            assert found is not None
            self.assertAlmostEqual(found.distance_m / at, 1, delta=0.1)
            self.assertAlmostEqual(found.diameter_m / wide, 1, delta=0.25)
            like = developed(sharp.radiance, replace(PLAIN, focus=found), depth, view.yfov_rad)
            off = [float(np.abs(taken.radiance - one)[where].mean()) for one in (sharp.radiance, like)]
            self.assertLess(off[1], 0.5 * off[0])
        again = render(flat, view, replace(size, seed=5)).radiance
        self.assertIsNone(focus_of(again, sharp.radiance, where, depth, view.yfov_rad))
        plain = lens_of(again, sharp.radiance, where, depth, view.yfov_rad)
        self.assertFalse(plain.tinted or plain.contrast.told or plain.red.told or plain.blue.told)
        self.assertTrue(math.isfinite(plain.contrast.value))
