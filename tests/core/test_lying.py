"""Images that lie unread: named like a slot, in sets that fit none, or nobody's; and words written together."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, quad, scene
from trasloco.decisions.carrying_out import mended
from trasloco.fit.families.lying import Lying, lying, put_by_hand
from trasloco.fit.families.recognise import recognised
from trasloco.fit.families.sets import looked_at, proposals, waiting
from trasloco.scene.images import Image, identify
from trasloco.scene.model import Input, Scene, Texture
from trasloco.sheets.library import sheet_named

RNG = np.random.default_rng(5)


def picture(file: str) -> Image:
    """A small colour picture called so."""
    made = image("x", RNG.integers(0, 255, (8, 8, 3)).astype(np.uint8))
    return identify(f"image:{file}", file, file, made.data)


def told(given: Scene) -> Lying:
    loose = waiting(given)
    seen = looked_at(loose)
    return lying(given, loose, seen, proposals(given, seen))


class Named(TestCase):
    def put(self, file: str, *materials: str) -> list[tuple[str, str, str]]:
        made = [material(name) for name in materials]
        given = scene(
            *(quad(material=one.id) for one in made),
            materials=tuple(made),
            images=(picture(file),),
        )
        return [(p.material, f.input, f.image) for p in told(given).proposals for f in p.fillings]

    def test_an_image_named_like_a_material_is_its_colour(self) -> None:
        for file in (
            "bellows.jpg",
            "bellows_tex.png",
            "Bellows Texture.png",
            "bellows-map.png",
            "BELLOWS.png",
        ):
            wanted = [("material:Bellows", "base_color", f"image:{file}")]
            self.assertEqual(self.put(file, "Bellows", "Stage boards"), wanted, file)

    def test_what_is_named_like_two_or_like_none_is_not_guessed(self) -> None:
        self.assertEqual(self.put("bellows.png", "Bellows left", "Bellows right"), [])
        self.assertEqual(self.put("scan_0041.png", "Bellows", "Stage boards"), [])

    def test_an_input_that_reads_an_image_stays(self) -> None:
        first = picture("other.png")
        held = material("Bellows")
        inputs = {
            **held.inputs,
            "base_color": replace(held.inputs["base_color"], texture=Texture(first.id, "rgb", "srgb")),
        }
        given = scene(
            quad(), materials=(replace(held, inputs=inputs),), images=(first, picture("bellows.png"))
        )
        self.assertEqual([f.input for p in told(given).proposals for f in p.fillings], [])

    def test_two_that_are_as_like_wait_for_a_word(self) -> None:
        made = material("Bellows")
        given = scene(quad(), materials=(made,), images=(picture("bellows.png"), picture("bellows_tex.png")))
        rest = told(given)
        self.assertEqual(rest.proposals, ())
        self.assertEqual(len(rest.unsure), 2)


class Left(TestCase):
    def test_a_set_that_fits_no_slot_stays_visible(self) -> None:
        made = material("Bellows")
        files = ("lantern_emission.png", "lantern_basecolor.png")
        given = scene(quad(), materials=(made,), images=tuple(picture(file) for file in files))
        rest = told(given)
        self.assertEqual([one.name for one in rest.sets], ["lantern"])
        self.assertEqual(
            {m.image for one in rest.sets for m in one.members}, {f"image:{file}" for file in files}
        )

    def test_parts_that_wear_nothing_are_told(self) -> None:
        bare = replace(quad(), material=None)
        given = scene(bare, images=(picture("bellows.png"),))
        self.assertEqual(len(told(given).bare), 1)
        self.assertEqual(told(scene(quad(), materials=(material(),))).bare, ())


class ByHand(TestCase):
    def decided(self, input: str) -> dict[str, object]:
        one = material("Bellows", metalness=(0.0,))
        given = scene(quad(material=one.id), materials=(one,), images=(picture("scan.png"),))
        return {d.field: d.value for d in put_by_hand(given, one, input, "image:scan.png")}

    def test_an_image_said_by_hand_brings_what_it_wants_beside_it(self) -> None:
        metal = self.decided("metalness")
        self.assertEqual(metal["factor"], [1.0])  # nothing of it would be seen times nought
        self.assertEqual(metal["image"], {"image": "image:scan.png", "channels": "r", "invert": False})
        self.assertIn(self.decided("opacity")["alpha_mode"], ("mask", "blend"))
        self.assertEqual(set(self.decided("base_color")), {"image"})

    def test_what_was_read_before_makes_place(self) -> None:
        one = material("Bellows", base_color=Texture("image:other.png", "rgb", "srgb"))
        images = (picture("other.png"), picture("scan.png"))
        given = scene(quad(material=one.id), materials=(one,), images=images)
        made = put_by_hand(given, one, "base_color", "image:scan.png")
        self.assertEqual(
            [(d.target, d.value["image"]) for d in made], [("material:Bellows/base_color", "image:scan.png")]
        )  # type: ignore[index]


class Compounds(TestCase):
    def test_words_written_together_are_taken_apart_and_everyday_ones_are_not(self) -> None:
        for file, kind in (
            ("laurelmask.png", "mask"),
            ("laurelroughness.png", "roughness"),
            ("WingNormalsMap.png", "normal"),
            ("curtainalbedo.png", "base_color"),
            ("boardsheightmap.png", "height"),
        ):
            found = recognised([file])[0]
            self.assertEqual(found.kinds, (kind,), (file, found.reason))
        for file in ("sheetmetal.png", "watercolor.png", "roadmap.png"):
            self.assertEqual(recognised([file])[0].kinds, (), file)

    def test_the_words_of_a_set_lose_their_end(self) -> None:
        keys = {one.key for one in recognised(["laurelroughness.png", "laurelalbedo.png"])}
        self.assertEqual(keys, {("laurel",)})

    def test_a_green_convention_written_at_the_end_is_heard(self) -> None:
        up = recognised(["wing_NormalOpenGL.png"])[0].fills[0].green_up
        down = recognised(["wing_NormalDirectX.png"])[0].fills[0].green_up
        self.assertEqual((up, down), (True, False))


class OwnAlpha(TestCase):
    def test_the_colour_images_own_alpha_is_read_as_opacity_where_the_colour_lies(self) -> None:
        leaf = np.zeros((8, 8, 4), np.uint8)
        given = Texture("image:leaf", "rgb", "srgb", scale=(2.0, 3.0))
        held = material("Leaf", base_color=Input((1.0, 1.0, 1.0), given))
        before = scene(quad(material="material:Leaf"), materials=(held,), images=(image("leaf", leaf),))
        made = put_by_hand(before, held, "opacity", "image:leaf")
        after = mended(before, sheet_named("plain"), list(made))
        texture = after.materials["material:Leaf"].inputs["opacity"].texture
        assert texture is not None
        self.assertEqual((texture.image, texture.channels, texture.scale), ("image:leaf", "a", (2.0, 3.0)))
