"""A material's variant as a difference that others take: by closed forms, on numbers and on every texel."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.mends.differing import difference, varied
from trasloco.scene.images import pixels
from trasloco.scene.layers import laid_over, texture_values
from trasloco.scene.model import Decision, Input, Layer, Material, Scene, Texture
from trasloco.sheets.library import sheet_named

NEW, WORN, OTHER = "material:Lacquer", "material:Lacquer worn", "material:Boards"
DUST = Texture("image:dust", "rgb", "srgb")


def coats(other: Material, worn: Material | None = None) -> Scene:
    new = material("Lacquer", base_color=(0.4, 0.2, 0.1), roughness=(0.2,), clearcoat=(1.0,), ior=(1.5,))
    old = worn or material(
        "Lacquer worn", base_color=(0.2, 0.2, 0.4), roughness=(0.6,), clearcoat=(0.25,), ior=(1.8,)
    )
    rng = np.random.default_rng(4)
    return scene(
        *(quad(1.0, id) for id in (NEW, WORN, OTHER)),
        materials=(new, old, other),
        images=(
            image("grain", rng.integers(0, 255, (8, 8), np.uint8)),
            image("dust", rng.integers(0, 255, (8, 8, 3), np.uint8)),
        ),
    )


def put_on(given: Scene, amount: float = 1.0) -> Material:
    changes, left = difference(given, NEW, WORN, given)
    assert not left, left
    decisions, left = varied(given, changes, [OTHER], amount)
    assert not left, left
    return move.mend(given, sheet_named("plain"), decisions).materials[OTHER]


class Differing(TestCase):
    def test_numbers_fall_by_as_much_and_rise_as_far_of_their_way(self) -> None:
        given = coats(material("Boards", base_color=(0.8, 0.5, 0.1), roughness=(0.5,), clearcoat=(0.6,)))
        made = put_on(given).inputs
        # Red halves, green stays, blue goes a third of its way: (0.4 - 0.1) / (1 - 0.1).
        np.testing.assert_allclose(made["base_color"].factor, (0.4, 0.5, 0.1 + 0.9 / 3), rtol=1e-6)
        # Half the way from 0.2 to 1, so from 0.5 to 0.75.
        np.testing.assert_allclose(made["roughness"].factor, (0.75,), rtol=1e-6)
        np.testing.assert_allclose(made["clearcoat"].factor, (0.15,), rtol=1e-6)
        # What has no bounds is multiplied, from its default where nothing was said.
        np.testing.assert_allclose(made["ior"].factor, (1.5 * 1.8 / 1.5,), rtol=1e-6)

    def test_a_share_of_it_lies_between_and_none_changes_nothing(self) -> None:
        given = coats(material("Boards", roughness=(0.5,), clearcoat=(0.6,)))
        np.testing.assert_allclose(put_on(given, 0.5).inputs["roughness"].factor, (0.5 + 0.25 * 0.5,))
        np.testing.assert_allclose(put_on(given, 0.5).inputs["clearcoat"].factor, (0.6 * (1 - 0.5 * 0.75),))
        changes, _ = difference(given, NEW, WORN, given)
        self.assertEqual(varied(given, changes, [OTHER], 0.0), ([], []))

    def test_every_texel_rises_as_a_number_does(self) -> None:
        """v + s (1 - v) for v = factor x texel, whatever the factor."""
        for factor in (1.0, 0.4):
            rough = Input((factor,), Texture("image:grain", "r", "linear"))
            given = coats(material("Boards", roughness=rough))
            made = put_on(given).inputs["roughness"]
            texels = pixels(given.images["image:grain"]).astype(np.float32)[..., :1] / 255
            v = factor * texels
            assert made.texture is not None
            found = made.factor[0] * (texture_values(made.texture, given.images, 1))
            for layer in made.layers:
                of = np.float32(layer.factor[0]) * texture_values(layer.texture, given.images, 1)
                found = laid_over(found, of, layer.weight, layer.blend)
            np.testing.assert_allclose(found, v + 0.5 * (1 - v), atol=1e-5)

    def test_layers_of_the_worn_one_come_along_and_those_below_are_multiplied_through(self) -> None:
        dust = Layer(DUST, (1.0, 1.0, 1.0), None, "over", 0.4)
        worn = material(
            "Lacquer worn",
            base_color=Input((0.2, 0.1, 0.05), layers=(dust,)),
            roughness=(0.2,),
            clearcoat=(1.0,),
            ior=(1.5,),
        )
        below = Layer(replace(DUST, channels="rgb"), (1.0, 0.5, 0.5), None, "over", 0.3)
        given = coats(material("Boards", base_color=Input((0.8, 0.8, 0.8), layers=(below,))), worn)
        made = put_on(given, 0.5).inputs["base_color"]
        np.testing.assert_allclose(made.factor, (0.6,) * 3, rtol=1e-6)
        first, second = made.layers
        np.testing.assert_allclose(first.factor, (0.75, 0.375, 0.375), rtol=1e-6)
        self.assertEqual((second.texture.image, second.weight), ("image:dust", 0.2))

    def test_what_others_cannot_take_is_told(self) -> None:
        worn = material(
            "Lacquer worn",
            base_color=Input((1.0,) * 3, DUST),
            roughness=(0.6,),
            clearcoat=(1.0,),
            ior=(1.5,),
            emission=(0.5, 0.5, 0.5),
        )
        layered = Input((0.5,), layers=(Layer(Texture("image:grain", "r", "linear"), (1.0,), weight=0.5),))
        given = coats(material("Boards", roughness=layered), worn)
        changes, left = difference(given, NEW, WORN, given)
        self.assertTrue(any("Base colour reads another image" in words for words in left), left)
        self.assertIn("roughness", [c.name for c in changes])
        decided, left = varied(given, [c for c in changes if c.name == "roughness"], [OTHER], 1.0)
        self.assertEqual(decided, [])
        self.assertIn("roughness has layers", left[0])
        for wrong in (("material:Nobody", WORN), (NEW, "material:Nobody")):
            with self.assertRaises(Refused):
                difference(given, *wrong, given)
        with self.assertRaises(Refused):
            varied(given, changes, [OTHER], 1.5)

    def test_what_is_read_or_seen_through_otherwise_is_told_as_that(self) -> None:
        bump = Texture("image:grain", "rgb", "linear")
        flat = replace(bump, strength=0.3)
        new, old = (
            material("Lacquer", normal=Input((0.0, 0.0, 1.0), bump)),
            material("Lacquer worn", "mask", normal=Input((0.0, 0.0, 1.0), flat)),
        )
        given = coats(material("Boards"))
        given = replace(given, materials={**given.materials, NEW: new, WORN: old})
        changes, left = difference(given, NEW, WORN, given)
        self.assertEqual(changes, [])
        self.assertEqual(
            left,
            [
                "See-through and sides stay with Lacquer worn.",
                "Normal reads its image otherwise; that stays with Lacquer worn.",
            ],
        )

    def test_a_material_differs_from_itself_as_it_was_received(self) -> None:
        given = coats(material("Boards"))
        worn = move.mend(given, sheet_named("plain"), [Decision(f"{NEW}/roughness", "factor", [0.6])])
        (change,), left = difference(worn, NEW, NEW, given)
        self.assertEqual((change.name, change.words(), left), ("roughness", "50 % of the way to 1", []))
        with self.assertRaisesRegex(Refused, "was not received"):
            difference(worn, OTHER, OTHER, replace(given, materials={NEW: given.materials[NEW]}))

    def test_words_say_what_happens(self) -> None:
        given = coats(material("Boards"))
        told = {c.name: c.words() for c in difference(given, NEW, WORN, given)[0]}
        self.assertEqual(told["roughness"], "50 % of the way to 1")
        self.assertEqual(told["clearcoat"], "× 0.25")
        self.assertEqual(told["base_color"], "red × 0.5, blue 33 % of the way to 1")
