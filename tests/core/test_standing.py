"""Things stood on things, and things that nothing holds."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from tests.core.test_inventory import PLAIN
from tests.core.test_mends import decide
from tests.making import cube, scene
from trasloco.inventory.checks.placing import in_the_air
from trasloco.inventory.context import Context
from trasloco.scene.extent import part_bounds
from trasloco.scene.model import Node, Primitive, Scene


def at(given: Scene, part: str, *place: float) -> Scene:
    matrix = np.eye(4)
    matrix[:3, 3] = place
    return replace(given, nodes={**given.nodes, part: replace(given.nodes[part], matrix=matrix)})


def ball(radius: float) -> Primitive:
    made = trimesh.creation.icosphere(subdivisions=4, radius=radius)
    return Primitive(made.vertices.astype(np.float32), made.faces.astype(np.uint32))


class StandingOn(TestCase):
    def low(self, given: Scene, part: str = "part:A") -> float:
        return float(part_bounds(given)[part][0, 1])

    def test_a_box_stands_on_a_ball_where_that_is_highest(self) -> None:
        given = at(scene(cube(1.0), ball(0.5), names=("A", "B")), "part:A", 0.2, 7, 0.1)
        made = decide(given, ("part:A", "stand_on", "part:B"))
        self.assertAlmostEqual(self.low(made), 0.5, places=4)
        np.testing.assert_allclose(made.nodes["part:A"].matrix[[0, 2], 3], [0.2, 0.1])

    def test_a_ball_off_the_middle_rolls_nowhere_and_touches_its_side(self) -> None:
        # Two balls of radius r whose middles are d apart sideways touch with their middles sqrt(4 r^2 - d^2)
        # apart in height; facets are a little within the balls.
        given = at(scene(ball(0.5), ball(0.5), names=("A", "B")), "part:A", 0.6, 3, 0)
        made = decide(given, ("part:A", "stand_on", "part:B"))
        self.assertAlmostEqual(self.low(made), -0.5 + np.sqrt(1 - 0.36), delta=0.01)

    def test_what_sank_in_comes_up_and_what_is_beside_is_brought_over(self) -> None:
        sunk = at(scene(cube(1.0), cube(2.0), names=("A", "B")), "part:A", 0, 0.8, 0)
        self.assertAlmostEqual(self.low(decide(sunk, ("part:A", "stand_on", "part:B"))), 1.0, places=5)
        beside = decide(at(sunk, "part:A", 9, 0, 9), ("part:A", "stand_on", "part:B"))
        self.assertAlmostEqual(self.low(beside), 1.0, places=5)
        np.testing.assert_allclose(beside.nodes["part:A"].matrix[[0, 2], 3], 0, atol=1e-9)

    def test_it_is_moved_on_from_there(self) -> None:
        given = scene(cube(1.0), cube(2.0), names=("A", "B"))
        made = decide(
            given, ("part:A", "stand_on", "part:B"), ("part:A", "place", {"move_m": [0.0, 0.25, 0.0]})
        )
        self.assertAlmostEqual(self.low(made), 1.25, places=5)

    def test_a_group_stands_as_one_and_nothing_stands_on_itself(self) -> None:
        given = at(scene(cube(1.0), cube(1.0), cube(2.0), names=("A", "C", "B")), "part:C", 0, 1, 0)
        group = Node("part:G", "G", None, np.eye(4))
        nodes = {"part:G": group, **given.nodes}
        nodes |= {id: replace(nodes[id], parent="part:G") for id in ("part:A", "part:C")}
        given = replace(given, nodes=nodes)
        made = decide(given, ("part:G", "stand_on", "part:B"))
        self.assertAlmostEqual(self.low(made), 1.0, places=5)
        self.assertAlmostEqual(self.low(made, "part:C"), 2.0, places=5)
        own = decide(given, ("part:A", "stand_on", "part:A"))
        self.assertAlmostEqual(self.low(own), self.low(given))


class InTheAir(TestCase):
    def found(self, given: Scene) -> list[tuple[str, ...]]:
        return [one.targets for one in in_the_air(Context(given, given, PLAIN, PLAIN))]

    def test_what_nothing_holds_is_told_and_stood_by_one_press(self) -> None:
        given = at(
            scene(cube(1.0), cube(4.0), *(cube(4.0),) * 9, names=("A", "B", *"CDEFGHIJK")), "part:A", 0, 4, 0
        )
        context = Context(given, given, PLAIN, PLAIN)
        (finding,) = in_the_air(context)
        self.assertEqual(finding.targets, ("part:A",))
        onto = finding.mends[0].decisions[0]
        self.assertEqual((onto.field, onto.value), ("stand_on", "part:B"))
        self.assertEqual(self.found(decide(given, ("part:A", "stand_on", "part:B"))), [])

    def test_what_hangs_on_something_is_held(self) -> None:
        rod = cube(1.0)
        rod = replace(rod, positions=rod.positions * np.array([0.05, 4, 0.05], np.float32))
        given = at(
            scene(cube(1.0), rod, *(cube(4.0),) * 20, names=("A", "Rod", *(f"B{k}" for k in range(20)))),
            "part:A",
            0,
            6,
            0,
        )
        self.assertEqual(self.found(at(given, "part:Rod", 0, 4, 0)), [])
        self.assertEqual(self.found(at(given, "part:Rod", 9, 9, 0)), [("part:A",), ("part:Rod",)])

    def test_one_thing_alone_is_not_in_the_air(self) -> None:
        self.assertEqual(self.found(at(scene(cube(1.0), names=("A",)), "part:A", 0, 5, 0)), [])
