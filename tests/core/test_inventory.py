"""Checks find what is wrong and nothing else; mends repair it; the right one is believed."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import cube, material, noise_image, quad, scene
from trasloco.decisions.carrying_out import mended
from trasloco.errors import Refused
from trasloco.inventory.facing import measure_facing
from trasloco.inventory.survey import notice, with_states
from trasloco.inventory.world import world_triangles
from trasloco.mends.faces import with_normals
from trasloco.mends.settling import believed_unit
from trasloco.scene.extent import bounds
from trasloco.scene.findings import Finding
from trasloco.scene.geometry import face_vectors
from trasloco.scene.images import missing_image
from trasloco.scene.model import BYTE_COLORS, Decision, Declared, Input, Node, Scene, Texture
from trasloco.sheets.library import sheet_named

PLAIN, BOTTEGA, LANTERNA, FORNACE = (sheet_named(n) for n in ("plain", "bottega", "lanterna", "fornace"))


def kinds(given: Scene, destination: object = LANTERNA) -> dict[str, list[Finding]]:
    found: dict[str, list[Finding]] = {}
    for finding in notice(given, PLAIN, destination, []):  # type: ignore[arg-type]
        found.setdefault(finding.kind, []).append(finding)
    return found


def undeclared(given: Scene) -> Scene:
    return replace(given, declares=frozenset(), unit_m=Declared(1.0, "guess"), up_axis=Declared("Y", "guess"))


class Facing(TestCase):
    def test_a_closed_box_turned_inside_out_looks_away(self) -> None:
        outward, inward = cube(), cube(outward=False)
        inward = replace(inward, positions=inward.positions + np.array([3, 0, 0], np.float32))
        facing = measure_facing(world_triangles(scene(outward, inward)))
        self.assertEqual(facing.away.tolist(), [False, True])

    def test_an_open_sheet_claims_nothing(self) -> None:
        self.assertFalse(measure_facing(world_triangles(scene(quad()))).away.any())

    def test_a_shell_inside_a_shell_keeps_its_sides(self) -> None:
        self.assertEqual(
            measure_facing(world_triangles(scene(cube(4), cube(1)))).away.tolist(), [False, False]
        )

    def test_a_lid_over_a_box_is_judged_by_its_own_outside(self) -> None:
        """Half a tube, open below, 1 cm above a closed box: the space under it is inside."""
        angles = np.linspace(0, np.pi, 25)
        rim = np.stack([np.cos(angles), np.sin(angles)], 1)
        points = np.array([[x, y + 0.01, z] for z in (-1.0, 1.0) for x, y in rim], np.float32)
        k = np.arange(24)
        triangles = np.concatenate(
            [np.stack([k, k + 1, k + 25], 1), np.stack([k + 1, k + 26, k + 25], 1)]
        ).astype(np.uint32)
        outward = replace(cube(), positions=points, indices=triangles)
        if face_vectors(points, triangles)[12, 1] < 0:
            outward = replace(outward, indices=triangles[:, ::-1])
        floor = cube(2)
        floor = replace(floor, positions=floor.positions + np.array([0, -1, 0], np.float32))
        self.assertFalse(measure_facing(world_triangles(scene(outward, floor))).away.any())
        turned = replace(outward, indices=outward.indices[:, ::-1])
        self.assertEqual(measure_facing(world_triangles(scene(turned, floor))).away.tolist(), [True, False])

    def test_turning_mends_exactly_the_faces_found(self) -> None:
        given = scene(cube(outward=False), names=("Crate of apples",))
        finding = kinds(given)["faces_away"][0]
        self.assertEqual(finding.evidence["face_count"], 12)
        after = mended(given, PLAIN, finding.mends[0].decisions)
        self.assertFalse(measure_facing(world_triangles(after)).away.any())
        self.assertNotIn("faces_away", {f.kind for f in notice(after, PLAIN, LANTERNA, [])})

    def test_mirrored_parts_still_look_out(self) -> None:
        given = scene(cube())
        mirror = np.diag([-1.0, 1, 1, 1])
        given = replace(given, nodes={k: replace(n, matrix=mirror) for k, n in given.nodes.items()})
        found = kinds(given)
        self.assertNotIn("faces_away", found)
        self.assertEqual(found["mirrored"][0].targets, ("part:Thing 1",))
        after = mended(given, PLAIN, found["mirrored"][0].mends[0].decisions)
        self.assertTrue(np.allclose(after.nodes["part:Thing 1"].matrix, np.eye(4)))
        self.assertFalse(measure_facing(world_triangles(after)).away.any())


class Findings(TestCase):
    def test_a_clean_scene_has_none(self) -> None:
        self.assertEqual(kinds(scene(with_normals(cube(), 0.5), names=("Crown",))), {})

    def test_an_empty_scene_and_an_empty_mesh_raise_nothing(self) -> None:
        nothing = replace(cube(), positions=np.zeros((0, 3), np.float32), indices=np.zeros((0, 3), np.uint32))
        self.assertEqual(kinds(scene()), {})
        self.assertEqual(kinds(scene(nothing, names=("Ghost",))), {})

    def test_duplicates_are_near_and_of_one_shape(self) -> None:
        first = cube(0.5)
        near = replace(first, positions=first.positions + np.array([0.003, 0, 0], np.float32))
        far = replace(first, positions=first.positions + np.array([2, 0, 0], np.float32))
        found = kinds(scene(first, near, far, names=("Bird", "Bird copy", "Other bird")))["duplicate"]
        self.assertEqual([f.targets for f in found], [("part:Bird copy", "part:Bird")])
        self.assertAlmostEqual(found[0].evidence["apart_m"], 0.003, places=5)

    def test_a_leftover_tint_is_one_flat_colour_over_an_image(self) -> None:
        textured = material(
            base_color=Input((1.0, 1.0, 1.0), Texture("image:t", "rgb", "srgb"), vertex_color=True)
        )
        picture = noise_image("t")
        tint = kinds(scene(quad(colors=(0.7, 0.6, 0.5)), materials=(textured,), images=(picture,)))[
            "leftover_tint"
        ][0]
        self.assertEqual(tint.targets, ("part:Thing 1",))
        plain = material(base_color=Input((1.0, 1.0, 1.0), vertex_color=True))
        self.assertNotIn("leftover_tint", kinds(scene(quad(colors=(0.7, 0.6, 0.5)), materials=(plain,))))
        different = scene(
            quad(colors=(0.7, 0.1, 0.1)),
            quad(colors=(0.1, 0.1, 0.7)),
            materials=(textured,),
            images=(picture,),
        )
        self.assertNotIn("leftover_tint", kinds(different))
        after = mended(
            scene(quad(colors=(0.7, 0.6, 0.5)), materials=(textured,), images=(picture,)),
            PLAIN,
            tint.mends[0].decisions,
        )
        self.assertIsNone(after.meshes["mesh:Thing 1"].primitives[0].colors)

    def test_missing_images_rank_the_same_name_first(self) -> None:
        lost = missing_image("image:laurel.tga", "laurel.tga", "maps/laurel.tga")
        right, similar, other = (
            noise_image("laurel", seed=1),
            noise_image("laurels_old", seed=2),
            noise_image("moon", seed=3),
        )
        textured = material(base_color=Texture(lost.id, "rgb", "srgb"))
        given = replace(
            scene(quad(), materials=(textured,), images=(lost, other, similar, right)),
            loose_images=(right.id, similar.id, other.id),
        )
        finding = kinds(given)["missing_image"][0]
        self.assertEqual(
            [c["image"] for c in finding.evidence["candidates"]], ["image:laurel", "image:laurels_old"]
        )
        after = mended(given, PLAIN, finding.mends[0].decisions)
        self.assertEqual(after.materials["material:m"].inputs["base_color"].texture.image, "image:laurel")

    def test_size_breaks_a_tie_between_equal_names_and_case_is_told(self) -> None:
        lost = missing_image("image:Skin.png", "Skin.png", "Skin.png")
        large, small = (
            replace(noise_image("a", 32, 32), id="image:large", name="skin.tif"),
            replace(noise_image("b", 16, 16), id="image:small", name="skin.jpg"),
        )
        other_case = replace(noise_image("c", 8, 8), id="image:case", name="SKIN.png")
        beside = noise_image("beside", 32, 32)
        textured = material(base_color=Texture(lost.id, "rgb", "srgb"), roughness=Texture(beside.id, "r"))
        finding = kinds(
            scene(quad(), materials=(textured,), images=(lost, small, large, other_case, beside))
        )["missing_image"][0]
        self.assertEqual(
            [c["image"] for c in finding.evidence["candidates"]][:3],
            ["image:case", "image:large", "image:small"],
        )
        self.assertIn("as large as its neighbours", finding.evidence["candidates"][1]["reason"])

    def test_refused_sizes_depend_on_the_destination(self) -> None:
        textured = material(base_color=Texture("image:t", "rgb", "srgb"))
        given = scene(quad(), materials=(textured,), images=(noise_image("t", 1000, 700),))
        self.assertEqual(kinds(given)["refused_size"][0].evidence["size"], [512, 1024])
        self.assertNotIn("refused_size", kinds(given, FORNACE))
        self.assertEqual(
            kinds(
                scene(quad(), materials=(textured,), images=(noise_image("t", 2000, 1000),)),
                sheet_named("taccuino"),
            )["refused_size"][0].evidence["size"],
            [512, 1024],
        )

    def test_extensions_are_judged_by_content(self) -> None:
        mislabelled = replace(noise_image("t"), name="t.jpg")
        found = kinds(
            scene(
                quad(),
                materials=(material(base_color=Texture("image:t", "rgb", "srgb")),),
                images=(mislabelled,),
            )
        )
        self.assertEqual(found["wrong_extension"][0].evidence["kind"], "png")

    def test_strays_are_told_by_name_or_by_place(self) -> None:
        crowd = [
            replace(cube(0.2), positions=cube(0.2).positions + np.array([k * 0.4, 0, 0], np.float32))
            for k in range(10)
        ]
        alone = replace(
            cube(0.2, "material:other"), positions=cube(0.2).positions + np.array([60, 0, 0], np.float32)
        )
        names = (*(f"Column {'abcdefghij'[k]}" for k in range(10)), "Boulder", "old helper")
        given = scene(
            *crowd,
            alone,
            replace(crowd[3], material="material:m"),
            materials=(material(), material("other")),
            names=names,
        )
        self.assertEqual({f.targets[0] for f in kinds(given)["stray"]}, {"part:Boulder", "part:old helper"})

    def test_names_made_by_machines(self) -> None:
        found = kinds(
            scene(cube(), replace(cube(), positions=cube().positions + 5), names=("piece-0017", "Crown"))
        )
        self.assertEqual(found["automatic_names"][0].targets, ("part:piece-0017",))

    def test_states_follow_decisions(self) -> None:
        given = scene(cube(outward=False), names=("Apple",))
        findings = [f for f in notice(given, PLAIN, LANTERNA, []) if f.kind == "faces_away"]
        made = list(findings[0].mends[0].decisions)
        self.assertEqual([f.state for f in with_states(findings, [])], ["open"])
        self.assertEqual([f.state for f in with_states(findings, made)], ["mended"])
        self.assertEqual(
            [f.state for f in with_states(findings, [Decision(findings[0].id, "accept", True)])], ["accepted"]
        )


class Believed(TestCase):
    def test_decision_then_file_then_sheet_then_guess(self) -> None:
        declared, silent = scene(cube()), undeclared(scene(cube()))
        chosen = [Decision("scene", "unit_m", 0.5)]
        self.assertEqual(
            (believed_unit(declared, BOTTEGA, chosen).value, believed_unit(declared, BOTTEGA, chosen).origin),
            (0.5, "decision"),
        )
        self.assertEqual(
            (believed_unit(declared, BOTTEGA, []).value, believed_unit(declared, BOTTEGA, []).origin),
            (1.0, "file"),
        )
        self.assertEqual(
            (believed_unit(silent, BOTTEGA, []).value, believed_unit(silent, BOTTEGA, []).origin),
            (0.01, "sheet"),
        )
        self.assertEqual(believed_unit(silent, PLAIN, []).origin, "guess")

    def test_z_up_centimetres_become_y_up_metres(self) -> None:
        tall = replace(
            cube(),
            positions=cube().positions * np.array([20, 40, 180], np.float32)
            + np.array([0, 0, 90], np.float32),
        )
        box = bounds(mended(undeclared(scene(tall)), BOTTEGA, []))
        np.testing.assert_allclose(box, [[-0.1, 0, -0.2], [0.1, 1.8, 0.2]], atol=1e-6)

    def test_a_moving_scene_gets_a_root_and_nothing_shifts_in_the_world(self) -> None:
        given = undeclared(scene(cube()))
        given = replace(
            given, nodes={k: replace(n, matrix=np.diag([2.0, 2, 2, 1])) for k, n in given.nodes.items()}
        )
        box = bounds(mended(given, BOTTEGA, []))
        np.testing.assert_allclose(box, np.array([[-1, -1, -1], [1, 1, 1]]) * 0.01, atol=1e-9)

    def test_gloss_and_green_follow_the_sheet_unless_the_file_declares(self) -> None:
        textured = material(roughness=Texture("image:t", "r"), normal=Texture("image:t"))
        given = scene(quad(), materials=(textured,), images=(noise_image("t"),))
        for made, expected in ((undeclared(given), (True, False)), (given, (False, True))):
            inputs = mended(made, BOTTEGA, []).materials["material:m"].inputs
            self.assertEqual(
                (inputs["roughness"].texture.invert, inputs["normal"].texture.green_up), expected
            )

    def test_vertex_colours_stored_as_picked_are_made_linear(self) -> None:
        given = undeclared(scene(quad(colors=(0.5, 0.5, 0.5))))
        color = mended(given, BOTTEGA, []).meshes["mesh:Thing 1"].primitives[0].colors[0]
        self.assertAlmostEqual(float(color[0]), 0.21404, places=4)
        self.assertEqual(float(color[3]), 1.0)


class Mends(TestCase):
    def test_leaving_out_keeps_children(self) -> None:
        given = scene(cube())
        child = Node("part:child", "child", "part:Thing 1", np.eye(4), mesh="mesh:Thing 1")
        given = replace(given, nodes={**given.nodes, child.id: child})
        after = mended(given, PLAIN, [Decision("part:Thing 1", "include", False)])
        self.assertEqual([n.id for n in after.parts()], ["part:child"])
        self.assertEqual(
            [
                n.id
                for n in mended(
                    given,
                    PLAIN,
                    [Decision("part:Thing 1", "include", False), Decision("part:Thing 1", "include", True)],
                ).parts()
            ],
            ["part:Thing 1", "part:child"],
        )

    def test_overruling_an_input(self) -> None:
        given = scene(quad(), images=(noise_image("t"),))
        target = "material:m/roughness"
        after = mended(
            given,
            PLAIN,
            [
                Decision(target, "image", {"image": "image:t", "channels": "g", "invert": True}),
                Decision(target, "factor", [0.5]),
            ],
        )
        made = after.materials["material:m"].inputs["roughness"]
        self.assertEqual(
            (made.texture.image, made.texture.channels, made.texture.invert, made.factor, made.origin),
            ("image:t", "g", True, (0.5,), "decision"),
        )
        self.assertNotIn(
            "roughness",
            mended(given, PLAIN, [Decision(target, "include", False)]).materials["material:m"].inputs,
        )

    def test_impossible_values_are_refused(self) -> None:
        given = scene(quad())
        for decision in (
            Decision("material:m/roughness", "image", "image:nowhere"),
            Decision("material:m/base_color", "factor", [1.0]),
            Decision("material:m/roughness", "factor", [float("nan")]),
        ):
            with self.assertRaises(Refused):
                mended(given, PLAIN, [decision])


class Colours(TestCase):
    def painted(self, declares: bool) -> Scene:
        grey = replace(quad(), colors=np.tile(np.array([[128 / 255] * 3 + [1.0]], np.float32), (4, 1)))
        given = scene(
            grey, materials=(material(base_color=Input((1.0, 1.0, 1.0), vertex_color=True)),), names=("Mask",)
        )
        return given if declares else replace(undeclared(given), declares=frozenset({BYTE_COLORS}))

    def test_bytes_of_formats_that_do_not_say_are_taken_as_picked_on_a_screen_and_asked_about(self) -> None:
        """IEC 61966-2-1: code 128 of 255 is 21.6 % of white."""
        given = self.painted(False)
        colors = mended(given, PLAIN, []).meshes["mesh:Mask"].primitives[0].colors
        assert colors is not None
        np.testing.assert_allclose(colors[0], [0.21586] * 3 + [1.0], atol=1e-4)
        finding = kinds(given)["color_storage"][0]
        self.assertEqual((finding.evidence["encoding"], finding.evidence["origin"]), ("srgb", "guess"))
        other = mended(given, PLAIN, finding.mends[1].decisions).meshes["mesh:Mask"].primitives[0].colors
        assert other is not None
        np.testing.assert_allclose(other[0, :3], 128 / 255, atol=1e-6)
        self.assertEqual(
            [
                f.kind
                for f in notice(given, PLAIN, LANTERNA, finding.mends[1].decisions)
                if f.kind == "color_storage"
            ],
            [],
        )
        self.assertNotIn("color_storage", kinds(self.painted(True)))

    def test_colours_that_the_source_passes_over_are_told_and_do_not_tint(self) -> None:
        passing = PLAIN.model_copy(
            update={"conventions": PLAIN.conventions.model_copy(update={"vertex_color": "ignored"})}
        )
        given = self.painted(True)
        found = [f for f in notice(given, passing, LANTERNA, []) if f.kind == "ignored_colors"]
        self.assertEqual([f.targets for f in found], [("part:Mask",)])
        self.assertFalse(mended(given, passing, []).materials["material:m"].inputs["base_color"].vertex_color)
        self.assertNotIn("ignored_colors", kinds(given))
