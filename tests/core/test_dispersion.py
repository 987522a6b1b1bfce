"""A prism bends colours apart as its index says: Snell's law on either face, by colour."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from tests.making import image, material, scene
from trasloco.proof.light_there import not_shown
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment
from trasloco.scene.model import Primitive, Scene
from trasloco.scene.transforms import looking

WEDGE, INDEX, SLOPE = 0.2, 1.5, 4.0
VIEW = View("through", looking((0, 0, 4), (0, 0, 0)), 0.02)


def prism() -> Primitive:
    """A slab that is square to the view in front, and leans by the wedge behind, thicker below."""
    lean = math.tan(WEDGE)
    corners = np.array(
        [[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-0.5 + lean * y, 0.5)], np.float32
    )
    sides = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    triangles = np.array([t for a, b, c, d in sides for t in ((a, b, c), (a, c, d))], np.uint32)
    return Primitive(corners, triangles, None, None, (), None, material="material:m")


def seen(strength: float) -> np.ndarray:
    """What is seen through the prism of surroundings whose light grows evenly with the height over the
    horizon.
    """
    rows = 2048
    height = math.pi / 2 - (np.arange(rows) + 0.5) / rows * math.pi
    texels = np.broadcast_to((1 + SLOPE * np.clip(height, -0.24, 0.24))[:, None, None], (rows, 16, 3))
    glass = material(
        base_color=(1.0, 1.0, 1.0),
        roughness=(0.0,),
        transmission=(1.0,),
        thickness=(1.0,),
        ior=(INDEX,),
        dispersion=(strength,),
    )
    given: Scene = scene(
        prism(),
        materials=(glass,),
        images=(image("sky", np.ascontiguousarray(texels, np.float32), "exr"),),
        environment=Environment("image:sky", 1.0),
    )
    assert not_shown(given) == []
    return np.asarray(render(flatten(given), VIEW, Quality(16, 16, 512, 6)).radiance.mean(axis=(0, 1)))


def bent(index: float) -> float:
    """By how much light turns that enters square and leaves through the leaning face."""
    return math.asin(index * math.sin(WEDGE)) - WEDGE


class Dispersion(TestCase):
    def test_colours_leave_apart(self) -> None:
        """KHR_materials_dispersion: the index of red and blue lies a fortieth of (index - 1) times it off."""
        strength = 4.0
        apart = (INDEX - 1) * 0.025 * strength
        red, green, blue = seen(strength)
        # Light turns towards the thicker part, down to darker surroundings; the front sends back some of what lies
        # behind the eye, at the horizon.
        lost = ((INDEX - 1) / (INDEX + 1)) ** 2
        through = (1 - lost) ** 2
        expected = through * SLOPE * (bent(INDEX + apart) - bent(INDEX - apart))
        expected /= through * (1 - SLOPE * bent(INDEX)) + lost
        self.assertGreater(expected, 0.1)
        self.assertAlmostEqual((red - blue) / green, expected, delta=0.006)

    def test_without_it_all_leave_alike(self) -> None:
        red, green, blue = seen(0.0)
        np.testing.assert_allclose([red, blue], green, rtol=1e-6)
