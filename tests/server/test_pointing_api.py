"""Acts that point at a place of the model: what is decided where something is met, and what is refused."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tests.making import cube, image, material, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Input, Texture

NOWHERE = [0.0] * 16
AHEAD = [1.0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 4, 0, 0, 0, 1]
"""Four metres before the middle of a cube from -0.5 to 0.5, looking along -Z."""


class Pointing(ServerTest):
    def setUp(self) -> None:
        worn = material(base_color=Input((1.0, 1.0, 1.0), Texture("image:a", "rgb", "srgb")))
        sides = replace(cube(), uvs=(cube().positions[:, :2] + 0.5,))
        picture = image("a", np.full((8, 8, 3), 200, np.uint8))
        box = scene(sides, materials=(worn,), images=(picture,), names=("Crate",))
        self.move = int(self.upload({"crate.glb": write_glb(box)})["id"])
        self.work()
        self.here = f"/moves/{self.move}"
        self.image = self.ask(f"{self.here}/inventory")["images"][0]["id"]

    def test_a_lamp_reaches_the_place_that_is_pressed(self) -> None:
        wanted = {"point": [0.1, 0.1, 0.5], "matrix": AHEAD, "side": "front"}
        self.ask(f"{self.here}/light-place", "POST", wanted)
        fields = {row["field"]: row["value"] for row in self.ask(f"{self.here}/decisions")}
        self.assertEqual(fields["lamp"]["kind"], "spot")
        place, aim = fields["lamp_place"], fields["aim"]
        self.assertEqual([round(v, 6) for v in aim], [0.1, 0.1, 0.5])
        # It shines along its -Z: from where it stands to the place.
        at, back = [place[k] for k in (3, 7, 11)], [place[k] for k in (2, 6, 10)]
        far = sum((a - b) ** 2 for a, b in zip(at, aim, strict=True)) ** 0.5
        for a, b, way in zip(at, aim, back, strict=True):
            self.assertAlmostEqual(a - b, far * way, 5)

    def test_a_picture_lies_where_it_is_pressed_and_only_there(self) -> None:
        wanted = {"image": self.image, "matrix": AHEAD, "width_m": 0.2}
        told = self.ask(f"{self.here}/press-on", "POST", {**wanted, "point": [0.0, 0.0, 0.5]})
        self.assertEqual(told["index"], 0)
        refused = self.ask(f"{self.here}/press-on", "POST", {**wanted, "point": [2.0, 0.0, 0.5]}, expect=422)
        self.assertIn("Nothing is there", refused["what"])

    def test_nowhere_is_no_place_to_look_from(self) -> None:
        for path, wanted in (
            ("light-place", {"point": [0, 0, 0.5]}),
            ("press-on", {"point": [0, 0, 0.5], "image": self.image, "width_m": 0.2}),
            ("faces-drawn", {"yfov_rad": 0.7, "aspect": 1.6, "points": [[-1, -1], [1, 1]]}),
        ):
            with self.subTest(path):
                refused = self.ask(f"{self.here}/{path}", "POST", {**wanted, "matrix": NOWHERE}, expect=422)
                self.assertIn("no place to look from", refused["what"])
        self.assertEqual(self.ask(f"{self.here}/decisions"), [])

    def test_faces_under_a_rectangle_are_those_that_are_seen(self) -> None:
        asked = {"matrix": AHEAD, "yfov_rad": 0.7, "aspect": 1.6, "points": [[-1, -1], [1, 1]]}
        seen = self.ask(f"{self.here}/faces-drawn", "POST", asked)
        everything = self.ask(f"{self.here}/faces-drawn", "POST", {**asked, "through": True})
        self.assertEqual([len(faces) for faces in seen.values()], [2])
        self.assertEqual([len(faces) for faces in everything.values()], [12])

    def test_one_is_stopped_by_what_blocks(self) -> None:
        step = {"eye": [0, 1.1, 3], "heading": [0, -1], "far_m": 10}
        free = self.ask(f"{self.here}/walk", "POST", step)
        stopped = self.ask(f"{self.here}/walk", "POST", {**step, "everything": True})
        self.assertEqual((free["stopped_by"], free["unsaid"]), (None, 1))
        self.assertEqual(stopped["stopped_by"], "Crate")
        # A quarter of a metre before the face at 0.5.
        self.assertAlmostEqual(stopped["eye"][2], 0.75, 4)
