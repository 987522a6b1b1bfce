"""Backs that become faces, maps that drift apart and are brought together, projections that become UVs."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, cube, image, material, noise_image, quad, scene, sky
from trasloco import move
from trasloco.errors import Refused
from trasloco.inventory.survey import notice
from trasloco.render.picture import Quality, View
from trasloco.scene.lit import Environment
from trasloco.scene.model import Decision, Scene, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

PLAIN, LANTERNA, FORNACE = (built_in_sheets()[name] for name in ("plain", "lanterna", "fornace"))


def curtain(**fields: object) -> Scene:
    """A sheet that looks up, velvet above and lining below, seen from below by a camera."""
    velvet = replace(material("velvet", base_color=(0.6, 0.05, 0.08)), **fields)  # type: ignore[arg-type]
    lining = material("lining", base_color=(0.5, 0.4, 0.1))
    made = scene(
        quad(2.0, "material:velvet"),
        replace(cube(0.2, "material:lining"), positions=cube(0.2).positions + np.float32([4, 0, 0])),
        materials=(velvet, lining),
        images=(sky(0.9),),
        environment=Environment("image:sky", 1.0, 0.0),
    )
    return replace(made, declares=DECLARED)


BELOW = View("below", looking((0.4, -3, 0.6), (0, 0, 0)), 0.9)
ABOVE = View("above", looking((0.4, 3, 0.6), (0, 0, 0)), 0.9)


class Backs(TestCase):
    def differences(self, reference: Scene, sheet: object) -> list[float]:
        arrival = move.arrive(
            move.package(move.carry(reference, move.plan(reference, PLAIN, sheet), sheet), sheet), sheet
        )  # type: ignore[arg-type]
        lit = replace(
            arrival,
            images={**arrival.images, **{k: v for k, v in reference.images.items() if k == "image:sky"}},
            environment=reference.environment,
            lights={},
        )
        return [
            view.comparison.mean
            for view in move.prove(
                reference, lit, [BELOW, ABOVE], Quality(width=96, height=72, samples=32)
            ).views
        ]

    def test_another_material_behind_arrives_everywhere(self) -> None:
        reference = move.mend(curtain(), PLAIN, [Decision("material:velvet", "back", "material:lining")])
        for sheet in (LANTERNA, FORNACE, built_in_sheets()["taccuino"]):
            with self.subTest(sheet.name):
                plan = move.plan(reference, PLAIN, sheet)
                self.assertIn(
                    "velvet: backs made faces of their own, wearing lining", [s.text for s in plan.geometry]
                )
                self.assertLess(max(self.differences(reference, sheet)), 0.5)

    def test_both_sides_where_only_one_is_drawn(self) -> None:
        never = changed(LANTERNA, {"materials.two_sided": "never"})
        reference = curtain(double_sided=True)
        self.assertLess(max(self.differences(reference, never)), 0.5)
        carried = move.carry(reference, move.plan(reference, PLAIN, never), never)
        self.assertEqual(sum(len(p.indices) for p in carried.scene.meshes["mesh:Thing 1"].primitives), 4)
        self.assertFalse(carried.scene.materials["material:velvet"].double_sided)
        one = curtain()
        self.assertEqual(
            sum(
                len(p.indices)
                for p in move.carry(one, move.plan(one, PLAIN, never), never)
                .scene.meshes["mesh:Thing 1"]
                .primitives
            ),
            2,
        )

    def test_a_back_that_is_not_there_is_refused(self) -> None:
        for value in ("material:none", "material:velvet"):
            with self.assertRaises(Refused):
                move.mend(curtain(), PLAIN, [Decision("material:velvet", "back", value)])


class Drifting(TestCase):
    def test_a_cut_out_that_leaves_its_colour_is_told_and_brought_back(self) -> None:
        leaf = material(
            "leaf",
            alpha_mode="mask",
            base_color=Texture("image:leaf", "rgb", "srgb", scale=(2.0, 2.0)),
            opacity=Texture("image:holes", "r", uv_set=0, offset=(0.5, 0.0)),
            roughness=Texture("image:wide", "r"),
        )
        given = replace(
            scene(
                quad(material="material:leaf"),
                materials=(leaf,),
                images=(
                    noise_image("leaf", 32, 32, 3),
                    noise_image("holes", 16, 16, 1),
                    noise_image("wide", 16, 64, 1),
                ),
            ),
            declares=DECLARED,
        )
        found = next(f for f in notice(given, PLAIN, LANTERNA, []) if f.kind == "drifting_maps")
        self.assertEqual(
            found.evidence["inputs"], ["opacity"]
        )  # the wide one has another shape and may be meant so
        self.assertIn("repeats 2 × 2", found.consequence)
        made = move.mend(given, PLAIN, list(found.mends[0].decisions))
        inputs = made.materials["material:leaf"].inputs
        assert inputs["opacity"].texture and inputs["base_color"].texture
        self.assertEqual(
            (inputs["opacity"].texture.scale, inputs["opacity"].texture.offset), ((2.0, 2.0), (0.0, 0.0))
        )
        self.assertEqual([f.kind for f in notice(made, PLAIN, LANTERNA, []) if f.kind == "drifting_maps"], [])

    def test_maps_in_one_place_are_quiet(self) -> None:
        same = material(
            "same",
            base_color=Texture("image:a", "rgb", "srgb", scale=(2.0, 2.0)),
            roughness=Texture("image:b", "r", scale=(2.0, 2.0)),
        )
        given = scene(
            quad(material="material:same"),
            materials=(same,),
            images=(noise_image("a", 8, 8, 3), noise_image("b", 8, 8, 1)),
        )
        self.assertEqual([f for f in notice(given, PLAIN, LANTERNA, []) if f.kind == "drifting_maps"], [])


class BoxProjection(TestCase):
    def test_a_cube_gets_square_sides_in_metres(self) -> None:
        given = scene(
            cube(2.0),
            materials=(material(base_color=Texture("image:t", "rgb", "srgb")),),
            images=(image("t", np.zeros((4, 4, 3), np.uint8)),),
            names=("Box",),
        )
        large = replace(
            given,
            nodes={id: replace(n, matrix=np.diag([2.0, 2.0, 2.0, 1.0])) for id, n in given.nodes.items()},
            declares=DECLARED,
        )
        for made, side in ((given, 2.0), (large, 4.0)):
            p = next(
                iter(
                    move.mend(
                        replace(made, declares=DECLARED), PLAIN, [Decision("part:Box", "box_uvs", 0.5)]
                    ).meshes.values()
                )
            ).primitives[0]
            self.assertEqual(len(p.positions), 24)
            corners = p.uvs[0][p.indices]
            area = np.abs(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])) / 2
            np.testing.assert_allclose(area, (side / 0.5) ** 2 / 2, rtol=1e-5)
