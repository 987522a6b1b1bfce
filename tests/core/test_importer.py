"""The one importer under any sheet: what each line of it does to a package that was written by another."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_fit import LANTERNA, PLAIN, TACCUINO
from tests.making import material, noise_image, quad, scene, sky
from trasloco import move
from trasloco.destinations.importer import import_package
from trasloco.destinations.layouts import layout_named, layout_of
from trasloco.errors import Refused
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.sheets.layouts import LAYOUTS as FACTS
from trasloco.sheets.layouts import fault_of_layout, speaks
from trasloco.sheets.model import ImageSet, InputRule, Sheet
from trasloco.sheets.text import changed

FREE = TACCUINO.model_copy(
    update={
        "name": "Free",
        "images": TACCUINO.images.model_copy(update={"largest": 0, "power_of_two": False}),
        "materials": TACCUINO.materials.model_copy(
            update={
                "inputs": {
                    name: InputRule(multiplies=True)
                    for name in ("base_color", "roughness", "metalness", "clearcoat", "anisotropy")
                },
                "sets": [
                    ImageSet(name="color", channels={"rgb": "base_color", "a": "opacity"}, encoding="srgb"),
                    ImageSet(name="surface", channels={"g": "roughness", "b": "metalness"}),
                    ImageSet(name="brushed", channels={"b": "anisotropy"}),
                ],
                "alpha": ["opaque", "mask", "blend"],
            }
        ),
        "lights": TACCUINO.lights.model_copy(update={"kinds": ["sun", "point", "spot"], "most": 0}),
    }
)
"""A GLB that takes whatever glTF holds of what is sent here."""


def ruled(**lines: object) -> Sheet:
    """The free sheet with lines changed, by dotted path with two underscores."""
    return changed(FREE, {path.replace("__", "."): value for path, value in lines.items()})


def at(height: float) -> np.ndarray:
    placed = np.eye(4)
    placed[1, 3] = height
    return placed


def sent() -> Scene:
    """Every thing that a line may refuse."""
    leaf = material(
        "leaf", "blend", True, base_color=Input((0.9, 0.8, 0.7), Texture("image:leaf", "rgb", "srgb"), True)
    )
    leaf = replace(leaf, inputs={**leaf.inputs, "opacity": Input((0.5,))})
    lacquer = material("lacquer", clearcoat=(0.75,), roughness=Texture("image:rough", "g"))
    lamps = tuple(
        (Light(f"light:{k}", f"Lamp {k}", kind, intensity=10.0 * (k + 1)), at(2.0 + k))  # type: ignore[arg-type]
        for k, kind in enumerate(("point", "sun", "spot", "point"))
    )
    return scene(
        replace(quad(1, leaf.id), colors=np.full((4, 4), 0.5, np.float32)),
        quad(1, lacquer.id),
        materials=(leaf, lacquer),
        images=(noise_image("leaf", 32, 32), noise_image("rough", 16, 24), sky(0.5)),
        environment=Environment("image:sky", 2.0),
        lights=lamps,
    )


def package_of(given: Scene, sheet: Sheet) -> dict[str, bytes]:
    return dict(move.package(move.carry(given, move.plan(given, PLAIN, sheet), sheet), sheet).files)


class Rules(TestCase):
    files: dict[str, bytes]

    @classmethod
    def setUpClass(cls) -> None:
        cls.files = package_of(sent(), FREE)

    def arrived(self, sheet: Sheet) -> dict[str, Material]:
        return {m.name: m for m in import_package(self.files, sheet).materials.values()}

    def test_what_a_sheet_takes_in_full_arrives(self) -> None:
        found = import_package(self.files, FREE)
        made = {m.name: m for m in found.materials.values()}
        self.assertEqual((made["leaf"].alpha_mode, made["leaf"].double_sided), ("blend", True))
        self.assertEqual(made["lacquer"].inputs["clearcoat"].factor, (0.75,))
        self.assertTrue(made["leaf"].inputs["base_color"].vertex_color)
        self.assertEqual(len(found.lights), 4)
        self.assertIsNone(found.environment)  # glTF has no place for one

    def test_inputs_that_a_sheet_does_not_name_are_passed_over(self) -> None:
        kept = {name: rule for name, rule in FREE.materials.inputs.items() if name != "clearcoat"}
        made = self.arrived(
            FREE.model_copy(update={"materials": FREE.materials.model_copy(update={"inputs": kept})})
        )
        self.assertNotIn("clearcoat", made["lacquer"].inputs)
        self.assertIn("roughness", made["lacquer"].inputs)

    def test_images_of_refused_sizes_are_dropped_and_their_number_stays(self) -> None:
        made = self.arrived(ruled(images__largest=16))
        self.assertIsNone(made["leaf"].inputs["base_color"].texture)
        self.assertIsNone(made["lacquer"].inputs["roughness"].texture)  # 16 by 24 texels
        made = self.arrived(ruled(images__largest=32))
        self.assertIsNotNone(made["leaf"].inputs["base_color"].texture)
        made = self.arrived(ruled(images__power_of_two=True))
        self.assertIsNotNone(made["leaf"].inputs["base_color"].texture)
        self.assertIsNone(made["lacquer"].inputs["roughness"].texture, "24 is no power of two")

    def test_see_through_sides_and_paint_are_drawn_as_the_sheet_says(self) -> None:
        self.assertEqual(
            self.arrived(ruled(materials__alpha=["opaque", "mask"]))["leaf"].alpha_mode, "opaque"
        )
        for rule, wanted in (("always", True), ("never", False), ("flag", True)):
            self.assertEqual(
                self.arrived(ruled(materials__two_sided=rule))["leaf"].double_sided, wanted, rule
            )
        self.assertTrue(self.arrived(ruled(materials__two_sided="always"))["lacquer"].double_sided)
        painted = self.arrived(ruled(materials__vertex_color="ignored"))["leaf"]
        self.assertFalse(painted.inputs["base_color"].vertex_color)

    def test_lamps_of_other_kinds_and_beyond_the_number_stay_away(self) -> None:
        found = import_package(self.files, ruled(lights__kinds=["point", "spot"])).lights
        self.assertEqual({light.kind for light in found.values()}, {"point", "spot"})
        found = import_package(self.files, ruled(lights__kinds=["point", "spot"], lights__most=2)).lights
        self.assertEqual(sorted(light.intensity for light in found.values()), [30.0, 40.0])

    def test_a_sheet_without_a_layout_reads_nothing(self) -> None:
        for layout in (None, "an invented one"):
            with self.assertRaises(Refused):
                import_package(self.files, FREE.model_copy(update={"layout": layout}))


class Brushed(TestCase):
    def test_files_of_another_layout_are_refused_by_name(self) -> None:
        for name in FACTS:
            sheet = LANTERNA.model_copy(update={"layout": name})
            for files in ({}, {"readme.txt": b"nothing here"}):
                with self.subTest(layout=name, files=files), self.assertRaises(Refused) as caught:
                    import_package(files, sheet, scene(quad(1.0)))
                self.assertEqual(caught.exception.where, ", ".join(files) or "an empty package")

    def test_an_image_of_anisotropy_lies_where_gltf_keeps_it_and_says_no_direction(self) -> None:
        """KHR_materials_anisotropy: strength in blue; red and green are a direction, (1, 0) where none is
        meant, as (2 red - 1, 2 green - 1).
        """
        brushed = material("brushed", anisotropy=Texture("image:rough", "g"))
        given = scene(quad(1, brushed.id), materials=(brushed,), images=(noise_image("rough", 16, 16),))
        self.assertIsNone(fault_of_layout(FREE))
        files = package_of(given, FREE)
        arrived = import_package(files, FREE)
        (only,) = arrived.materials.values()
        texture = only.inputs["anisotropy"].texture
        assert texture is not None
        self.assertEqual(texture.channels, "b")
        from trasloco.scene.images import pixels

        texels = pixels(arrived.images[texture.image])
        np.testing.assert_array_equal(texels[..., 2], pixels(given.images["image:rough"])[..., 1])
        direction = texels[..., :2].astype(float) / 255 * 2 - 1
        np.testing.assert_allclose(direction[..., 0], 1.0)
        np.testing.assert_allclose(direction[..., 1], 0.0, atol=0.005)


class Layouts(TestCase):
    def test_what_can_be_written_is_what_sheets_may_name(self) -> None:
        for name in FACTS:
            layout = layout_named(name)
            assert layout is not None
            self.assertEqual(layout.name, name)
            self.assertIs(layout_of(LANTERNA.model_copy(update={"layout": name})), layout)

    def test_a_layout_that_nobody_knows_is_named_with_those_that_are(self) -> None:
        fault = fault_of_layout(FREE.model_copy(update={"layout": "origami"}))
        assert fault is not None
        self.assertEqual(fault[0], "layout")
        for name in FACTS:
            self.assertIn(name, fault[1])

    def test_whose_materials_a_package_speaks(self) -> None:
        self.assertTrue(speaks(FREE, "gltf"))
        self.assertFalse(speaks(LANTERNA, "gltf"))
        self.assertFalse(speaks(FREE.model_copy(update={"layout": None}), "gltf"))

    def test_each_line_that_glTF_cannot_keep_is_told_by_itself(self) -> None:
        for path, value in (
            ("conventions.up_axis", "Z"),
            ("conventions.unit_m", 0.01),
            ("conventions.normal_green", "down"),
            ("lights.kinds", ["sun", "disc"]),
            ("lights.sizes", True),
            ("lights.backdrop", True),
            ("lights.environment", True),
            ("cameras.lens", True),
            ("cameras.shift", True),
            ("structure.layers", True),
            ("structure.frame_rate", True),
            ("lightmaps.direction", True),
            ("lightmaps.probes", True),
            ("materials.inputs", {"height": {}}),
            ("materials.inputs", {"occlusion": {}}),
            ("materials.sets", [{"name": "a", "channels": {"g": "occlusion"}}]),
            ("materials.sets", [{"name": "a", "channels": {"r": "ior"}}]),
            (
                "materials.sets",
                [
                    {"name": "a", "channels": {"g": "roughness"}},
                    {"name": "b", "channels": {"b": "metalness"}},
                ],
            ),
        ):
            with self.subTest(path=path, value=value), self.assertRaises(Refused) as caught:
                changed(FREE, {path: value})
            self.assertEqual(caught.exception.where, path)
