"""Conversions against closed forms, published values and their own inverses."""

from unittest import TestCase

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from trasloco.fit.formulas.dithering import dithered
from trasloco.fit.formulas.resampling import averaged
from trasloco.fit.formulas.shine import (
    gloss_of_roughness,
    index_of_level,
    level_of_index,
    metallic_of_specular,
    specular_of_metallic,
)
from trasloco.fit.formulas.shrinking import coverage, keeping_coverage, slope_variance, widened
from trasloco.fit.formulas.tilting import bump_of_strength, depth_of, height_from_normal, strengthened
from trasloco.scene.color import fresnel_zero, roughness_of_gloss, srgb_to_linear
from trasloco.scene.covering import padded
from trasloco.scene.invented import invented_height, invented_normals, lightened
from trasloco.scene.relief import normal_from_height
from trasloco.scene.spaces import to_linear

share = st.floats(0, 1)
color = st.tuples(share, share, share)


def waves(side: int, *terms: tuple[int, int, float]) -> np.ndarray:
    y, x = np.mgrid[0:side, 0:side] / side * 2 * np.pi
    return (0.5 + sum(amount * np.sin(a * x + b * y + a) for a, b, amount in terms)).astype(np.float32)


class Shine(TestCase):
    def test_gloss_curves_by_hand(self) -> None:
        for curve, gloss, rough in (
            ("linear", 0.25, 0.75),
            ("squared", 0.25, 0.5625),
            ("exponent", 0.0, 1.0),
            ("exponent", 30 / 1024, (1 / 16) ** 0.25),
        ):
            with self.subTest(f"{curve} {gloss}"):
                self.assertAlmostEqual(float(roughness_of_gloss(np.array(gloss), curve)), rough, places=6)
        with self.assertRaises(ValueError):
            roughness_of_gloss(np.array(0.5), "cubic")

    @given(share, st.sampled_from(("linear", "squared", "exponent")))
    def test_gloss_comes_back(self, gloss: float, curve: str) -> None:
        again = gloss_of_roughness(roughness_of_gloss(np.array(gloss), curve), curve)
        self.assertAlmostEqual(float(again), gloss, delta=1e-3)

    def test_index_and_level(self) -> None:
        self.assertAlmostEqual(fresnel_zero(1.5), 0.04)
        self.assertAlmostEqual(level_of_index(1.5), 1.0)
        self.assertAlmostEqual(level_of_index(1.33), 0.5015, places=3)  # water: 2.006 % straight ahead
        for index in (1.0, 1.2, 1.5, 2.4):
            self.assertAlmostEqual(index_of_level(level_of_index(index)), index, places=5)

    def test_a_dielectric_and_a_metal_are_told_apart(self) -> None:
        plain = metallic_of_specular(np.array([0.5, 0.2, 0.1]), np.full(3, 0.04))
        np.testing.assert_allclose(plain.base_color, [0.5, 0.2, 0.1], atol=1e-5)
        self.assertAlmostEqual(float(plain.metalness), 0, places=5)
        brass = metallic_of_specular(np.zeros(3), np.array([0.91, 0.78, 0.42]))
        np.testing.assert_allclose(brass.base_color, [0.91, 0.78, 0.42], atol=0.02)
        self.assertGreater(float(brass.metalness), 0.99)

    @given(color)
    @example((0.0, 0.0, 0.0625))
    @example((0.0, 0.02, 0.0))
    def test_a_dielectric_looks_the_same_after_there_and_back(self, base: tuple[float, float, float]) -> None:
        # Compared by what is seen: a black dielectric and a metal of reflectance 0.04 are one surface.
        diffuse, specular = specular_of_metallic(np.array(base), np.array(0.0))
        again = metallic_of_specular(diffuse, specular)
        for seen, wanted in zip(
            specular_of_metallic(again.base_color, again.metalness), (diffuse, specular), strict=True
        ):
            np.testing.assert_allclose(seen, wanted, atol=2e-3)

    @given(st.floats(0.1, 1))
    def test_a_grey_metal_comes_back(self, grey: float) -> None:
        diffuse, specular = specular_of_metallic(np.full(3, grey), np.array(1.0))
        again = metallic_of_specular(diffuse, specular)
        self.assertAlmostEqual(float(again.metalness), 1, places=3)
        np.testing.assert_allclose(again.base_color, grey, atol=2e-3)


class Relief(TestCase):
    def test_height_from_normals_of_a_height(self) -> None:
        height = waves(64, (2, 1, 0.2), (5, -3, 0.1), (0, 4, 0.1))
        height = (height - height.min()) / np.ptp(height)
        found, depth = height_from_normal(normal_from_height(height, 0.05))
        self.assertAlmostEqual(depth, 0.05, places=4)
        np.testing.assert_allclose(found, height, atol=2e-3)

    def test_flat_normals_have_no_height(self) -> None:
        found, depth = height_from_normal(np.tile(np.array([0, 0, 1], np.float32), (16, 16, 1)))
        self.assertEqual((depth, float(np.ptp(found))), (0.0, 0.0))

    def test_a_slope_in_metres(self) -> None:
        # 3 mm deep over half a repeat of 0.12 m: dz/dx = 0.003 / 0.06 = 0.05.
        ramp = np.tile(np.concatenate([np.arange(64), np.arange(64, 0, -1)]).astype(np.float32) / 64, (8, 1))
        normal = normal_from_height(ramp, depth_of(0.003, 0.12))[4, 30]
        self.assertAlmostEqual(float(-normal[0] / normal[2]), 0.05, places=5)
        with self.assertRaises(ValueError):
            depth_of(0.003, 0)

    @given(st.floats(0.1, 3))
    @settings(deadline=None)
    def test_bump_strength_and_normal_strength_are_equal_in_effect(self, strength: float) -> None:
        height = waves(32, (2, 1, 0.3))
        np.testing.assert_allclose(
            strengthened(normal_from_height(height, 0.04), strength),
            normal_from_height(height, bump_of_strength(strength, 0.04)),
            atol=1e-5,
        )

    def test_relief_made_up_from_colour_repeats_and_ignores_slow_paint(self) -> None:
        fine = waves(128, (16, 0, 0.2))[..., None].repeat(3, axis=2)
        slow = fine + waves(128, (1, 0, 0.2))[..., None]
        plain = np.corrcoef(fine[..., 0].ravel(), slow[..., 0].ravel())[0, 1]
        kept = np.corrcoef(invented_height(fine).ravel(), invented_height(slow).ravel())[0, 1]
        self.assertGreater(kept, plain + 0.15)
        np.testing.assert_allclose(np.linalg.norm(invented_normals(fine, 0.02), axis=-1), 1, atol=1e-5)

    def test_lightened_colour_looks_the_same_from_the_front(self) -> None:
        normals = normal_from_height(waves(32, (3, 1, 0.3)), 0.03)
        base = np.full((32, 32, 3), 0.4, np.float32)
        np.testing.assert_allclose(lightened(base, normals) * normals[..., 2:3], base, atol=1e-5)


class Shrinking(TestCase):
    def test_means_over_boxes(self) -> None:
        field = np.arange(12, dtype=float).reshape(3, 4)
        np.testing.assert_allclose(averaged(field, 2, 3), [[0.5, 2.5], [4.5, 6.5], [8.5, 10.5]])
        # 3 rows to 2: the middle row is shared.
        np.testing.assert_allclose(averaged(field, 4, 2)[:, 0], [(0 + 0.5 * 4) / 1.5, (0.5 * 4 + 8) / 1.5])
        self.assertAlmostEqual(
            float(averaged(np.random.default_rng(1).random((37, 53)), 5, 7).mean()),
            float(np.random.default_rng(1).random((37, 53)).mean()),
            places=12,
        )

    def test_lost_relief_becomes_roughness(self) -> None:
        # A saw of slopes +s and -s averages to flat: variance s^2 along u, none along v.
        s = 0.3
        tilt = np.where(np.arange(64) % 2 == 0, s, -s)
        normals = np.stack([-tilt, np.zeros(64), np.ones(64)], -1) / np.sqrt(1 + s * s)
        variance = slope_variance(np.tile(normals, (64, 1, 1)).astype(np.float32), 16, 16)
        np.testing.assert_allclose(variance, s * s, rtol=1e-4)
        np.testing.assert_allclose(
            widened(np.full((16, 16), 0.4), variance), (0.4**4 + s * s) ** 0.25, rtol=1e-4
        )

    def test_a_flat_map_widens_nothing(self) -> None:
        flat = np.tile(np.array([0.1, 0.2, 0.97], np.float32), (32, 32, 1))
        self.assertLess(float(slope_variance(flat, 8, 8).max()), 1e-6)

    def test_a_cut_keeps_its_area(self) -> None:
        thin = (np.arange(256) % 16 < 2).astype(np.float32)
        alpha = np.tile(thin, (256, 1))
        small = averaged(alpha, 64, 64).astype(np.float32)
        noisy = small + np.random.default_rng(3).random(small.shape).astype(np.float32) * 1e-3
        self.assertLess(coverage(small * 0.9, 0.5), 0.01)  # gone without care
        self.assertAlmostEqual(
            coverage(keeping_coverage(noisy * 0.9, 0.5, coverage(alpha, 0.5)), 0.5),
            coverage(alpha, 0.5),
            delta=1e-3,
        )

    def test_padding_reaches_everywhere_and_keeps_what_is_kept(self) -> None:
        kept = np.zeros((9, 9), bool)
        kept[4, 2:7] = True
        values = np.where(kept, np.arange(9)[None, :], 99).astype(np.uint8)
        made = padded(values, kept)
        self.assertTrue((made[kept] == values[kept]).all())
        self.assertEqual((made[0, 0], made[8, 8], made[0, 4]), (2, 6, 4))


class Depth(TestCase):
    @given(st.integers(0, 65535))
    def test_a_constant_keeps_its_mean_within_a_hundredth_of_a_code(self, code: int) -> None:
        made = dithered(np.full((64, 64), code, np.uint16))
        self.assertAlmostEqual(float(made.mean()), code / 257, delta=0.012)
        self.assertLess(float(np.abs(made - code / 257).max()), 1.0)

    def test_codes_that_fit_stay(self) -> None:
        exact = (np.arange(256, dtype=np.uint16) * 257).reshape(16, 16)
        self.assertTrue((dithered(exact).ravel() == np.arange(256)).all())

    def test_no_steps_in_a_slow_slope(self) -> None:
        slope = np.tile(np.linspace(0.2, 0.21, 512, dtype=np.float32), (64, 1))
        blocks = dithered(slope).reshape(64, 16, 32).mean(axis=(0, 2)) / 255
        np.testing.assert_allclose(
            blocks, np.linspace(0.2, 0.21, 512).reshape(16, 32).mean(axis=1), atol=2e-4
        )


class Spaces(TestCase):
    def test_known_colours(self) -> None:
        grey = np.full((1, 1, 3), 0.5, np.float32)
        np.testing.assert_allclose(to_linear(grey, "srgb"), srgb_to_linear(grey), atol=1e-4)
        np.testing.assert_allclose(to_linear(grey, "gamma_22"), 0.5**2.2, atol=1e-4)
        # White is white everywhere, and the red of Display P3 lies outside Rec. 709 (ITU and SMPTE EG 432-1
        # primaries: 1.2249, -0.0421, -0.0196).
        for space in ("display_p3", "acescg", "rec2020", "aces2065_1"):
            np.testing.assert_allclose(to_linear(np.ones((1, 1, 3), np.float32), space), 1, atol=2e-3)
        np.testing.assert_allclose(
            to_linear(np.array([[[1, 0, 0]]], np.float32), "linear_p3").ravel(),
            [1.2249, -0.0421, -0.0196],
            atol=1e-3,
        )
