"""An image on any input is drawn as the numbers that it holds, place by place."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from tests.making import cube, image, material, quad, scene, sky
from trasloco.inputs.table import INPUTS
from trasloco.proof.light_there import not_shown
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Scene, Texture
from trasloco.scene.transforms import looking

SLANTED = View("slanted", looking((0, 1.4, 1.4), (0, 0, 0)), 0.75)
LAMP = (Light("light:l", "Lamp", "point", intensity=20.0), looking((0.0, 1.5, -1.2), (0, 0, 0)))
FULL, HALF = 1.0, 128 / 255
OTHERS: dict[str, dict[str, Any]] = {
    "diffuse_roughness": {"specular": (0.0,)},
    "ior": {"roughness": (0.3,)},
    "clearcoat_color": {"clearcoat": (1.0,), "clearcoat_roughness": (0.2,)},
    "clearcoat_darkening": {"clearcoat": (1.0,), "clearcoat_roughness": (0.2,)},
    "anisotropy_rotation": {"metalness": (1.0,), "roughness": (0.3,), "anisotropy": (0.9,)},
    "iridescence": {"base_color": (0.0, 0.0, 0.0), "roughness": (0.3,), "iridescence_ior": (2.0,)},
    "iridescence_ior": {"base_color": (0.0, 0.0, 0.0), "roughness": (0.3,), "iridescence": (1.0,)},
    "iridescence_thickness": {
        "base_color": (0.0, 0.0, 0.0),
        "roughness": (0.3,),
        "iridescence": (1.0,),
        "iridescence_ior": (2.0,),
    },
    "subsurface_radius": {
        "subsurface": (1.0,),
        "subsurface_color": Input((0.9, 0.5, 0.3)),
        "specular": (0.0,),
    },
}
WHITE_IS = {
    "ior": 2.4,
    "anisotropy_rotation": math.pi,
    "iridescence_ior": 2.2,
    "iridescence_thickness": 700.0,
    "subsurface_radius": 0.3,
}
"""What white stands for; 1 where nothing is said. Half of it is the other number."""


def looked_at(given: Scene) -> np.ndarray:
    """The left and the right half of a picture, (2, 3)."""
    picture = render(flatten(given), SLANTED, Quality(32, 16, 96, 3)).radiance
    return np.stack([picture[5:11, 4:13].mean(axis=(0, 1)), picture[5:11, 19:28].mean(axis=(0, 1))])


def worn(name: str, value: Input, texels: Any = None) -> Scene:
    made = material(**{**OTHERS[name], name: value})
    images = (image("halves", texels),) if texels is not None else ()
    return scene(
        quad(3.0),
        materials=(made,),
        images=(sky(0.3), *images),
        lights=(LAMP,),
        environment=Environment("image:sky", 1.0),
    )


class Images(TestCase):
    def test_each_half_is_as_its_number(self) -> None:
        for name in OTHERS:
            channels = INPUTS[name].channels
            white = WHITE_IS.get(name, 1.0)
            half = 188 if INPUTS[name].color else 128  # sRGB 188 is half the light
            value = 0.503 if INPUTS[name].color else HALF
            texels = np.full((2, 64, channels), 255, np.uint8)
            texels[:, :32] = half
            read = Texture(
                "image:halves", "rgb" if channels == 3 else "r", "srgb" if channels == 3 else "linear"
            )
            both = looked_at(worn(name, Input((white,) * channels, read), texels))
            left = looked_at(worn(name, Input((white * value,) * channels)))[0]
            right = looked_at(worn(name, Input((white,) * channels)))[1]
            with self.subTest(name):
                other = looked_at(worn(name, Input((white,) * channels)))[0]
                self.assertGreater(float(np.abs(other - left).max() / left.max()), 0.02, "it is seen at all")
                np.testing.assert_allclose(both[0], left, rtol=0.03)
                np.testing.assert_allclose(both[1], right, rtol=0.03)

    def test_what_black_stands_for_is_kept(self) -> None:
        """A thickness from 200 to 700 nm: black is 200, which no factor alone could say."""
        texels = np.full((2, 64, 1), 255, np.uint8)
        texels[:, :32] = 0
        read = Texture("image:halves", "r", floor=200 / 700)
        both = looked_at(worn("iridescence_thickness", Input((700.0,), read), texels))
        for side, value in ((0, 200.0), (1, 700.0)):
            number = looked_at(worn("iridescence_thickness", Input((value,))))
            np.testing.assert_allclose(both[side], number[side], rtol=0.03)

    def test_colour_and_depth_of_what_absorbs(self) -> None:
        """Beer and Lambert through a slab of index 1: colour to the power of the way over the depth."""
        texels = np.full((4, 4, 3), 188, np.uint8)
        slab = cube(1.0)
        slab = replace(slab, uvs=(np.full((8, 2), 0.5, np.float32),))
        for depth in (0.5, 2.0):
            made = material(
                base_color=(1.0, 1.0, 1.0),
                roughness=(0.0,),
                transmission=(1.0,),
                thickness=(1.0,),
                ior=(1.0,),
                attenuation_color=Input((1.0, 0.5, 1.0), Texture("image:tint", "rgb", "srgb")),
                attenuation_distance=Input((2 * depth,), Texture("image:far", "r")),
            )
            given = scene(
                slab,
                materials=(made,),
                images=(sky(1.0), image("tint", texels), image("far", np.full((4, 4, 1), 128, np.uint8))),
                environment=Environment("image:sky", 1.0),
            )
            view = View("through", looking((0, 0, 3), (0, 0, 0)), 0.05)
            found = render(flatten(given), view, Quality(8, 8, 64, 4)).radiance.mean(axis=(0, 1))
            left = np.array([0.503, 0.2515, 0.503]) ** (1 / (depth * 2 * HALF))
            np.testing.assert_allclose(found, left, rtol=0.02)

    def test_lamps_through_a_body_are_absorbed_as_where_it_is_entered(self) -> None:
        """From the floor up to a lamp: a slab whose lower face says clear and whose upper says half a metre's
        half, and the other way round.
        """
        texels = np.full((4, 4, 3), 255, np.uint8)
        texels[:, 2:] = 188
        for lower, left in ((0.25, 1.0), (0.75, 0.503)):
            slab = cube(1.0)
            above = slab.positions[:, 1:2] > 0
            uv = np.concatenate([np.where(above, 1 - lower, lower), np.full_like(above, 0.5, float)], axis=1)
            moved = slab.positions + np.array([0, 1, 0], np.float32)
            slab = replace(slab, positions=moved, uvs=(uv.astype(np.float32),), material="material:body")
            body = material(
                name="body",
                base_color=(1.0, 1.0, 1.0),
                roughness=(0.0,),
                transmission=(1.0,),
                thickness=(1.0,),
                ior=(1.0,),
                attenuation_color=Input((1.0, 1.0, 1.0), Texture("image:tint", "rgb", "srgb")),
                attenuation_distance=(1.0,),
            )
            floor = material(base_color=(0.5, 0.5, 0.5), specular=(0.0,))
            lamp = (
                Light("light:l", "Lamp", "point", intensity=50.0),
                looking((0, 4, 0), (0, 0, 0), (0, 0, -1)),
            )
            view = View("floor", looking((0, 0.3, 0.2), (0, 0, 0)), 0.02)
            seen = []
            for parts in ((quad(6.0),), (quad(6.0), slab)):
                given = scene(
                    *parts, materials=(floor, body), images=(image("tint", texels),), lights=(lamp,)
                )
                seen.append(render(flatten(given), view, Quality(8, 8, 64, 1)).radiance.mean())
            self.assertAlmostEqual(seen[1] / seen[0], left, delta=0.02)

    def test_nothing_of_it_is_told_as_not_shown(self) -> None:
        for name in OTHERS:
            texels = np.full((2, 64, 3), 255, np.uint8)
            read = Texture("image:halves", "rgb" if INPUTS[name].channels == 3 else "r")
            given = worn(name, Input((WHITE_IS.get(name, 1.0),) * INPUTS[name].channels, read), texels)
            self.assertEqual(not_shown(given), [], name)
