"""Random numbers and densities: uniform, well spread, integrating to one, agreeing with what is sampled."""

import math
from unittest import TestCase

import numpy as np
from numba import njit

from tests.making import image, quad, scene
from trasloco.render.closures.ggx import reflect_density, sample_half
from trasloco.render.flat_lights import environment_tables
from trasloco.render.flatten import flatten
from trasloco.render.lighting import environment_direction, environment_texel
from trasloco.render.sampling import basis, cosine_direction, cumulative_of, pick, picking, random_pair
from trasloco.scene.lit import Environment


@njit
def _pairs(pixel, count, dimension, out):  # type: ignore[no-untyped-def]
    for i in range(count):
        out[i, 0], out[i, 1] = random_pair(pixel, i, dimension)


@njit
def _half_vectors(ox, oz, alpha, numbers, out):  # type: ignore[no-untyped-def]
    for i in range(numbers.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = sample_half(ox, 0.0, oz, alpha, alpha, numbers[i, 0], numbers[i, 1])


@njit
def _integral(directions, sine, cosine, alpha):  # type: ignore[no-untyped-def]
    """Sum of the reflected direction's density over all given directions."""
    total = 0.0
    for k in range(directions.shape[0]):
        x, y, z = directions[k, 0] + sine, directions[k, 1], directions[k, 2] + cosine
        length = math.sqrt(x * x + y * y + z * z)
        total += reflect_density(sine, 0.0, cosine, x / length, y / length, z / length, alpha, alpha)
    return total


def pairs(pixel: int, count: int, dimension: int = 3) -> np.ndarray:
    out = np.empty((count, 2))
    _pairs(pixel, count, dimension, out)
    return out


def sphere_grid(rows: int = 256, columns: int = 512) -> tuple[np.ndarray, float]:
    """Directions over the upper hemisphere with equal solid angles, and that solid angle."""
    z = (np.arange(rows) + 0.5) / rows
    phi = (np.arange(columns) + 0.5) / columns * 2 * np.pi
    zz, pp = np.meshgrid(z, phi, indexing="ij")
    r = np.sqrt(1 - zz**2)
    return np.stack([r * np.cos(pp), r * np.sin(pp), zz], -1).reshape(-1, 3), 2 * np.pi / (rows * columns)


class Numbers(TestCase):
    def test_every_power_of_two_of_samples_is_stratified_in_both_directions(self) -> None:
        for pixel in (0, 17, 230_399):
            values = pairs(pixel, 64)
            for axis in (0, 1):
                self.assertEqual(sorted((values[:, axis] * 64).astype(int).tolist()), list(range(64)))
            cells = (values[:, 0] * 8).astype(int) * 8 + (values[:, 1] * 8).astype(int)
            self.assertEqual(len(set(cells.tolist())), 64)

    def test_pixels_and_dimensions_are_independent(self) -> None:
        first, second, third = pairs(5, 256), pairs(6, 256), pairs(5, 256, 4)
        for other in (second, third):
            self.assertLess(abs(float(np.corrcoef(first[:, 0], other[:, 0])[0, 1])), 0.25)
        self.assertTrue(((first >= 0) & (first < 1)).all())

    def test_picking_follows_the_weights(self) -> None:
        table = picking(np.array([[1.0, 0.0, 3.0, 4.0]]))
        counts = np.bincount([pick(table, 0, 4, (k + 0.5) / 800)[0] for k in range(800)], minlength=4)
        self.assertEqual(counts.tolist(), [100, 0, 300, 400])

    def test_guides_find_what_a_search_through_all_finds(self) -> None:
        rng = np.random.default_rng(3)
        weights = rng.random((5, 97)) ** 12 * (rng.random((5, 97)) < 0.6)
        weights[2], weights[3] = 0.0, 1.0
        table, sums = picking(weights), cumulative_of(weights)
        for row, of_row in enumerate(sums):
            edges = np.concatenate([of_row, np.nextafter(of_row, 0), np.arange(97) / 97, rng.random(200)])
            for u in edges[edges < 1]:
                found, into = pick(table, row, 97, float(u))
                self.assertEqual(found, int(np.searchsorted(of_row, u, side="right")))
                low = of_row[found - 1] if found else 0.0
                if of_row[found] - low > 1e-9:
                    self.assertAlmostEqual(low + into * (of_row[found] - low), u)

    def test_bases_are_orthonormal(self) -> None:
        for normal in ((0, 0, 1), (0, 0, -1), (0.6, 0, 0.8), (0.36, 0.48, -0.8)):
            frame = np.array([*basis(*map(float, normal)), *normal]).reshape(3, 3)
            np.testing.assert_allclose(frame @ frame.T, np.eye(3), atol=1e-9)

    def test_cosine_directions_have_the_mean_of_their_density(self) -> None:
        z = np.array([cosine_direction(u, v)[2] for u, v in pairs(1, 1024)])
        self.assertAlmostEqual(float(z.mean()), 2 / 3, places=2)


class Reflection(TestCase):
    def test_densities_integrate_to_one_less_what_points_below(self) -> None:
        directions, solid = sphere_grid()
        for cosine in (0.95, 0.5, 0.2):
            for alpha in (0.2, 0.6):
                sine = math.sqrt(1 - cosine * cosine)
                numbers = pairs(3, 4096)
                halves = np.empty((4096, 3))
                _half_vectors(sine, cosine, alpha, numbers, halves)
                dot = halves[:, 0] * sine + halves[:, 2] * cosine
                below = float((2 * dot * halves[:, 2] - cosine <= 0).mean())
                total = _integral(directions, sine, cosine, alpha) * solid
                self.assertAlmostEqual(total, 1 - below, delta=0.02, msg=f"{cosine} {alpha}")


class EnvironmentSampling(TestCase):
    def test_density_integrates_to_one_over_the_sphere(self) -> None:
        picture = np.random.default_rng(0).random((16, 32, 3)).astype(np.float32) ** 4
        density = environment_tables(picture)[0][..., 3]
        bands = -np.diff(np.cos(np.arange(17) / 16 * np.pi))
        self.assertAlmostEqual(float((density * bands[:, None]).sum() * 2 * np.pi / 32), 1.0, places=6)

    def test_directions_fall_in_their_texel_and_follow_brightness(self) -> None:
        picture = np.full((8, 16, 3), 0.01, np.float32)
        picture[2, 5] = 100
        given = scene(
            quad(), images=(image("sky", picture, "exr"),), environment=Environment("image:sky", 1.0, 0.8)
        )
        arrays = flatten(given).arrays

        @njit
        def ask(a, numbers, out):  # type: ignore[no-untyped-def]
            for k in range(numbers.shape[0]):
                x, y, z, row, column, _ = environment_direction(a, numbers[k, 0], numbers[k, 1])
                back_row, back_column, _, _ = environment_texel(a, x, y, z)
                out[k, 0] = 1.0 if row == back_row and column == back_column else 0.0
                out[k, 1] = row * 16 + column
                out[k, 2] = x * x + y * y + z * z

        out = np.empty((512, 3))
        ask(arrays, pairs(2, 512), out)
        self.assertGreater(out[:, 0].mean(), 0.99)
        self.assertGreater((out[:, 1] == 2 * 16 + 5).mean(), 0.95)
        np.testing.assert_allclose(out[:, 2], 1, atol=1e-6)
