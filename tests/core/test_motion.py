"""Poses, skins and what keys mean, by the specification."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_mends import PLAIN, decide
from tests.making import quad, scene
from trasloco.decisions.carrying_out import mended
from trasloco.scene.model import Channel, Clip, Decision, Node, Scene, Skin
from trasloco.scene.motion import skinned_points, value_at
from trasloco.scene.transforms import compose


class Motion(TestCase):
    def test_interpolation_follows_the_specification(self) -> None:
        times = np.array([0, 1, 3], np.float32)
        values = np.array([[0, 0, 0], [1, 0, 0], [1, 4, 0]], np.float32)
        linear = Channel("n", "translation", times, values)
        np.testing.assert_allclose(value_at(linear, 2.0), [1, 2, 0])
        np.testing.assert_allclose(value_at(linear, 9.0), [1, 4, 0])
        np.testing.assert_allclose(value_at(linear, float("nan")), value_at(linear, -1.0))
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
