"""A package that was changed at its destination and came back: what was changed is decided, and the next
delivery arrives as what came back.
"""

from __future__ import annotations

import random
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from tests.everything import everything
from tests.making import cube, image, material, quad, scene, sky
from tests.winch import moving_winch
from trasloco import move
from trasloco.accounts.pairing import paired
from trasloco.fit.model import Plan
from trasloco.outside.came import Came
from trasloco.outside.only_told import only_told
from trasloco.outside.way_back import way_back
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Decision, Input, Node, Scene, Tags, Texture
from trasloco.scene.transforms import compose
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.model import Sheet

SHEETS = built_in_sheets()
PLAIN = SHEETS["plain"]
ROUNDS = 2


def moved(given: Scene, sheet: Sheet, decisions: tuple[Decision, ...] = ()) -> tuple[Scene, Plan, Scene]:
    """Reference, plan and arrival."""
    reference = move.mend(given, PLAIN, decisions)
    carried = move.carry(reference, move.plan(reference, PLAIN, sheet, decisions), sheet)
    return reference, carried.plan, move.arrive(move.package(carried, sheet), sheet)


def numbers(arrival: Scene, rng: random.Random) -> Scene:
    """Some numbers of materials and lamps changed."""
    materials = dict(arrival.materials)
    for id, one in materials.items():
        inputs = dict(one.inputs)
        for name, given in inputs.items():
            if rng.random() < 0.4 and name not in ("normal", "ior", "emission_strength", "opacity"):
                inputs[name] = replace(given, factor=tuple(f * rng.uniform(0.3, 0.9) for f in given.factor))
        materials[id] = replace(one, inputs=inputs)
    lights = {
        id: replace(light, intensity=light.intensity * rng.uniform(1.2, 3)) if rng.random() < 0.5 else light
        for id, light in arrival.lights.items()
    }
    return replace(arrival, materials=materials, lights=lights)


class Numbers(TestCase):
    def test_what_is_decided_arrives_as_what_came_back(self) -> None:
        """For every destination, over generated scenes: after the decisions, nothing differs but what was
        told to have none.
        """
        decided = 0
        for name in ("lanterna", "fornace", "taccuino", "plancia", "tela", "sipario"):
            sheet = SHEETS[name]
            for number in range(ROUNDS):
                with self.subTest(f"{name}, {number}"):
                    given = everything(f"back {number}")
                    reference, plan, sent = moved(given, sheet)
                    returned = numbers(sent, random.Random(number))
                    came = way_back(reference, plan, sent, returned, sheet)
                    made = tuple(d for one in came for d in one.decisions)
                    decided += len(made)
                    again, plan2, arrival = moved(given, sheet, made)
                    left = way_back(again, plan2, arrival, returned, sheet)
                    untold = {(one.item, one.what) for one in came if not one.decisions}
                    surprising = [
                        one
                        for one in left
                        if one.kind != "image" and one.decisions and (one.item, one.what) not in untold
                    ]
                    self.assertEqual([f"{o.name} {o.what}: {o.before} / {o.after}" for o in surprising], [])
        self.assertGreater(decided, 20)

    def test_nothing_came_back_where_nothing_was_changed(self) -> None:
        for name in ("lanterna", "scatola", "plancia", "sipario"):
            reference, plan, sent = moved(everything("still"), SHEETS[name])
            self.assertEqual(way_back(reference, plan, sent, sent, SHEETS[name]), [])


class Single(TestCase):
    def setUp(self) -> None:
        picture = image("planks", np.random.default_rng(1).integers(0, 255, (8, 8, 3), np.uint8))
        boards = material(
            "boards", base_color=Input((0.5, 0.5, 0.5), Texture(picture.id, "rgb", "srgb")), roughness=(0.4,)
        )
        wax = material("wax", roughness=(0.7,))
        given = scene(quad(1, boards.id), cube(1, wax.id), materials=(boards, wax), images=(picture,))
        first, second = given.parts()
        lamp = Light("light:a", "Lamp", "spot", (1.0, 0.5, 0.25), 80.0, 0.2, 0.4)
        nodes = {
            first.id: replace(first, name="Floor"),
            second.id: replace(second, name="Trunk", matrix=compose((2.0, 0.5, 0.0))),
            "part:lamp": Node("part:lamp", "Lamp", None, compose((0, 3.0, 0)), light=lamp.id),
        }
        self.given = replace(given, nodes=nodes, lights={lamp.id: lamp})
        self.reference, self.plan, self.sent = moved(self.given, SHEETS["lanterna"])

    def came(self, returned: Scene) -> dict[tuple[str, str], Came]:
        found = way_back(self.reference, self.plan, self.sent, returned, SHEETS["lanterna"])
        return {(one.name, one.what): one for one in found}

    def node(self, name: str) -> Node:
        return next(node for node in self.sent.nodes.values() if node.name == name)

    def with_node(self, node: Node) -> Scene:
        return replace(self.sent, nodes={**self.sent.nodes, node.id: node})

    def test_a_part_that_was_moved_turned_and_sized_is_placed_so(self) -> None:
        trunk = self.node("Trunk")
        change = compose((0.5, 0.2, -1.0), (0, 0.3, 0, 0.954), (1.5, 1.5, 1.5))
        (one,) = self.came(self.with_node(replace(trunk, matrix=change @ trunk.matrix))).values()
        (made,) = one.decisions
        self.assertEqual(made.field, "place")
        *_, arrival = moved(self.given, SHEETS["lanterna"], (made,))
        got = next(node for node in arrival.nodes.values() if node.name == "Trunk")
        np.testing.assert_allclose(got.matrix, change @ trunk.matrix, atol=1e-5)

    def test_a_part_that_was_stretched_is_told_without_a_decision(self) -> None:
        trunk = self.node("Trunk")
        stretched = self.with_node(replace(trunk, matrix=trunk.matrix @ compose(scale=(1, 2, 1))))
        one = self.came(stretched)["Trunk", "its place"]
        self.assertEqual(one.decisions, ())
        self.assertIn("stretched", one.why)

    def test_what_is_gone_stays_behind_and_what_is_new_is_told(self) -> None:
        nodes = {id: n for id, n in self.sent.nodes.items() if n.name != "Trunk"}
        floor = self.node("Floor")
        nodes["part:new"] = replace(floor, id="part:new", name="Stool")
        found = self.came(replace(self.sent, nodes=nodes))
        self.assertEqual(found["Trunk", "the part"].decisions[0].value, False)
        self.assertEqual((found["Stool", "the part"].item, found["Stool", "the part"].decisions), ("", ()))

    def test_a_tint_beside_an_image_is_multiplied_into_the_source_s(self) -> None:
        """Half of white over an image that was tinted by half at the source: a quarter."""
        (id, boards) = next((i, m) for i, m in self.sent.materials.items() if m.name == "boards")
        base = boards.inputs["base_color"]
        tinted = replace(
            boards, inputs={**boards.inputs, "base_color": replace(base, factor=(0.5, 0.5, 0.5))}
        )
        one = self.came(replace(self.sent, materials={**self.sent.materials, id: tinted}))[
            "boards", "base colour"
        ]
        self.assertEqual([d.field for d in one.decisions], ["factor"])
        np.testing.assert_allclose(one.decisions[0].value, [0.25, 0.25, 0.25], rtol=1e-5)

    def test_what_has_no_decision_is_told_and_nothing_is_passed_over(self) -> None:
        """One change at a time, of every kind of thing that arrives."""
        sent = self.sent
        (boards_id, boards), *_ = ((i, m) for i, m in sent.materials.items() if m.name == "boards")
        base = boards.inputs["base_color"]
        assert base.texture is not None
        moved = replace(base, texture=replace(base.texture, offset=(0.5, 0.0)))
        floor = self.node("Floor")
        mesh = sent.meshes[floor.mesh or ""]
        wax = next(i for i, m in sent.materials.items() if m.name == "wax")
        worn = replace(mesh, primitives=tuple(replace(p, material=wax) for p in mesh.primitives))
        (lamp_id, lamp), *_ = sent.lights.items()
        shown = {
            "placement": replace(
                sent,
                materials={
                    **sent.materials,
                    boards_id: replace(boards, inputs={**boards.inputs, "base_color": moved}),
                },
            ),
            "cut": replace(
                sent,
                materials={
                    **sent.materials,
                    boards_id: replace(boards, alpha_mode="mask", alpha_cutoff=0.25),
                },
            ),
            "an input": replace(
                sent,
                materials={
                    **sent.materials,
                    boards_id: replace(boards, inputs={**boards.inputs, "clearcoat": Input((1.0,))}),
                },
            ),
            "a new material": replace(
                sent, materials={**sent.materials, "m": replace(boards, id="m", name="new")}
            ),
            "slots": replace(sent, meshes={**sent.meshes, mesh.id: worn}),
            "tags": self.with_node(replace(floor, tags=Tags("wood"))),
            "shadows": replace(sent, lights={lamp_id: replace(lamp, shadows=not lamp.shadows)}),
            "size": replace(sent, lights={lamp_id: replace(lamp, radius_m=0.2)}),
            "kind": replace(sent, lights={lamp_id: replace(lamp, kind="point")}),
        }
        for label, returned in shown.items():
            with self.subTest(label):
                found = self.came(returned)
                self.assertGreater(len(found), 0)
                self.assertEqual(
                    [one.what for one in found.values() if not one.decisions and not one.why], []
                )

    def test_lenses_motion_and_surroundings_are_told_by_what_they_are(self) -> None:
        """Held against itself nothing is told; one change at a time, only that change."""
        dim = sky(0.5)
        given = moving_winch()
        sent = replace(given, images={**given.images, dim.id: dim}, environment=Environment(dim.id, 2.0, 0.5))
        self.assertEqual(list(only_told(sent, sent, paired(sent, sent))), [])
        (camera,) = sent.cameras.values()
        (clip_id, clip), *_ = sent.clips.items()
        channel = clip.channels[0]
        pushed = replace(clip, channels=(replace(channel, values=channel.values + 0.1), *clip.channels[1:]))
        assert sent.environment is not None
        for returned, kind, what in (
            (replace(sent, cameras={camera.id: replace(camera, yfov_rad=0.3)}), "camera", "its lens"),
            (replace(sent, cameras={camera.id: replace(camera, f_stop=2.8)}), "camera", "its lens"),
            (replace(sent, clips={**sent.clips, clip_id: pushed}), "motion", "its keys"),
            (replace(sent, clips={}), "motion", "the clip"),
            (replace(sent, environment=None), "light", "the picture"),
            (replace(sent, environment=replace(sent.environment, level=3.0)), "light", "the picture"),
        ):
            found = {(one.kind, one.what) for one in only_told(sent, returned, paired(sent, returned))}
            self.assertEqual(found, {(kind, what)})
        nearly = replace(sent, cameras={camera.id: replace(camera, yfov_rad=camera.yfov_rad * (1 + 1e-6))})
        self.assertEqual(list(only_told(sent, nearly, paired(sent, nearly))), [])

    def test_a_lamp_made_stronger_bluer_and_narrower_is_decided_in_the_source_s_units(self) -> None:
        (id, lamp) = next(iter(self.sent.lights.items()))
        bent = replace(
            lamp, intensity=lamp.intensity * 2, color=(0.25, 0.5, 1.0), inner_cone_rad=0.1, outer_cone_rad=0.3
        )
        found = self.came(replace(self.sent, lights={id: bent}))
        fields: dict[str, Any] = {d.field: d.value for one in found.values() for d in one.decisions}
        self.assertEqual(set(fields), {"intensity", "lamp_color", "cone"})
        self.assertAlmostEqual(fields["intensity"], 160.0, delta=0.1)
        self.assertAlmostEqual(fields["cone"]["outer_deg"], np.degrees(0.3), places=3)
