"""Pictures pressed onto a model: where their corners come to lie in the world is known."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_lit import route_of
from tests.making import noise_image, quad, scene
from trasloco.errors import Refused
from trasloco.proof.alone import alone_picture
from trasloco.render.picture import View
from trasloco.results.pressing import Pressed, pressed
from trasloco.results.route import Route
from trasloco.scene.images import encode
from trasloco.scene.model import Decision, Input, Material, Primitive, Scene, Texture
from trasloco.scene.sampling import placed
from trasloco.scene.transforms import looking

ABOVE = looking((0, 5, 0), (0, 0, 0), (0, 0, -1))
"""Looks down; -Z is up in its picture."""


def floor(uv: np.ndarray | None = None) -> Primitive:
    """A square of 2 m that looks up; U along +X and V along +Z over the whole image, or other UVs of its
    corners.
    """
    made = quad(2.0)
    return made if uv is None else replace(made, uvs=(np.asarray(uv, np.float32),))


LABEL = encode(np.full((8, 16, 3), 200, np.uint8), "png")
EYE = [float(v) for v in ABOVE.ravel()]


def held(primitive: Primitive) -> Scene:
    ground = noise_image("ground", 32, 32)
    worn = Material(
        "material:m",
        "Floor",
        {"base_color": Input((1.0, 1.0, 1.0), Texture("image:ground", encoding="srgb"))},
    )
    return scene(primitive, materials=(worn,), images=(ground,), names=("Floor",))


def moved(given: Scene, decisions: Sequence[Decision] = ()) -> Route:
    return route_of(given, decisions, {"label.png": LABEL})


def press(route: Route, point: Sequence[float], width: float, turn: float, instead_of: int | None) -> Pressed:
    label = next(one.id for one in route.received().scene.images.values() if one.name.startswith("label"))
    return pressed(route, label, point, EYE, width, turn, instead_of)


class Pressing(TestCase):
    def lay(
        self, route: Route, point: tuple[float, float, float], width: float, turn: float = 0.0
    ) -> Texture:
        made = press(route, point, width, turn, None)
        layer = (
            route.mended_with(made.decisions)
            .materials[made.target.partition("/")[0]]
            .inputs["base_color"]
            .layers[made.index]
        )
        self.assertTrue(layer.bounded)
        return layer.texture

    def corners(self, primitive: Primitive, texture: Texture, world: np.ndarray) -> np.ndarray:
        """Places in the picture (u right, v down) of points of the floor, through its own UVs."""
        p, uv = primitive.positions.astype(float), primitive.uvs[0].astype(float)
        run = np.linalg.lstsq(np.c_[p[:, [0, 2]], np.ones(4)], uv, rcond=None)[0]
        return placed(np.c_[world[:, [0, 2]], np.ones(len(world))] @ run, texture)

    def test_upright_as_wide_as_asked_and_no_wider(self) -> None:
        # The label is twice as wide as high: 0.4 m by 0.2 m about (0.3, 0, -0.2).
        made = floor()
        texture = self.lay(moved(held(made)), (0.3, 0.0, -0.2), 0.4)
        world = np.array([[0.1, 0, -0.3], [0.5, 0, -0.3], [0.5, 0, -0.1], [0.1, 0, -0.1]])
        np.testing.assert_allclose(
            self.corners(made, texture, world), [[0, 0], [1, 0], [1, 1], [0, 1]], atol=1e-5
        )

    def test_whatever_way_the_uvs_run_it_lies_the_same(self) -> None:
        world = np.array([[0.1, 0, -0.3], [0.5, 0, -0.3], [0.5, 0, -0.1], [0.1, 0, -0.1]])
        usual = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], float)
        turn = np.array([[math.cos(0.7), math.sin(0.7)], [-math.sin(0.7), math.cos(0.7)]])
        for uv in (usual * (-1, 1) + (1, 0), usual[:, ::-1], usual * (3, 0.5) + 4, usual @ turn * 2 - 1):
            made = floor(uv)
            texture = self.lay(moved(held(made)), (0.3, 0.0, -0.2), 0.4)
            np.testing.assert_allclose(
                self.corners(made, texture, world), [[0, 0], [1, 0], [1, 1], [0, 1]], atol=1e-4
            )

    def test_turned_counter_clockwise_as_it_is_seen(self) -> None:
        made = floor()
        texture = self.lay(moved(held(made)), (0.0, 0.0, 0.0), 0.4, 90.0)
        # Its right end points up in the picture, to -Z.
        up = self.corners(made, texture, np.array([[0, 0, -0.2], [0, 0, 0.2], [-0.1, 0, 0]]))
        np.testing.assert_allclose(up, [[1, 0.5], [0, 0.5], [0.5, 0]], atol=1e-5)

    def test_one_that_is_sized_again_replaces_itself(self) -> None:
        route = moved(held(floor()))
        first = press(route, (0, 0, 0), 0.4, 0, None)
        (given,) = first.decisions
        self.assertEqual(len(given.value), 1)
        again = moved(held(floor()), [given])
        self.assertEqual(press(again, (0, 0, 0), 0.2, 0, None).index, 1)
        smaller = press(again, (0, 0, 0), 0.2, 0, 0)
        self.assertEqual((smaller.index, len(smaller.decisions[0].value)), (0, 1))

    def test_what_shows_twice_is_told(self) -> None:
        once = press(moved(held(floor())), (0, 0, 0), 0.4, 0, None)
        self.assertEqual(once.told, "")
        two = floor()
        other = replace(two, positions=two.positions + np.array([5, 0, 0], np.float32))
        given = held(two)
        mesh = given.meshes["mesh:Floor"]
        given = replace(given, meshes={mesh.id: replace(mesh, primitives=(two, other))})
        twice = press(moved(given), (0, 0, 0), 0.4, 0, None)
        self.assertIn("2.0 times its size", twice.told)

    def test_what_cannot_be_is_refused_in_words(self) -> None:
        route = moved(held(floor()))
        with self.assertRaises(Refused):
            pressed(route, "image:none", (0, 0, 0), EYE, 0.4, 0, None)
        with self.assertRaisesRegex(Refused, "Nothing is there"):
            press(route, (9, 0, 9), 0.4, 0, None)
        bare = moved(held(replace(floor(), uvs=())))
        with self.assertRaisesRegex(Refused, "no UVs"):
            press(bare, (0, 0, 0), 0.4, 0, None)

    def test_it_arrives_flattened_as_the_renderer_sees_it(self) -> None:
        route = moved(held(floor()))
        laid = moved(held(floor()), press(route, (0.3, 0, -0.2), 0.6, 30, None).decisions)
        arrival = laid.arrival()
        (worn,) = arrival.materials.values()
        self.assertEqual(worn.inputs["base_color"].layers, ())
        view = View("above", ABOVE, 0.42)
        before, after = (
            alone_picture(one, "base_color", view, 64, 64).astype(int) for one in (laid.reference(), arrival)
        )
        # Codes of 255: the label's border falls between texels of the atlas, and noise has edges everywhere.
        self.assertLess(float(np.abs(before - after).mean()), 4)
        label = np.abs(after - 200).max(axis=-1) <= 2
        # 0.6 m by 0.3 m of the 2.13 m that are seen each way.
        seen_m = 2 * 5 * math.tan(0.21)
        self.assertAlmostEqual(float(label.mean()), 0.18 / seen_m**2, delta=0.006)
