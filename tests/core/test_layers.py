"""Layers over inputs: formulas, what the renderer shows, what a MaterialX document says with them, and one
delivered image in their place.
"""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, noise_image, quad, scene, sky
from trasloco.decisions.carrying_out import mended
from trasloco.errors import Refused
from trasloco.formats.receive import receive
from trasloco.move import carry, plan
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.images import pixels, unit_floats
from trasloco.scene.layers import laid_over, lie_alike, values_on
from trasloco.scene.lit import Environment
from trasloco.scene.model import Decision, Input, Layer, Scene, Texture
from trasloco.scene.resolve import read_texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
BOTTEGA = SHEETS["bottega"]

BASE = image("base", np.full((8, 8, 3), 128, np.uint8))
DECAL = image("decal", np.concatenate([np.full((8, 8, 1), v, np.uint8) for v in (255, 0, 64)], axis=2))
HALF = image("mask", np.where(np.arange(8)[None, :, None] < 4, 255, 0).repeat(8, axis=0).astype(np.uint8))


def decal(uv_set: int = 0, blend: str = "over", weight: float = 1.0) -> Layer:
    return Layer(
        Texture("image:decal", "rgb", "srgb", uv_set),
        (1.0, 1.0, 1.0),
        Texture("image:mask", "r", uv_set=uv_set),
        blend,
        weight,
    )  # type: ignore[arg-type]


def layered(*layers: Layer, second: bool = False) -> Scene:
    base = Input((1.0, 1.0, 1.0), Texture("image:base", "rgb", "srgb"), layers=layers)
    floor = quad(4)
    if second:
        # The second set shows the decal mirrored, so that its mask covers the right half instead of the left.
        floor = replace(
            floor, uvs=(floor.uvs[0], np.stack([1 - floor.uvs[0][:, 0], floor.uvs[0][:, 1]], axis=1))
        )
    return scene(
        floor,
        materials=(material(base_color=base, specular=(0.0,)),),
        images=(sky(), BASE, DECAL, HALF),
        environment=Environment("image:sky", 1.0),
    )


def linear(code: int) -> float:
    return ((code / 255 + 0.055) / 1.055) ** 2.4 if code > 10 else code / 255 / 12.92


class Formulas(TestCase):
    def test_blends_follow_compositing_level_1(self) -> None:
        below, layer = np.array([[0.5, 0.2, 0.0]], np.float32), np.array([[0.5, 0.5, 1.0]], np.float32)
        for blend, expected in {
            "over": [0.5, 0.5, 1.0],
            "multiply": [0.25, 0.1, 0.0],
            "add": [1.0, 0.7, 1.0],
            "screen": [0.75, 0.6, 1.0],
        }.items():
            np.testing.assert_allclose(laid_over(below, layer, 1.0, blend)[0], expected, rtol=1e-6)
            np.testing.assert_allclose(
                laid_over(below, layer, 0.5, blend)[0], (np.array(expected) + below[0]) / 2, rtol=1e-6
            )


class Shown(TestCase):
    def colors(self, given: Scene) -> tuple[np.ndarray, np.ndarray]:
        found = []
        for x in (-1.0, 1.0):
            view = View("half", looking((x, 0.5, 0), (x, 0, 0), (0, 0, -1)), 0.05)
            found.append(
                render(flatten(given), view, Quality(8, 8, 64, 1)).radiance.reshape(-1, 3).mean(axis=0)
            )
        return found[0], found[1]

    def test_a_decal_lies_where_its_mask_and_uv_set_say(self) -> None:
        ground, paint = linear(128), [linear(255), 0.0, linear(64)]
        for second in (False, True):
            left, right = self.colors(layered(decal(int(second)), second=second))
            covered, bare = (right, left) if second else (left, right)
            np.testing.assert_allclose(covered, paint, atol=0.01)
            np.testing.assert_allclose(bare, [ground] * 3, atol=0.01)

    def test_a_bounded_decal_is_there_once(self) -> None:
        # Placed at twice the size it covers UVs up to one half, and would repeat in the other.
        layer = replace(decal(), texture=Texture("image:decal", "rgb", "srgb", scale=(2.0, 1.0)), mask=None)
        for bounded, expected in ((True, [linear(128)] * 3), (False, [linear(255), 0.0, linear(64)])):
            given = layered(replace(layer, bounded=bounded))
            left, right = self.colors(given)
            np.testing.assert_allclose(left, [linear(255), 0.0, linear(64)], atol=0.01)
            np.testing.assert_allclose(right, expected, atol=0.01)
            floor = next(iter(given.meshes.values())).primitives[0]
            corners, weights = floor.indices[[0, 1]], np.array([[0.1, 0.2, 0.7], [0.5, 0.4, 0.1]])
            values = values_on(
                "base_color",
                given.materials["material:m"].inputs["base_color"],
                floor,
                given.images,
                corners,
                weights,
            )
            uv = (floor.uvs[0][corners] * weights[..., None]).sum(axis=1)
            for u, value in zip(uv[:, 0], values, strict=True):
                np.testing.assert_allclose(
                    value,
                    [linear(255), 0.0, linear(64)] if u < 0.5 or not bounded else [linear(128)] * 3,
                    atol=0.01,
                )

    def test_weight_and_blend_count(self) -> None:
        ground = linear(128)
        left, _ = self.colors(layered(decal(blend="multiply", weight=0.5)))
        np.testing.assert_allclose(
            left, [ground * (1 + c) / 2 for c in (linear(255), 0.0, linear(64))], atol=0.01
        )


class Flattened(TestCase):
    def delivered(self, given: Scene, decisions: tuple[Decision, ...] = ()) -> tuple[object, Scene]:
        source, destination = BOTTEGA, SHEETS["lanterna"]
        made = plan(given, source, destination, decisions)
        carried = carry(given, made, destination)
        return next(c for c in carried.plan.crossings if c.name == "base_color"), carried.scene

    def test_layers_that_lie_alike_become_one_image_exactly(self) -> None:
        crossing, arrived = self.delivered(layered(decal()))
        self.assertEqual(
            (crossing.mark, next(s.kind for s in crossing.steps)), ("exact", "flatten"), crossing.reason
        )  # type: ignore[attr-defined]
        texture = arrived.materials["material:m"].inputs["base_color"].texture
        assert texture is not None
        self.assertEqual(arrived.materials["material:m"].inputs["base_color"].layers, ())
        texels = read_texture(texture, pixels(arrived.images[texture.image]))
        np.testing.assert_allclose(texels[4, 1], [1.0, 0.0, linear(64)], atol=0.005)
        np.testing.assert_allclose(texels[4, 6], [linear(128)] * 3, atol=0.005)

    def test_layers_on_another_uv_set_are_drawn_into_an_atlas_that_looks_the_same(self) -> None:
        given = layered(decal(1), second=True)
        self.assertFalse(lie_alike(given.materials["material:m"].inputs["base_color"]))
        crossing, arrived = self.delivered(given)
        self.assertEqual(crossing.mark, "close")  # type: ignore[attr-defined]
        self.assertLess(crossing.rms, 0.02)  # type: ignore[attr-defined]
        arrived = replace(
            arrived,
            environment=given.environment,
            images={**arrived.images, "image:sky": given.images["image:sky"]},
        )
        pictures = [
            render(
                flatten(one),
                View("all", looking((0, 3, 0), (0, 0, 0), (0, 0, -1)), 0.7),
                Quality(32, 32, 32, 1),
            ).radiance
            for one in (given, arrived)
        ]
        self.assertLess(float(np.abs(pictures[0] - pictures[1]).mean()), 0.01)

    def test_what_shares_the_image_goes_into_the_atlas_too(self) -> None:
        given = layered(decal(1), second=True)
        opacity = Input((1.0,), Texture("image:mask", "r"))
        cut = replace(
            given.materials["material:m"],
            alpha_mode="mask",
            inputs={**given.materials["material:m"].inputs, "opacity": opacity},
        )
        _, arrived = self.delivered(replace(given, materials={"material:m": cut}))
        inputs = arrived.materials["material:m"].inputs
        base, seen = inputs["base_color"].texture, inputs["opacity"].texture
        assert base is not None and seen is not None
        self.assertEqual((base.image, base.uv_set), (seen.image, seen.uv_set))
        alpha = unit_floats(pixels(arrived.images[seen.image]))[..., 3]
        self.assertAlmostEqual(float((alpha > 0.5).mean()), 0.5, delta=0.25)

    def test_what_is_done_to_the_whole_stays_done(self) -> None:
        # A sheet that asks for occlusion in the base colour: the decal is darkened with what lies below it,
        # flattened or drawn anew.
        own = changed(SHEETS["fornace"], {"materials.occlusion_multiplied": True}).model_copy(
            update={"name": "Own"}
        )
        shade = image("shade", np.full((8, 8, 1), 128, np.uint8))
        for second in (False, True):
            for below in (
                Input((1.0, 1.0, 1.0), Texture("image:base", "rgb", "srgb"), layers=(decal(int(second)),)),
                Input((0.5, 0.5, 0.5), layers=(decal(int(second)),)),
            ):
                given = layered(decal(int(second)), second=second)
                made = replace(
                    given.materials["material:m"],
                    inputs={
                        **given.materials["material:m"].inputs,
                        "base_color": below,
                        "occlusion": Input((1.0,), Texture("image:shade", "r")),
                    },
                )
                given = replace(given.with_material(made), images={**given.images, shade.id: shade})
                carried = carry(given, plan(given, BOTTEGA, own), own)
                crossing = next(c for c in carried.plan.crossings if c.name == "base_color")
                self.assertEqual(
                    (crossing.mark, "occlude" in [s.kind for s in crossing.steps]), ("close", True)
                )
                # The reference's colour is not darkened: what occlusion takes from it is told as a
                # difference.
                self.assertGreater(crossing.rms or 0, 0.03)
                texture = carried.scene.materials["material:m"].inputs["base_color"].texture
                assert texture is not None
                texels = read_texture(texture, pixels(carried.images[texture.image.removeprefix("image:")]))
                self.assertAlmostEqual(float(texels[..., 0].max()), 128 / 255, delta=0.01)

    def test_blended_opacity_beside_a_decal_becomes_a_cut_at_the_same_place(self) -> None:
        given = layered(decal(1), second=True)
        half = image(
            "half", np.where(np.arange(8)[None, :, None] < 4, 200, 60).repeat(8, axis=0).astype(np.uint8)
        )
        soft = replace(
            given.materials["material:m"],
            alpha_mode="blend",
            alpha_cutoff=0.9,
            inputs={
                **given.materials["material:m"].inputs,
                "opacity": Input((1.0,), Texture("image:half", "r")),
            },
        )
        own = changed(SHEETS["lanterna"], {"materials.alpha": ["opaque", "mask"]}).model_copy(
            update={"name": "Own"}
        )
        given = replace(given.with_material(soft), images={**given.images, half.id: half})
        carried = carry(given, plan(given, BOTTEGA, own), own)
        self.assertEqual(
            (
                carried.scene.materials["material:m"].alpha_mode,
                carried.scene.materials["material:m"].alpha_cutoff,
            ),
            ("mask", 0.5),
        )

    def test_a_scalar_takes_layers_as_well(self) -> None:
        rough = Input((0.8,), layers=(Layer(Texture("image:mask", "r"), (0.2,), None, "over", 1.0),))
        given = layered()
        given = replace(
            given,
            materials={
                "material:m": replace(
                    given.materials["material:m"],
                    inputs={**given.materials["material:m"].inputs, "roughness": rough},
                )
            },
        )
        carried = carry(given, plan(given, BOTTEGA, SHEETS["fornace"], ()), SHEETS["fornace"])
        texture = carried.scene.materials["material:m"].inputs["roughness"].texture
        assert texture is not None
        values = read_texture(texture, pixels(carried.images[texture.image.removeprefix("image:")]))
        self.assertAlmostEqual(float(values[4, 1]), 0.2, delta=0.003)
        self.assertAlmostEqual(float(values[4, 6]), 0.0, delta=0.003)


class Decided(TestCase):
    def test_layers_are_laid_and_taken_away_by_decision(self) -> None:
        given = layered()
        value = [
            {
                "texture": {"image": "image:decal"},
                "blend": "multiply",
                "weight": 0.5,
                "mask": {"image": "image:mask", "channels": "r"},
            }
        ]
        made = mended(given, BOTTEGA, [Decision("material:m/base_color", "layers", value)])
        layer = made.materials["material:m"].inputs["base_color"].layers[0]
        self.assertEqual(
            (layer.blend, layer.weight, layer.texture.image, layer.factor, layer.texture.encoding),
            ("multiply", 0.5, "image:decal", (1.0, 1.0, 1.0), "srgb"),
        )
        self.assertEqual(
            mended(made, BOTTEGA, [Decision("material:m/base_color", "layers", [])])
            .materials["material:m"]
            .inputs["base_color"]
            .layers,
            (),
        )

    def test_what_cannot_be_a_layer_is_refused(self) -> None:
        given = layered()
        for value in (
            [{"texture": {"image": "image:none"}}],
            [{"texture": {"image": "image:decal"}, "blend": "burn"}],
            [{"texture": {"image": "image:decal"}, "weight": 2}],
            [{"texture": {"image": "image:decal"}, "factor": "abc"}],
            [{}],
            "decal",
        ):
            with self.assertRaises(Refused):
                mended(given, BOTTEGA, [Decision("material:m/base_color", "layers", value)])
        with self.assertRaises(Refused):
            mended(
                given,
                BOTTEGA,
                [Decision("material:m/height", "layers", [{"texture": {"image": "image:decal"}}])],
            )

    def test_a_shared_colour_changes_with_the_one_it_is_shared_with(self) -> None:
        first, second = material("a", base_color=(0.1, 0.2, 0.3)), material("b", base_color=(0.5, 0.5, 0.5))
        given = scene(quad(1, "material:a"), quad(1, "material:b"), materials=(first, second))
        linked = [Decision("material:b/base_color", "factor_like", "material:a/base_color")]
        self.assertEqual(
            mended(given, BOTTEGA, linked).materials["material:b"].inputs["base_color"].factor,
            (0.1, 0.2, 0.3),
        )
        changed = [*linked, Decision("material:a/base_color", "factor", [0.9, 0.0, 0.0])]
        self.assertEqual(
            mended(given, BOTTEGA, changed).materials["material:b"].inputs["base_color"].factor,
            (0.9, 0.0, 0.0),
        )


DOCUMENT = """<?xml version="1.0"?>
<materialx version="1.39">
  <geompropvalue name="uv0" type="vector2"><input name="geomprop" type="string" value="UV0"/></geompropvalue>
  <geompropvalue name="uv1" type="vector2"><input name="geomprop" type="string" value="UV1"/></geompropvalue>
  <image name="ground" type="color3"><input name="file" type="filename" value="base.png" colorspace="srgb_texture"/><input name="texcoord" type="vector2" nodename="uv0"/></image>
  <image name="label" type="color3"><input name="file" type="filename" value="decal.png" colorspace="srgb_texture"/><input name="texcoord" type="vector2" nodename="uv1"/></image>
  <image name="shape" type="float"><input name="file" type="filename" value="mask.png"/><input name="texcoord" type="vector2" nodename="uv1"/></image>
  <mix name="mixed" type="color3"><input name="bg" type="color3" nodename="ground"/><input name="fg" type="color3" nodename="label"/><input name="mix" type="float" nodename="shape"/></mix>
  <open_pbr_surface name="surface" type="surfaceshader"><input name="base_color" type="color3" nodename="mixed"/></open_pbr_surface>
  <surfacematerial name="trunk" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/></surfacematerial>
</materialx>
"""


class Read(TestCase):
    def test_a_mix_over_another_uv_set_is_read_as_a_layer(self) -> None:
        files = {
            "trunk.mtlx": DOCUMENT.encode(),
            "base.png": BASE.data,
            "decal.png": DECAL.data,
            "mask.png": noise_image("mask", channels=1).data,
        }
        made = receive(files).scene
        base = next(iter(made.materials.values())).inputs["base_color"]
        assert base.texture is not None
        self.assertEqual((base.texture.uv_set, len(base.layers)), (0, 1))
        layer = base.layers[0]
        assert layer.mask is not None
        self.assertEqual(
            (layer.blend, layer.texture.uv_set, layer.mask.uv_set, layer.mask.channels), ("over", 1, 1, "r")
        )
        self.assertTrue(math.isclose(layer.weight, 1.0))
