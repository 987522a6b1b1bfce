"""What a live view is given of a side, and glances from any place."""

from __future__ import annotations

import io
import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from unittest import TestCase

import numpy as np
from PIL import Image as Pillow

from tests.making import cube, image, material, quad, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.results import glance as glances
from trasloco.results import lit
from trasloco.results.route import Route
from trasloco.results.store import MemoryStore
from trasloco.scene.digest import digest
from trasloco.scene.images import encode, identify
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Decision, Input, Node, Scene, Texture
from trasloco.scene.transforms import compose
from trasloco.sheets.library import sheet_named


def stage() -> Scene:
    """A painted cube and a bare one, a lamp two metres above them."""
    red = np.zeros((32, 32, 3), np.uint8)
    red[..., 0] = 200
    painted = material("painted", base_color=Input((1.0, 1.0, 1.0), Texture("image:red", "rgb", "srgb")))
    lower = replace(quad(material="material:painted"))
    made = scene(
        cube(material="material:bare"),
        lower,
        names=("Box", "Board"),
        materials=(painted, material("bare", base_color=(0.2, 0.4, 0.6))),
        images=(image("red", red),),
    )
    lamp = Light("light:lamp", "Lamp", "point", intensity=500.0)
    node = Node("part:lamp", "Lamp", None, compose((0.0, 2.0, 0.0)), light=lamp.id)
    return replace(made, lights={lamp.id: lamp}, nodes={**made.nodes, node.id: node})


def route_of(
    held: Scene, decisions: Sequence[Decision] = (), beside: Mapping[str, bytes] | None = None
) -> Route:
    """A move of a scene as a GLB, with files beside it, to Lanterna."""
    files = {"stage.glb": write_glb(held), **(beside or {})}
    return Route(
        {path: digest(data) for path, data in files.items()},
        lambda: files,
        sheet_named("Plain", "source"),
        sheet_named("Lanterna", "destination"),
        decisions,
        MemoryStore(),
    )


class Lit(TestCase):
    def test_each_side_tells_lamps_materials_and_pictures(self) -> None:
        route = route_of(stage())
        for side in ("received", "mended", "arrival"):
            with self.subTest(side):
                told = lit.lit(route, side)  # type: ignore[arg-type]
                lamps = [one for one in told["lamps"] if one["kind"] == "point"]
                self.assertEqual(len(lamps), 1)
                self.assertAlmostEqual(lamps[0]["intensity"], 500.0, places=2)
                self.assertEqual([round(v, 5) for v in lamps[0]["matrix"][12:15]], [0.0, 2.0, 0.0])
                self.assertIn("base_color", [one["name"] for one in told["tiles"]])
                self.assertTrue(math.isfinite(told["ev100"]))
                self.assertEqual(lit.view_glb(route, side)[:4], b"glTF")  # type: ignore[arg-type]

    def test_small_pictures_come_in_the_order_they_are_told(self) -> None:
        route = route_of(stage())
        at = [one["name"] for one in lit.lit(route, "mended")["tiles"]]
        where = at.index("base_color")
        sheet = np.asarray(Pillow.open(io.BytesIO(lit.tiles_png(route, "mended"))))
        tile = sheet[:64, where * 64 : where * 64 + 64]
        self.assertLess(np.abs(tile.reshape(-1, 3).astype(int) - (200, 0, 0)).max(), 2)

    def test_what_surrounds_is_where_the_rays_find_it(self) -> None:
        """One bright texel in the middle of the picture, which is -Z, and turned by a quarter it is -X."""
        picture = np.zeros((64, 128, 3), np.float32)
        picture[30:34, 62:66] = 50.0
        sky = identify("image:sky", "sky.exr", "sky.exr", encode(picture, "exr"))
        for turn, towards in ((0.0, (0, 0, -1)), (math.pi / 2, (-1, 0, 0))):
            with self.subTest(turn):
                held = replace(
                    stage(), images={"image:sky": sky}, environment=Environment("image:sky", 2.0, turn)
                )
                route = route_of(stage())
                route.settled = lambda held=held: held  # type: ignore[method-assign]
                texels = np.frombuffer(lit.surround_bytes(route, "mended", "surround"), "<f2")
                texels = texels.reshape(*lit.SURROUND, 4).astype(np.float64)
                level = lit._level(held.environment, held)
                assert level is not None
                bright = texels[..., 0] * level
                self.assertAlmostEqual(bright.max(), 100.0, delta=0.1)
                middle = (lit.around(*lit.SURROUND) * bright[..., None]).sum(axis=(0, 1))
                np.testing.assert_allclose(middle / np.linalg.norm(middle), towards, atol=0.03)


class Glances(TestCase):
    def test_both_sides_get_sharper_and_a_faithful_move_shows_no_difference(self) -> None:
        route = route_of(stage())
        matrix = [1, 0, 0, 0, 0, 1, 0, 0.5, 0, 0, 1, 4, 0, 0, 0, 1]
        view = glances.view_of({"matrix": matrix, "yfov_rad": 0.8})
        first, second = (glances.glance(route, view, 1.6, step) for step in (0, 1))
        self.assertEqual((first.samples, second.samples), glances.STEPS[:2])
        self.assertEqual(Pillow.open(io.BytesIO(first.reference)).size, (320, 200))
        self.assertLess(second.figure.value, 1.0)
        self.assertLessEqual(second.figure.low, second.figure.value)
        self.assertEqual(second.words, "not seen")
