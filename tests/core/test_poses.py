"""Poses taken over from rigs whose joints are called otherwise."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_mends import decide
from tests.making import quad, scene
from trasloco.errors import Refused
from trasloco.mends.poses import pairs_of
from trasloco.scene.model import Doubles, Node, Scene, Skin
from trasloco.scene.transforms import compose

BODY: dict[str, tuple[str | None, tuple[float, float, float]]] = {
    "hips": (None, (0, 1, 0)),
    "spine": ("hips", (0, 0.25, 0)),
    "head": ("spine", (0, 0.4, 0)),
    "arm.L": ("spine", (0.2, 0.25, 0)),
    "elbow.L": ("arm.L", (0.25, 0, 0)),
    "hand.L": ("elbow.L", (0.25, 0, 0)),
    "arm.R": ("spine", (-0.2, 0.25, 0)),
    "elbow.R": ("arm.R", (-0.25, 0, 0)),
    "hand.R": ("elbow.R", (-0.25, 0, 0)),
    "thigh.L": ("hips", (0.1, -0.05, 0)),
    "shin.L": ("thigh.L", (0, -0.45, 0)),
    "foot.L": ("shin.L", (0, -0.45, 0)),
    "thigh.R": ("hips", (-0.1, -0.05, 0)),
    "shin.R": ("thigh.R", (0, -0.45, 0)),
    "foot.R": ("shin.R", (0, -0.45, 0)),
}
"""A puppet's joints: what each hangs on, and where."""
CALLED = {
    "hips": "Pelvis",
    "spine": "Torso",
    "head": "Skull",
    "arm": "UpperArm",
    "elbow": "LowerArm",
    "hand": "Wrist",
    "thigh": "Upper_Leg",
    "shin": "Lower_Leg",
    "foot": "Ankle",
}


def renamed(joint: str) -> str:
    """Another maker's name of the same joint: ``Puppet:Left_UpperArm_jnt``."""
    stem, _, side = joint.partition(".")
    lead = {"L": "Left_", "R": "Right_", "": ""}[side]
    return f"Puppet:{lead}{CALLED[stem]}_jnt"


def two_rigs(called: dict[str, str], size: float = 1.0, turn: Doubles | None = None) -> Scene:
    """A puppet, and beside it another one of another size whose joints are called as said, its left elbow
    turned.
    """
    held = scene(quad(1.0), names=("Cloth",))
    nodes: dict[str, Node] = {}
    for mark, name_of, scale in (("", {k: k for k in BODY}, 1.0), ("@2", called, size)):
        for joint, (above, place) in BODY.items():
            bent = turn if mark and joint == "elbow.L" and turn is not None else (0.0, 0.0, 0.0, 1.0)
            nodes[f"part:{joint}{mark}"] = Node(
                f"part:{joint}{mark}",
                name_of[joint],
                f"part:{above}{mark}" if above else None,
                compose(tuple(scale * v for v in place), bent),  # type: ignore[arg-type]
            )
    skin = Skin(
        "skin:s", "s", tuple(f"part:{joint}" for joint in BODY), np.tile(np.eye(4), (len(BODY), 1, 1))
    )
    return replace(held, nodes={**held.nodes, **nodes}, skins={skin.id: skin})


class Pairs(TestCase):
    def test_another_makers_names_find_their_joints(self) -> None:
        given = two_rigs({joint: renamed(joint) for joint in BODY}, 1.7)
        for pair in pairs_of(given, "@2"):
            with self.subTest(pair.joint):
                self.assertEqual(pair.other, f"{pair.joint}@2")

    def test_left_is_never_taken_for_right(self) -> None:
        only_right = {
            joint: renamed(joint) if not joint.endswith(".L") else f"pin {k}" for k, joint in enumerate(BODY)
        }
        for pair in pairs_of(two_rigs(only_right), "@2"):
            if pair.joint.endswith(".L"):
                self.assertFalse((pair.other or "").endswith(".R@2"), pair)

    def test_names_that_tell_nothing_propose_nothing(self) -> None:
        given = two_rigs({joint: f"thing {k}" for k, joint in enumerate(BODY)})
        self.assertFalse([pair for pair in pairs_of(given, "@2") if pair.other])


class Posing(TestCase):
    def test_only_the_turn_is_taken_and_bones_keep_their_length(self) -> None:
        turn = np.array([0.0, 0.0, np.sin(np.pi / 4), np.cos(np.pi / 4)])
        given = two_rigs({joint: renamed(joint) for joint in BODY}, 1.7, turn)
        joints = {pair.joint: pair.other for pair in pairs_of(given, "@2")}
        after = decide(given, ("scene", "pose_from", {"model": "@2", "joints": joints}))
        world = after.world_matrices()
        # The forearm of a quarter of a metre stands up where the elbow is turned by 90 degrees.
        np.testing.assert_allclose(
            world["part:hand.L"][:3, 3] - world["part:elbow.L"][:3, 3], [0, 0.25, 0], atol=1e-6
        )
        np.testing.assert_allclose(world["part:hand.R"], given.world_matrices()["part:hand.R"], atol=1e-9)
        self.assertFalse([id for id in after.nodes if id.endswith("@2")])

    def test_without_a_map_other_names_are_refused_with_the_reason(self) -> None:
        given = two_rigs({joint: renamed(joint) for joint in BODY})
        with self.assertRaisesRegex(Refused, "arm.L"):
            decide(given, ("scene", "pose_from", "@2"))
