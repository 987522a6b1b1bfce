"""Slots made, put, merged and named."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_mends import PLAIN, decide, sorted_centres
from tests.making import cube, image, material, quad, scene
from trasloco.decisions.carrying_out import keep_used, mended
from trasloco.errors import Refused
from trasloco.mends.id_colors import SIGHTS, distinct_colors, look_alikes, separation
from trasloco.scene.model import Decision, Scene


class Slots(TestCase):
    def winch(self) -> Scene:
        colors = [(0.8, 0.1, 0.1), (0.1, 0.8, 0.1), (0.8, 0.1, 0.1)]
        parts = []
        for k, color in enumerate(colors):
            c = cube()
            parts.append(
                replace(
                    c,
                    positions=c.positions + np.array([3 * k, 0, 0], np.float32),
                    colors=np.tile(np.array([*color, 1], np.float32), (8, 1)),
                )
            )
        joined = replace(
            parts[0],
            positions=np.concatenate([p.positions for p in parts]),
            indices=np.concatenate([p.indices + 8 * k for k, p in enumerate(parts)]).astype(np.uint32),
            colors=np.concatenate([p.colors for p in parts if p.colors is not None]),
        )
        return scene(joined, names=("Winch",))

    def faces_by_slot(self, given_scene: Scene) -> list[int]:
        return sorted(len(p.indices) for p in given_scene.meshes["mesh:Winch"].primitives)

    def test_from_colours_pieces_and_an_image(self) -> None:
        self.assertEqual(
            self.faces_by_slot(decide(self.winch(), ("part:Winch", "slots_from", "vertex_color"))), [12, 24]
        )
        self.assertEqual(
            self.faces_by_slot(decide(self.winch(), ("part:Winch", "slots_from", "pieces"))), [12, 12, 12]
        )
        ids = np.zeros((4, 4, 3), np.uint8)
        ids[:, 2:] = 255
        left_right = replace(quad(), uvs=(np.array([[0, 0], [0.4, 0], [0.6, 1], [1, 1]], np.float32),))
        split = decide(
            scene(left_right, names=("Winch",), images=(image("ids", ids),)),
            ("part:Winch", "slots_from", {"image": "image:ids"}),
        )
        self.assertEqual(self.faces_by_slot(split), [1, 1])

    def test_faces_picked_by_hand_keep_their_slot_when_the_rest_is_shared_out(self) -> None:
        named = replace(
            self.winch(),
            nodes={"part:Winch": replace(self.winch().nodes["part:Winch"], layers=("Iron work",))},
        )
        self.assertEqual(
            [
                m.name
                for m in decide(named, ("part:Winch", "slots_from", "layer")).materials.values()
                if m.payload.get("slot")
            ],
            ["Iron work"],
        )
        with self.assertRaises(Refused):
            decide(self.winch(), ("part:Winch", "slots_from", "layer"))
        after = decide(
            self.winch(),
            ("part:Winch", "faces_slot", [{"faces": [0, 1, 13], "slot": "Handle"}]),
            ("part:Winch", "slots_from", "vertex_color"),
        )
        names = {
            after.materials[p.material or ""].name: len(p.indices)
            for p in after.meshes["mesh:Winch"].primitives
        }
        self.assertEqual(names.pop("Handle"), 3)
        self.assertEqual(sorted(names.values()), [11, 22])
        self.assertEqual(sum(len(p.indices) for p in after.meshes["mesh:Winch"].primitives), 36)

    def test_faces_put_by_hand_in_several_goes_add_up(self) -> None:
        goes = [
            Decision("part:Winch", "faces_slot", [{"faces": [0, 1], "slot": "Handle"}]),
            Decision("part:Winch", "faces_slot", [{"faces": [1, 2], "slot": "Crank"}]),
        ]
        after = mended(self.winch(), PLAIN, goes)
        names = {
            after.materials[p.material or ""].name: len(p.indices)
            for p in after.meshes["mesh:Winch"].primitives
        }
        self.assertEqual((names["Handle"], names["Crank"]), (1, 2))

    def test_slots_are_merged_renamed_and_joined(self) -> None:
        shared = decide(self.winch(), ("part:Winch", "slots_from", "pieces"))
        slots = [p.material or "" for p in shared.meshes["mesh:Winch"].primitives]
        after = decide(
            self.winch(),
            ("part:Winch", "slots_from", "pieces"),
            (slots[0], "merge_into", slots[1]),
            (slots[1], "name", "Iron"),
        )
        self.assertEqual(self.faces_by_slot(after), [12, 24])
        self.assertIn("Iron", [m.name for m in keep_used(after).materials.values()])
        many = scene(
            *(
                replace(
                    cube(0.2),
                    positions=cube(0.2).positions + np.float32(k),
                    material=f"material:{'ab'[k % 2]}",
                )
                for k in range(6)
            ),
            materials=(material("a"), material("b")),
        )
        by_material = decide(many, ("scene", "join", "material"))
        self.assertEqual(sorted(n.name for n in by_material.parts()), ["a", "b"])
        np.testing.assert_allclose(sorted_centres(by_material), sorted_centres(many), atol=1e-5)
        by_group = decide(many, ("scene", "join", "group"))
        self.assertEqual([len(by_group.meshes[n.mesh or ""].primitives) for n in by_group.parts()], [2])

    def test_new_id_colours_stay_apart_for_everyone(self) -> None:
        for sight, matrix in SIGHTS.items():
            np.testing.assert_allclose(matrix.sum(axis=1), 1, atol=1e-5, err_msg=sight)  # white stays white
        for count in (2, 8, 16):
            self.assertGreater(min(separation(distinct_colors(count)).values()), 6.0, count)
        self.assertEqual(look_alikes(distinct_colors(12)), [])
        red_green = np.array([[0.30, 0.12, 0.02], [0.16, 0.18, 0.02]])
        self.assertEqual(look_alikes(red_green)[0][2], "deutan")
