"""Light that adds up: layers of single lamps, and their sum at other strengths."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import material, quad, scene, sky
from trasloco.light.mixing import GLOW, SURROUNDINGS, layers_of, mixed
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Scene
from trasloco.scene.transforms import looking

VIEW = View("down", looking((0, 2, 0.5), (0, 0, 0)), 0.6)


def lit() -> Scene:
    lamp, sun = (
        Light("light:l", "Lamp", "point", (1.0, 0.5, 0.2), 12.0),
        Light("light:s", "Sun", "sun", (0.6, 0.8, 1.0), 9.0),
    )
    panel = Light("light:p", "Panel", "rectangle", intensity=6.0, width_m=0.5, height_m=0.5)
    shining = material("glow", base_color=(0.0, 0.0, 0.0), emission=(0.4, 0.8, 0.2))
    small = replace(
        quad(0.3, "material:glow"), positions=quad(0.3).positions + np.array([0.8, 0.3, 0], np.float32)
    )
    return scene(
        quad(4),
        small,
        materials=(material(base_color=(0.6, 0.5, 0.4), roughness=(0.5,)), shining),
        images=(sky(0.8),),
        environment=Environment("image:sky", 2.0),
        lights=(
            (lamp, looking((0.4, 1, 0), (0, 0, 0))),
            (sun, looking((1, 3, 1), (0, 0, 0))),
            (panel, looking((-0.8, 1, 0), (-0.8, 0, 0), (0, 0, 1))),
        ),
    )


class Mixing(TestCase):
    def test_every_lamp_has_a_layer_and_all_of_them_make_the_picture(self) -> None:
        given = lit()
        layers = layers_of(given, VIEW, Quality(32, 18, 16, 3))
        self.assertEqual(
            dict(zip(layers.names, layers.strengths, strict=True)),
            {SURROUNDINGS: 2.0, GLOW: 1.0, "part:Lamp": 12.0, "part:Sun": 9.0, "part:Panel": 6.0},
        )
        self.assertTrue((layers.radiance.reshape(5, -1).sum(axis=1) > 0).all())
        whole = render(flatten(given), VIEW, Quality(32, 18, 16, 3)).radiance
        np.testing.assert_allclose(mixed(layers, {}), whole, rtol=1e-4, atol=1e-5)

    def test_a_mix_is_what_rendering_with_those_strengths_gives(self) -> None:
        given = lit()
        layers = layers_of(given, VIEW, Quality(24, 14, 256, 2))
        wanted = {"part:Lamp": 3.0, "part:Panel": 24.0, SURROUNDINGS: 0.5, "part:Sun": 0.0}
        changed = replace(
            given,
            environment=replace(given.environment, level=0.5) if given.environment else None,
            lights={
                "light:l": replace(given.lights["light:l"], intensity=3.0),
                "light:p": replace(given.lights["light:p"], intensity=24.0),
                "light:s": replace(given.lights["light:s"], enabled=False),
            },
        )
        rendered = render(flatten(changed), VIEW, Quality(24, 14, 256, 2)).radiance
        np.testing.assert_allclose(
            mixed(layers, wanted).mean(axis=(0, 1)), rendered.mean(axis=(0, 1)), rtol=0.015
        )
