"""A picture of an import given, explained by a job, told and kept."""

from __future__ import annotations

import io
from functools import partial
from typing import Any
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image as Pillow

from server.moves.bench import Bench
from server.moves.models import Move
from tests.core.test_outside import SMALL
from tests.outside import VIEW, counter, picture_of
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.outside.bends import BY_KEY
from trasloco.outside.diagnosis import diagnose
from trasloco.scene.color import linear_to_srgb

BENDS = [BY_KEY[key] for key in ("green", "no normals", "upside down", "colour as numbers")]
QUICK = partial(diagnose, quality=SMALL, bends=BENDS)


class SeenApi(ServerTest):
    def setUp(self) -> None:
        self.move = self.made({"counter.glb": write_glb(counter(2))}, destination="lanterna")
        place = {
            "name": "Front",
            "matrix": [float(v) for v in VIEW.matrix.ravel()],
            "yfov_rad": VIEW.yfov_rad,
        }
        self.ask(
            f"/moves/{self.move}/decisions", "POST", [{"target": "proof", "field": "views", "value": [place]}]
        )

    def give(self, data: bytes, name: str = "import.png", view: str = "Front", expect: int = 200) -> Any:
        files = {"files": SimpleUploadedFile(name, data), "view": view}
        answer = self.client.post(f"/api/moves/{self.move}/seen", files)
        self.assertEqual(answer.status_code, expect, answer.content[:300])
        return answer.json()

    def test_a_fault_is_named_and_its_picture_kept(self) -> None:
        light = picture_of(Bench(Move.objects.get(id=self.move)).arrival(), (BY_KEY["green"],), 5)
        out = io.BytesIO()
        Pillow.fromarray(np.round(linear_to_srgb(light) * 255).astype(np.uint8)).save(out, "PNG")
        with mock.patch("trasloco.results.outside.diagnose", QUICK):
            self.give(out.getvalue())
            (waiting,) = self.ask(f"/moves/{self.move}/seen")
            self.assertEqual((waiting["ready"], waiting["explanations"]), (False, []))
            self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)])
        (told,) = self.ask(f"/moves/{self.move}/seen")
        self.assertTrue(told["ready"] and told["current"] and told["found"] and not told["fine"])
        first = told["explanations"][0]
        self.assertEqual([way["key"] for way in first["ways"]], ["green"])
        self.assertEqual(first["ways"][0]["line"], "conventions.normal_green")
        for blob in (told["seen"], told["meant"], first["picture"]):
            with Pillow.open(io.BytesIO(b"".join(self.client.get(f"/api/blobs/{blob}.png")))) as held:  # type: ignore[call-overload]
                self.assertEqual(held.size, (SMALL.width, SMALL.height))
        self.ask(f"/moves/{self.move}/seen/{told['id']}", "DELETE", expect=204)
        self.assertEqual(self.ask(f"/moves/{self.move}/seen"), [])

    def test_what_is_no_picture_or_of_no_view_is_refused(self) -> None:
        self.assertIn("PNG, JPEG", self.give(b"no picture", expect=422)["remedy"])
        self.assertEqual(self.ask(f"/moves/{self.move}/seen"), [])
        grey = io.BytesIO()
        Pillow.fromarray(np.full((90, 160, 3), 90, np.uint8)).save(grey, "PNG")
        self.give(grey.getvalue(), view="Nowhere")
        (job,) = self.work()
        self.assertEqual(job.state, "refused")
        self.assertIn("no such view", (job.refusal or {})["what"])
