"""Closures against closed forms: white furnaces, reciprocity, densities that are what they say, Fresnel,
Snell, Beer and Lambert.
"""

from __future__ import annotations

import math
from typing import Any
from unittest import TestCase

import numpy as np
from scipy import stats

from trasloco.rays.compiled import kernel
from trasloco.render.closures import record
from trasloco.render.closures.diffuse import fujii_albedo, rough_diffuse
from trasloco.render.closures.fresnel import dielectric, f82, index_for
from trasloco.render.closures.ggx import distribution, reflected, refract, refracted
from trasloco.render.closures.layered import sampled, scatter, weigh
from trasloco.render.closures.sheen import sheen
from trasloco.render.closures.tables import albedos

BARE = {"base": (1.0, 1.0, 1.0), "rough": 0.3, "index": 1.5, "level": 1.0, "tint": (1.0, 1.0, 1.0)}
DIELECTRIC_MEAN = 0.0918


def seen(cosine: float, **said: Any) -> np.ndarray:
    """The record of a surface seen at an angle, normal +Z, weighed."""
    told = {**BARE, **said}
    s = np.zeros(record.LENGTH + 16)
    s[record.COLOR : record.COLOR + 3] = told["base"]
    s[record.METAL] = told.get("metal", 0.0)
    alpha = max(told["rough"] ** 2, 1e-3)
    s[record.ROUGH_X], s[record.ROUGH_Y] = told.get("alphas", (alpha, alpha))
    s[record.INDEX] = index_for(told["level"] * ((told["index"] - 1) / (told["index"] + 1)) ** 2)
    s[record.TINT : record.TINT + 3] = told["tint"]
    s[record.COAT], s[record.COAT_ALPHA] = told.get("coat", 0.0), max(told.get("coat_rough", 0.1) ** 2, 1e-3)
    s[record.COAT_COLOR : record.COAT_COLOR + 3] = told.get("coat_color", (1.0, 1.0, 1.0))
    s[record.COAT_DARKENING] = told.get("darkening", 0.0)
    s[record.SHEEN : record.SHEEN + 3] = told.get("sheen", (0.0, 0.0, 0.0))
    s[record.SHEEN_ROUGHNESS], s[record.DULL_ROUGHNESS] = told.get("sheen_rough", 0.5), told.get("dull", 0.0)
    s[record.THROUGH], s[record.SOLID], s[record.BEHIND] = (
        told.get("through", 0.0),
        told.get("solid", 0.0),
        told.get("behind", 0.0),
    )
    s[record.TRANSLUCENT], s[record.BELOW] = told.get("translucent", 0.0), told.get("below", 0.0)
    s[record.TRANSLUCENT_COLOR : record.TRANSLUCENT_COLOR + 3] = told.get(
        "translucent_color", (1.0, 1.0, 1.0)
    )
    s[record.FILM : record.FILM + 3] = told.get("film", (0.0, 1.0, 0.0))
    s[record.T : record.T + 3], s[record.B : record.B + 3] = (1, 0, 0), (0, 1, 0)
    s[record.N : record.N + 3] = s[record.G : record.G + 3] = (0, 0, 1)
    s[record.CN : record.CN + 3] = told.get("coat_normal", (0, 0, 1))
    s[record.VIEWER : record.VIEWER + 3] = (math.sqrt(1 - cosine * cosine), 0, cosine)
    tables = albedos()
    weigh(s, *tables)
    return s


@kernel
def _total(s: Any, numbers: Any, out: Any) -> None:
    for k in range(numbers.shape[0]):
        x, y, z, _ = sampled(s, numbers[k, 0], numbers[k, 1], numbers[k, 2])
        if x == 0.0 and y == 0.0 and z == 0.0:
            continue
        r, _, _, density = scatter(s, x, y, z)
        if density > 0.0:
            out[0] += r / density


@kernel
def _directions(s: Any, numbers: Any, out: Any) -> None:
    for k in range(numbers.shape[0]):
        out[k, 0], out[k, 1], out[k, 2], _ = sampled(s, numbers[k, 0], numbers[k, 1], numbers[k, 2])


@kernel
def _densities(s: Any, at: Any, out: Any) -> None:
    for k in range(at.shape[0]):
        _, _, _, out[k] = scatter(s, at[k, 0], at[k, 1], at[k, 2])


def albedo(s: np.ndarray, count: int = 1 << 16) -> float:
    """All light that a surface sends on, for an even sky."""
    numbers = stats.qmc.Sobol(3, seed=3).random(count)
    out = np.zeros(1)
    _total(s, numbers, out)
    outer = s[record.OUTER]
    straight = s[record.THIN] * s[record.COLOR] + s[record.SUBSURFACE]
    return float(out[0] / count + outer * s[record.UNDER] * straight)


WHITE: dict[str, dict[str, Any]] = {
    "Lambert": {"level": 0.0},
    "rough diffuse": {"level": 0.0, "dull": 1.0},
    "half rough diffuse": {"level": 0.0, "dull": 0.4},
    "metal": {"metal": 1.0},
    "rough metal": {"metal": 1.0, "rough": 1.0},
    "mirror": {"metal": 1.0, "rough": 0.05},
    "brushed metal": {"metal": 1.0, "alphas": (0.6, 0.05)},
    "plastic": {},
    "rough plastic": {"rough": 1.0},
    "polished": {"rough": 0.05},
    "high index": {"index": 2.4, "rough": 0.5},
    "coated": {"coat": 1.0, "rough": 0.6},
    "rough coat": {"coat": 1.0, "coat_rough": 0.7},
    "coated metal": {"coat": 1.0, "metal": 1.0},
    "half coated, darkened": {"coat": 0.5, "darkening": 1.0, "level": 0.0},
    "sheen": {"sheen": (1.0, 1.0, 1.0)},
    "soft sheen": {"sheen": (1.0, 1.0, 1.0), "sheen_rough": 1.0, "level": 0.0},
    "sheen over coat": {"sheen": (0.5, 0.5, 0.5), "coat": 1.0},
    "thin glass": {"through": 1.0, "rough": 0.05},
    "frosted thin glass": {"through": 1.0, "rough": 0.6},
    "half glass": {"through": 0.5, "solid": 1.0, "rough": 0.4},
    "glass from outside": {"through": 1.0, "solid": 1.0, "rough": 0.1},
    "glass from inside": {"through": 1.0, "solid": 1.0, "rough": 0.1, "behind": 1.0},
    "frosted glass from outside": {"through": 1.0, "solid": 1.0, "rough": 0.8},
    "frosted glass from inside": {"through": 1.0, "solid": 1.0, "rough": 0.8, "behind": 1.0},
    "leaf": {"translucent": 0.6},
    "paper": {"translucent": 1.0, "level": 0.0},
    "wax": {"below": 1.0},
    "film over plastic": {"film": (1.0, 1.33, 400.0), "rough": 0.1},
    "strong film over rough plastic": {"film": (1.0, 2.0, 250.0), "rough": 0.5},
    "half a film over wax": {"film": (0.5, 1.8, 300.0), "below": 1.0},
    "film over thin glass": {"film": (1.0, 1.4, 350.0), "through": 1.0, "rough": 0.05},
    "film over glass from outside": {
        "film": (1.0, 1.4, 350.0),
        "through": 1.0,
        "solid": 1.0,
        "rough": 0.1,
    },
    "film over frosted glass from inside": {
        "film": (1.0, 1.9, 350.0),
        "through": 1.0,
        "solid": 1.0,
        "rough": 0.5,
        "behind": 1.0,
    },
    "film under a coat": {"film": (1.0, 1.8, 300.0), "coat": 1.0},
    "everything": {
        "metal": 0.3,
        "coat": 0.5,
        "sheen": (0.4, 0.4, 0.4),
        "through": 0.3,
        "below": 0.2,
        "translucent": 0.3,
        "dull": 0.5,
    },
}


class Furnace(TestCase):
    def test_white_closures_and_their_layers_neither_gain_nor_lose(self) -> None:
        worst = 0.0
        for name, said in WHITE.items():
            for cosine in (0.95, 0.6, 0.25):
                found = albedo(seen(cosine, **said))
                worst = max(worst, abs(found - 1))
                with self.subTest(name, cosine=cosine):
                    self.assertAlmostEqual(found, 1.0, delta=0.01)
        print(f"\n    white furnaces: at most {100 * worst:.2f} % off over {len(WHITE)} surfaces", flush=True)

    def test_rough_glass_keeps_all_light_from_both_sides_at_every_angle(self) -> None:
        worst = 0.0
        for behind in (0.0, 1.0):
            for index in (1.05, 1.33, 1.5, 2.4):
                for rough in (0.1, 0.3, 0.6, 1.0):
                    for cosine in (0.95, 0.6, 0.3, 0.15):
                        found = albedo(
                            seen(cosine, through=1.0, solid=1.0, rough=rough, index=index, behind=behind),
                            1 << 14,
                        )
                        worst = max(worst, abs(found - 1))
                        self.assertAlmostEqual(
                            found, 1.0, delta=0.012, msg=f"{behind} {index} {rough} {cosine}"
                        )
        print(f"\n    rough glass: at most {100 * worst:.2f} % off", flush=True)

    def test_coloured_ones_lose(self) -> None:
        for name, said in {
            "Lambert": {"level": 0.0},
            "metal": {"metal": 1.0, "rough": 0.7},
            "darkened coat": {"coat": 1.0, "darkening": 1.0},
            "tinted coat": {"coat": 1.0, "coat_color": (0.5, 0.5, 0.5)},
        }.items():
            with self.subTest(name):
                self.assertLess(albedo(seen(0.7, base=(0.5, 0.5, 0.5), **said)), 0.75)

    def test_lambert_and_rough_diffuse_are_their_albedo(self) -> None:
        self.assertAlmostEqual(albedo(seen(0.5, base=(0.3, 0.3, 0.3), level=0.0)), 0.3, delta=0.001)

    def test_a_coat_darkens_a_dull_base_as_its_inner_reflections_ask(self) -> None:
        # Base light b, inner reflection K: (1 - K) / (1 - b K) of it comes out (OpenPBR Surface, coat:
        # view-independent absorption of many bounces).
        base, cosine = 0.5, 0.9
        plain, dark = (
            albedo(
                seen(cosine, base=(base,) * 3, level=0.0, coat=1.0, coat_rough=0.05, rough=1.0, darkening=d)
            )
            for d in (0.0, 1.0)
        )
        reflected_above = albedo(
            seen(cosine, base=(0.0, 0.0, 0.0), level=0.0, coat=1.0, coat_rough=0.05, rough=1.0)
        )
        inner = 1 - (1 - DIELECTRIC_MEAN) / 2.25
        self.assertAlmostEqual(
            (dark - reflected_above) / (plain - reflected_above), (1 - inner) / (1 - base * inner), delta=0.01
        )


class Reciprocity(TestCase):
    def test_single_closures_answer_alike_both_ways(self) -> None:
        rng = np.random.default_rng(4)
        for _ in range(200):
            o, i = rng.normal(size=3), rng.normal(size=3)
            o[2], i[2] = abs(o[2]) + 0.05, abs(i[2]) + 0.05
            o, i = o / np.linalg.norm(o), i / np.linalg.norm(i)
            h = (o + i) / np.linalg.norm(o + i)
            self.assertAlmostEqual(
                reflected(*o, *i, *h, 0.4, 0.15), reflected(*i, *o, *h, 0.4, 0.15), places=9
            )
            self.assertAlmostEqual(sheen(*o, *i, 0.6), sheen(*i, *o, 0.6), places=9)
            eo, ei = fujii_albedo(o[2], 0.7), fujii_albedo(i[2], 0.7)
            self.assertAlmostEqual(
                rough_diffuse(0.8, 0.7, float(o @ i), o[2], i[2], eo, ei),
                rough_diffuse(0.8, 0.7, float(o @ i), i[2], o[2], ei, eo),
                places=9,
            )

    def test_transmission_answers_alike_but_for_the_square_of_the_index(self) -> None:
        # Radiance over the square of the index is what travels: f(o, i) cos i / cos i against f(i, o), Walter
        # et al. 2007, section 5.3 (equation 21 is not symmetric by n^2).
        rng = np.random.default_rng(5)
        eta = 1.5
        compared = 0
        for _ in range(200):
            o = rng.normal(size=3)
            o[2] = abs(o[2]) + 0.3
            o /= np.linalg.norm(o)
            ix, iy, iz, goes = refract(*o, 0.0, 0.0, 1.0, eta)
            self.assertTrue(goes)
            i = np.array([ix, iy, iz]) + rng.normal(size=3) * 0.05
            i /= np.linalg.norm(i)
            there, density, _ = refracted(*o, *i, 0.3, 0.3, eta)
            back, _, _ = refracted(*(i * [1, 1, -1]), *(o * [1, 1, -1]), 0.3, 0.3, 1 / eta)
            if density > 0 and back > 0:
                compared += 1
                self.assertAlmostEqual((there / -i[2]) / (back / o[2] * eta * eta), 1.0, places=6)
        self.assertGreater(compared, 100)


class Densities(TestCase):
    def test_sampling_is_what_its_density_says(self) -> None:
        # Chi-square over bins of equal solid angle; what is dropped (bent below the horizon, held back
        # inside) is counted on its own.
        rows, columns, count = 16, 16, 40000
        for name, said in {
            "plastic": {"rough": 0.6},
            "brushed": {"metal": 1.0, "alphas": (0.6, 0.2)},
            "coated": {"coat": 1.0, "coat_rough": 0.5, "coat_normal": (0.2, 0.0, math.sqrt(0.96))},
            "cloth": {"sheen": (1.0, 1.0, 1.0)},
            "frosted": {"through": 1.0, "solid": 1.0, "rough": 0.6},
            "frosted inside": {"through": 1.0, "solid": 1.0, "rough": 0.7, "behind": 1.0},
            "thin frosted": {"through": 1.0, "rough": 0.7},
            "leaf": {"translucent": 0.5},
        }.items():
            s = seen(0.7, **said)
            directions = np.zeros((count, 3))
            _directions(s, np.random.default_rng(8).random((count, 3)), directions)
            kept = directions[(directions != 0).any(axis=1)]
            z = kept[:, 2]
            phi = np.arctan2(kept[:, 1], kept[:, 0]) / (2 * np.pi) + 0.5
            observed, _, _ = np.histogram2d(z, phi, bins=(rows, columns), range=((-1, 1), (0, 1)))
            fine = 24
            zz = -1 + 2 * (np.arange(rows * fine) + 0.5) / (rows * fine)
            pp = ((np.arange(columns * fine) + 0.5) / (columns * fine) - 0.5) * 2 * np.pi
            grid_z, grid_p = np.meshgrid(zz, pp, indexing="ij")
            r = np.sqrt(1 - grid_z**2)
            at = np.stack([r * np.cos(grid_p), r * np.sin(grid_p), grid_z], axis=-1).reshape(-1, 3)
            density = np.zeros(len(at))
            _densities(s, at, density)
            bins = density.reshape(rows, fine, columns, fine).mean(axis=(1, 3)) * 4 * np.pi / (rows * columns)
            whole = float(bins.sum())
            with self.subTest(name):
                # Directions under the horizon have a density for the sampler that scatter calls zero, so the
                # sum may fall short, never exceed.
                self.assertLess(whole, 1.01)
                expected = bins * count
                good = expected > 8
                statistic = float(
                    (((observed - expected) ** 2 / np.maximum(expected, 1e-9))[good & (bins > 0)]).sum()
                )
                degrees = int((good & (bins > 0)).sum()) - 1
                self.assertGreater(stats.chi2.sf(statistic, degrees), 1e-4, f"{statistic:.0f} over {degrees}")

    def test_facets_fill_the_hemisphere(self) -> None:
        # The projected area of all facets is that of the plane: the integral of D(h) cos(h) is 1.
        for ax, ay in ((0.5, 0.5), (0.7, 0.2)):
            z = (np.arange(400) + 0.5) / 400
            phi = (np.arange(400) + 0.5) / 400 * 2 * np.pi
            total = (
                sum(
                    distribution(
                        math.sqrt(1 - c * c) * math.cos(p), math.sqrt(1 - c * c) * math.sin(p), c, ax, ay
                    )
                    * c
                    for c in z
                    for p in phi
                )
                * 2
                * np.pi
                / 400
                / 400
            )
            self.assertAlmostEqual(total, 1.0, delta=0.005)


class Interfaces(TestCase):
    def test_fresnel_at_known_angles(self) -> None:
        self.assertAlmostEqual(dielectric(1.0, 1.5), 0.04, places=6)
        self.assertAlmostEqual(
            dielectric(math.cos(math.radians(60)), 1.5), 0.0892, places=4
        )  # s: 0.1765, p: 0.0018
        self.assertEqual(
            dielectric(math.cos(math.radians(42)), 1 / 1.5), 1.0
        )  # the critical angle is 41.8 degrees
        self.assertLess(dielectric(math.cos(math.radians(41)), 1 / 1.5), 1.0)
        brewster = math.atan(1.5)
        s = (math.cos(brewster) - 1.5 * math.sqrt(1 - (math.sin(brewster) / 1.5) ** 2)) / (
            math.cos(brewster) + 1.5 * math.sqrt(1 - (math.sin(brewster) / 1.5) ** 2)
        )
        self.assertAlmostEqual(dielectric(math.cos(brewster), 1.5), s * s / 2, places=9)

    def test_metals_keep_their_colour_straight_on_and_their_tint_at_82_degrees(self) -> None:
        self.assertAlmostEqual(f82(0.6, 0.5, 1.0), 0.6, places=9)
        plain = 0.6 + 0.4 * (6 / 7) ** 5
        self.assertAlmostEqual(f82(0.6, 0.5, 1 / 7), 0.5 * plain, places=9)
        self.assertAlmostEqual(f82(0.6, 1.0, 1 / 7), plain, places=9)

    def test_index_and_reflectance_are_each_others_inverse(self) -> None:
        self.assertAlmostEqual(index_for(0.04), 1.5, places=9)

    def test_refraction_follows_snell(self) -> None:
        for degrees in (10, 40, 75):
            o = (math.sin(math.radians(degrees)), 0.0, math.cos(math.radians(degrees)))
            x, _, z, goes = refract(*o, 0.0, 0.0, 1.0, 1.5)
            self.assertTrue(goes)
            self.assertAlmostEqual(-x * 1.5, o[0], places=9)
            self.assertLess(z, 0)
        inside = math.radians(42)
        self.assertFalse(refract(math.sin(inside), 0.0, math.cos(inside), 0.0, 0.0, 1.0, 1 / 1.5)[3])

    def test_rough_diffuse_albedo_is_its_integral(self) -> None:
        # The share of light sent on by the single-scattering part, integrated over the half sphere, against
        # the closed form.
        cosine, rough = 0.6, 0.8
        o = np.array([math.sqrt(1 - cosine**2), 0, cosine])
        z = (np.arange(300) + 0.5) / 300
        phi = (np.arange(300) + 0.5) / 300 * 2 * np.pi
        a = 1 / (1 + (0.5 - 2 / (3 * math.pi)) * rough)
        total = 0.0
        for c in z:
            i = np.stack(
                [math.sqrt(1 - c * c) * np.cos(phi), math.sqrt(1 - c * c) * np.sin(phi), np.full(300, c)],
                axis=1,
            )
            s = i @ o - cosine * c
            t = np.where(s > 0, s / max(cosine, c), s)
            total += float((a / math.pi * (1 + rough * t)).mean()) * c
        self.assertAlmostEqual(fujii_albedo(cosine, rough), total * 2 * math.pi / 300, delta=0.002)
