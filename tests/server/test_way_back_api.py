"""A package that was changed at its destination comes back over the API, and is taken over."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
from PIL import Image

from tests.server.making import ServerTest


class WayBack(ServerTest):
    def setUp(self) -> None:
        self.move = self.made()
        self.here = f"/moves/{self.move}"

    def package(self) -> dict[str, bytes]:
        self.ask(f"{self.here}/jobs", "POST", {"kind": "deliver"})
        self.work()
        row = self.ask(f"{self.here}/handovers")[0]
        data = b"".join(self.client.get(f"/api/handovers/{row['id']}/package.zip").streaming_content)
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return {name: archive.read(name) for name in archive.namelist()}

    def give(self, files: dict[str, bytes], state: str = "done") -> None:
        self.upload(files, path=f"{self.here}/came-back")
        (job,) = self.work()
        self.assertEqual(job.state, state, job.refusal)

    def changed(self, files: dict[str, bytes]) -> bytes:
        """The material list with one roughness changed."""
        told = json.loads(files["materials.json"])
        (cloth,) = (one for one in told["materials"] if one["slot"] == "cloth")
        cloth["values"]["clearcoat"] = 0.125
        return json.dumps(told).encode()

    def test_a_number_changed_in_one_file_is_taken_over_as_a_decision(self) -> None:
        files = self.package()
        self.assertIsNone(self.ask(f"{self.here}/came-back"))
        self.give({"materials.json": self.changed(files)})
        told = self.ask(f"{self.here}/came-back")
        self.assertEqual((told["number"], told["current"]), (1, True))
        (one,) = told["came"]
        self.assertEqual(
            (one["name"], one["what"], one["before"], one["after"]), ("cloth", "clear coat", "0.5", "0.125")
        )
        self.ask(f"{self.here}/decisions", "POST", one["decisions"])
        again = json.loads(self.package()["materials.json"])
        (cloth,) = (entry for entry in again["materials"] if entry["slot"] == "cloth")
        self.assertEqual(cloth["values"]["clearcoat"], 0.125)
        self.assertFalse(self.ask(f"{self.here}/came-back")["current"])

    def test_an_image_that_was_painted_over_joins_the_delivery_and_arrives_as_painted(self) -> None:
        files = self.package()
        path = "media/leaf-color.png"
        with Image.open(io.BytesIO(files[path])) as image:
            codes = np.array(image)
        codes[2:6, 1:5, :3] = (200, 40, 90)
        out = io.BytesIO()
        Image.fromarray(codes).save(out, "png")
        self.give({path: out.getvalue()})
        told = self.ask(f"{self.here}/came-back")
        (at,) = (n for n, one in enumerate(told["came"]) if one["image"])
        self.assertIn("painted over", told["came"][at]["after"])
        self.ask(f"{self.here}/came-back/images", "POST", {"rows": [999]}, expect=422)
        self.ask(f"{self.here}/came-back/images", "POST", {"rows": [at]})
        (job,) = self.work()
        self.assertEqual(job.state, "done", job.refusal)
        listed = self.ask(f"{self.here}/files")
        self.assertEqual(listed["revisions"][0]["number"], 2)
        self.assertIn(told["came"][at]["image"]["path"], [one["path"] for one in listed["files"]])
        with Image.open(io.BytesIO(self.package()[path])) as image:
            again = np.array(image)
        np.testing.assert_allclose(again.astype(int), codes.astype(int), atol=2)

    def test_the_whole_package_in_an_archive_below_a_folder_says_the_same(self) -> None:
        files = self.package()
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            for path, data in {**files, "materials.json": self.changed(files)}.items():
                archive.writestr(f"from over there/{path}", data)
        self.give({"back.zip": out.getvalue()})
        self.assertEqual(len(self.ask(f"{self.here}/came-back")["came"]), 1)

    def test_an_unchanged_package_says_nothing_and_a_strange_one_is_refused(self) -> None:
        files = self.package()
        self.give({"materials.json": files["materials.json"]})
        self.assertEqual(self.ask(f"{self.here}/came-back")["came"], [])
        self.give({"cat.png": files["media/leaf-color.png"]}, state="refused")
        self.ask(f"{self.here}/decisions", "POST", [{"target": "scene", "field": "scale", "value": 2.0}])
        self.give({"materials.json": files["materials.json"]}, state="refused")

    def test_before_anything_was_delivered_there_is_nothing_to_come_back(self) -> None:
        self.upload({"materials.json": b"{}"}, expect=422, path=f"{self.here}/came-back")
