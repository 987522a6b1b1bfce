"""Looks taken from others, relief that was invented, places decided in their order: later decisions count
from earlier ones.
"""

from unittest import TestCase

import numpy as np

from tests.making import image, material, noise_image, quad, scene
from trasloco import move
from trasloco.mends.copied_inputs import copied_settings
from trasloco.scene.extent import part_bounds
from trasloco.scene.model import Decision, Input, Scene, Texture
from trasloco.sheets.library import built_in_sheets

PLAIN = built_in_sheets()["plain"]


def mended(given: Scene, *decisions: Decision) -> Scene:
    return move.mend(given, PLAIN, decisions)


def three() -> Scene:
    made = (
        material("a", base_color=(0.1, 0.1, 0.1)),
        material("b", base_color=(0.2, 0.2, 0.2), roughness=(0.3,)),
        material("c", base_color=(0.9, 0.0, 0.0)),
    )
    return scene(*(quad(material=m.id) for m in made), materials=made, names=("A", "B", "C"))


def base_of(given: Scene, name: str) -> tuple[float, ...]:
    return given.materials[f"material:{name}"].inputs["base_color"].factor


class Taken(TestCase):
    def test_a_look_is_taken_as_it_has_become_whenever_it_changes(self) -> None:
        take, change = (
            Decision("material:a", "use_material", "material:b"),
            Decision("material:b/base_color", "factor", [0.5, 0.6, 0.7]),
        )
        for decisions in ((take, change), (change, take)):
            made = mended(three(), *decisions)
            self.assertEqual(base_of(made, "a"), (0.5, 0.6, 0.7))
            self.assertEqual(
                (made.materials["material:a"].name, made.materials["material:a"].inputs["roughness"].factor),
                ("a", (0.3,)),
            )

    def test_what_was_decided_before_is_replaced_and_what_is_decided_after_holds(self) -> None:
        own = Decision("material:a/base_color", "factor", [1.0, 1.0, 1.0])
        take = Decision("material:a", "use_material", "material:b")
        self.assertEqual(base_of(mended(three(), own, take), "a"), (0.2, 0.2, 0.2))
        self.assertEqual(base_of(mended(three(), take, own), "a"), (1.0, 1.0, 1.0))

    def test_looks_are_handed_on_and_rings_end(self) -> None:
        first, second = (
            Decision("material:b", "use_material", "material:c"),
            Decision("material:a", "use_material", "material:b"),
        )
        red = Decision("material:c/base_color", "factor", [0.7, 0.1, 0.1])
        self.assertEqual(base_of(mended(three(), first, second, red), "a"), (0.7, 0.1, 0.1))
        ring = mended(three(), second, Decision("material:b", "use_material", "material:a"))
        self.assertEqual(set(ring.materials), {"material:a", "material:b", "material:c"})


class Invented(TestCase):
    def given(self) -> Scene:
        picture = noise_image("paint", 32, 32)
        textured = Input((1.0, 1.0, 1.0), Texture("image:paint", "rgb", "srgb"))
        made = (material("a", base_color=textured), material("b", base_color=(0.5, 0.5, 0.5)))
        return scene(
            *(quad(material=m.id) for m in made),
            materials=made,
            images=(picture, image("other", np.full((8, 8, 3), 90, np.uint8))),
            names=("A", "B"),
        )

    def test_settings_with_invented_relief_are_copied_as_its_invention(self) -> None:
        invent = Decision("material:a", "invent_relief", {"depth": 0.05, "lighten": True})
        reference = mended(self.given(), invent)
        again = mended(self.given(), invent, *copied_settings(reference, "material:a", ["material:b"]))
        first, second = again.materials["material:a"].inputs, again.materials["material:b"].inputs
        for name in ("base_color", "height"):
            self.assertEqual(first[name].texture, second[name].texture)

    def test_its_depth_is_changed_like_any_other(self) -> None:
        invent = Decision("material:a", "invent_relief", {"depth": 0.05, "lighten": True})
        deeper = mended(self.given(), invent, Decision("material:a/height", "strength", 0.2))
        meant = mended(self.given(), Decision("material:a", "invent_relief", {"depth": 0.2, "lighten": True}))
        height, wanted = (
            deeper.materials["material:a"].inputs["height"].texture,
            meant.materials["material:a"].inputs["height"].texture,
        )
        assert height is not None and wanted is not None
        self.assertEqual(height.strength, 0.2)
        lit = deeper.materials["material:a"].inputs["base_color"].texture
        assert lit is not None
        self.assertEqual(deeper.images[lit.image].digest, meant.images[lit.image].digest)


class Placed(TestCase):
    def test_a_part_that_was_stood_down_can_be_lifted_again(self) -> None:
        stand, lift = (
            Decision("part:A", "stand_on_ground", True),
            Decision("part:A", "place", {"move_m": [0, 0.75, 0]}),
        )
        self.assertAlmostEqual(
            float(part_bounds(mended(three(), stand, lift))["part:A"][0][1]), 0.75, places=6
        )
        self.assertAlmostEqual(
            float(part_bounds(mended(three(), lift, stand))["part:A"][0][1]), 0.0, places=6
        )
