"""Packages of looks alone, for meshes that stand there already: MaterialX documents and images by their
names.
"""

from __future__ import annotations

import io
from dataclasses import replace
from unittest import TestCase

import MaterialX as mx
import numpy as np
from PIL import Image as Picture

from tests.carried import delivered, unaccounted
from tests.everything import everything
from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.gauge.boards import boards
from trasloco.gauge.packing import packed
from trasloco.handover.how_to_import import steps_of
from trasloco.scene.model import Scene, Texture
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
PLAIN = SHEETS["plain"]
NOTHING_ELSE = {
    "lights.kinds": [],
    "lights.environment": False,
    "cameras.taken": False,
    "cameras.lens": False,
    "cameras.shift": False,
    "lightmaps.taken": False,
    "lights.backdrop": False,
}
DOCUMENT = changed(SHEETS["fornace"], {**NOTHING_ELSE, "layout": "materialx", "package.form": "mtlx"})
EACH = changed(DOCUMENT, {"package.files": "one a material"})
IMAGES = changed(
    SHEETS["fornace"],
    {
        **NOTHING_ELSE,
        "layout": "images",
        "package.form": "images",
        "images.folder": "",
        "images.pattern": "{set}_{material}",
        "materials.inputs": {},
        "materials.sets": [
            {"name": "color", "encoding": "srgb", "channels": {"rgb": "base_color"}},
            {"name": "surface", "channels": {"r": "occlusion", "g": "roughness", "b": "metalness"}},
            {"name": "relief", "channels": {"rgb": "normal"}},
            {"name": "cutout", "channels": {"r": "opacity"}},
            {"name": "glow", "encoding": "srgb", "channels": {"rgb": "emission"}},
        ],
        "materials.texture_transform": False,
        "materials.wraps": "repeat",
        "materials.cut_at": "half",
        "materials.alpha": ["opaque", "mask"],
        "materials.two_sided": "always",
        "materials.relief_strength": "in the image",
        "structure.uv_sets": "one",
    },
)
TEXELS = np.random.default_rng(4).integers(0, 256, (16, 16, 3)).astype(np.uint8)


def chest() -> Scene:
    """Two slots of one name, one with a picture, one of plain numbers."""
    picture = material("Oak", base_color=Texture("image:grain", "rgb", "srgb"), roughness=(0.4,))
    plain = material("Oak", base_color=(0.5, 0.25, 0.125), roughness=(0.2,), metalness=(1.0,))
    plain = replace(plain, id="material:other")
    grain = image("grain", TEXELS)
    return scene(
        quad(),
        quad(material=plain.id),
        materials=(replace(picture, id="material:m"), plain),
        images=(grain,),
        names=("Lid", "Band"),
    )


class Books(TestCase):
    def test_nothing_is_unaccounted(self) -> None:
        for label, sheet in (("one document", DOCUMENT), ("one a material", EACH), ("images", IMAGES)):
            for seed in (0, 2, 13, 19, 29):
                with self.subTest(label, seed=seed):
                    self.assertEqual(unaccounted(everything(seed), sheet), [])

    def test_what_is_held_at_its_border_is_told_to_repeat(self) -> None:
        given = chest()
        oak = given.materials["material:m"]
        color = oak.inputs["base_color"]
        assert color.texture is not None
        for wrap in (("clamp", "clamp"), ("mirror", "repeat")):
            held = replace(color, texture=replace(color.texture, wrap=wrap))
            other = given.with_material(replace(oak, inputs={**oak.inputs, "base_color": held}))
            (told,) = (c for c in move.plan(other, PLAIN, IMAGES).of(oak.id) if c.name == "base_color")
            self.assertEqual((told.mark, "repeated" in told.reason), ("close", True))
            self.assertEqual(unaccounted(other, IMAGES), [])

    def test_only_looks_are_sent_and_told(self) -> None:
        given = chest()
        plan = move.plan(given, PLAIN, DOCUMENT)
        self.assertEqual((plan.lights, plan.meshes), ((), ()))
        self.assertEqual({p.kind for p in plan.passages}, {"material"})
        carried = move.carry(given, plan, DOCUMENT)
        told = move.account(
            given, move.arrive(move.package(carried, DOCUMENT), DOCUMENT, given), plan, DOCUMENT
        )
        self.assertLessEqual({e.kind for e in told.entries}, {"input", "material"})

    def test_a_look_that_did_not_arrive_is_noticed(self) -> None:
        given = chest()
        plan = move.plan(given, PLAIN, IMAGES)
        package = move.package(move.carry(given, plan, IMAGES), IMAGES)
        for path in [path for path in package.files if path.startswith("color_")]:
            left = {p: data for p, data in package.files.items() if p != path}
            arrival = move.arrive(replace(package, files=left), IMAGES, given)
            told = move.account(given, arrival, plan, IMAGES)
            self.assertEqual({e.aspect for e in told.unaccounted}, {"base_color"}, path)


class Files(TestCase):
    def test_documents_are_valid_and_hold_a_material_each(self) -> None:
        for sheet, count in ((DOCUMENT, 1), (EACH, 2)):
            held = {p: d for p, d in delivered(chest(), sheet).files.items() if p.endswith(".mtlx")}
            self.assertEqual(len(held), count)
            surfaces = 0
            for data in held.values():
                document = mx.createDocument()
                mx.readFromXmlString(document, data.decode())
                valid, message = document.validate()
                self.assertTrue(valid, message)
                surfaces += len(document.getMaterialNodes())
            self.assertEqual(surfaces, 2)
        self.assertEqual(sorted(held), ["oak-2.mtlx", "oak.mtlx"])

    def test_images_are_named_by_the_pattern_and_hold_numbers_too(self) -> None:
        files = delivered(chest(), IMAGES).files
        self.assertEqual(
            sorted(files), ["color_oak-2.png", "color_oak.png", "surface_oak-2.png", "surface_oak.png"]
        )
        grain = np.asarray(Picture.open(io.BytesIO(files["color_oak.png"])).convert("RGB"))
        self.assertTrue(np.array_equal(grain, TEXELS))
        band = np.asarray(Picture.open(io.BytesIO(files["surface_oak-2.png"])).convert("RGB"), float) / 255
        meant = [1.0, 0.2, 1.0]  # no occlusion, roughness, metalness
        self.assertLess(np.abs(band - meant).max(), 1 / 255)
        color = np.asarray(Picture.open(io.BytesIO(files["color_oak-2.png"])).convert("RGB"), float) / 255
        linear = ((color + 0.055) / 1.055) ** 2.4
        self.assertLess(np.abs(linear - [0.5, 0.25, 0.125]).max(), 0.004)

    def test_how_they_are_put_on_is_told(self) -> None:
        package = delivered(chest(), IMAGES)
        told = "\n".join(steps_of(package.files, chest(), IMAGES))
        self.assertIn("INPUT_MATERIAL", told)
        self.assertIn("surface holds occlusion in R, roughness in G and metalness in B", told)
        package = delivered(chest(), EACH)
        self.assertIn("oak-2.mtlx", "\n".join(steps_of(package.files, chest(), EACH)))


class Standing(TestCase):
    def test_they_look_there_as_they_did(self) -> None:
        given = chest()
        for sheet in (DOCUMENT, IMAGES):
            arrival = move.arrive(delivered(given, sheet), sheet, given)
            self.assertEqual(arrival.meshes, given.meshes)
            self.assertAlmostEqual(
                arrival.materials["material:other"].inputs["roughness"].factor[0] or 0,
                1.0 if sheet is IMAGES else 0.2,
                3,
            )

    def test_without_anything_that_stands_there_they_are_refused(self) -> None:
        with self.assertRaises(Refused):
            move.arrive(delivered(chest(), DOCUMENT), DOCUMENT)
        board = next(iter(boards().values()))
        with self.assertRaises(Refused):
            packed(board, DOCUMENT)

    def test_what_needs_other_faces_or_uvs_is_refused_in_a_sheet(self) -> None:
        for line, value in (
            ("structure.slots", "one a part"),
            ("lightmaps.taken", True),
            ("cameras.taken", True),
            ("lights.kinds", ["sun"]),
            ("materials.two_sided", "never"),
        ):
            with self.subTest(line), self.assertRaises(Refused) as caught:
                changed(DOCUMENT, {line: value})
            self.assertEqual(caught.exception.where, line)
