"""Plans by the sheets, marks by measurement, images by content."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, image, material, noise_image, quad, scene, sky
from trasloco import move
from trasloco.fit.model import Carried, Crossing
from trasloco.scene.color import srgb_to_linear
from trasloco.scene.images import missing_image, pixels
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named

PLAIN, BOTTEGA, LANTERNA, FORNACE, TACCUINO = (
    sheet_named(n) for n in ("plain", "bottega", "lanterna", "fornace", "taccuino")
)


def carried(given: Scene, destination: object = LANTERNA) -> tuple[dict[str, Crossing], Carried]:
    plan = move.plan(given, PLAIN, destination)  # type: ignore[arg-type]
    done = move.carry(given, plan, destination)  # type: ignore[arg-type]
    self_consistent = {c.id: (c.mark, c.landing) for c in plan.crossings} == {
        c.id: (c.mark, c.landing) for c in done.plan.crossings
    }
    assert self_consistent, "marks in the plan and after carrying differ"
    return {c.name: c for c in done.plan.crossings}, done


def textured(**changes: Texture) -> Material:
    inputs = {
        "base_color": Input((1.0, 1.0, 1.0), Texture("image:color", "rgb", "srgb")),
        "roughness": Input((1.0,), Texture("image:rough", "r")),
        "metalness": Input((1.0,), Texture("image:metal", "r")),
        "occlusion": Input((1.0,), Texture("image:ao", "r")),
        "normal": Input((0.0, 0.0, 1.0), Texture("image:normal")),
    }
    made = material(**inputs)
    return replace(
        made, inputs={**made.inputs, **{k: replace(made.inputs[k], texture=t) for k, t in changes.items()}}
    )


PICTURES = tuple(
    noise_image(name, seed=k) for k, name in enumerate(("color", "rough", "metal", "ao", "normal"))
)


class Packing(TestCase):
    def test_three_grey_images_become_one_in_the_order_of_the_sheet(self) -> None:
        crossings, done = carried(scene(quad(), materials=(textured(),), images=PICTURES))
        packed = pixels(done.images["media/m-surface.png"])
        for channel, name in enumerate(("ao", "rough", "metal")):
            self.assertTrue(
                (
                    packed[..., channel]
                    == pixels(PICTURES[["color", "rough", "metal", "ao", "normal"].index(name)])[..., 0]
                ).all()
            )
        self.assertEqual(
            {
                name: crossings[name].mark
                for name in ("base_color", "roughness", "metalness", "occlusion", "normal")
            },
            dict.fromkeys(("base_color", "roughness", "metalness", "occlusion", "normal"), "exact"),
        )

    def test_green_is_turned_for_lanterna_and_not_for_fornace(self) -> None:
        source = pixels(PICTURES[4])
        _, down = carried(scene(quad(), materials=(textured(),), images=PICTURES))
        turned = pixels(down.images["media/m-relief.png"])
        self.assertTrue(
            (turned[..., 1] == 255 - source[..., 1]).all() and (turned[..., 0] == source[..., 0]).all()
        )
        _, up = carried(scene(quad(), materials=(textured(),), images=PICTURES), FORNACE)
        self.assertTrue((pixels(up.images["textures/m_normal.png"]) == source).all())

    def test_gloss_is_inverted_exactly(self) -> None:
        given = scene(
            quad(), materials=(textured(roughness=Texture("image:rough", "r", invert=True)),), images=PICTURES
        )
        crossings, done = carried(given)
        self.assertTrue(
            (pixels(done.images["media/m-surface.png"])[..., 1] == 255 - pixels(PICTURES[1])[..., 0]).all()
        )
        self.assertIn("inverted", [s.text for s in crossings["roughness"].steps])
        self.assertEqual(crossings["roughness"].mark, "exact")
        self.assertAlmostEqual(crossings["roughness"].error, 0.0, places=3)

    def test_a_tint_goes_into_the_image_in_linear_light_where_an_image_replaces_it(self) -> None:
        made = textured()
        made = replace(
            made,
            inputs={**made.inputs, "base_color": replace(made.inputs["base_color"], factor=(0.5, 1.0, 0.25))},
        )
        crossings, done = carried(scene(quad(), materials=(made,), images=PICTURES))
        got = pixels(done.images["media/m-color.png"]).astype(float) / 255
        expected = srgb_to_linear(pixels(PICTURES[0]) / 255) * [0.5, 1.0, 0.25]
        from trasloco.scene.color import linear_to_srgb

        self.assertLessEqual(float(np.abs(got - linear_to_srgb(expected)).max()) * 255, 0.502)
        self.assertEqual(crossings["base_color"].mark, "exact")
        self.assertEqual(done.scene.materials["material:m"].inputs["base_color"].factor, (1.0, 1.0, 1.0))

    def test_a_tint_stays_beside_the_image_where_it_multiplies(self) -> None:
        made = textured()
        made = replace(
            made,
            inputs={**made.inputs, "base_color": replace(made.inputs["base_color"], factor=(0.5, 1.0, 0.25))},
        )
        _, done = carried(scene(quad(), materials=(made,), images=PICTURES), TACCUINO)
        self.assertTrue((pixels(done.images["m-color.png"]) == pixels(PICTURES[0])).all())
        self.assertEqual(done.scene.materials["material:m"].inputs["base_color"].factor, (0.5, 1.0, 0.25))

    def test_constants_fill_the_channels_beside_images(self) -> None:
        made = textured()
        made = replace(
            made,
            inputs={**{k: v for k, v in made.inputs.items() if k != "occlusion"}, "metalness": Input((0.2,))},
        )
        _, done = carried(scene(quad(), materials=(made,), images=PICTURES))
        packed = pixels(done.images["media/m-surface.png"])
        self.assertEqual((set(packed[..., 0].ravel()), set(packed[..., 2].ravel())), ({255}, {51}))

    def test_constants_alone_stay_numbers(self) -> None:
        crossings, done = carried(
            scene(quad(), materials=(material(base_color=(0.1, 0.2, 0.3), roughness=(0.4,)),))
        )
        self.assertEqual(done.images, {})
        self.assertEqual(done.scene.materials["material:m"].inputs["base_color"].factor, (0.1, 0.2, 0.3))
        self.assertEqual(crossings["roughness"].mark, "exact")


class Marks(TestCase):
    def test_resampled_is_close_and_has_the_size_the_sheet_asks(self) -> None:
        odd = noise_image("color", 100, 70)
        crossings, done = carried(scene(quad(), materials=(textured(),), images=(odd, *PICTURES[1:])))
        made = done.images["media/m-color.png"]
        self.assertEqual((made.width, made.height, crossings["base_color"].mark), (64, 128, "close"))
        self.assertIsNotNone(crossings["base_color"].rms)

    def test_height_made_a_normal_map_is_close(self) -> None:
        made = material(height=Input((1.0,), Texture("image:h", "r", strength=0.02)))
        crossings, done = carried(
            scene(quad(), materials=(made,), images=(noise_image("h", channels=1, depth=np.uint16),))
        )
        self.assertEqual((crossings["height"].mark, crossings["height"].landing.input), ("close", "normal"))
        self.assertLessEqual(crossings["height"].error, 1.5)
        self.assertIn("media/m-relief.png", done.images)

    def test_sixteen_bits_in_eight_are_close_within_the_destinations_depth(self) -> None:
        deep = noise_image("rough", channels=1, depth=np.uint16)
        crossings, _ = carried(
            scene(quad(), materials=(textured(),), images=(PICTURES[0], deep, *PICTURES[2:]))
        )
        self.assertEqual(crossings["roughness"].mark, "close")
        self.assertLess(crossings["roughness"].error, 1.0)

    def test_no_such_input_is_lost(self) -> None:
        crossings, _ = carried(scene(quad(), materials=(material(sheen_color=(0.2, 0.1, 0.1)),)))
        self.assertEqual(
            (crossings["sheen_color"].mark, crossings["sheen_color"].landing.input), ("lost", "")
        )
        crossings, _ = carried(scene(quad(), materials=(material(sheen_color=(0.2, 0.1, 0.1)),)), FORNACE)
        self.assertEqual(crossings["sheen_color"].mark, "exact")

    def test_a_missing_image_blocks_until_it_is_decided(self) -> None:
        made = textured()
        gone = missing_image("image:color", "color.png", "color.png")
        crossings, _ = carried(scene(quad(), materials=(made,), images=(gone, *PICTURES[1:])))
        self.assertEqual((crossings["base_color"].mark, crossings["roughness"].mark), ("blocked", "exact"))

    def test_transmission_becomes_see_through_where_blending_is_all_there_is(self) -> None:
        glass = material(transmission=(0.9,))
        crossings, done = carried(scene(quad(), materials=(glass,)))
        self.assertEqual(
            (crossings["transmission"].mark, done.scene.materials["material:m"].alpha_mode),
            ("close", "blend"),
        )
        self.assertAlmostEqual(done.scene.materials["material:m"].inputs["opacity"].factor[0], 0.1)
        crossings, _ = carried(scene(quad(), materials=(glass,)), TACCUINO)
        self.assertEqual(crossings["transmission"].mark, "lost")

    def test_cut_outs_share_the_colours_file_and_keep_their_limit(self) -> None:
        leaf = material(
            alpha_mode="mask",
            base_color=Texture("image:color", "rgb", "srgb"),
            opacity=Texture("image:ao", "r"),
        )
        leaf = replace(leaf, alpha_cutoff=0.3)
        crossings, done = carried(scene(quad(), materials=(leaf,), images=PICTURES))
        made = pixels(done.images["media/m-color.png"])
        self.assertEqual(made.shape[2], 4)
        self.assertTrue((made[..., 3] == pixels(PICTURES[3])[..., 0]).all())
        self.assertEqual(
            (done.scene.materials["material:m"].alpha_cutoff, crossings["opacity"].mark), (0.3, "exact")
        )

    def test_images_that_lie_otherwise_cannot_be_packed_together(self) -> None:
        made = textured(metalness=Texture("image:metal", "r", scale=(4.0, 4.0)))
        crossings, _ = carried(scene(quad(), materials=(made,), images=PICTURES))
        self.assertEqual(
            [crossings[n].mark for n in ("occlusion", "roughness", "metalness")], ["exact", "exact", "lost"]
        )

    def test_lights_beyond_the_sheet_are_lost(self) -> None:
        lights = tuple(
            (Light(f"light:{n}", n, kind, intensity=i), looking((0, 1, 0), (0, 0, 0.1)))
            for n, kind, i in (("dawn", "sun", 5.0), ("noon", "sun", 90.0), ("lamp", "point", 3.0))
        )  # type: ignore[arg-type]
        given = scene(quad(), lights=lights, images=(sky(),), environment=Environment("image:sky"))
        marks = {c.light: c.mark for c in move.plan(given, PLAIN, TACCUINO).lights}
        self.assertEqual(
            marks, {"light:dawn": "lost", "light:noon": "exact", "light:lamp": "lost", "environment": "lost"}
        )
        self.assertEqual({c.mark for c in move.plan(given, PLAIN, LANTERNA).lights}, {"exact"})


class VertexColours(TestCase):
    def test_paint_is_drawn_into_an_image_where_vertex_colours_are_ignored(self) -> None:
        """Every covered texel centre of the atlas has colour x image, exactly what the reference shows there."""
        corners = np.array(
            [[0.9, 0.1, 0.1, 1], [0.1, 0.9, 0.1, 1], [0.1, 0.1, 0.9, 1], [0.9, 0.9, 0.1, 1]], np.float32
        )
        body = replace(quad(), colors=corners)
        flat = image("t", np.full((4, 4, 3), 188, np.uint8))
        made = material(
            base_color=Input((1.0, 1.0, 1.0), Texture("image:t", "rgb", "srgb"), vertex_color=True)
        )
        crossings, done = carried(scene(body, materials=(made,), images=(flat,)), FORNACE)
        self.assertEqual(crossings["base_color"].mark, "close")
        base = done.scene.materials["material:m"].inputs["base_color"]
        self.assertFalse(base.vertex_color)
        picture = srgb_to_linear(pixels(done.images["textures/m_base_color.png"]) / 65535)
        primitive = done.scene.meshes["mesh:Thing 1"].primitives[0]
        self.assertIsNone(primitive.colors)
        uv = primitive.uvs[base.texture.uv_set]
        painted = {tuple(p): c for p, c in zip(body.positions.round(4).tolist(), corners)}
        for triangle in primitive.indices:
            middle = uv[triangle].mean(axis=0) * 1024
            texel = picture[int(middle[1]), int(middle[0])]
            expected = np.mean(
                [painted[tuple(p)][:3] for p in primitive.positions[triangle].round(4).tolist()], axis=0
            ) * float(srgb_to_linear(np.array(188 / 255)))
            np.testing.assert_allclose(texel, expected, atol=0.004)

    def test_they_travel_in_the_mesh_where_they_multiply(self) -> None:
        made = material(base_color=Input((1.0, 1.0, 1.0), vertex_color=True))
        _, done = carried(scene(quad(colors=(0.2, 0.4, 0.6)), materials=(made,)))
        self.assertTrue(done.scene.materials["material:m"].inputs["base_color"].vertex_color)
        self.assertIsNotNone(done.scene.meshes["mesh:Thing 1"].primitives[0].colors)


class Geometry(TestCase):
    def test_axis_and_unit_are_told(self) -> None:
        given = replace(scene(quad()), declares=DECLARED)
        self.assertEqual(
            [s.text for s in move.plan(given, PLAIN, FORNACE).geometry],
            ["Y up turned to Z up", "metres to centimetres, times 100"],
        )
        self.assertEqual(move.plan(given, PLAIN, LANTERNA).geometry, ())
