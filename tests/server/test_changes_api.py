"""What came, went and changed: between two revisions of a delivery, between two handovers."""

from __future__ import annotations

import io
import json
from dataclasses import replace
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image as PilImage

from server.moves.models import Handover
from tests.making import cube, material, quad, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_document import GlbOptions
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Scene

SAIL, MAST = material("sail", roughness=(0.4,)), material("mast", roughness=(0.6,))


def png(value: int) -> bytes:
    out = io.BytesIO()
    PilImage.fromarray(np.full((16, 16, 3), value, np.uint8)).save(out, "PNG")
    return out.getvalue()


def model(*slots: Any, materials: tuple[Any, ...]) -> bytes:
    given = scene(*slots, materials=materials)
    named = {id: replace(node, name=f"Part {k}") for k, (id, node) in enumerate(given.nodes.items())}
    made: Scene = replace(given, nodes=named)
    return write_glb(made, GlbOptions())


class Revisions(ServerTest):
    def setUp(self) -> None:
        first = model(quad(1, SAIL.id), quad(1, MAST.id), materials=(SAIL, MAST))
        self.move = self.made({"boat.glb": first, "sail.png": png(40), "note.png": png(90)})
        self.here = f"/moves/{self.move}"

    def brought(self, path: str, data: bytes) -> None:
        sent = SimpleUploadedFile(path, data)
        answer = self.client.post(f"/api{self.here}/files/replace", {"path": path, "files": [sent]})
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        self.work()

    def changes(self, number: int) -> Any:
        return self.ask(f"{self.here}/revisions/{number}/changes")

    def test_the_first_has_nothing_before_it(self) -> None:
        told = self.changes(1)
        self.assertEqual((told["known"], told["things"], told["files"]), (True, [], []))
        self.ask(f"{self.here}/revisions/7/changes", expect=404)

    def test_an_image_painted_over_is_one_changed_file_with_both_its_pictures(self) -> None:
        self.brought("sail.png", png(200))
        told = self.changes(2)
        self.assertEqual([(f["path"], f["how"]) for f in told["files"]], [("sail.png", "changed")])
        self.assertEqual((told["same_files"], told["things"]), (2, []))
        greys = []
        for number in (1, 2):
            answer = self.client.get(f"/api{self.here}/revisions/{number}/picture.png?path=sail.png")
            greys.append(np.asarray(PilImage.open(io.BytesIO(answer.content)))[8, 8, 0])
        self.assertEqual(greys, [40, 200])
        self.ask(f"{self.here}/revisions/1/picture.png?path=none.png", expect=422)

    def test_a_model_exported_again_tells_parts_and_materials(self) -> None:
        """One face more, a part that is another shape, a roughness that changed, a part that came."""
        smooth = material("sail", roughness=(0.2,))
        wax = material("wax")
        again = model(quad(1, smooth.id), quad(2, MAST.id), cube(1, wax.id), materials=(smooth, MAST, wax))
        self.brought("boat.glb", again)
        told = self.changes(2)
        found = {(t["kind"], t["name"]): t for t in told["things"]}
        self.assertEqual(
            {line["key"]: (line["before"], line["after"]) for line in found["material", "sail"]["lines"]},
            {"roughness": ("0.4", "0.2")},
        )
        shape = {line["key"]: line["after"] for line in found["part", "Part 1"]["lines"]}
        self.assertEqual(shape["geometry"], "as many, lying otherwise")
        self.assertEqual(found["part", "Part 2"]["how"], "came")
        self.assertEqual(found["material", "wax"]["how"], "came")
        self.assertNotIn(("part", "Part 0"), found)

    def test_decisions_about_what_left_are_counted(self) -> None:
        mast = next(
            t["id"]
            for t in self.ask(f"{self.here}/packing-list")["things"]
            if t["kind"] == "part" and t["name"] == "Part 1"
        )
        self.ask(
            f"{self.here}/decisions", "POST", [{"target": f"part:{mast}", "field": "still", "value": True}]
        )
        self.brought("boat.glb", model(quad(1, SAIL.id), materials=(SAIL,)))
        told = self.changes(2)
        self.assertEqual(told["idle"], 1)
        self.assertIn(("part", "went"), {(t["kind"], t["how"]) for t in told["things"]})


class Handovers(ServerTest):
    def setUp(self) -> None:
        self.move = self.made()
        self.here = f"/moves/{self.move}"
        self.deliver()

    def deliver(self) -> int:
        self.ask(f"{self.here}/jobs", "POST", {"kind": "deliver"})
        (job,) = self.work()
        self.assertEqual(job.state, "done", job.refusal)
        return int(self.ask(f"{self.here}/handovers")[0]["id"])

    def test_one_alone_cannot_be_compared(self) -> None:
        (row,) = self.ask(f"{self.here}/handovers")
        refusal = self.ask(f"/handovers/{row['id']}/changes", expect=422)
        self.assertIn("no other handover", str(refusal))

    def test_what_was_decided_between_two_is_what_differs(self) -> None:
        listed = {"kind": "material", "id": "paint", "name": "paint", "says": {"roughness": "0.3"}}
        handed = {"text": json.dumps({"things": [listed]})}
        self.assertEqual(self.ask(f"{self.here}/packing-list", "POST", handed)["misread"], [])
        told = self.ask(f"/handovers/{self.deliver()}/changes")
        self.assertEqual((told["before"], told["after"], told["known"]), ("number 1", "number 2", True))
        (thing,) = told["things"]
        self.assertEqual((thing["name"], thing["how"]), ("paint", "changed"))
        self.assertEqual([line["key"] for line in thing["lines"]], ["roughness"])
        back = self.ask(f"/handovers/{Handover.objects.get(number=1).id}/changes?since=2")
        self.assertEqual(back["things"][0]["lines"][0]["before"], thing["lines"][0]["after"])

    def test_every_file_says_what_it_is_for_and_every_package_how_it_is_imported(self) -> None:
        (row,) = self.ask(f"{self.here}/handovers")
        self.assertEqual([file["path"] for file in row["files"] if not file["purpose"]], [])
        leaf = next(file for file in row["files"] if file["path"] == "media/leaf-color.png")
        self.assertEqual(leaf["purpose"], "Base colour and opacity of leaf")
        self.assertTrue(any("glb" in step for step in row["steps"]))
