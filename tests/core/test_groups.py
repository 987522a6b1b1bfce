"""Groups made, filled, placed, joined and left out as a whole."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_lit import route_of
from tests.core.test_mends import decide
from tests.making import cube, material, scene
from trasloco.errors import Refused
from trasloco.results import grouping
from trasloco.scene.extent import part_bounds
from trasloco.scene.model import Decision, Node, Scene
from trasloco.scene.transforms import compose

MADE = ("part:made-1", "grouped", {"name": "Load", "parent": None})


def beside(count: int) -> Scene:
    """Unit cubes in a row, two metres apart, beneath a group that is turned and sized."""
    held = scene(*(cube() for _ in range(count)), names=tuple(f"Box {k}" for k in range(count)))
    above = Node("part:wagon", "Wagon", None, compose((0, 1, 0), scale=(2, 2, 2)))
    nodes = {
        id: replace(n, parent=above.id, matrix=compose((2.0 * k, 0, 0)))
        for k, (id, n) in enumerate(held.nodes.items())
    }
    return replace(held, nodes={above.id: above, **nodes})


def box_of_all(held: Scene) -> np.ndarray:
    boxes = part_bounds(held).values()
    return np.array([np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)])


class Groups(TestCase):
    def test_parts_go_into_a_new_group_and_stay_where_they_are(self) -> None:
        before = beside(3)
        after = decide(
            before, MADE, ("part:Box 0", "parent", "part:made-1"), ("part:Box 2", "parent", "part:made-1")
        )
        self.assertEqual(
            [after.nodes[f"part:Box {k}"].parent for k in range(3)],
            ["part:made-1", "part:wagon", "part:made-1"],
        )
        self.assertEqual(after.nodes["part:made-1"].name, "Load")
        for id, box in part_bounds(before).items():
            np.testing.assert_allclose(part_bounds(after)[id], box, atol=1e-9)

    def test_ungrouping_puts_parts_one_higher_and_leaves_no_empty_place(self) -> None:
        before = beside(2)
        after = decide(
            before,
            ("part:Box 0", "parent", None),
            ("part:Box 1", "parent", None),
            ("part:wagon", "include", False),
        )
        self.assertNotIn("part:wagon", after.nodes)
        np.testing.assert_allclose(box_of_all(after), box_of_all(before), atol=1e-9)

    def test_a_group_is_placed_about_its_own_middle_with_all_beneath_it(self) -> None:
        before = beside(2)
        middle = box_of_all(before).mean(axis=0)
        after = decide(before, ("part:wagon", "place", {"move_m": [1.0, 2.0, 3.0], "size": 2.0}))
        moved = box_of_all(after)
        np.testing.assert_allclose(moved.mean(axis=0), middle + np.array([1.0, 2.0, 3.0]), atol=1e-9)
        np.testing.assert_allclose(np.ptp(moved, axis=0), 2 * np.ptp(box_of_all(before), axis=0), atol=1e-9)

    def test_a_group_stands_on_the_ground(self) -> None:
        after = decide(beside(2), ("part:wagon", "stand_on_ground", True))
        self.assertAlmostEqual(box_of_all(after)[0, 1], 0.0)

    def test_only_a_groups_parts_are_joined_and_they_stay_beneath_it(self) -> None:
        held = beside(3)
        alone = replace(held.nodes["part:Box 2"], parent=None)
        before = replace(held, nodes={**held.nodes, alone.id: alone})
        after = decide(before, ("part:wagon", "join", "group"))
        parts = {n.id: n.parent for n in after.nodes.values() if n.mesh}
        self.assertEqual(len(parts), 2)
        self.assertEqual(parts.pop("part:Box 2"), None)
        self.assertEqual(list(parts.values()), ["part:wagon"])
        np.testing.assert_allclose(box_of_all(after), box_of_all(before), atol=1e-6)

    def test_what_is_in_a_group_that_is_left_out_stays_behind_and_one_may_be_taken_along(self) -> None:
        rule = ("scene", "leave_out", [{"group": "part:wagon"}])
        self.assertFalse([n for n in decide(beside(3), rule).nodes.values() if n.mesh])
        after = decide(beside(3), ("part:Box 1", "include", True), rule)
        self.assertEqual([n.name for n in after.nodes.values() if n.mesh], ["Box 1"])


class Presses(TestCase):
    """What one press on parts and groups decides."""

    def setUp(self) -> None:
        self.route = route_of(beside(3))
        self.ids = {n.name: n.id for n in self.route.received().scene.nodes.values()}

    def after(self, *batches: list[Decision]) -> Scene:
        return self.route.mended_with([one for batch in batches for one in batch])

    def of(self, *names: str) -> list[str]:
        return [self.ids[name] for name in names]

    def held(self, scene: Scene) -> dict[str, str]:
        return {
            n.name: scene.nodes[n.parent].name if n.parent else "" for n in scene.nodes.values() if n.mesh
        }

    def test_a_group_is_made_where_its_parts_are_held_and_what_is_chosen_twice_goes_once(self) -> None:
        made, decisions = grouping.grouping(self.route, "Load", self.of("Box 0", "Box 2"))
        scene = self.after(decisions)
        self.assertEqual(self.held(scene), {"Box 0": "Load", "Box 1": "Wagon", "Box 2": "Load"})
        self.assertEqual(scene.nodes[scene.nodes[made].parent or ""].name, "Wagon")
        _, both = grouping.grouping(self.route, "All", self.of("Wagon", "Box 1"))
        self.assertEqual(set(self.held(self.after(both)).values()), {"Wagon"})

    def test_a_group_is_taken_apart_and_moved_into_another(self) -> None:
        scene = self.after(grouping.ungrouping(self.route, self.of("Wagon")))
        self.assertEqual(set(self.held(scene).values()), {""})
        scene = self.after(grouping.moving_to(self.route, None, self.of("Box 1")))
        self.assertEqual(self.held(scene)["Box 1"], "")

    def test_left_out_as_a_whole_and_taken_along_again(self) -> None:
        out = grouping.leaving_out(self.route, self.of("Wagon"))
        self.assertEqual(self.held(self.after(out)), {})
        self.route = route_of(beside(3), out)
        along = grouping.taking_along(self.route, self.of("Wagon"))
        self.assertEqual(len(self.held(self.route.mended_with(along))), 3)

    def test_a_slot_alone_is_left_out_and_taken_along_again(self) -> None:
        given = scene(
            replace(cube(material="material:leaf"), positions=cube().positions),
            materials=(material("leaf"), material("stem")),
            names=("Laurel",),
        )
        (id,) = given.meshes
        stem = replace(cube(0.2), material="material:stem")
        whole = replace(given.meshes[id], primitives=(*given.meshes[id].primitives, stem))
        given = replace(given, meshes={id: whole})
        route = route_of(given)
        part = next(n.id for n in route.settled().nodes.values() if n.mesh)
        leaf, stem_id = (p.material for p in route.settled().meshes[id].primitives)

        def left(decisions: list[Decision]) -> list[str]:
            made = route_of(given, decisions).reference()
            return [
                made.materials[p.material or ""].name
                for n in made.nodes.values()
                if n.mesh
                for p in made.meshes[n.mesh].primitives
            ]

        out = grouping.leaving_slot_out(route, [part], str(stem_id), False)
        self.assertEqual(left(out), ["leaf"])
        back = grouping.leaving_slot_out(route_of(given, out), [part], str(stem_id), True)
        self.assertEqual(left([*out, *back]), ["leaf", "stem"])
        both = grouping.leaving_slot_out(route_of(given, out), [part], str(leaf), False)
        self.assertEqual([(d.field, d.value) for d in both], [("include", False)])
        with self.assertRaises(Refused):
            grouping.leaving_slot_out(route, [part], "material:none", False)

    def test_a_group_made_here_is_dressed_part_by_part(self) -> None:
        made, decisions = grouping.grouping(self.route, "Load", self.of("Box 0", "Box 2"))
        route = route_of(beside(3), decisions)
        worn = next(iter(route.settled().materials))
        dressed = grouping.dressing(route, worn, [made], None)
        self.assertEqual([d.target for d in dressed], self.of("Box 0", "Box 2"))
        self.assertEqual(
            [d.target for d in grouping.dressing(route, worn, self.of("Wagon"), None)], self.of("Wagon")
        )

    def test_what_is_not_there_is_refused(self) -> None:
        for ids in ([], ["part:none"]):
            with self.assertRaises(Refused):
                grouping.leaving_out(self.route, ids)
        with self.assertRaises(Refused):
            grouping.ungrouping(self.route, self.of("Box 0"))
