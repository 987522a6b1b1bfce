"""The gauge over HTTP: made, brought back, read, and kept as a sheet that the move goes by."""

from __future__ import annotations

import io
import zipfile
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from server.moves.models import Gauge, OwnSheet
from tests.making import image
from tests.server.making import ServerTest
from trasloco.gauge.boards import boards
from trasloco.gauge.expected import SAMPLES, drawn
from trasloco.results import gauging
from trasloco.scene.color import linear_to_srgb
from trasloco.sheets.text import parse_sheet


class Gauged(ServerTest):
    def give(self, move: int, board: str, data: bytes, expect: int = 200) -> dict[str, object]:
        files = SimpleUploadedFile(f"{board}.png", data, "image/png")
        answer = self.client.post(f"/api/moves/{move}/gauge/pictures", {"files": files, "board": board})
        self.assertEqual(answer.status_code, expect, answer.content[:400])
        told: dict[str, object] = answer.json()
        return told

    def test_from_boards_to_a_sheet_that_the_move_goes_by(self) -> None:
        move = self.made(destination="taccuino")
        here = f"/moves/{move}"
        self.assertIsNone(self.ask(f"{here}/gauge"))
        self.ask(f"{here}/gauge/read", "POST", expect=422)
        self.ask(f"{here}/gauge", "POST")
        self.work()
        told = self.ask(f"{here}/gauge")
        self.assertEqual([board["key"] for board in told["boards"]], ["tones", "shine", "lamps", "around"])
        self.assertTrue(told["current"] and all(board["steps"] for board in told["boards"]))
        with zipfile.ZipFile(io.BytesIO(self.client.get(f"/api{here}/gauge.zip").content)) as held:
            names = held.namelist()
        self.assertIn("read me.txt", names)
        self.assertTrue(any(name.startswith("1 tones/") and name.endswith(".glb") for name in names), names)

        self.assertIn("not an image", str(self.give(move, "around", b"no picture", 422)["what"]))
        self.ask(f"{here}/gauge/read", "POST")
        (job,) = self.work()
        self.assertEqual(job.state, "refused")  # nothing was brought back

        # Any picture is taken in; a board that is not in it is told when it is read, and stays.
        plain = image("plain", np.full((90, 160, 3), 90, np.uint8)).data
        self.give(move, "around", plain)
        self.ask(f"{here}/gauge/read", "POST")
        with mock.patch.dict(SAMPLES, {"around": 2}):
            (job,) = self.work()
            self.assertIn("Surroundings", str(job.refusal))
            light = drawn(boards()["around"].scene, "around", 3, 640, 16).sum(axis=0)
            codes = np.round(linear_to_srgb(np.clip(light, 0, 1)) * 255).astype(np.uint8)
            self.give(move, "around", image("around", codes).data)
            self.ask(f"{here}/gauge/read", "POST")
            (job,) = self.work()
        self.assertEqual(job.state, "done", job.refusal)
        told = self.ask(f"{here}/gauge")
        self.assertFalse(told["stale"])
        self.assertTrue(told["boards"][3]["read"])
        self.assertAlmostEqual(told["found"]["surroundings"]["turn_deg"], 0, delta=1.5)
        self.assertFalse(told["found"]["surroundings"]["mirrored"])
        self.assertEqual(
            self.client.get(f"/api/blobs/{told['evidence']['occlusion occlusion']}.png").status_code, 200
        )

        self.ask(f"{here}/gauge/rod", "PUT", {"length": -1, "unit": "m"}, expect=422)
        told = self.ask(f"{here}/gauge/rod", "PUT", {"length": 100, "unit": "m"})
        self.assertTrue(told["stale"])
        self.assertIsNone(told["found"]["lengths"]["times"])
        self.ask(f"{here}/gauge/read", "POST")
        self.work()
        told = self.ask(f"{here}/gauge")
        self.assertEqual((told["stale"], told["found"]["lengths"]["times"]), (False, 100))

        self.ask(f"{here}/gauge/use", "POST", {"name": "a/b"}, expect=422)
        self.ask(f"{here}/gauge/use", "POST", {"name": "Theirs"})
        self.assertEqual(self.ask(here)["destination"], "theirs")
        sheet = next(one for one in self.ask("/sheets") if one["name"] == "Theirs")
        said = {line["path"]: line["measured"] for line in sheet["lines"]}
        shown = next(one for one in sheet["meanings"] if one["words"].startswith("Light is shown"))
        self.assertRegex(shown["measured"], r"^measured, 0\.\d\d$")
        self.assertTrue(any("100 times as long" in one["words"] for one in sheet["meanings"]))
        self.assertEqual(said["materials.two_sided"], "not seen")
        self.assertEqual(said["structure.groups"], "")
        self.assertEqual(parse_sheet(OwnSheet.objects.get(key="theirs").versions[0], "").layout, "glb")
        self.assertTrue(self.ask(f"{here}/gauge")["current"])

    def test_pictures_that_come_at_once_are_all_kept_and_another_layout_begins_anew(self) -> None:
        move = self.made(destination="taccuino")
        here = f"/moves/{move}"
        self.ask(f"{here}/gauge", "POST")
        self.work()
        data = image("some", np.full((40, 60, 3), 10, np.uint8)).data
        shown_of, between = gauging.shown_of, ["shine"]

        def while_another_comes(given: bytes, name: str) -> bytes:
            if between:
                self.give(move, between.pop(), data)
            return shown_of(given, name)

        with mock.patch.object(gauging, "shown_of", while_another_comes):
            self.give(move, "tones", data)
        self.give(move, "lamps", data)
        self.assertEqual(set(Gauge.objects.get(move_id=move).pictures), {"tones", "shine", "lamps"})
        self.client.delete(f"/api{here}/gauge/pictures/shine")
        self.assertEqual(set(Gauge.objects.get(move_id=move).pictures), {"tones", "lamps"})
        self.ask(here, "PATCH", {"destination": "fornace"})
        self.assertFalse(self.ask(f"{here}/gauge")["current"])
        self.ask(f"{here}/gauge", "POST")
        self.work()
        told = self.ask(f"{here}/gauge")
        self.assertEqual((told["sheet"], told["current"]), ("Fornace", True))
        self.assertFalse(any(board["shown"] for board in told["boards"]))
