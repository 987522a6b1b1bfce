"""Names: a machine's in any habit, an artist's never; proposals say group, material and place."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import cube, material, scene
from trasloco.inventory.naming import is_automatic, proposals
from trasloco.scene.model import Node, Scene

MACHINE = (
    "Cube", "cube.001", "pCube12", "Sphere_03", "polySurface7", "Mesh", "mesh-0004", "object 12", "Object12",
    "Box001", "BOX 2", "Group5", "group_12_copy", "default", "Material.003", "lambert1", "untitled", "17", "",
    "part", "Node_44", "geometry0", "Cylinder (2)", "Würfel.1", "cubo", "NurbsSurface2", "new material", "Empty",
)  # fmt: skip
OURS = (
    "Curtain velvet", "Trunk", "Box seat", "Box", "Ring", "footlight_01", "Puppet 2", "leaf", "Winch iron",
    "Cube of sugar", "stage boards", "Mesh curtain", "Lantern", "T1 rope", "Path to the wings",
)  # fmt: skip


def placed(*places: tuple[float, float, float]) -> Scene:
    """Boxes without a name of their own, in no group, of one material, at places."""
    given = scene(
        *(cube(0.2) for _ in places),
        materials=(material("m"),),
        names=tuple(f"Cube.{k:03}" for k in range(len(places))),
    )
    nodes = {}
    for node, place in zip(given.nodes.values(), places, strict=True):
        matrix = np.eye(4)
        matrix[:3, 3] = place
        nodes[node.id] = replace(node, matrix=matrix)
    return replace(
        given, nodes=nodes, materials={"material:m": replace(material("Material.001"), id="material:m")}
    )


class Names(TestCase):
    def test_a_machines_in_any_spelling_and_an_artists(self) -> None:
        self.assertEqual([name for name in MACHINE if not is_automatic(name)], [])
        self.assertEqual([name for name in OURS if is_automatic(name)], [])

    def test_place_names_what_nothing_else_does(self) -> None:
        given = placed((-2, 0, 0), (2, 0, 0), (0, 3, 0), (0, 1.5, 0))
        made = proposals(given, "parts", [p.id for p in given.parts()])
        self.assertEqual(list(made.values()), ["lower left", "lower right", "upper", "middle"])

    def test_group_and_material_come_before_place(self) -> None:
        given = placed((-2, 0, 0), (2, 0, 0), (2, 0.01, 0))
        group, inner = Node("part:w", "Wagon", None, np.eye(4)), Node("part:g", "Group1", "part:w", np.eye(4))
        nodes = {id: replace(n, parent=inner.id) for id, n in given.nodes.items()}
        given = replace(
            given,
            nodes={group.id: group, inner.id: inner, **nodes},
            materials={"material:m": replace(material("Oak"), id="material:m")},
        )
        made = proposals(given, "parts", [p.id for p in given.parts()])
        self.assertEqual(list(made.values()), ["Wagon Oak", "Wagon Oak, right", "Wagon Oak, right-02"])
        self.assertFalse([name for name in made.values() if is_automatic(name)])
