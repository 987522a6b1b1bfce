"""Decisions about what is not there, or what cannot take them, are refused when they are made."""

import math
from unittest import TestCase

import numpy as np

from tests.making import material, noise_image, quad, scene
from trasloco.decisions.targets import check_targets, idle
from trasloco.errors import Refused
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Scene, Texture


def given() -> Scene:
    spot = Light("light:spot", "Spot", "spot", outer_cone_rad=math.radians(20))
    made = material("a", roughness=Texture("image:r", "r"))
    return scene(
        quad(material="material:a"),
        materials=(made,),
        images=(noise_image("r", channels=1),),
        lights=((spot, np.eye(4)),),
        names=("A",),
    )


class Targets(TestCase):
    def test_what_applies_passes(self) -> None:
        fine = (
            Decision("material:a/roughness", "invert", True),
            Decision("material:a/base_color", "factor", [1, 0, 0]),
            Decision("part:A", "weld", 0.1),
            Decision("light:spot", "intensity", 3.0),
            Decision("proof", "ev100", 3),
            Decision("light:added-1", "lamp", {"kind": "sun"}),
            Decision("faces_away:part:gone", "accept", True),
            Decision("part:Spot", "include", False),
            Decision("part:A", "parent", None),
            Decision("scene", "scale", 2.0),
        )
        check_targets(fine, given())

    def test_what_stopped_applying_is_told_and_kept(self) -> None:
        stays, gone, unknown = (
            Decision("part:A", "weld", 0.1),
            Decision("part:nobody", "weld", 0.1),
            Decision("part:A", "sing", True),
        )
        self.assertEqual(idle([stays, gone, unknown], given()), [gone, unknown])

    def test_what_nothing_would_read_is_refused_with_the_reason(self) -> None:
        for decision, words in (
            (Decision("part:nobody", "weld", 0.1), "no such thing"),
            (Decision("material:a/shine", "factor", 1.0), "no such thing"),
            (Decision("material:a", "weld", 0.1), "cannot be decided for a material"),
            (Decision("light:spot", "angle_deg", 3.0), "no such size"),
            (Decision("material:a/base_color", "invert", True), "has no image"),
            (Decision("part:A", "swap", "part:nobody"), "names nothing"),
            (Decision("material:a", "use_material", "material:z"), "names nothing"),
            (Decision("scene", "variant", "Winter"), "names nothing"),
            (Decision("scene", "freeze", {"clip": "clip:x", "time_s": 0}), "names nothing"),
            (Decision("environment", "scale", 2.0), "cannot be decided for the environment"),
        ):
            with self.assertRaises(Refused) as refused:
                check_targets([decision], given())
            self.assertIn(words, str(refused.exception))
