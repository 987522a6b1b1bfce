"""Relief over relief: finer relief that bends what lies below, and relief that covers it; as it is shown, read
out of graphs, and delivered as one image.
"""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, quad, scene, sky
from trasloco.decisions.carrying_out import mended
from trasloco.errors import Refused
from trasloco.formats.receive import receive
from trasloco.move import account, arrive, carry, package, plan
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.images import encode, pixels
from trasloco.scene.layers import MOST_FLAT, flat_size, flattened, lie_alike, values_on
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Input, Layer, Node, Scene, Texture
from trasloco.scene.passes import normal_vectors
from trasloco.scene.resolve import read_texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import built_in_sheets

SHEETS = built_in_sheets()
BOTTEGA = SHEETS["bottega"]


def tilted(x: float, y: float) -> np.ndarray:
    """A direction of length one that leans by slopes."""
    d = np.array([x, y, 1.0])
    return d / np.linalg.norm(d)


def even(name: str, direction: np.ndarray, size: int = 8) -> object:
    return image(
        name, np.broadcast_to(np.round((direction + 1) / 2 * 65535), (size, size, 3)).astype(np.uint16)
    )


COARSE, FINE = tilted(0.3, 0.1), tilted(-0.2, 0.4)
BENT = np.array([FINE[0], FINE[1], 0]) + FINE[2] * COARSE
"""MaterialX 1.39, normalmap: x T + y B + z N, with N bent already."""
BENT = BENT / np.linalg.norm(BENT)
HALFWAY = (COARSE + FINE) / np.linalg.norm(COARSE + FINE)


def relief(*layers: Layer, base: Texture | None = None) -> Input:
    return Input((0.0, 0.0, 1.0), base or Texture("image:coarse", "rgb", "linear"), layers=layers)


def fine(blend: str = "add", weight: float = 1.0, **how: object) -> Layer:
    return Layer(Texture("image:fine", "rgb", "linear", **how), (1.0, 1.0, 1.0), None, blend, weight)  # type: ignore[arg-type]


def lit_floor(given: Input, **more: object) -> Scene:
    """A dull floor under a lamp that leans, so that every bend of its normal shows."""
    lamp = Light("light:l", "Lamp", "sun", (1.0, 1.0, 1.0), 3.0)
    made = scene(
        quad(4),
        materials=(material(base_color=(1.0, 1.0, 1.0), specular=(0.0,), normal=given),),
        images=(sky(), even("coarse", COARSE), even("fine", FINE), even("both", BENT), even("half", HALFWAY)),
    )
    down = looking((1.0, 2.0, 0.5), (0, 0, 0))
    return replace(
        made,
        lights={lamp.id: lamp},
        nodes={**made.nodes, "node:l": Node("node:l", "Lamp", None, down, light=lamp.id)},
    )


def brightness(given: Scene) -> float:
    view = View("floor", looking((0, 0.5, 0), (0, 0, 0), (0, 0, -1)), 0.05)
    return float(render(flatten(given), view, Quality(8, 8, 16, 1)).radiance.mean())


class Shown(TestCase):
    def test_relief_over_relief_looks_as_the_one_map_that_says_both(self) -> None:
        for layer, both in ((fine(), "both"), (fine("over", 0.5), "half"), (fine("over"), "fine")):
            whole = brightness(lit_floor(relief(base=Texture(f"image:{both}", "rgb", "linear"))))
            self.assertAlmostEqual(brightness(lit_floor(relief(layer))) / whole, 1.0, delta=2e-3)
        alone = brightness(lit_floor(relief()))
        self.assertGreater(abs(brightness(lit_floor(relief(fine()))) / alone - 1), 0.05)

    def test_a_layer_without_relief_below_bends_the_bare_surface(self) -> None:
        bare = Input((0.0, 0.0, 1.0), None, layers=(fine(),))
        whole = brightness(lit_floor(relief(base=Texture("image:fine", "rgb", "linear"))))
        self.assertAlmostEqual(brightness(lit_floor(bare)) / whole, 1.0, delta=2e-3)

    def test_strength_and_green_of_each_are_its_own(self) -> None:
        turned = Texture("image:fine", "rgb", "linear", green_up=False, strength=0.5)
        layer = Layer(turned, (1.0, 1.0, 1.0), None, "add")
        given = lit_floor(relief(layer))
        floor = next(iter(given.meshes.values())).primitives[0]
        d = np.array([0.5 * FINE[0], -0.5 * FINE[1], FINE[2]])
        d /= np.linalg.norm(d)
        wanted = np.array([d[0], d[1], 0]) + d[2] * COARSE
        held = given.materials["material:m"].inputs["normal"]
        got = values_on("normal", held, floor, given.images, floor.indices[:1], np.array([[0.3, 0.3, 0.4]]))
        np.testing.assert_allclose(got[0], wanted / np.linalg.norm(wanted), atol=1e-4)


class Delivered(TestCase):
    def test_finer_relief_that_repeats_becomes_one_map(self) -> None:
        """Sixteen steps across a map of eight texels that repeats four times: a texel of it is a texel of the
        whole."""
        rng = np.random.default_rng(4)
        codes = np.round((np.dstack([rng.uniform(-0.4, 0.4, (8, 8, 2)), np.ones((8, 8))]) + 1) / 2 * 65535)
        again = fine(scale=(4.0, 4.0))
        given = lit_floor(relief(again))
        given = replace(given, images={**given.images, "image:fine": image("fine", codes.astype(np.uint16))})
        self.assertTrue(lie_alike(given.materials["material:m"].inputs["normal"]))
        for name in ("lanterna", "plancia"):
            destination = SHEETS[name]
            made = plan(given, BOTTEGA, destination)
            carried = carry(given, made, destination)
            crossing = next(c for c in carried.plan.crossings if c.name == "normal")
            self.assertIn("flatten", [s.kind for s in crossing.steps], name)
            self.assertLess(crossing.error or 0, 2.0, name)
            arrival = arrive(package(carried, destination), destination)
            got = next(iter(arrival.materials.values())).inputs["normal"].texture
            assert got is not None
            came = arrival.images[got.image]
            self.assertEqual((came.width, came.height), (32, 32), name)
            shown = normal_vectors(read_texture(got, pixels(came)), got.green_up, got.strength)
            small = normal_vectors((codes / 65535).astype(np.float32))
            tiled = np.tile(small, (4, 4, 1))
            wanted = np.dstack([tiled[..., :2], np.zeros((32, 32))]) + tiled[..., 2:] * COARSE
            wanted /= np.linalg.norm(wanted, axis=-1, keepdims=True)
            self.assertLess(float(np.abs(shown - wanted).max()), 0.02, name)
            told = account(given, arrival, carried.plan, destination, carried.scene)
            self.assertEqual(told.unaccounted, [], name)

    def test_relief_that_lies_otherwise_is_told_and_the_lowest_travels(self) -> None:
        given = lit_floor(relief(fine(scale=(1.5, 1.5))))
        crossing = next(c for c in plan(given, BOTTEGA, SHEETS["lanterna"]).crossings if c.name == "normal")
        self.assertIn("lowest one travels", crossing.reason)

    def test_what_repeats_is_no_larger_than_was_asked_for_and_never_endless(self) -> None:
        given = lit_floor(relief(fine(scale=(4.0, 4.0))))
        asked = [Decision("material:m", "largest_side", 16)]
        crossing = next(
            c for c in plan(given, BOTTEGA, SHEETS["lanterna"], asked).crossings if c.name == "normal"
        )
        (made,) = plan(given, BOTTEGA, SHEETS["lanterna"], asked).images
        self.assertEqual((made.width, made.height), (16, 16))
        self.assertIn("flatten", [s.kind for s in crossing.steps])
        often = relief(fine(scale=(30000.0, 30000.0)))
        self.assertEqual(flat_size(often, given.images), (MOST_FLAT, MOST_FLAT))
        self.assertEqual(flat_size(relief(fine(scale=(3.0, 5.0))), given.images), (24, 40))

    def test_a_map_of_the_size_of_the_whole_loses_nothing(self) -> None:
        crossing = next(
            c
            for c in plan(lit_floor(relief(fine())), BOTTEGA, SHEETS["lanterna"]).crossings
            if c.name == "normal"
        )
        self.assertNotIn("differ in size", crossing.reason)


class Decided(TestCase):
    def test_finer_relief_is_laid_over_by_hand(self) -> None:
        value = [{"texture": {"image": "image:fine", "scale": [4.0, 4.0]}, "blend": "add"}]
        made = mended(lit_floor(relief()), BOTTEGA, [Decision("material:m/normal", "layers", value)])
        (layer,) = made.materials["material:m"].inputs["normal"].layers
        self.assertTrue(layer.texture.green_up)
        down = relief(base=Texture("image:coarse", "rgb", "linear", green_up=False))
        below = mended(lit_floor(down), BOTTEGA, [Decision("material:m/normal", "layers", value)])
        self.assertFalse(below.materials["material:m"].inputs["normal"].layers[0].texture.green_up)
        self.assertEqual(
            (layer.blend, layer.texture.encoding, layer.texture.scale), ("add", "linear", (4.0, 4.0))
        )

    def test_what_relief_cannot_be_is_refused(self) -> None:
        value = [{"texture": {"image": "image:fine"}, "blend": "screen"}]
        with self.assertRaises(Refused) as told:
            mended(lit_floor(relief()), BOTTEGA, [Decision("material:m/normal", "layers", value)])
        self.assertIn("over or add", told.exception.remedy)


GRAPH = """<?xml version="1.0"?><materialx version="1.39">
<nodegraph name="g">
 <texcoord name="uv" type="vector2"/>
 <multiply name="often" type="vector2"><input name="in1" type="vector2" nodename="uv"/>
  <input name="in2" type="vector2" value="4, 4"/></multiply>
 <tiledimage name="a" type="vector3"><input name="file" type="filename" value="coarse.png"/></tiledimage>
 <tiledimage name="b" type="vector3"><input name="file" type="filename" value="fine.png"/>
  <input name="uvtiling" type="vector2" value="4, 4"/></tiledimage>
 <normalmap name="coarse" type="vector3"><input name="in" type="vector3" nodename="a"/></normalmap>
 {nodes}
 <output name="out" type="vector3" nodename="last"/>
</nodegraph>
<standard_surface name="s" type="surfaceshader"><input name="normal" type="vector3" nodegraph="g" output="out"/>
</standard_surface>
<surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/>
</surfacematerial></materialx>"""
CHAIN = """<normalmap name="last" type="vector3"><input name="in" type="vector3" nodename="b"/>
 <input name="scale" type="float" value="0.5"/><input name="normal" type="vector3" nodename="coarse"/></normalmap>"""
MIX = """<normalmap name="other" type="vector3"><input name="in" type="vector3" nodename="b"/></normalmap>
 <mix name="last" type="vector3"><input name="bg" type="vector3" nodename="coarse"/>
 <input name="fg" type="vector3" nodename="other"/><input name="mix" type="float" value="0.25"/></mix>"""


class Read(TestCase):
    def input(self, nodes: str) -> Input:
        codes = np.full((8, 8, 3), 128, np.uint8)
        files = {
            "look.mtlx": GRAPH.replace("{nodes}", nodes).encode(),
            "coarse.png": encode(codes, "png"),
            "fine.png": encode(codes + 9, "png"),
        }
        received = receive(files)
        (one,) = received.scene.materials.values()
        return one.inputs["normal"]

    def test_a_map_that_bends_another_is_read_as_a_layer_over_it(self) -> None:
        given = self.input(CHAIN)
        assert given.texture is not None
        (layer,) = given.layers
        self.assertEqual((layer.blend, layer.texture.scale, layer.texture.strength), ("add", (4.0, 4.0), 0.5))
        self.assertEqual(given.texture.strength, 1.0)
        self.assertNotEqual(given.texture.image, layer.texture.image)

    def test_what_is_bent_and_is_no_map_is_told(self) -> None:
        bump = """<heighttonormal name="coarse" type="vector3"><input name="in" type="float" value="0.5"/>
         </heighttonormal>"""
        begin, end = GRAPH.index("<normalmap"), GRAPH.index("{nodes}")
        files = {
            "look.mtlx": (GRAPH[:begin] + bump + CHAIN + GRAPH[end + len("{nodes}") :]).encode(),
            "coarse.png": encode(np.full((8, 8, 3), 128, np.uint8), "png"),
            "fine.png": encode(np.full((8, 8, 3), 137, np.uint8), "png"),
        }
        received = receive(files)
        (one,) = received.scene.materials.values()
        self.assertEqual(one.inputs["normal"].layers, ())
        self.assertIn("no normal map", " ".join(finding.where for finding in received.findings))

    def test_a_strength_that_is_no_number_is_told_and_the_relief_stays(self) -> None:
        wired = """<constant name="k" type="float"><input name="value" type="float" value="0.5"/></constant>
         <normalmap name="last" type="vector3"><input name="in" type="vector3" nodename="b"/>
         <input name="scale" type="float" nodename="k"/></normalmap>"""
        given = self.input(wired)
        assert given.texture is not None
        self.assertEqual(given.texture.strength, 1.0)

    def test_a_mix_of_maps_is_read_as_one_that_covers_the_other(self) -> None:
        (layer,) = self.input(MIX).layers
        self.assertEqual((layer.blend, layer.weight, layer.texture.scale), ("over", 0.25, (4.0, 4.0)))


class Formula(TestCase):
    def test_flattened_relief_is_of_length_one(self) -> None:
        given = lit_floor(relief(fine("over", 0.5)))
        held = given.materials["material:m"].inputs["normal"]
        np.testing.assert_allclose(flattened("normal", held, given.images, 8, 8)[3, 3], HALFWAY, atol=1e-4)
