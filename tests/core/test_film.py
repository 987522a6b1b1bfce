"""Thin films against Airy's sum, wavelength by wavelength, and against the curves of
KHR_materials_iridescence.
"""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from trasloco.render.closures.film import OBSERVER, film_over_clear, film_over_metal, seen_shares
from trasloco.render.closures.fresnel import dielectric, index_for

NM, SHARES = seen_shares()
XYZ_TO_RGB = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)
"""As published for Rec.709 with white D65."""


def airy(cosine: float, n1: float, n2: float, n3: float, thick: float) -> np.ndarray:
    """Complex amplitudes of both polarisations, summed over the spectrum (Born and Wolf, 1.6.4)."""
    sine = n1 * math.sqrt(1 - cosine * cosine)
    c1, c2, c3 = (np.sqrt(1 - (sine / n) ** 2 + 0j) for n in (n1, n2, n3))
    turn = np.exp(1j * 4 * np.pi * n2 * thick * c2 / NM)
    sent = np.zeros(len(NM))
    for a, b in (
        ((n1 * c1 - n2 * c2) / (n1 * c1 + n2 * c2), (n2 * c2 - n3 * c3) / (n2 * c2 + n3 * c3)),
        ((n2 * c1 - n1 * c2) / (n2 * c1 + n1 * c2), (n3 * c2 - n2 * c3) / (n3 * c2 + n2 * c3)),
    ):
        sent += np.abs((a + b * turn) / (1 + a * b * turn)) ** 2 / 2
    return np.clip(sent @ SHARES, 0, 1)


def khronos(cosine: float, n2: float, n3: float, thick: float) -> np.ndarray:
    """The formulas of KHR_materials_iridescence, with its fitted curves and Schlick's boundaries."""
    straight = lambda n, o: ((n - o) / (n + o)) ** 2  # noqa: E731
    schlick = lambda f, c: f + (1 - f) * (1 - c) ** 5  # noqa: E731
    within = math.sqrt(1 - (1 - cosine * cosine) / n2**2)
    r12 = schlick(straight(n2, 1), cosine)
    r23 = schlick(straight(n3, n2), within)
    shift = math.pi + (math.pi if n3 < n2 else 0)
    way, both = 2 * n2 * thick * within, min(max(r12 * r23, 1e-5), 0.9999)
    rest = (1 - r12) ** 2 * r23 / (1 - both)
    found, power = np.full(3, r12 + rest), rest - (1 - r12)
    for m in (1, 2):
        power *= math.sqrt(both)
        phase = 2 * math.pi * m * way * 1e-9
        val = np.array([5.4856e-13, 4.4201e-13, 5.2481e-13])
        pos, var = np.array([1.6810e06, 1.7953e06, 2.2084e06]), np.array([4.3278e09, 9.3046e09, 6.6121e09])
        xyz = val * np.sqrt(2 * np.pi * var) * np.cos(pos * phase + m * shift) * np.exp(-(phase**2) * var)
        xyz[0] += (
            9.7470e-14
            * math.sqrt(2 * math.pi * 4.5282e09)
            * math.cos(2.2399e06 * phase + m * shift)
            * math.exp(-4.5282e09 * phase**2)
        )
        found = found + power * 2 * (XYZ_TO_RGB @ (xyz / 1.0685e-7))
    return np.clip(found, 0, 1)


class Observer(TestCase):
    def test_its_whites_are_those_that_are_published(self) -> None:
        """CIE 015: D65 at x 0.31272, y 0.32903; equal energy at a third each."""
        held = np.loadtxt(OBSERVER, delimiter=",", skiprows=1)
        for light, white in ((held[:, 4], (0.31272, 0.32903)), (np.ones(len(held)), (1 / 3, 1 / 3))):
            xyz = (held[:, 1:4] * light[:, None]).sum(axis=0)
            np.testing.assert_allclose(xyz[:2] / xyz.sum(), white, atol=1e-4)


class Film(TestCase):
    def test_it_is_the_sum_over_the_spectrum(self) -> None:
        rng = np.random.default_rng(1)
        for _ in range(200):
            cosine, thick = rng.uniform(0.05, 1), rng.uniform(20, 1500)
            n2, n3 = rng.uniform(1.1, 2.4), rng.uniform(1.2, 2.6)
            found = np.array(film_over_clear(cosine, n3, n2, thick))
            with self.subTest(cosine=cosine, n2=n2, n3=n3, thick=thick):
                np.testing.assert_allclose(found, airy(cosine, 1, n2, n3, thick), atol=2e-3)

    def test_it_looks_as_the_specification_s_curves(self) -> None:
        apart = []
        for thick in range(100, 1000, 50):
            for cosine in (1.0, 0.8, 0.6):
                for n2 in (1.3, 2.0):
                    found = np.array(film_over_clear(cosine, 1.5, n2, float(thick)))
                    apart.append(np.abs(found - khronos(cosine, n2, 1.5, thick)).max())
        self.assertLess(np.mean(apart), 0.012)
        self.assertLess(np.max(apart), 0.06)

    def test_without_thickness_or_step_it_is_the_boundary_alone(self) -> None:
        for cosine in (1.0, 0.7, 0.3):
            bare = dielectric(cosine, 1.5)
            np.testing.assert_allclose(film_over_clear(cosine, 1.5, 1.33, 0.0), [bare] * 3, atol=1e-3)
            np.testing.assert_allclose(film_over_clear(cosine, 1.5, 1.5, 500.0), [bare] * 3, atol=1e-3)
            np.testing.assert_allclose(film_over_clear(cosine, 1.5, 1.0, 500.0), [bare] * 3, atol=1e-3)

    def test_light_goes_the_same_share_both_ways(self) -> None:
        for outside in (0.95, 0.6, 0.2):
            inside = math.sqrt(1 - (1 - outside**2) / 1.5**2)
            np.testing.assert_allclose(
                film_over_clear(outside, 1.5, 1.33, 380.0),
                film_over_clear(inside, 1 / 1.5, 1.33, 380.0),
                atol=1e-6,
            )

    def test_nothing_leaves_beyond_the_last_angle(self) -> None:
        self.assertEqual(film_over_clear(0.5, 1 / 1.5, 1.33, 380.0), (1.0, 1.0, 1.0))

    def test_a_quarter_wave_coating_takes_the_shine_away(self) -> None:
        """Index sqrt(n), a quarter of 550 nm thick: no reflection at that wavelength, little elsewhere."""
        n2 = math.sqrt(1.5)
        _, green, _ = film_over_clear(1.0, 1.5, n2, 550 / 4 / n2)
        self.assertLess(green, 0.002)

    def test_a_thick_film_has_no_colour(self) -> None:
        """Both boundaries' shares, without interference: (R1 + R2 - 2 R1 R2) / (1 - R1 R2)."""
        one, two = dielectric(1.0, 1.33), dielectric(1.0, 1.5 / 1.33)
        whole = (one + two - 2 * one * two) / (1 - one * two)
        np.testing.assert_allclose(film_over_clear(1.0, 1.5, 1.33, 20000.0), [whole] * 3, atol=1e-4)

    def test_over_metal_each_colour_is_a_clear_medium_that_sends_back_as_much(self) -> None:
        color = (0.9, 0.6, 0.3)
        found = film_over_metal(0.8, *color, 1.4, 300.0)
        for k in range(3):
            expected = airy(0.8, 1, 1.4, float(index_for(color[k])), 300.0)[k]
            self.assertAlmostEqual(found[k], expected, delta=2e-3)
