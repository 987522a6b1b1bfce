"""Lightmaps that came along: recognised by name, paired with parts, read, and passed on as each destination
wants them.
"""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.decisions.carrying_out import mended
from trasloco.formats.receive import Received
from trasloco.light.received import USUAL_LUX, multiplied_light, pairings, with_multiplied_light
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.images import pixels
from trasloco.scene.model import Decision, Layer, Primitive, Scene, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named

PLAIN = sheet_named("plain")


def delivered(**images: object) -> Scene:
    floor = quad(2.0, "material:boards")
    sound = replace(floor, uvs=(floor.uvs[0], floor.uvs[0]))
    made = tuple(
        image(name, texels, "exr" if np.asarray(texels).dtype == np.float32 else "png")
        for name, texels in images.items()
    )
    return scene(
        sound,
        quad(2.0, "material:cloth"),
        materials=(material("boards", base_color=(0.5,) * 3, specular=(0.0,)), material("cloth")),
        images=made,
        names=("Stage floor", "Back cloth"),
    )


HALF = np.full((8, 8, 3), 0.5, np.float32)
RECEIVED = [
    Decision("part:Stage floor", "received_light", {"image": "image:StageFloor_lightmap", "lux": 800.0})
]


class Pairing(TestCase):
    def test_by_name_in_many_habits_and_only_where_a_second_uv_set_is(self) -> None:
        for name in (
            "StageFloor_lightmap",
            "stage-floor-LM",
            "lightmap_stage_floor",
            "Stage_Floor_Baked",
            "StageFloorLightMap",
            "boards_lightmap",
        ):
            found = pairings(delivered(**{name: HALF}))
            self.assertEqual([(p.part, p.trouble) for p in found], [("part:Stage floor", "")], name)
        self.assertEqual(
            [(p.part, p.trouble) for p in pairings(delivered(back_cloth_lightmap=HALF))],
            [("part:Back cloth", "there is no second UV set")],
        )
        self.assertEqual([p.part for p in pairings(delivered(ceiling_lightmap=HALF))], [""])
        for name in ("stage_floor_color", "film", "stage_floor_normal", "balm"):
            self.assertEqual(pairings(delivered(**{name: HALF})), [], name)

    def test_one_finding_mends_all_and_each_in_trouble_is_told(self) -> None:
        given = delivered(StageFloor_lightmap=HALF, back_cloth_lightmap=HALF)
        found = {
            f.kind: f
            for f in move.survey(Received(given, []), PLAIN, sheet_named("lanterna"))
            if f.kind in ("received_light", "unread_light")
        }
        self.assertEqual(
            found["received_light"].mends[0].decisions,
            (
                Decision(
                    "part:Stage floor",
                    "received_light",
                    {"image": "image:StageFloor_lightmap", "lux": USUAL_LUX},
                ),
            ),
        )
        self.assertIn("there is no second UV set", found["unread_light"].where)


class Reading(TestCase):
    def test_the_reference_is_lit_by_it(self) -> None:
        made = mended(delivered(StageFloor_lightmap=HALF), PLAIN, RECEIVED)
        view = View("down", looking((0, 1, 0), (0, 0, 0), (0, 0, -1)), 0.3)
        shown = render(
            flatten(replace(made, nodes={k: v for k, v in made.nodes.items() if k != "part:Back cloth"})),
            view,
            Quality(8, 8, 4, 1),
        ).radiance
        np.testing.assert_allclose(shown, 0.5 * 400 / np.pi, rtol=0.002)

    def test_eight_bits_are_read_by_the_curve_and_more_than_one_is_kept(self) -> None:
        made = mended(delivered(StageFloor_lightmap=np.full((4, 4, 3), 188, np.uint8)), PLAIN, RECEIVED)
        lightmap = made.nodes["part:Stage floor"].lightmap
        assert lightmap is not None
        self.assertAlmostEqual(lightmap.level, 800 * 0.503, delta=2)
        bright = (
            mended(delivered(StageFloor_lightmap=np.full((4, 4, 3), 6.0, np.float32)), PLAIN, RECEIVED)
            .nodes["part:Stage floor"]
            .lightmap
        )
        assert bright is not None
        self.assertAlmostEqual(bright.level, 4800.0, delta=1)

    def test_it_arrives_in_each_destinations_encoding_or_not_at_all(self) -> None:
        texels = np.random.default_rng(4).random((16, 16, 3)).astype(np.float32)
        made = mended(delivered(StageFloor_lightmap=texels), PLAIN, RECEIVED)
        for name, near in (("lanterna", 0.002), ("taccuino", 0.02), ("fornace", None)):
            sheet = sheet_named(name)
            arrival = move.arrive(
                move.package(move.carry(made, move.plan(made, PLAIN, sheet), sheet), sheet), sheet
            )
            floor = next(node for node in arrival.parts() if node.name.replace("_", " ") == "Stage floor")
            if near is None:
                self.assertIsNone(floor.lightmap)
                continue
            assert floor.lightmap is not None
            read = (
                pixels(arrival.images[floor.lightmap.image]).astype(np.float32)[..., :3]
                * floor.lightmap.level
            )
            np.testing.assert_allclose(read, texels * 800, atol=near * 800)
            self.assertIsNone(next(node for node in arrival.parts() if node.name != floor.name).lightmap)


class OverColours(TestCase):
    """Light that was multiplied into colours."""

    def lit(self, texels: np.ndarray) -> Scene:
        given = delivered(light=texels)
        boards = given.materials["material:boards"]
        layer = Layer(Texture("image:light", uv_set=1, encoding="linear"), (1.0, 1.0, 1.0), blend="multiply")
        return given.with_material(
            replace(
                boards,
                inputs={**boards.inputs, "base_color": replace(boards.inputs["base_color"], layers=(layer,))},
            )
        )

    def test_an_image_on_a_set_of_its_own_is_found_and_taken_off_the_colour(self) -> None:
        given = self.lit(HALF)
        self.assertEqual(
            [(m.material, m.parts) for m in multiplied_light(given)],
            [("material:boards", ("part:Stage floor",))],
        )
        found = next(
            f
            for f in move.survey(Received(given, []), PLAIN, sheet_named("lanterna"))
            if f.id == "received_light:material:boards"
        )
        made = mended(given, PLAIN, found.mends[0].decisions)
        self.assertEqual(made.materials["material:boards"].inputs["base_color"].layers, ())
        lightmap = made.nodes["part:Stage floor"].lightmap
        assert lightmap is not None
        self.assertEqual((lightmap.uv_set, lightmap.level), (1, USUAL_LUX * 0.5))
        view = View("down", looking((0, 1, 0), (0, 0, 0), (0, 0, -1)), 0.3)
        shown = render(
            flatten(replace(made, nodes={k: v for k, v in made.nodes.items() if k != "part:Back cloth"})),
            view,
            Quality(8, 8, 4, 1),
        ).radiance
        np.testing.assert_allclose(shown, 0.5 * 0.5 * USUAL_LUX / np.pi, rtol=0.002)

    def test_it_is_read_as_the_layer_means_it(self) -> None:
        # 8 bits that are data, tinted by the layer: 128 / 255 x (1, 1/2, 1/4), and no curve.
        given = self.lit(np.full((8, 8, 3), 128, np.uint8))
        boards = given.materials["material:boards"]
        base = boards.inputs["base_color"]
        tinted = replace(base, layers=(replace(base.layers[0], factor=(1.0, 0.5, 0.25)),))
        made = with_multiplied_light(
            given.with_material(replace(boards, inputs={**boards.inputs, "base_color": tinted})),
            "material:boards",
            600.0,
        )
        lightmap = made.nodes["part:Stage floor"].lightmap
        assert lightmap is not None
        np.testing.assert_allclose(
            pixels(made.images[lightmap.image])[0, 0, :3].astype(float) * lightmap.level,
            600 * 128 / 255 * np.array([1, 0.5, 0.25]),
            rtol=1e-3,
        )

    def test_where_a_part_wears_something_beside_it_the_colour_keeps_its_light(self) -> None:
        given = self.lit(HALF)
        floor = given.meshes["mesh:Stage floor"]
        both = replace(
            given,
            meshes={
                **given.meshes,
                "mesh:Back cloth": replace(
                    floor,
                    id="mesh:Back cloth",
                    primitives=(floor.primitives[0], replace(floor.primitives[0], material="material:cloth")),
                ),
            },
        )
        self.assertEqual(multiplied_light(both), [])
        made = with_multiplied_light(both, "material:boards", 500.0)
        self.assertEqual(len(made.materials["material:boards"].inputs["base_color"].layers), 1)
        self.assertFalse([node for node in made.nodes.values() if node.lightmap is not None])

    def test_a_decal_on_the_colour_s_own_set_is_no_light(self) -> None:
        given = self.lit(HALF)
        boards = given.materials["material:boards"]
        base = boards.inputs["base_color"]
        own = replace(
            base, layers=(replace(base.layers[0], texture=replace(base.layers[0].texture, uv_set=0)),)
        )
        self.assertEqual(
            multiplied_light(
                given.with_material(replace(boards, inputs={**boards.inputs, "base_color": own}))
            ),
            [],
        )

    def test_vertex_colours_become_a_lightmap(self) -> None:
        # A slope of light from 0 to 1 along X over a floor of 2 m, told at 600 lux.
        y, x = np.mgrid[0:9, 0:9] / 8.0
        positions = np.stack([2 * x.ravel() - 1, np.zeros(81), 2 * y.ravel() - 1], axis=1).astype(np.float32)
        cell = np.array(
            [
                [
                    r * 9 + c,
                    (r + 1) * 9 + c,
                    r * 9 + c + 1,
                    r * 9 + c + 1,
                    (r + 1) * 9 + c,
                    (r + 1) * 9 + c + 1,
                ]
                for r in range(8)
                for c in range(8)
            ]
        ).reshape(-1, 3)
        colors = np.concatenate([np.repeat(x.reshape(-1, 1), 3, axis=1), np.ones((81, 1))], axis=1).astype(
            np.float32
        )
        floor = Primitive(
            positions,
            cell.astype(np.uint32),
            np.tile(np.array([[0, 1, 0]], np.float32), (81, 1)),
            uvs=(np.stack([x.ravel(), y.ravel()], axis=1).astype(np.float32),),
            colors=colors,
            material="material:f",
        )
        worn = material("f", base_color=(0.5,) * 3, specular=(0.0,))
        worn = replace(
            worn, inputs={**worn.inputs, "base_color": replace(worn.inputs["base_color"], vertex_color=True)}
        )
        made = mended(
            scene(floor, materials=(worn,), names=("Floor",)),
            PLAIN,
            [Decision("material:f", "received_light", {"paint": True, "lux": 600.0})],
        )
        self.assertFalse(made.materials["material:f"].inputs["base_color"].vertex_color)
        self.assertIsNone(made.meshes["mesh:Floor"].primitives[0].colors)
        view = View("down", looking((0, 3, 0), (0, 0, 0), (0, 0, -1)), 2 * np.arctan(1 / 3))
        shown = render(flatten(made), view, Quality(33, 33, 16, 1, filter_px=0.5)).radiance[16, :, 0]
        np.testing.assert_allclose(
            shown[4:29], 0.5 * 600 / np.pi * ((np.arange(33) + 0.5) / 33)[4:29], rtol=0.04
        )
