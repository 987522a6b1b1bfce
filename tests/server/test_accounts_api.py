"""The books through the API: taken by a job, told on the page, and a package with something unexplained that
waits for a word.
"""

from __future__ import annotations

import zipfile
from dataclasses import replace
from io import BytesIO
from typing import Any
from unittest.mock import patch

from tests.core.test_legible import called
from tests.server.making import GLB, ServerTest
from trasloco.destinations.layouts import LAYOUTS, layout_named
from trasloco.scene.model import Scene

REAL = layout_named("glb and list")
assert REAL is not None


def forgetful(files: Any, sheet: Any, takes: Any) -> Scene:
    """An importer that does not do what its sheet says: it puts every part a millimetre too high."""
    assert REAL is not None
    scene = REAL.read(files, sheet, takes)
    nodes = {}
    for node in scene.nodes.values():
        matrix = node.matrix.copy()
        matrix[1, 3] += 0.001 * (node.parent is None)
        nodes[node.id] = replace(node, matrix=matrix)
    return replace(scene, nodes=nodes)


class Accounts(ServerTest):
    def taken(self, move: int) -> dict[str, Any]:
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "account"})
        self.assertEqual([job.state for job in self.work()], ["done"])
        return self.ask(f"/moves/{move}/accounts")  # type: ignore[no-any-return]

    def test_the_books_are_taken_and_balance(self) -> None:
        move = self.made({"balanced.glb": GLB}, destination="lanterna")
        self.assertFalse(self.ask(f"/moves/{move}/accounts")["known"])
        told = self.taken(move)
        self.assertTrue(told["known"])
        self.assertEqual(told["sent"], sum(told["counts"].values()))
        self.assertEqual((told["counts"]["unaccounted"], told["unanswered"]), (0, 0))
        self.assertEqual(sum(kind["counts"]["exact"] for kind in told["kinds"]), told["counts"]["exact"])
        self.assertEqual(len(told["entries"]), told["sent"] - told["counts"]["exact"])
        self.assertTrue(all(entry["reason"] for entry in told["entries"]))

    def test_what_nothing_explains_waits_for_a_word(self) -> None:
        assert REAL is not None
        with patch.dict(LAYOUTS, {REAL.name: replace(REAL, read=forgetful)}):
            move = self.made({"forgetful.glb": GLB}, destination="lanterna")
            told = self.taken(move)
            strange = [entry for entry in told["entries"] if entry["mark"] == "unaccounted"]
            self.assertTrue(strange)
            self.assertEqual({entry["aspect"] for entry in strange}, {"place"})
            self.assertIn("unaccounted", self.ask(f"/moves/{move}")["stops"]["handover"])

            self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
            refused = self.work()[-1]
            self.assertEqual(refused.state, "refused")
            self.assertIn("Nothing was delivered", refused.refusal["what"])
            self.assertEqual(self.ask(f"/moves/{move}/handovers"), [])

            said = [
                {"target": f"account:{entry['key']}", "field": "meant", "value": True} for entry in strange
            ]
            self.ask(f"/moves/{move}/decisions", "POST", said)
            again = self.ask(f"/moves/{move}/accounts")
            self.assertEqual((again["unanswered"], again["counts"]["unaccounted"]), (0, len(strange)))
            self.assertTrue(
                all(entry["meant"] for entry in again["entries"] if entry["mark"] == "unaccounted")
            )
            self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
            self.assertEqual(self.work()[-1].state, "done")
            handover = self.ask(f"/moves/{move}/handovers")[0]
            self.assertIn("unaccounted", handover["packing_list"])
            self.assertIn("meant", handover["packing_list"])

            self.ask(f"/moves/{move}/undo", "POST")
            self.assertEqual(self.ask(f"/moves/{move}/accounts")["unanswered"], len(strange))

    def test_papers_are_written_from_the_books(self) -> None:
        move = self.made(destination="taccuino")
        self.ask(
            f"/moves/{move}/jobs",
            "POST",
            {"kind": "prove", "settings": {"width": 64, "height": 36, "samples": 4}},
        )
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        self.assertEqual({job.state for job in self.work()}, {"done"})
        handover = self.ask(f"/moves/{move}/handovers")[0]
        told = self.ask(f"/moves/{move}/accounts")
        self.assertEqual(handover["marks"], told["counts"])
        page = self.client.get(f"/api/handovers/{handover['id']}/report").getvalue().decode()
        for text in (handover["packing_list"], page):
            self.assertIn("takes no point lights", text)
            self.assertNotIn("Everything arrives exactly", text)
        self.assertIn("data:image/png;base64", page, "the report holds the proof")
        archive = zipfile.ZipFile(
            BytesIO(self.client.get(f"/api/handovers/{handover['id']}/package.zip").getvalue())
        )
        self.assertIn("report.html", archive.namelist())

    def test_a_name_cannot_write_lines_of_its_own(self) -> None:
        forged = "Trunk\nunaccounted  0\x1b[31m"
        move = self.made({"forged.glb": called(forged)}, destination="lanterna")
        part = next(p for p in self.ask(f"/moves/{move}/inventory")["parts"])
        said = [{"target": part["id"], "field": "name", "value": forged}]
        self.ask(f"/moves/{move}/decisions", "POST", said, expect=422)
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        self.work()
        packing = self.ask(f"/moves/{move}/handovers")[0]["packing_list"]
        self.assertNotIn("\x1b", packing)
        self.assertFalse([line for line in packing.splitlines() if line.strip().startswith("unaccounted  0")])

    def test_delivered_images_have_pictures(self) -> None:
        move = self.made(destination="lanterna")
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        self.work()
        handover = self.ask(f"/moves/{move}/handovers")[0]
        image = next(file["path"] for file in handover["files"] if file["path"].endswith(".png"))
        self.assertEqual(
            self.client.get(f"/api/handovers/{handover['id']}/picture.png?path={image}&side=64").content[:4],
            b"\x89PNG",
        )
        glb = next(file["path"] for file in handover["files"] if file["path"].endswith(".glb"))
        self.ask(f"/handovers/{handover['id']}/picture.png?path={glb}", expect=422)
