"""Mends: each does what it says, moves nothing it should not, and is replayed from decisions."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_faults import SOURCES
from tests.fault_scene import clean_scene
from tests.faults import FAULTS
from tests.making import cube, material, quad, scene
from trasloco.decisions.carrying_out import keep_used, mended
from trasloco.decisions.wording import last_words
from trasloco.errors import Refused
from trasloco.inventory.naming import legal_name, renamed
from trasloco.inventory.survey import notice, with_states
from trasloco.mends.faces import with_normals
from trasloco.scene.extent import bounds, part_bounds
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Decision, Node, Scene
from trasloco.scene.transforms import compose
from trasloco.sheets.library import sheet_named

PLAIN, LANTERNA = sheet_named("plain"), sheet_named("lanterna")


def world_corners(given_scene: Scene) -> np.ndarray:
    world = given_scene.world_matrices()
    found = [
        transform_points(world[n.id], p.positions)[p.indices]
        for n in given_scene.parts()
        for p in given_scene.meshes[n.mesh or ""].primitives
        if len(p.indices)
    ]
    return np.concatenate(found)


def sorted_centres(given_scene: Scene) -> np.ndarray:
    centres = world_corners(given_scene).mean(axis=1).round(4)
    return np.asarray(centres[np.lexsort(centres.T)])


def decide(given_scene: Scene, *made: tuple[str, str, object]) -> Scene:
    return mended(given_scene, PLAIN, [Decision(*one) for one in made])


class Cures(TestCase):
    def test_the_first_mend_of_a_finding_makes_it_go_away(self) -> None:
        for kind in (
            "faces_away",
            "mixed_winding",
            "degenerate",
            "overlap",
            "missing_uvs",
            "uv_distant",
            "uv_squashed",
            "uv_overlap",
            "missing_normals",
            "normals_away",
            "short_normals",
            "mirrored",
            "uneven",
            "far_pivot",
            "far_from_origin",
            "duplicate",
            "stray",
            "automatic_names",
            "double_names",
            "case_names",
            "illegal_names",
            "long_names",
            "height_as_normal",
            "normal_as_height",
            "data_as_color",
            "color_as_data",
            "green_direction",
            "gloss_or_roughness",
            "empty_alpha",
            "unused_alpha",
            "leftover_tint",
            "close_ids",
            "skin_weights",
            "broken_keys",
            "seen_from_behind",
            "mixed_tangents",
        ):
            with self.subTest(kind):
                planted = FAULTS[kind](
                    clean_scene("boxes" if kind != "seen_from_behind" else "balls", 3),
                    np.random.default_rng(5),
                ).scene
                source = SOURCES.get(kind, PLAIN)
                found = [f for f in notice(planted, source, LANTERNA, []) if f.kind == kind]
                decisions = [d for f in found for d in f.mends[0].decisions]
                self.assertTrue(decisions)
                after = keep_used(mended(planted, source, decisions))
                self.assertEqual([f.where for f in notice(after, source, LANTERNA, []) if f.kind == kind], [])
                self.assertEqual({f.state for f in with_states(found, decisions)}, {"mended"})


class Places(TestCase):
    def nested(self) -> Scene:
        given_scene = scene(cube(), cube(0.5), names=("Door", "Knob"))
        turn = compose((1, 2, 3), (0, 0.3826834, 0, 0.9238795), (2, 1, 1))
        nodes = {
            "part:Door": replace(given_scene.nodes["part:Door"], matrix=turn),
            "part:Knob": replace(
                given_scene.nodes["part:Knob"], parent="part:Door", matrix=compose((0.5, 0, 0.1))
            ),
        }
        return replace(given_scene, nodes=nodes)

    def test_nothing_moves_when_transforms_are_applied_or_pivots_put_in_the_middle(self) -> None:
        given_scene = self.nested()
        for field in ("apply_transform", "center_pivot"):
            for part in ("part:Door", "part:Knob"):
                after = decide(given_scene, (part, field, True))
                np.testing.assert_allclose(world_corners(after), world_corners(given_scene), atol=1e-5)
        np.testing.assert_allclose(
            decide(given_scene, ("part:Door", "apply_transform", True)).nodes["part:Door"].matrix,
            np.eye(4),
            atol=1e-12,
        )

    def test_a_part_is_placed_about_its_middle(self) -> None:
        after = decide(
            scene(quad(2.0), names=("Tile",)),
            ("part:Tile", "place", {"move_m": [1, 0, 0], "turn_deg": [90, 0, 0], "size": 0.5}),
        )
        np.testing.assert_allclose(
            part_bounds(after)["part:Tile"], [[0.5, -0.5, 0], [1.5, 0.5, 0]], atol=1e-6
        )

    def test_ground_centre_scale_and_move(self) -> None:
        given_scene = self.nested()
        low = bounds(decide(given_scene, ("scene", "stand_on_ground", True)))[0]  # type: ignore[index]
        self.assertAlmostEqual(low[1], 0, places=5)
        box = bounds(decide(given_scene, ("scene", "recentre", True)))
        assert box is not None
        np.testing.assert_allclose(((box[0] + box[1]) / 2)[[0, 2]], 0, atol=1e-5)
        before = bounds(given_scene)
        assert before is not None
        foot = np.array([before[:, 0].mean(), before[0, 1], before[:, 2].mean()])
        np.testing.assert_allclose(
            world_corners(decide(given_scene, ("scene", "scale", 2.5))),
            foot + (world_corners(given_scene) - foot) * 2.5,
            atol=1e-4,
        )
        np.testing.assert_allclose(
            world_corners(decide(given_scene, ("scene", "move_m", [1, -2, 3]))),
            np.add(world_corners(given_scene), (1, -2, 3)),
            atol=1e-4,
        )

    def test_a_part_keeps_its_place_in_another_group(self) -> None:
        given_scene = replace(
            self.nested(),
            nodes={
                **self.nested().nodes,
                "part:Props": Node("part:Props", "Props", None, compose((5, 0, 0), scale=(3, 3, 3))),
            },
        )
        after = decide(given_scene, ("part:Knob", "parent", "part:Props"))
        self.assertEqual(after.nodes["part:Knob"].parent, "part:Props")
        np.testing.assert_allclose(sorted_centres(after), sorted_centres(given_scene), atol=1e-4)


class Faces(TestCase):
    def test_hard_edges_stay_hard_and_round_ones_round(self) -> None:
        box = trimesh.creation.box()
        primitive = replace(
            cube(), positions=box.vertices.astype(np.float32), indices=box.faces.astype(np.uint32)
        )
        hard, smooth = with_normals(primitive, 0.5), with_normals(primitive, np.pi)
        self.assertEqual((len(hard.positions), len(smooth.positions)), (24, 8))
        assert hard.normals is not None and smooth.normals is not None
        self.assertEqual(
            {tuple(n) for n in np.abs(hard.normals).round(6)},
            {(1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)},
        )
        # Weighted by corner angle a box corner points along the diagonal however its sides are cut.
        np.testing.assert_allclose(np.abs(smooth.normals), 1 / np.sqrt(3), atol=1e-6)

    def test_welding_joins_what_is_near_and_alike(self) -> None:
        ball = trimesh.creation.icosphere(subdivisions=1)
        flat = ball.faces.reshape(-1)
        jitter = np.random.default_rng(1).uniform(-2e-5, 2e-5, (len(flat), 3))
        loose = replace(
            cube(),
            positions=(ball.vertices[flat] + jitter).astype(np.float32),
            indices=np.arange(len(flat), dtype=np.uint32).reshape(-1, 3),
        )
        after = decide(scene(loose, names=("Ball",)), ("part:Ball", "weld", 0.01))
        self.assertEqual(len(after.meshes["mesh:Ball"].primitives[0].positions), len(ball.vertices))

    def test_shared_meshes_are_copied_before_one_part_is_mended(self) -> None:
        given_scene = scene(cube(), names=("One",))
        given_scene = replace(
            given_scene,
            nodes={
                **given_scene.nodes,
                "part:Two": replace(given_scene.nodes["part:One"], id="part:Two", name="Two"),
            },
        )
        after = decide(given_scene, ("part:Two", "turn_faces", True))
        self.assertNotEqual(after.nodes["part:One"].mesh, after.nodes["part:Two"].mesh)
        np.testing.assert_array_equal(
            after.meshes[after.nodes["part:One"].mesh or ""].primitives[0].indices, cube().indices
        )


class Choice(TestCase):
    def test_rules_by_kind_and_pattern_hold_for_things_that_come_later(self) -> None:
        names = ("Crown", "crate 1", "Crate_2", "Anvil_LOD2", "wall_collision", "helper arrow")
        given_scene = scene(*(cube() for _ in names), names=names)
        rules = [{"name": "crate*"}, {"kind": "detail"}, {"kind": "collision"}, {"kind": "helper"}]
        self.assertEqual(
            [n.name for n in decide(given_scene, ("scene", "leave_out", rules)).parts()], ["Crown"]
        )
        kept = decide(
            given_scene,
            ("scene", "leave_out", rules),
            ("part:crate-1", "include", True),
            ("part:crate 1", "include", True),
        )
        self.assertEqual([n.name for n in kept.parts()], ["Crown", "crate 1"])

    def test_only_some_and_geometry_only(self) -> None:
        given_scene = clean_scene("balls", 1)
        self.assertEqual(
            [n.name for n in decide(given_scene, ("scene", "only", ["part:Crown"])).parts()], ["Crown"]
        )
        bare = decide(given_scene, ("scene", "geometry_only", True))
        self.assertFalse(any(i.texture for m in bare.materials.values() for i in m.inputs.values()))
        self.assertFalse(any(n.camera for n in bare.nodes.values()))

    def test_variants_swaps_and_looks(self) -> None:
        given_scene = scene(
            replace(cube(), variants={"worn": "material:b"}),
            replace(cube(), positions=cube().positions + 4),
            names=("A", "B"),
            materials=(material(), replace(material("b"), double_sided=True)),
        )
        self.assertEqual(
            decide(given_scene, ("scene", "variant", "worn")).meshes["mesh:A"].primitives[0].material,
            "material:b",
        )
        swapped = decide(given_scene, ("part:A", "swap", "part:B"))
        self.assertEqual([(n.name, n.mesh) for n in swapped.parts()], [("A", "mesh:B")])
        self.assertTrue(
            decide(given_scene, ("material:m", "use_material", "material:b"))
            .materials["material:m"]
            .double_sided
        )

    def test_an_impossible_value_is_refused_with_what_would_do(self) -> None:
        for target, field, value in (
            ("part:A", "place", {"size": 0}),
            ("scene", "leave_out", [{"kind": "ghost"}]),
            ("part:A", "normals_angle", 999),
            ("scene", "join", "glue"),
            ("part:A", "faces_slot", [{"faces": [-1], "slot": "x"}]),
            ("part:A", "weld", float("nan")),
        ):
            with self.subTest(field), self.assertRaises(Refused):
                decide(scene(cube(), names=("A",)), (target, field, value))


class Names(TestCase):
    def test_patterns(self) -> None:
        self.assertEqual(
            renamed({"a": "old plank", "b": "old beam"}, "stage-{name}-{n:02}", "old "),
            {"a": "stage-plank-01", "b": "stage-beam-02"},
        )
        self.assertEqual(renamed({"a": "x", "b": "y"}, "plank"), {"a": "plank", "b": "plank-02"})
        for bad in ("{nope}", "{n", ""):
            with self.subTest(bad), self.assertRaises(Refused):
                renamed({"a": "x"}, bad)

    @settings(max_examples=80, deadline=None)
    @given(st.text(max_size=120))
    def test_a_legal_name_is_its_own_legal_name(self, text: str) -> None:
        made = legal_name(text)
        self.assertEqual(legal_name(made), made)
        self.assertTrue(0 < len(made) <= 64)
        self.assertFalse(set(made) & set('<>:"/\\|?*'))


class Words(TestCase):
    def test_the_last_decision_of_each_field_is_told_by_name(self) -> None:
        given_scene = scene(cube(), names=("Trunk lid",))
        made = [
            Decision("part:Trunk lid", "turn_faces", [0]),
            Decision("part:Trunk lid", "turn_faces", True),
            Decision("material:m/roughness", "invert", True),
            Decision("faces_away:part:Trunk lid", "accept", True),
            Decision("scene", "leave_out", [{"name": "crate*"}]),
        ]
        self.assertEqual(
            last_words(made, given_scene),
            [
                "Trunk lid: all faces turned",
                "m, roughness: read inverted",
                "part:Trunk lid: faces away accepted",
                "Scene: left out: crate*",
            ],
        )
