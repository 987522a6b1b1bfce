"""Procedural materials: patterns over UVs become images that hold what the graph says at each place."""

from __future__ import annotations

from functools import cache
from unittest import TestCase

import numpy as np
import trimesh

from demo.rules import rules_zip
from trasloco.formats.graph_grid import Grid
from trasloco.formats.graph_patterns import gradient_noise
from trasloco.formats.receive import Received, receive
from trasloco.scene.images import pixels
from trasloco.scene.resolve import read_texture

DOCUMENT = """<?xml version="1.0"?>
<materialx version="1.39">
  {nodes}
  <open_pbr_surface name="s" type="surfaceshader">
    <input name="base_color" type="color3" {color}/>
    <input name="specular_roughness" type="float" {rough}/>
  </open_pbr_surface>
  <surfacematerial name="Boards" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="s"/>
  </surfacematerial>
</materialx>"""
GREY, HALF = 'value="0.5,0.5,0.5"', 'value="0.5"'


@cache
def box() -> bytes:
    return bytes(trimesh.creation.box().export(file_type="glb"))


def read(nodes: str, color: str = GREY, rough: str = HALF, **files: bytes) -> Received:
    text = DOCUMENT.format(nodes=nodes, color=color, rough=rough)
    return receive({"boards.mtlx": text.encode(), "box.glb": box(), **files})


def values(found: Received, name: str) -> np.ndarray:
    """What an input is at each texel, linear, (H, W, C)."""
    (made,) = (m for m in found.scene.materials.values() if m.name == "Boards")
    given = made.inputs[name]
    assert given.texture is not None, name
    held = read_texture(given.texture, pixels(found.scene.images[given.texture.image]))
    return (held if held.ndim == 3 else held[..., None]) * np.array(given.factor, np.float32)


def told(found: Received) -> str:
    return "; ".join(one.where for one in found.findings)


class Patterns(TestCase):
    def test_a_checker_has_its_colours_in_its_squares(self) -> None:
        found = read(
            '<checkerboard name="c" type="color3"><input name="color1" type="color3" value="0.8,0.2,0.1"/>'
            '<input name="color2" type="color3" value="0.1,0.1,0.4"/><input name="uvtiling" type="vector2" value="4,2"/></checkerboard>',
            'nodename="c"',
        )
        held = values(found, "base_color")
        side = len(held)
        self.assertGreaterEqual(side, 512)
        for column in range(4):
            for row in range(2):
                # The rows of an image run down, V runs up: squares whose numbers sum to an odd one have color1.
                at = held[int((1 - (row + 0.5) / 2) * side), int((column + 0.5) / 4 * side)]
                expected = (0.8, 0.2, 0.1) if (row + column) % 2 else (0.1, 0.1, 0.4)
                np.testing.assert_allclose(at, expected, atol=2e-3)

    def test_ramps_run_up_and_to_the_right(self) -> None:
        nodes = (
            '<ramptb name="r" type="float"><input name="valuet" type="float" value="1"/><input name="valueb" type="float" value="0.2"/></ramptb>'
            '<ramp4 name="q" type="color3"><input name="valuetl" type="color3" value="1,0,0"/><input name="valuetr" type="color3" value="0,1,0"/>'
            '<input name="valuebl" type="color3" value="0,0,1"/><input name="valuebr" type="color3" value="1,1,1"/></ramp4>'
        )
        found = read(nodes, 'nodename="q"', 'nodename="r"')
        rough, corners = values(found, "roughness"), values(found, "base_color")
        v = 1 - (np.arange(len(rough)) + 0.5) / len(rough)
        np.testing.assert_allclose(rough[:, 0, 0], 0.2 + 0.8 * v, atol=1e-3)
        for row, column, expected in (
            (0, 0, (1, 0, 0)),
            (0, -1, (0, 1, 0)),
            (-1, 0, (0, 0, 1)),
            (-1, -1, (1, 1, 1)),
        ):
            np.testing.assert_allclose(corners[row, column], expected, atol=0.02)
        self.assertIn("128 x 128", told(found))

    def test_noise_is_drawn_where_it_was_placed_at_a_size_that_keeps_it(self) -> None:
        nodes = (
            '<texcoord name="uv" type="vector2"/>'
            '<place2d name="p" type="vector2"><input name="texcoord" type="vector2" nodename="uv"/><input name="scale" type="vector2" value="0.05,0.1"/>'
            '<input name="offset" type="vector2" value="0.3,0.7"/></place2d>'
            '<noise2d name="n" type="float"><input name="texcoord" type="vector2" nodename="p"/><input name="amplitude" type="float" value="0.4"/>'
            '<input name="pivot" type="float" value="0.5"/></noise2d>'
        )
        found = read(nodes, rough='nodename="n"')
        rough = values(found, "roughness")
        places = Grid(len(rough)).places(2) / np.array([0.05, 0.1], np.float32) - np.array(
            [0.3, 0.7], np.float32
        )
        np.testing.assert_allclose(rough, 0.5 + 0.4 * gradient_noise(places), atol=2e-4)
        self.assertGreater(len(rough), 128)
        self.assertIn("repeats beyond", told(found))

    def test_an_even_pattern_says_nothing_of_repeating(self) -> None:
        nodes = '<checkerboard name="c" type="color3"><input name="uvtiling" type="vector2" value="4,2"/></checkerboard>'
        self.assertNotIn("repeats beyond", told(read(nodes, 'nodename="c"')))

    def test_a_pattern_between_an_image_and_a_colour(self) -> None:
        from tests.making import image

        texels = np.full((32, 32, 3), 255, np.uint8)
        nodes = (
            '<image name="i" type="color3"><input name="file" type="filename" value="wood.png"/></image>'
            '<ramplr name="r" type="float"><input name="valuel" type="float" value="0"/><input name="valuer" type="float" value="1"/></ramplr>'
            '<mix name="m" type="color3"><input name="fg" type="color3" nodename="i"/><input name="bg" type="color3" value="0.2,0.2,0.2"/>'
            '<input name="mix" type="float" nodename="r"/></mix>'
        )
        found = read(nodes, 'nodename="m"', **{"wood.png": image("wood", texels).data})
        held = values(found, "base_color")
        u = (np.arange(held.shape[1]) + 0.5) / held.shape[1]
        np.testing.assert_allclose(held[0, :, 0], 0.2 + 0.8 * u, atol=5e-3)

    def test_what_depends_on_the_object_is_told_by_name(self) -> None:
        found = read('<noise3d name="grain" type="float"/>', rough='nodename="grain"')
        self.assertRegex(told(found), r"grain \(noise3d\) depends on where on the object it lies")

    def test_what_nothing_can_be_drawn_from_is_told_and_stops_nothing(self) -> None:
        for name, nodes in {
            "a place of one number": '<constant name="k" type="float"><input name="value" type="float" value="0.3"/></constant>'
            '<noise2d name="n" type="float"><input name="texcoord" type="vector2" nodename="k"/></noise2d>',
            "octaves that are no number": '<fractal2d name="n" type="float"><input name="octaves" type="float" value="nan"/></fractal2d>',
            "a place without end": '<place2d name="p" type="vector2"><input name="scale" type="vector2" value="0,0"/></place2d>'
            '<noise2d name="n" type="float"><input name="texcoord" type="vector2" nodename="p"/></noise2d>',
            "a ring": '<noise2d name="n" type="float"><input name="amplitude" type="float" nodename="m"/></noise2d>'
            '<add name="m" type="float"><input name="in1" type="float" nodename="n"/></add>',
        }.items():
            with self.subTest(name):
                found = read(nodes, rough='nodename="n"')
                self.assertIn("Boards", [m.name for m in found.scene.materials.values()])
                self.assertTrue(told(found))

    def test_adjustments_by_the_library_s_own_graphs(self) -> None:
        """Half the saturation: colour and grey of the standard weights, in equal parts."""
        nodes = (
            '<ramplr name="r" type="color3"><input name="valuel" type="color3" value="1,0,0"/><input name="valuer" type="color3" value="1,0,0"/></ramplr>'
            '<saturate name="h" type="color3"><input name="in" type="color3" nodename="r"/><input name="amount" type="float" value="0.5"/>'
            '<input name="lumacoeffs" type="color3" value="0.2126,0.7152,0.0722"/></saturate>'
        )
        held = values(read(nodes, 'nodename="h"'), "base_color")
        grey = 0.2126
        np.testing.assert_allclose(held[3, 3], [(1 + grey) / 2, grey / 2, grey / 2], atol=2e-3)

    def test_a_network_in_usd_is_drawn_alike(self) -> None:
        stage = """#usda 1.0
(metersPerUnit = 1
 upAxis = "Y")
def Mesh "Board" (prepend apiSchemas = ["MaterialBindingAPI"]) {
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
    texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] (interpolation = "vertex")
    rel material:binding = </Boards>
}
def Material "Boards" {
    token outputs:mtlx:surface.connect = </Boards/s.outputs:out>
    def Shader "s" {
        uniform token info:id = "ND_open_pbr_surface_surfaceshader"
        float inputs:specular_roughness.connect = </Boards/r.outputs:out>
        token outputs:out
    }
    def Shader "uv" {
        uniform token info:id = "ND_geompropvalue_vector2"
        string inputs:geomprop = "st"
        float2 outputs:out
    }
    def Shader "r" {
        uniform token info:id = "ND_ramptb_float"
        float inputs:valuet = 1
        float inputs:valueb = 0.2
        float2 inputs:texcoord.connect = </Boards/uv.outputs:out>
        float outputs:out
    }
}
"""
        rough = values(receive({"board.usda": stage.encode()}), "roughness")
        v = 1 - (np.arange(len(rough)) + 0.5) / len(rough)
        np.testing.assert_allclose(rough[:, 0, 0], 0.2 + 0.8 * v, atol=1e-3)

    def test_the_sample_is_drawn_whole_and_its_film_is_thinner_above(self) -> None:
        found = receive({"bubble.zip": rules_zip()})
        drawn = {m.name: m for m in found.scene.materials.values() if "@" in m.id}
        self.assertEqual(set(drawn), {"Boards", "Checkered cloth", "Soap", "Beetle wing"})
        film = drawn["Soap"].inputs["iridescence_thickness"]
        assert film.texture is not None
        thick = film.factor[0] * read_texture(film.texture, pixels(found.scene.images[film.texture.image]))
        # From 0.8 x 1.0 micrometres below to 0.8 x 0.25 above, as the document says.
        v = 1 - (np.arange(len(thick)) + 0.5) / len(thick)
        np.testing.assert_allclose(thick[:, 0], 800 * (1 - 0.75 * v), atol=2)
