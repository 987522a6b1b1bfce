"""Directions of brushing that glTF keeps in an image: one for all is a number, several are told."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import Received, receive
from trasloco.scene.model import Input, Texture
from trasloco.sheets.library import sheet_named
from trasloco.sheets.text import changed


def read(directions: np.ndarray, turn: float = 0.0) -> Received:
    """A brushed metal whose image has directions (H, W, 2) in red and green, strength 1 in blue."""
    codes = np.round(
        (np.concatenate([directions, np.ones((*directions.shape[:2], 1))], axis=2) * [1, 1, 0] + 1) / 2 * 255
    )
    codes[..., 2] = 255
    made = material(
        anisotropy=Input((1.0,), Texture("image:brush", "b")), anisotropy_rotation=(turn,), metalness=(1.0,)
    )
    given = scene(quad(), materials=(made,), images=(image("brush", codes.astype(np.uint8)),))
    return receive({"brushed.glb": write_glb(given)})


def rotation(found: Received) -> float:
    (made,) = found.scene.materials.values()
    given = made.inputs.get("anisotropy_rotation")
    return given.factor[0] if given is not None else 0.0


def all_at(angle: float) -> np.ndarray:
    return np.broadcast_to([math.cos(angle), math.sin(angle)], (4, 4, 2))


def told(found: Received) -> list[str]:
    return [one.where for one in found.findings if one.kind == "brushed"]


class Brushed(TestCase):
    def test_along_the_tangent_says_nothing(self) -> None:
        found = read(all_at(0.0))
        self.assertEqual((rotation(found), told(found)), (0.0, []))

    def test_one_direction_turns_what_is_turned_already(self) -> None:
        for angle in (0.5, -0.9, 1.3):
            found = read(all_at(angle), turn=0.2)
            self.assertAlmostEqual(rotation(found), 0.2 + angle, delta=0.01)
            self.assertEqual(told(found), [])

    def test_a_stroke_is_the_same_backwards(self) -> None:
        ways = all_at(0.4).copy()
        ways[::2] *= -1
        found = read(ways)
        self.assertAlmostEqual(rotation(found), 0.4, delta=0.01)
        self.assertEqual(told(found), [])

    def test_several_directions_are_told_with_their_spread(self) -> None:
        ways = np.concatenate([all_at(0.2), all_at(0.6)], axis=0)
        found = read(ways)
        self.assertAlmostEqual(rotation(found), 0.4, delta=0.01)
        (words,) = told(found)
        self.assertIn("11°", words)

    def test_what_was_turned_once_arrives_turned_once(self) -> None:
        """The number says the direction; the image that is delivered does not say it again."""
        pocket = sheet_named("taccuino")
        sets = [one.model_dump(exclude_unset=True) for one in pocket.materials.sets]
        set_of = {"name": "brushed", "channels": {"b": "anisotropy"}}
        inputs = {
            **pocket.model_dump(mode="json")["materials"]["inputs"],
            "anisotropy": {},
            "anisotropy_rotation": {},
        }
        there = changed(pocket, {"materials.inputs": inputs, "materials.sets": [*sets, set_of]})
        reference = read(all_at(0.5)).scene
        plan = move.plan(reference, sheet_named("plain"), there)
        arrival = move.arrive(move.package(move.carry(reference, plan, there), there), there)
        (made,) = arrival.materials.values()
        self.assertIsNotNone(made.inputs["anisotropy"].texture)
        self.assertAlmostEqual(made.inputs["anisotropy_rotation"].factor[0], 0.5, delta=0.01)
