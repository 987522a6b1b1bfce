"""Light scattered inside of a solid (OpenPBR Surface 1.1, transmission), held against what is known of it."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from tests.making import image, material, scene
from trasloco.fit.nearest.within import deep_albedo
from trasloco.proof.light_there import not_shown
from trasloco.render.flatten import flatten
from trasloco.render.medium import scattered_cosine
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment
from trasloco.scene.model import Material, Primitive, Scene
from trasloco.scene.transforms import looking

DEPTH_M = 0.1


def slab(half: float, thick: float) -> Primitive:
    """A box that is ``2 half`` wide and high, its front at z = 0."""
    corners = np.array(
        [[x, y, z] for x in (-half, half) for y in (-half, half) for z in (-thick, 0.0)], np.float32
    )
    sides = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    triangles = np.array([t for a, b, c, d in sides for t in ((a, b, c), (a, c, d))], np.uint32)
    return Primitive(corners, triangles, None, None, (), None, material="material:m")


def milk(
    left: tuple[float, ...], scattered: tuple[float, ...], on: float = 0.0, ior: float = 1.0
) -> Material:
    return material(
        base_color=(1.0, 1.0, 1.0),
        roughness=(0.0,),
        transmission=(1.0,),
        thickness=(1.0,),
        ior=(ior,),
        attenuation_color=left,
        attenuation_distance=(DEPTH_M,),
        transmission_scatter=scattered,
        transmission_scatter_anisotropy=(on,),
    )


def seen(
    what: Material, thick: float, degrees: float = 0.0, samples: int = 512, sky: float = 1.0
) -> np.ndarray:
    """Radiance of the middle of a slab under even light of one nit, at an angle to its normal."""
    given: Scene = scene(
        slab(20.0, thick),
        materials=(what,),
        images=(image("sky", np.full((4, 8, 3), sky, np.float32), "exr"),),
        environment=Environment("image:sky", 1.0),
    )
    assert not_shown(given) == []
    angle = math.radians(degrees)
    view = View("over", looking((4 * math.sin(angle), 0, 4 * math.cos(angle)), (0, 0, 0)), 0.02)
    return np.asarray(render(flatten(given), view, Quality(16, 16, samples, 64)).radiance.mean(axis=(0, 1)))


def h_of(cosine: float, albedo: float) -> float:
    """Chandrasekhar's H function for isotropic scattering, from its own integral equation
    1/H(u) = sqrt(1 - w) + w/2 integral of t H(t) / (u + t) (Radiative Transfer, 1950, paragraph 38).
    """
    nodes, weights = np.polynomial.legendre.leggauss(96)
    t, weights = (nodes + 1) / 2, weights / 2
    h = np.ones_like(t)
    for _ in range(400):
        h = 1 / (math.sqrt(1 - albedo) + albedo / 2 * (weights * t * h / (t[:, None] + t)).sum(axis=1))
    return float(1 / (math.sqrt(1 - albedo) + albedo / 2 * (weights * t * h / (cosine + t)).sum()))


class Scattering(TestCase):
    def test_a_deep_body_sends_back_what_chandrasekhar_says(self) -> None:
        """Under even light a half space looks 1 - sqrt(1 - w) H(cosine)."""
        albedo = (0.9, 0.6, 0.3)
        taken = -math.log(0.4)
        body = milk((0.4,) * 3, tuple(taken * w for w in albedo))
        for degrees in (0.0, 60.0):
            got = seen(body, 30 * DEPTH_M, degrees)
            wanted = [1 - math.sqrt(1 - w) * h_of(math.cos(math.radians(degrees)), w) for w in albedo]
            np.testing.assert_allclose(got, wanted, rtol=0.03, atol=0.004)

    def test_what_absorbs_nothing_is_not_seen_in_even_light(self) -> None:
        """A white furnace, index and all, whichever way it scatters."""
        left = (0.4, 0.6, 0.9)
        whole = tuple(-math.log(c) for c in left)
        for on, ior in ((0.0, 1.0), (0.7, 1.0), (-0.5, 1.4)):
            got = seen(milk(left, whole, on, ior), 2 * DEPTH_M, samples=256)
            np.testing.assert_allclose(got, 1.0, atol=0.03 if ior > 1 else 0.01)

    def test_where_more_is_scattered_than_taken_grey_is_taken_besides(self) -> None:
        """OpenPBR Surface 1.1: absorption is lifted by the grey that leaves none of it below 0: here 1 - 0.5 in
        all of them, so that red takes 0.9 of which it absorbs 0.4, blue 0.9 and absorbs nothing."""
        got = seen(
            milk(tuple(math.exp(-t) for t in (0.8, 0.6, 0.4)), (0.9, 0.9, 0.9)), DEPTH_M / 20, samples=1024
        )
        np.testing.assert_allclose(1 - got, np.array([0.4, 0.2, 0.0]) / 20, atol=0.0015)

    def test_the_closed_form_of_a_deep_body_is_near_the_exact_one(self) -> None:
        """In and out over the hemisphere a half space has 1 - 2 sqrt(1 - w) times the integral of u H(u)."""
        nodes, weights = np.polynomial.legendre.leggauss(24)
        for albedo in (0.2, 0.6, 0.9, 0.99):
            moment = sum(
                w / 2 * (n + 1) / 2 * h_of((n + 1) / 2, albedo) for n, w in zip(nodes, weights, strict=True)
            )
            got = deep_albedo(np.array(albedo), np.array(math.exp(-1.0)), np.array(0.0))
            self.assertAlmostEqual(float(got), 1 - 2 * math.sqrt(1 - albedo) * moment, delta=0.006)

    def test_thin_mist_dims_by_beer_and_lambert_and_sends_on_one_scattering(self) -> None:
        """To first order in its depth t a sheet of albedo w under even light lacks (1 - w) t."""
        got = seen(milk((0.5, 0.7, 0.9), (0.2, 0.2, 0.05)), DEPTH_M / 20, samples=1024)
        deep = np.array([-math.log(c) for c in (0.5, 0.7, 0.9)])
        np.testing.assert_allclose(1 - got, (deep - [0.2, 0.2, 0.05]) / 20, atol=0.0015)

    def test_the_angle_of_scattering_has_the_mean_that_is_told(self) -> None:
        """Henyey and Greenstein 1941: the mean cosine is the parameter, the mean of its square (1 + 2 g^2) / 3."""
        chances = (np.arange(20000) + 0.5) / 20000
        for mean in (-0.8, 0.0, 0.3, 0.9):
            cosines = np.array([scattered_cosine(mean, one) for one in chances])
            self.assertAlmostEqual(float(cosines.mean()), mean, delta=2e-4)
            self.assertAlmostEqual(float((cosines**2).mean()), (1 + 2 * mean**2) / 3, delta=4e-4)

    def test_colour_and_depth_alone_are_beer_and_lambert_as_before(self) -> None:
        got = seen(milk((0.2, 0.5, 0.8), (0.0, 0.0, 0.0)), DEPTH_M)
        np.testing.assert_allclose(got, (0.2, 0.5, 0.8), rtol=2e-3)
