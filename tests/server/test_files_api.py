"""Files of a move: listed with their revisions, replaced, removed, recognised under another name, brought
back.
"""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.making import cube, image, noise_image, quad, scene
from tests.server.making import ServerTest
from trasloco.formats.likeness import images_alike, models_alike
from trasloco.formats.successors import predecessors, stem_without_state
from trasloco.scene.images import encode, pixels

OBJ = (
    b"mtllib a.mtl\no Sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl cloth\nf 1/1 2/2 3/3\n"
)
OTHER = noise_image("other", 48, 48).data
MTL = b"newmtl cloth\nmap_Kd sail.png\n"


class FilesOfAMove(ServerTest):
    def setUp(self) -> None:
        self.move = self.made({"a.obj": OBJ, "a.mtl": MTL, "sail.png": noise_image("sail").data})
        self.here = f"/moves/{self.move}"

    def listed(self) -> dict[str, tuple[int, str | None]]:
        return {f["path"]: (f["revision"], f["place_of"]) for f in self.ask(f"{self.here}/files")["files"]}

    def read(self) -> str:
        """Digest of the image that the cloth reads."""
        images = self.ask(f"{self.here}/inventory")["images"]
        return str(next(i for i in images if i["used_by"])["name"])

    def test_each_file_tells_with_which_revision_it_came_as_it_is(self) -> None:
        self.upload({"sail.png": OTHER}, path=f"{self.here}/files")
        self.work()
        self.assertEqual(self.listed(), {"a.mtl": (1, None), "a.obj": (1, None), "sail.png": (2, None)})

    def test_a_file_under_another_name_takes_the_place_of_the_old_one_when_asked(self) -> None:
        self.upload({"sail_v2.png": OTHER}, path=f"{self.here}/files")
        self.work()
        self.assertEqual(self.listed()["sail_v2.png"], (2, "sail.png"))
        self.ask(f"{self.here}/files/take-place", "POST", {"path": "sail_v2.png", "place_of": "sail.png"})
        self.work()
        self.assertEqual(self.listed(), {"a.mtl": (1, None), "a.obj": (1, None), "sail.png": (3, None)})
        self.assertEqual(self.read(), "sail.png")

    def test_removed_and_brought_back(self) -> None:
        self.ask(f"{self.here}/files/remove", "POST", {"paths": ["sail.png"]})
        self.work()
        kinds = [f["kind"] for f in self.ask(f"{self.here}/inventory")["findings"]]
        self.assertIn("missing_image", kinds)
        self.ask(f"{self.here}/revisions/1/back", "POST")
        self.work()
        self.assertIn("sail.png", self.listed())
        kinds = [f["kind"] for f in self.ask(f"{self.here}/inventory")["findings"]]
        self.assertNotIn("missing_image", kinds)
        self.assertEqual(self.ask(self.here)["revision"], 3)

    def test_replaced_in_its_place(self) -> None:
        sent = SimpleUploadedFile("whatever.png", OTHER)
        answer = self.client.post(f"/api{self.here}/files/replace", {"path": "sail.png", "files": [sent]})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.work()
        self.assertEqual(self.listed()["sail.png"], (2, None))
        self.assertNotIn("whatever.png", self.listed())

    def test_what_is_not_there_or_would_leave_nothing_is_refused(self) -> None:
        self.ask(f"{self.here}/files/remove", "POST", {"paths": ["no.png"]}, expect=422)
        self.ask(f"{self.here}/files/remove", "POST", {"paths": ["a.obj", "a.mtl", "sail.png"]}, expect=422)
        self.ask(f"{self.here}/revisions/9/back", "POST", expect=404)
        self.assertEqual(self.ask(self.here)["revision"], 1)

    def test_a_picture_saved_again_under_a_name_of_its_own_is_asked_about(self) -> None:
        # The same picture at half its size, darker, in another format.
        texels = np.kron(pixels(noise_image("sail", 24, 16)), np.ones((4, 4, 1), np.uint8))
        self.upload({"sail.png": encode(texels, "png")}, path=f"{self.here}/files")
        self.work()
        half = texels.reshape(48, 2, 32, 2, 3).mean(axis=(1, 3))
        again = encode((half * 0.8).astype(np.uint8), "png")
        self.upload({"tela.png": again, "other.png": OTHER}, path=f"{self.here}/files")
        self.work()
        listed = {f["path"]: (f["place_of"], f["why"]) for f in self.ask(f"{self.here}/files")["files"]}
        self.assertEqual(listed["tela.png"][0], "sail.png")
        self.assertIn("looks the same", listed["tela.png"][1])
        self.assertEqual(listed["other.png"], (None, ""))

    def test_a_model_exported_again_under_a_name_of_its_own_is_asked_about(self) -> None:
        self.upload({"boat.obj": OBJ.replace(b"v 1 0 0", b"v 2 0 0")}, path=f"{self.here}/files")
        self.work()
        listed = {f["path"]: (f["place_of"], f["why"]) for f in self.ask(f"{self.here}/files")["files"]}
        self.assertEqual(listed["boat.obj"], ("a.obj", "1 of 1 parts are called the same"))


class Likeness(TestCase):
    def test_other_levels_and_sizes_are_the_same_picture_and_others_are_not(self) -> None:
        first = noise_image("a", 96, 96, seed=1)
        texels = pixels(first).astype(float)
        darker = image("b", (texels * 0.6 + 20).astype(np.uint8))
        # Bytes are rounded by at most a half: against a spread of 45 that leaves the correlation at 0.9999.
        self.assertGreater(images_alike(first, darker), 0.999)
        self.assertLess(images_alike(first, noise_image("c", 96, 96, seed=2)), 0.2)
        self.assertLess(images_alike(first, image("d", 255 - texels.astype(np.uint8))), 0.01)
        self.assertEqual(images_alike(first, noise_image("e", 96, 48, seed=1)), 0.0)
        self.assertEqual(
            images_alike(image("f", np.full((64, 64, 3), 9)), image("g", np.full((64, 64, 3), 9))), 0.0
        )

    def test_models_by_names_and_sizes(self) -> None:
        before = scene(cube(), quad(), cube(2.0), names=("Lid", "Sail", "Trunk"))
        after = scene(cube(1.1), quad(), cube(2.0), names=("Lid", "Sail", "Trunk"))
        other = scene(quad(), names=("Moon",))
        self.assertEqual(models_alike(before, after)[1:], (3, 3))
        self.assertGreater(models_alike(before, after)[0], 0.9)
        self.assertLess(models_alike(before, other)[0], 0.5)


class Successors(ServerTest):
    def test_what_tells_a_state_is_no_part_of_a_name(self) -> None:
        for name in ("Trunk.png", "trunk_v02.png", "Trunk (2).png", "trunk-final.png", "Trunk v3 copy.png"):
            self.assertEqual(stem_without_state(f"maps/{name}"), "trunk", name)
        self.assertEqual(stem_without_state("2.png"), "2")

    def test_only_one_of_the_same_kind_is_a_predecessor(self) -> None:
        before = ["lid.png", "lid.obj", "a/lamp1.png", "b/lamp2.png"]
        self.assertEqual(predecessors(["lid_v2.png"], before), {"lid_v2.png": "lid.png"})
        self.assertEqual(predecessors(["lamp3.png", "new.png", "lid_v2.tif"], before), {})
        self.assertEqual(predecessors(["x_v2.jpeg"], ["x.jpg"]), {"x_v2.jpeg": "x.jpg"})
