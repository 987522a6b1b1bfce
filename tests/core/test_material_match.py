"""Numbers of materials found from pictures of scenes that had others."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.outside import VIEW, counter
from trasloco.errors import Refused
from trasloco.outside.material_match import FoundNumber, MaterialMatch, match_material
from trasloco.outside.showing import Floats, Shown, displayed_by
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.model import Input, Scene

SMALL = Quality(240, 135, 12, 3)


def changed(given: Scene, material: str, **numbers: tuple[float, ...]) -> Scene:
    one = given.materials[material]
    inputs = dict(one.inputs)
    for name, factor in numbers.items():
        inputs[name] = replace(inputs[name], factor=factor) if name in inputs else Input(factor)
    return given.with_material(replace(one, inputs=inputs))


def photographed(given: Scene) -> Floats:
    """In eight bits, by a curve, with other random numbers; display light."""
    light = render(flatten(given), VIEW, replace(SMALL, samples=48, seed=7)).radiance
    stops = -math.log2(float(np.percentile(light, 95)))
    codes = np.round(linear_to_srgb(displayed_by(light, Shown("filmic", stops))) * 255) / 255
    return srgb_to_linear(codes.astype(np.float32))


def matched(given: Scene, picture: Floats, material: str, *names: str) -> MaterialMatch:
    reaches = np.ones(picture.shape[:2], bool)
    return match_material(given, material, names, VIEW, picture, reaches, "filmic", quality=SMALL)


def number(found: MaterialMatch, name: str) -> FoundNumber:
    return next(one for one in found.numbers if one.name == name)


class Numbers(TestCase):
    def test_color_and_roughness_come_back_within_what_they_are_said_to_be_sure_of(self) -> None:
        given = counter(1)
        table = next(id for id in given.materials if id.endswith("table"))
        start = given.materials[table].inputs["base_color"].factor
        meant = tuple(v * s for v, s in zip(start, (0.6, 0.9, 1.1), strict=True))
        truth = changed(given, table, base_color=meant, roughness=(0.55,))
        found = matched(given, photographed(truth), table, "base_color", "roughness")
        color, rough = number(found, "base_color"), number(found, "roughness")
        np.testing.assert_allclose(color.after, meant, atol=0.03)
        self.assertAlmostEqual(rough.after[0], 0.55, delta=max(0.06, 3 * rough.unsure))
        self.assertTrue(color.sure)
        self.assertEqual(color.before, start)
        self.assertLess(found.after, 0.6 * found.before)

    def test_what_is_as_it_is_stays(self) -> None:
        given = counter(2)
        table = next(id for id in given.materials if id.endswith("table"))
        found = matched(given, photographed(given), table, "base_color", "metalness")
        color, metal = number(found, "base_color"), number(found, "metalness")
        np.testing.assert_allclose(color.after, color.before, atol=0.04)
        self.assertLess(abs(metal.after[0] - metal.before[0]), max(0.1, 3 * metal.unsure))

    def test_what_a_picture_does_not_show_is_refused_or_not_believed(self) -> None:
        given = counter(1)
        with self.assertRaises(Refused):
            matched(given, photographed(given), next(iter(given.materials)))
        hidden = replace(given, materials={**given.materials})
        other = replace(next(iter(given.materials.values())), id="material:unseen", name="unseen")
        hidden = replace(hidden, materials={**hidden.materials, other.id: other})
        with self.assertRaises(Refused) as told:
            matched(hidden, photographed(given), other.id, "roughness")
        self.assertIn("hardly shows", told.exception.what)
        self.assertFalse(FoundNumber("roughness", (0.5,), (0.9,), 0.4).sure)
