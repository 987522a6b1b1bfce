"""Tags of parts: decided, carried in every format that can hold them, priced by the shape that collides."""

import json
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_paint import ball
from tests.making import DECLARED, cube, image, material, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.fit.geometry.collision import collision_cost
from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_read import read_gltf
from trasloco.handover.packing_list import packing_list
from trasloco.scene.model import Decision, Tags
from trasloco.scene.resolve import input_values
from trasloco.scene.tags import tags_json, tags_of, tags_words
from trasloco.sheets.library import built_in_sheets

PLAIN = built_in_sheets()["plain"]
SAID = [
    Decision("part:Box", "surface", "wood"),
    Decision("part:Box", "collision", "hull"),
    Decision("part:Box", "still", True),
    Decision("part:Box", "casts_shadow", False),
]


class TagsTravel(TestCase):
    def test_they_arrive_wherever_a_format_holds_them(self) -> None:
        given = replace(
            scene(cube(), quad(), materials=(material(),), names=("Box", "Floor")), declares=DECLARED
        )
        reference = move.mend(given, PLAIN, SAID)
        wanted = Tags("wood", "hull", True, False)
        for name in ("lanterna", "fornace", "taccuino"):
            sheet = built_in_sheets()[name]
            carried = move.carry(reference, move.plan(reference, PLAIN, sheet), sheet)
            package = move.package(carried, sheet)
            arrived = {n.name: n.tags for n in move.arrive(package, sheet).parts()}
            self.assertEqual(arrived, {"Box": wanted, "Floor": Tags()})
            self.assertIn(
                "Box  surface wood, collides as a hull, still, casts no shadow (1 piece, 12 triangles)",
                packing_list(carried, package, sheet),
            )
            if name == "lanterna":
                self.assertEqual(
                    json.loads(package.files["materials.json"])["parts"],
                    [
                        {
                            "part": "Box",
                            "surface": "wood",
                            "collision": "hull",
                            "still": True,
                            "casts_shadow": False,
                        }
                    ],
                )

    def test_unsaid_again_and_refused(self) -> None:
        given = replace(scene(cube(), materials=(material(),), names=("Box",)), declares=DECLARED)
        again = move.mend(given, PLAIN, [*SAID, *(Decision(d.target, d.field, None) for d in SAID)])
        self.assertEqual(again.nodes["part:Box"].tags, Tags())
        for field, value in (("collision", "egg"), ("still", 1), ("surface", 5), ("casts_shadow", "no")):
            with self.assertRaises(Refused):
                move.mend(given, PLAIN, [Decision("part:Box", field, value)])
        self.assertEqual(tags_of({"collision": "egg", "still": "yes", "surface": 4}), Tags())
        self.assertEqual(
            tags_of(tags_json(Tags("wax", "none", False, True))), Tags("wax", "none", False, True)
        )
        self.assertEqual(
            tags_words(Tags("wax", "none", False, True)), "surface wax, no obstacle, moves, casts shadows"
        )


class Costs(TestCase):
    def test_a_cube_two_balls_and_a_sheet(self) -> None:
        given = scene(cube(2.0), ball(16), quad(3.0), materials=(material(),), names=("Box", "Ball", "Sheet"))
        box = collision_cost(given, "part:Box")
        self.assertEqual(
            [(box[k].pieces, box[k].triangles, box[k].vertices) for k in ("box", "hull", "pieces", "mesh")],
            [(1, 12, 8)] * 4,
        )
        self.assertAlmostEqual(box["hull"].volume_m3 or 0, 8.0)
        round_one = collision_cost(given, "part:Ball")
        self.assertLess(round_one["hull"].volume_m3 or 9, 4 * np.pi / 3)
        self.assertGreater(round_one["hull"].volume_m3 or 0, 0.95 * 4 * np.pi / 3)
        self.assertEqual(collision_cost(given, "part:Sheet")["hull"].volume_m3, 0.0)
        two = replace(
            cube(),
            positions=np.concatenate([cube().positions, cube().positions + np.float32([5, 0, 0])]),
            indices=np.concatenate([cube().indices, cube().indices + np.uint32(8)]),
        )
        apart = collision_cost(scene(two, materials=(material(),), names=("Two",)), "part:Two")
        self.assertEqual((apart["pieces"].pieces, apart["pieces"].triangles), (2, 24))
        self.assertAlmostEqual(apart["pieces"].volume_m3 or 0, 2.0)
        self.assertAlmostEqual(apart["hull"].volume_m3 or 0, 6.0)


class SpecularGloss(TestCase):
    def read(self, told: dict[str, object], **more: object) -> tuple[dict[str, object], object]:
        picture = image("shine", np.tile(np.array([[[255, 128, 0, 51]]], np.uint8), (4, 4, 1)))
        document = {
            "asset": {"version": "2.0"},
            "images": [{"uri": "shine.png"}],
            "textures": [{"source": 0}],
            "extensionsUsed": ["KHR_materials_pbrSpecularGlossiness"],
            "materials": [
                {"name": "old", "extensions": {"KHR_materials_pbrSpecularGlossiness": told}, **more}
            ],
        }
        read, findings, _ = read_gltf(
            "old.gltf", Bundle({"old.gltf": json.dumps(document).encode(), "shine.png": picture.data})
        )
        self.assertEqual([f.title for f in findings], [])
        made = next(iter(read.materials.values()))
        return made.inputs, next(iter(read.images.values()))

    def test_factors_are_read_by_the_extensions_terms(self) -> None:
        inputs, _ = self.read(
            {
                "diffuseFactor": [0.5, 0.4, 0.3, 0.9],
                "specularFactor": [0.04, 0.08, 0.2],
                "glossinessFactor": 0.7,
            },
            alphaMode="BLEND",
        )
        np.testing.assert_allclose(inputs["base_color"].factor, (0.5, 0.4, 0.3))
        np.testing.assert_allclose(inputs["specular_color"].factor, (1.0, 2.0, 5.0))
        np.testing.assert_allclose(
            (inputs["roughness"].factor[0], inputs["metalness"].factor[0], inputs["opacity"].factor[0]),
            (0.3, 0.0, 0.9),
        )

    def test_images_too_with_a_factor_beside_gloss(self) -> None:
        inputs, picture = self.read({"specularGlossinessTexture": {"index": 0}, "glossinessFactor": 0.5})
        rough = input_values("roughness", inputs["roughness"], picture)
        np.testing.assert_allclose(rough, 1 - 0.5 * 51 / 255, atol=1e-6)
        shine = input_values("specular_color", inputs["specular_color"], picture)
        np.testing.assert_allclose(shine[0, 0] * 0.04, (1.0, 0.2158605, 0.0), atol=1e-5)
