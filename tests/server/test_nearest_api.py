"""Nearest looks over HTTP: listed, measured, changed by hand, taken, left, and all taken by a job."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from tests.fits import small_fits
from tests.making import cube, material, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Input

LACQUER = "material:Lacquer"


class NearestLooks(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(small_fits())
        lacquer = material(
            "Lacquer",
            # Another colour for each test: results are shared by their content.
            base_color=(0.1, 0.01, len(self._testMethodName) / 1000),
            roughness=(0.5,),
            clearcoat=(1.0,),
            clearcoat_roughness=(0.1,),
        )
        plaster = material("Plaster", base_color=Input((0.6, 0.6, 0.5)))
        given = scene(
            cube(material="material:Lacquer"), cube(material="material:Plaster"), materials=(lacquer, plaster)
        )
        self.move = self.made({"wagon.glb": write_glb(given)}, destination="taccuino")
        self.here = f"/moves/{self.move}"

    def one(self, keep: str = "") -> dict[str, Any]:
        asked = f"{self.here}/nearest/one?material={quote(LACQUER)}&keep={keep}"
        self.assertTrue(self.ask(asked)["rough"])  # a first look comes first
        told: dict[str, Any] = self.ask(asked)
        self.assertFalse(told["rough"])
        return told

    def decide(self, field: str, value: Any, target: str = LACQUER, expect: int = 200) -> None:
        one = {"target": target, "field": field, "value": value}
        self.ask(f"{self.here}/decisions", "POST", [one], expect)

    def crossing(self, name: str) -> dict[str, Any]:
        rows = self.ask(f"{self.here}/fit")["crossings"]
        return next(dict(r) for r in rows if r["material"] == LACQUER and r["name"] == name)

    def test_found_changed_by_hand_taken_and_left(self) -> None:
        (row,) = self.ask(f"{self.here}/nearest")["rows"]
        self.assertEqual((row["name"], row["missing"]), ("Lacquer", ["Clear coat", "Clear coat roughness"]))
        self.assertFalse(row["taken"] or row["stale"])
        told = self.one()
        self.assertTrue(told["found"])
        self.assertLess(told["fitted"], told["copied"])
        self.assertEqual(len(told["lights"]), 3)
        for side in ("meant", "copied", "fitted"):
            picture = self.client.get(f"/api/blobs/{told['lights'][0][side]}.png")
            data = b"".join(picture) if picture.streaming else picture.content
            self.assertTrue(data.startswith(b"\x89PNG"))
        kept = self.one("roughness")
        self.assertNotIn("roughness", kept["value"]["inputs"])
        self.assertIn("Roughness", [one["label"] for one in kept["inputs"]])  # it can be let go again

        inputs = told["value"]["inputs"]
        as_found = self.ask(f"{self.here}/nearest/nudged", "POST", {"material": LACQUER, "inputs": inputs})
        self.assertLess(as_found["delta_e"], as_found["copied"])
        dull = {**inputs, "roughness": {"gain": [0.0], "offset": [1.0]}}
        by_hand = self.ask(f"{self.here}/nearest/nudged", "POST", {"material": LACQUER, "inputs": dull})
        self.assertGreater(by_hand["delta_e"], as_found["delta_e"])

        self.assertEqual(self.crossing("clearcoat")["mark"], "lost")
        self.decide("fitted", told["value"])
        (row,) = self.ask(f"{self.here}/nearest")["rows"]
        self.assertTrue(row["taken"] and row["inputs"] == inputs and row["figures"]["found"])
        self.assertEqual(self.crossing("clearcoat")["mark"], "close")
        self.assertEqual(self.crossing("roughness")["lands"]["value"], inputs["roughness"]["offset"])

        # The material becomes another: the fit was made for what it was.
        self.decide("factor", [0.02, 0.05, 0.2], f"{LACQUER}/base_color")
        (row,) = self.ask(f"{self.here}/nearest")["rows"]
        self.assertTrue(row["stale"] and not row["taken"])
        self.assertEqual(self.crossing("roughness")["lands"]["value"], [0.5])
        self.ask(f"{self.here}/undo", "POST")
        self.decide("fitted", None)
        self.assertEqual(self.crossing("clearcoat")["mark"], "lost")

    def test_all_are_taken_by_one_job_as_one_act(self) -> None:
        self.ask(f"{self.here}/nearest/all", "POST", {})
        (job,) = self.work()
        self.assertEqual((job.kind, job.state), ("fit", "done"))
        (row,) = self.ask(f"{self.here}/nearest")["rows"]
        self.assertTrue(row["taken"])
        self.ask(f"{self.here}/undo", "POST")
        (row,) = self.ask(f"{self.here}/nearest")["rows"]
        self.assertFalse(row["taken"])

    def test_any_destination_stands_beside_the_others(self) -> None:
        there = f"{self.here}/nearest/at?material={quote(LACQUER)}&sheet="
        sides = {}
        for sheet in ("taccuino", "fornace"):
            told = self.ask(there + sheet)
            sides[sheet] = {one["side"]: one["delta_e"] for one in told["sides"]}
            self.assertEqual(list(sides[sheet]), ["meant", "untouched", "copied", "fitted"])
        self.assertGreater(sides["taccuino"]["copied"], 1.5 * sides["taccuino"]["fitted"])
        self.assertLess(sides["fornace"]["copied"], 0.5)  # it has a coat
        self.ask(there + "nobody", expect=422)
        self.ask(there.replace("Lacquer", "Nobody") + "taccuino", expect=422)

    def test_what_cannot_be_is_refused_in_words(self) -> None:
        plaster = quote("material:Plaster")
        told = self.ask(f"{self.here}/nearest/one?material={plaster}", expect=422)
        self.assertIn("lost on the way", told["what"])
        told = self.ask(f"{self.here}/nearest/one?material=nobody", expect=422)
        self.assertIn("no such material", told["what"])
        bad = {"material": LACQUER, "inputs": {"opacity": {"gain": [1.0], "offset": [0.0]}}}
        self.assertIn(
            "cannot be changed", self.ask(f"{self.here}/nearest/nudged", "POST", bad, expect=422)["what"]
        )
        short = {"material": LACQUER, "inputs": {"base_color": {"gain": [1.0], "offset": [0.0]}}}
        self.ask(f"{self.here}/nearest/nudged", "POST", short, expect=422)
        self.decide(
            "fitted",
            {"destination": "Taccuino", "holds_for": "no", "covers": [], "inputs": {}},
            expect=422,
        )
