"""Mends: each does what it says, moves nothing it should not, and is replayed from decisions."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_faults import SOURCES
from tests.faults import FAULTS, clean_scene
from tests.making import cube, image, material, quad, scene
from trasloco.decisions.carrying_out import keep_used, mended
from trasloco.decisions.wording import last_words
from trasloco.errors import Refused
from trasloco.inventory.naming import legal_name, renamed
from trasloco.inventory.survey import notice, with_states
from trasloco.mends.faces import with_normals
from trasloco.mends.id_colors import SIGHTS, distinct_colors, look_alikes, separation
from trasloco.scene.extent import bounds, part_bounds
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Channel, Clip, Decision, Node, Scene, Skin
from trasloco.scene.motion import skinned_points, value_at
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


class Motion(TestCase):
    def test_interpolation_follows_the_specification(self) -> None:
        times = np.array([0, 1, 3], np.float32)
        values = np.array([[0, 0, 0], [1, 0, 0], [1, 4, 0]], np.float32)
        linear = Channel("n", "translation", times, values)
        np.testing.assert_allclose(value_at(linear, 2.0), [1, 2, 0])
        np.testing.assert_allclose(value_at(linear, 9.0), [1, 4, 0])
        np.testing.assert_allclose(value_at(replace(linear, interpolation="STEP"), 2.99), [1, 0, 0])
        spline = Channel(
            "n",
            "translation",
            times[:2],
            np.array([[[0], [0], [1]], [[1], [1], [0]]], np.float32),
            "CUBICSPLINE",
        )
        np.testing.assert_allclose(
            value_at(spline, 0.5), [0.5], atol=1e-6
        )  # both tangents equal the slope: a straight line
        half = np.sqrt(0.5)
        turn = Channel("n", "rotation", times[:2], np.array([[0, 0, 0, 1], [0, half, 0, half]], np.float32))
        np.testing.assert_allclose(
            value_at(turn, 0.5), [0, np.sin(np.pi / 8), 0, np.cos(np.pi / 8)], atol=1e-6
        )

    def rig(self) -> Scene:
        p = replace(
            quad(1.0),
            joints=np.array([[0, 0, 0, 0], [1, 0, 0, 0], [0, 0, 0, 0], [1, 0, 0, 0]], np.uint16),
            weights=np.tile(np.array([[1, 0, 0, 0]], np.float32), (4, 1)),
        )
        given_scene = scene(p, names=("Cloth",))
        nodes = {
            "part:Root": Node("part:Root", "Root", None, np.eye(4)),
            "part:Tip": Node("part:Tip", "Tip", "part:Root", compose((0.5, 0, 0))),
            **{k: replace(n, skin="skin:s") for k, n in given_scene.nodes.items()},
        }
        binds = np.array([np.eye(4), compose((-0.5, 0, 0))])
        clip = Clip(
            "clip:c",
            "c",
            (
                Channel(
                    "part:Tip",
                    "translation",
                    np.array([0, 1], np.float32),
                    np.array([[0.5, 0, 0], [0.5, 1, 0]], np.float32),
                ),
            ),
        )
        return replace(
            given_scene,
            nodes=nodes,
            skins={"skin:s": Skin("skin:s", "s", ("part:Root", "part:Tip"), binds)},
            clips={clip.id: clip},
        )

    def points(self, given_scene: Scene) -> np.ndarray:
        return np.asarray(
            skinned_points(
                given_scene.meshes["mesh:Cloth"].primitives[0],
                given_scene.skins["skin:s"],
                given_scene.world_matrices(),
            )
        )

    def test_a_frozen_moment_holds_the_pose(self) -> None:
        after = decide(self.rig(), ("scene", "freeze", {"clip": "clip:c", "time_s": 0.5}))
        self.assertEqual(after.clips, {})
        wanted = quad(1.0).positions + np.array([[0, 0, 0], [0, 0.5, 0], [0, 0, 0], [0, 0.5, 0]])
        np.testing.assert_allclose(self.points(after), wanted, atol=1e-6)

    def test_skins_follow_scale_axis_and_moves(self) -> None:
        rig = self.rig()
        for made, change in (
            (("scene", "scale", 0.01), lambda p: p * 0.01),
            (("scene", "move_m", [1, 2, 3]), lambda p: np.add(p, (1, 2, 3))),
        ):
            np.testing.assert_allclose(self.points(decide(rig, made)), change(self.points(rig)), atol=1e-6)
        tall = mended(
            replace(rig, declares=frozenset()),
            PLAIN,
            [Decision("scene", "up_axis", "Z"), Decision("scene", "unit_m", 0.1)],
        )
        np.testing.assert_allclose(
            self.points(tall), self.points(rig)[:, [0, 2, 1]] * [0.1, 0.1, -0.1], atol=1e-6
        )

    def test_a_pose_from_another_model_with_the_same_rig(self) -> None:
        rig = self.rig()
        other = {
            f"{k}@2": replace(
                n,
                id=f"{k}@2",
                parent=f"{n.parent}@2" if n.parent else None,
                mesh=None,
                skin=None,
                matrix=compose((0.5, 0.25, 0)) if n.name == "Tip" else n.matrix,
            )
            for k, n in rig.nodes.items()
            if n.mesh is None
        }
        after = decide(replace(rig, nodes={**rig.nodes, **other}, clips={}), ("scene", "pose_from", "@2"))
        self.assertAlmostEqual(float(self.points(after)[1, 1]), 0.25)
        self.assertFalse([id for id in after.nodes if id.endswith("@2")])
