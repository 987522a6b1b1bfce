"""The shelf of materials: read from its document, matched to slots by name, put on as decisions."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, material, noise_image, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.scene.model import Texture
from trasloco.sheets.library import built_in_sheets
from trasloco.shelf import matches, put_on, shelf

PLAIN = built_in_sheets()["plain"]


class Shelf(TestCase):
    def test_what_lies_on_it_says_what_it_is(self) -> None:
        brass, velvet, glass, flame = (
            shelf()[n] for n in ("Footlight brass", "Curtain velvet, worn", "Chimney glass", "Flame")
        )
        np.testing.assert_allclose(brass.inputs["base_color"].factor, (0.89, 0.70, 0.34), atol=1e-6)
        self.assertEqual(
            (brass.inputs["metalness"].factor, glass.inputs["transmission"].factor), ((1.0,), (1.0,))
        )
        self.assertGreater(max(velvet.inputs["sheen_color"].factor), 0)
        self.assertGreater(max(flame.inputs["emission"].factor), 0.5)
        self.assertTrue(all(i.texture is None for m in shelf().values() for i in m.inputs.values()))
        self.assertGreaterEqual(len(shelf()), 15)

    def test_slots_are_matched_by_name(self) -> None:
        made = scene(
            quad(),
            materials=(
                material("footlight_brass"),
                material("CandleWax.001"),
                material("Paper laurel"),
                material("zzz"),
            ),
        )
        self.assertEqual(
            {(m.slot, m.name) for m in matches(made)},
            {
                ("material:footlight_brass", "Footlight brass"),
                ("material:CandleWax.001", "Candle wax"),
                ("material:Paper laurel", "Paper laurel"),
            },
        )

    def test_put_on_replaces_every_input_and_keeps_slot_and_paint(self) -> None:
        old = material(
            "old",
            alpha_mode="mask",
            base_color=Texture("image:c", "rgb", "srgb"),
            opacity=Texture("image:c", "a"),
            clearcoat=(1.0,),
        )
        old = replace(
            old, inputs={**old.inputs, "base_color": replace(old.inputs["base_color"], vertex_color=True)}
        )
        given = replace(
            scene(quad(material="material:old"), materials=(old,), images=(noise_image("c", 8, 8, 4),)),
            declares=DECLARED,
        )
        made = move.mend(given, PLAIN, put_on(given, "material:old", "Footlight brass")).materials[
            "material:old"
        ]
        brass = shelf()["Footlight brass"]
        self.assertEqual(
            {k: v.factor for k, v in made.inputs.items()}, {k: v.factor for k, v in brass.inputs.items()}
        )
        self.assertEqual(
            (
                made.name,
                made.alpha_mode,
                made.inputs["base_color"].vertex_color,
                made.inputs["base_color"].texture,
            ),
            ("old", "opaque", True, None),
        )
        for target, name in (("material:none", "Flame"), ("material:old", "Cheese")):
            with self.assertRaises(Refused):
                put_on(given, target, name)
