"""Materials made from nothing, from the shelf or from another, and worn by parts, groups and faces."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_lit import route_of
from tests.core.test_mends import decide
from tests.making import cube, quad, scene
from trasloco.errors import Refused
from trasloco.results.acts import making
from trasloco.scene.model import Node, Scene
from trasloco.shelf import shelf

LACQUER = ("material:lacquer", "made", {"name": "Lacquer"})


def worn(held: Scene, part: str) -> list[str]:
    """Names of the materials of a part, by primitive."""
    mesh = held.meshes[held.nodes[part].mesh or ""]
    return [held.materials[p.material or ""].name for p in mesh.primitives]


class Made(TestCase):
    def troupe(self) -> Scene:
        """A trunk and two lids that share a mesh, in a group within a group."""
        made = scene(cube(), quad(), names=("Trunk", "Lid"))
        above = {
            "part:wagon": Node("part:wagon", "Wagon", None, np.eye(4)),
            "part:load": Node("part:load", "Load", "part:wagon", np.eye(4)),
        }
        nodes = {id: replace(n, parent="part:load") for id, n in made.nodes.items()}
        second = replace(nodes["part:Lid"], id="part:Lid 2", name="Lid 2", parent=None)
        return replace(made, nodes={**above, **nodes, second.id: second})

    def test_it_starts_as_the_standard_says_and_is_worn_where_it_is_put(self) -> None:
        after = decide(self.troupe(), LACQUER, ("part:Trunk", "wears", {"material": "material:lacquer"}))
        lacquer = after.materials["material:lacquer"]
        # OpenPBR Surface 1.1: base_color 0.8, base_metalness 0, specular_roughness 0.3.
        self.assertEqual(
            {name: given.factor for name, given in lacquer.inputs.items()},
            {"base_color": (0.8, 0.8, 0.8), "metalness": (0.0,), "roughness": (0.3,)},
        )
        self.assertEqual((worn(after, "part:Trunk"), lacquer.name), (["Lacquer"], "Lacquer"))
        self.assertNotIn("Lacquer", worn(after, "part:Lid"))

    def test_a_group_wears_it_at_any_depth_and_what_shares_a_mesh_elsewhere_does_not(self) -> None:
        after = decide(self.troupe(), LACQUER, ("part:wagon", "wears", {"material": "material:lacquer"}))
        self.assertEqual((worn(after, "part:Trunk"), worn(after, "part:Lid")), (["Lacquer"], ["Lacquer"]))
        self.assertNotIn("Lacquer", worn(after, "part:Lid 2"))

    def test_parts_that_share_a_mesh_and_all_take_it_go_on_sharing_it(self) -> None:
        held = self.troupe()
        second = replace(held.nodes["part:Lid 2"], parent="part:load")
        held = replace(held, nodes={**held.nodes, second.id: second})
        after = decide(held, LACQUER, ("part:wagon", "wears", {"material": "material:lacquer"}))
        self.assertEqual(after.nodes["part:Lid"].mesh, after.nodes["part:Lid 2"].mesh)
        self.assertEqual(worn(after, "part:Lid 2"), ["Lacquer"])

    def test_one_slot_of_a_part_alone(self) -> None:
        two = decide(
            self.troupe(), ("part:Trunk", "faces_slot", [{"faces": [0, 1], "slot": "Handle"}]), LACQUER
        )
        handle = next(m.id for m in two.materials.values() if m.name == "Handle")
        after = decide(
            self.troupe(),
            ("part:Trunk", "faces_slot", [{"faces": [0, 1], "slot": "Handle"}]),
            LACQUER,
            ("part:Trunk", "wears", {"material": "material:lacquer", "instead_of": handle}),
        )
        counts = {
            after.materials[p.material or ""].name: len(p.indices)
            for p in after.meshes[after.nodes["part:Trunk"].mesh or ""].primitives
        }
        self.assertEqual((counts["Lacquer"], sum(counts.values())), (2, 12))
        self.assertNotIn("Handle", counts)

    def test_faces_picked_later_keep_what_they_were_put_to(self) -> None:
        after = decide(
            self.troupe(),
            LACQUER,
            ("part:Trunk", "wears", {"material": "material:lacquer"}),
            ("part:Trunk", "faces_slot", [{"faces": [3], "slot": "Handle"}]),
        )
        self.assertEqual(sorted(worn(after, "part:Trunk")), ["Handle", "Lacquer"])

    def test_nothing_wears_what_is_not_there(self) -> None:
        with self.assertRaises(Refused):
            decide(self.troupe(), ("part:Trunk", "wears", {"material": "material:none"}))


class InOneAct(TestCase):
    def setUp(self) -> None:
        self.route = route_of(Made().troupe())
        self.parts = {n.name: n.id for n in self.route.received().scene.nodes.values()}

    def after(self, **wanted: object) -> Scene:
        given = {"like": None, "shelf": None, "on": [], "faces": {}, **wanted}
        return self.route.mended_with(making(self.route, "New", **given))  # type: ignore[arg-type]

    def test_from_the_shelf_onto_parts_with_every_input_of_it(self) -> None:
        name = next(iter(shelf()))
        after = self.after(shelf=name, on=[self.parts["Trunk"]])
        made = next(m for m in after.materials.values() if m.name == "New")
        self.assertEqual(
            {key: given.factor for key, given in made.inputs.items()},
            {key: given.factor for key, given in shelf()[name].inputs.items()},
        )
        self.assertEqual(worn(after, self.parts["Trunk"]), ["New"])

    def test_as_another_onto_faces(self) -> None:
        after = self.after(
            like=next(iter(self.route.settled().materials)), faces={self.parts["Trunk"]: [0, 5]}
        )
        primitives = after.meshes[after.nodes[self.parts["Trunk"]].mesh or ""].primitives
        counts = {after.materials[p.material or ""].name: len(p.indices) for p in primitives}
        self.assertEqual((counts["New"], sum(counts.values())), (2, 12))

    def test_a_name_that_is_there_is_refused(self) -> None:
        with self.assertRaises(Refused):
            making(self.route, next(iter(self.route.settled().materials.values())).name, None, None, [], {})
