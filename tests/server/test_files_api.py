"""Files of a move: listed with their revisions, replaced, removed, recognised under another name, brought back."""

from __future__ import annotations

from django.core.files.uploadedfile import SimpleUploadedFile

from tests.making import noise_image
from tests.server.making import ServerTest
from trasloco.formats.successors import predecessors, stem_without_state

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
