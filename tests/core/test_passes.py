"""Passes over texels beside what NumPy says, step by step."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from trasloco.fit.formulas.codes import multiply, relief, to_depth
from trasloco.fit.formulas.resampling import resample, resample_codes
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.passes import apart, normal_vectors
from trasloco.scene.relief import normal_from_height

RNG = np.random.default_rng(11)


class Passes(TestCase):
    def test_vectors_are_of_the_specification(self) -> None:
        encoded = RNG.random((13, 17, 3), np.float32)
        for green_up in (True, False):
            for strength in (1.0, 0.3, 2.5):
                meant = encoded.astype(np.float64) * 2 - 1
                meant[..., :2] *= strength
                meant[..., 1] *= 1 if green_up else -1
                meant /= np.linalg.norm(meant, axis=-1, keepdims=True)
                np.testing.assert_allclose(normal_vectors(encoded, green_up, strength), meant, atol=2e-6)

    def test_a_vector_without_length_stays_finite(self) -> None:
        self.assertTrue(np.isfinite(normal_vectors(np.full((1, 1, 3), 0.5, np.float32))).all())

    def test_apart_is_the_largest_and_the_root_of_the_mean_square(self) -> None:
        a, b = RNG.random((9, 8, 3), np.float32), RNG.random((1, 1, 3), np.float32)
        largest, rms = apart(a, b, 0.5)
        meant = np.abs(a.astype(np.float64) - b) * 0.5
        self.assertAlmostEqual(largest, float(meant.max()), places=6)
        self.assertAlmostEqual(rms, float(np.sqrt((meant**2).mean())), places=6)
        self.assertEqual(apart(a, a), (0.0, 0.0))

    def test_the_normal_of_a_wave(self) -> None:
        """h = sin(2 pi u) / 2 + 1/2: dz/du = depth pi cos(2 pi u), by the derivative and not by differences."""
        width, depth = 512, 0.05
        u = (np.arange(width) + 0.5) / width
        height = np.repeat((np.sin(2 * np.pi * u) / 2 + 0.5)[None], 4, axis=0).astype(np.float32)
        slope = depth * np.pi * np.cos(2 * np.pi * u)
        meant = np.stack([-slope, np.zeros(width), np.ones(width)], -1) / np.sqrt(1 + slope**2)[:, None]
        np.testing.assert_allclose(normal_from_height(height, depth)[2], meant, atol=1e-4)

    def test_height_that_rises_up_the_image_leans_down(self) -> None:
        height = np.repeat(np.linspace(0.9, 0.1, 64, dtype=np.float32)[:, None], 8, axis=1)
        self.assertTrue((normal_from_height(height, 0.2)[5:-5, :, 1] < 0).all())

    def test_a_tint_is_in_linear_light(self) -> None:
        codes = RNG.integers(0, 256, (11, 7, 3), np.uint8)
        factor = (0.9, 0.5, 0.2)
        meant = linear_to_srgb(srgb_to_linear(codes / 255) * np.float32(factor))
        np.testing.assert_allclose(multiply(codes, factor, "srgb", "srgb"), meant, atol=2e-6)
        grey = codes[..., 0]
        np.testing.assert_allclose(multiply(grey, (0.5,), "linear", "linear"), grey / 510, atol=1e-6)

    def test_depths_round_to_the_nearest_code(self) -> None:
        values = np.array([-1, 0, 0.5 / 255 - 1e-5, 0.5 / 255 + 1e-5, 0.5, 1, 7], np.float32)
        self.assertEqual(to_depth(values, 8).tolist(), [0, 0, 0, 1, 128, 255, 255])
        self.assertEqual(to_depth(values[[1, 4, 5]], 16).tolist(), [0, 32768, 65535])
        every = np.arange(256, dtype=np.uint8)
        self.assertEqual(to_depth(every / np.float32(255), 8).tolist(), every.tolist())

    def test_resampling_is_two_products_with_the_filter(self) -> None:
        """Rows and columns by dense matrices of sinc(x) sinc(x / 3), at sizes that nothing divides."""

        def matrix(source: int, target: int) -> np.ndarray:
            scale = max(source / target, 1.0)
            x = (np.arange(source) - ((np.arange(target)[:, None] + 0.5) * source / target - 0.5)) / scale
            weights = np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0)
            return weights / weights.sum(axis=1, keepdims=True)

        for (rows, columns), (height, width) in (
            ((37, 53), (19, 23)),
            ((21, 13), (29, 40)),
            ((9, 64), (9, 32)),
        ):
            values = RNG.random((rows, columns, 3), np.float32)
            meant = np.einsum("hr,rcx,wc->hwx", matrix(rows, height), values, matrix(columns, width))
            np.testing.assert_allclose(resample(values, width, height), meant, atol=2e-5)
            np.testing.assert_allclose(resample(values[..., 0], width, height), meant[..., 0], atol=2e-5)
            for kind in (np.uint8, np.uint16):
                codes = RNG.integers(0, np.iinfo(kind).max + 1, (rows, columns, 3)).astype(kind)
                table = srgb_to_linear(np.arange(np.iinfo(kind).max + 1) / np.iinfo(kind).max)
                linear = ((codes / np.iinfo(kind).max + 0.055) / 1.055) ** 2.4
                linear = np.where(
                    codes / np.iinfo(kind).max <= 0.04045, codes / np.iinfo(kind).max / 12.92, linear
                )
                meant = np.einsum("hr,rcx,wc->hwx", matrix(rows, height), linear, matrix(columns, width))
                np.testing.assert_allclose(resample_codes(codes, table, width, height), meant, atol=2e-5)
                np.testing.assert_allclose(
                    resample_codes(codes[..., 0], table, width, height), meant[..., 0], atol=2e-5
                )

    def test_relief_of_codes_is_that_of_what_they_say(self) -> None:
        """One texel, one row and one column have no slope that way; white may be high or deep."""
        for kind in (np.uint8, np.uint16):
            for shape in ((1, 1), (1, 6), (6, 1), (2, 2), (7, 9)):
                codes = RNG.integers(0, np.iinfo(kind).max + 1, shape).astype(kind)
                for inverted in (False, True):
                    height = codes.astype(np.float64) / np.iinfo(kind).max
                    height = 1 - height if inverted else height
                    slope_u = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * 0.1 * shape[1]
                    slope_v = (np.roll(height, 1, 0) - np.roll(height, -1, 0)) * 0.1 * shape[0]
                    meant = np.stack([-slope_u, -slope_v, np.ones(shape)], -1)
                    meant /= np.linalg.norm(meant, axis=-1, keepdims=True)
                    np.testing.assert_allclose(relief(codes, 0.2, inverted), meant / 2 + 0.5, atol=1e-5)
