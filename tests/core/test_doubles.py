"""The same parts twice, at any distance and with copied materials; and shells of sky that are no part of a
scene's size.
"""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from tests.core.test_inventory import PLAIN, kinds, undeclared
from tests.making import cube, material, noise_image, quad, scene
from trasloco.decisions.carrying_out import mended
from trasloco.light.lightmaps.bake_wish import Wish, excuses
from trasloco.scene.extent import bounds, shells
from trasloco.scene.model import Input, Mesh, Node, Primitive, Scene, Texture


def front(mark: str, at: tuple[float, float, float], look: str) -> dict[str, tuple[Node, Mesh | None]]:
    """A group of four columns of different heights, its meshes its own."""
    group = np.eye(4)
    group[:3, 3] = at
    made: dict[str, tuple[Node, Mesh | None]] = {
        f"part:Front{mark}": (Node(f"part:Front{mark}", f"Front{mark}", None, group), None)
    }
    for k in range(4):
        box = cube(1, material=look)
        mesh = Mesh(
            f"mesh:Column {k}{mark}",
            f"Column {k}{mark}",
            (
                replace(
                    box,
                    positions=box.positions * np.array([0.2, 1 + k, 0.2], np.float32)
                    + np.array([k, 0, 0], np.float32),
                ),
            ),
        )
        made[f"part:Column {k}{mark}"] = (
            Node(f"part:Column {k}{mark}", f"Column {k}{mark}", f"part:Front{mark}", np.eye(4), mesh=mesh.id),
            mesh,
        )
    return made


def twice(at: tuple[float, float, float], second: str = " (2)", shared: bool = False) -> Scene:
    textured = Input((1.0, 1.0, 1.0), Texture("image:wood", "rgb", "srgb"))
    looks = (
        material("wood", base_color=textured),
        replace(
            material(
                "wood copy",
                base_color=replace(textured, texture=replace(textured.texture, image="image:wood 2")),
            ),
            name="wood copy",
        ),
    )
    parts = front("", (0, 0, 0), "material:wood") | front(second, at, "material:wood copy")
    given = scene(
        quad(10, material="material:wood"),
        materials=looks,
        images=(noise_image("wood"), replace(noise_image("wood"), id="image:wood 2", name="wood 2.png")),
        names=("Floor",),
    )
    nodes = {**given.nodes, **{id: node for id, (node, _) in parts.items()}}
    if shared:
        nodes = {
            id: replace(n, mesh=n.mesh.replace(second, "")) if n.mesh and second in n.mesh else n
            for id, n in nodes.items()
        }
    return replace(
        given, nodes=nodes, meshes={**given.meshes, **{m.id: m for _, m in parts.values() if m is not None}}
    )


class Sets(TestCase):
    def test_a_group_sent_twice_is_found_at_any_distance_and_left_out_whole(self) -> None:
        for at, told in (
            ((0, 0, 0), "at the same place"),
            ((0.35, 2.0, 0), "2 m towards +Y"),
            ((250.0, 0, -40.0), "250 m towards +X, 40 m towards -Z"),
        ):
            given = twice(at)
            found = kinds(given)["duplicate_set"]
            self.assertEqual(len(found), 1)
            self.assertIn("Front and Front (2) · 4 parts each", found[0].where)
            self.assertIn(told, found[0].where + found[0].consequence)
            self.assertNotIn("duplicate", kinds(given))
            np.testing.assert_allclose(found[0].evidence["way_m"], at, atol=1e-4)
            after = mended(given, PLAIN, found[0].mends[0].decisions)
            self.assertEqual(
                {n.name for n in after.nodes.values()},
                {"Floor", "Front", "Column 0", "Column 1", "Column 2", "Column 3"},
            )

    def test_what_shares_meshes_or_is_named_otherwise_was_repeated_on_purpose(self) -> None:
        self.assertNotIn("duplicate_set", kinds(twice((5, 0, 0), shared=True)))
        self.assertNotIn("duplicate_set", kinds(twice((5, 0, 0), second=" of the left wing")))
        self.assertIn("duplicate_set", kinds(twice((0, 0, 0), shared=True)))


def dome(radius: float, half: bool = False) -> Primitive:
    """A ball that looks in, or its upper half."""
    ball = trimesh.creation.icosphere(subdivisions=3, radius=radius)
    faces = ball.faces[:, ::-1]
    if half:
        faces = faces[(ball.vertices[faces][:, :, 1] > -0.05 * radius).all(axis=1)]
    used, numbers = np.unique(faces, return_inverse=True)
    return Primitive(
        ball.vertices[used].astype(np.float32),
        numbers.reshape(-1, 3).astype(np.uint32),
        material="material:m",
    )


class Shells(TestCase):
    def test_round_shining_or_named_shells_are_no_part_of_the_size(self) -> None:
        for outside, name in (
            (dome(40), "Thing"),
            (dome(40, half=True), "Thing"),
            (cube(6, outward=False), "Sky box"),
        ):
            given = scene(cube(2), outside, names=("Prop", name))
            self.assertEqual(shells(given), {f"part:{name}"})
            box = bounds(given)
            assert box is not None
            np.testing.assert_allclose(box, [[-1, -1, -1], [1, 1, 1]])
            self.assertEqual(excuses(given, Wish(wanted=True)), {f"part:{name}": "encloses everything else"})
        glow = material("glow", emission=(1.0, 1.0, 1.0), base_color=(0.0, 0.0, 0.0))
        self.assertEqual(
            shells(
                scene(
                    cube(2),
                    cube(9, "material:glow", outward=False),
                    materials=(material(), glow),
                    names=("Prop", "Around"),
                )
            ),
            {"part:Around"},
        )

    def test_rooms_are(self) -> None:
        self.assertEqual(shells(scene(cube(2), cube(9, outward=False), names=("Prop", "Room"))), frozenset())
        self.assertEqual(shells(scene(dome(3), names=("Ball",))), frozenset())

    def test_the_unit_is_judged_without_them(self) -> None:
        given = undeclared(scene(cube(1.7), dome(900), names=("Costume", "Thing")))
        self.assertEqual(kinds(given)["unit"][0].evidence["likeliest_m"], 1.0)
