"""Lightmaps and the mix through the API: asked for, baked, looked at, mended, delivered; lamps rendered alone
and written back.
"""

from __future__ import annotations

import json
import struct
import zipfile
from dataclasses import replace
from io import BytesIO
from typing import Any
from unittest import mock

import numpy as np

from server.moves.bench import Bench
from server.moves.models import Handover, Job, Move
from server.moves.store import get_blob, store
from tests.core.test_lightmaps import walled
from tests.making import image
from tests.server.making import GLB, ServerTest
from trasloco.errors import Cancelled
from trasloco.formats.gltf_write import write_glb
from trasloco.light.mixing import Layers, mixed
from trasloco.scene.images import identify, pixels

WALLED = write_glb(walled(0.03, 12.0)[0])


class Lightmaps(ServerTest):
    def baked(self, destination: str = "lanterna") -> tuple[str, dict[str, Any]]:
        here = f"/moves/{self.made({'walled.glb': WALLED}, destination=destination)}"
        wanted = [
            {"target": "lightmaps", "field": field, "value": value}
            for field, value in (("lightmaps", True), ("paths", 8), ("bounces", 0), ("lightmap_mib", 0.05))
        ]
        self.ask(
            f"{here}/decisions",
            "POST",
            [*wanted, {"target": "part:Floor", "field": "texels_per_metre", "value": 12.0}],
        )
        self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {}})
        self.assertEqual([job.state for job in self.work()], [Job.State.DONE])
        return here, self.ask(f"{here}/lightmaps")

    def test_from_wish_to_mend(self) -> None:
        here = f"/moves/{self.made({'walled.glb': WALLED}, destination='lanterna')}"
        before = self.ask(f"{here}/lightmaps")
        self.assertEqual((before["taken"], before["wanted"], before["baked"]), (True, False, None))
        self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {}})
        self.assertEqual(
            [job.refusal["what"] for job in self.work() if job.refusal], ["No light is to be written down."]
        )
        here, found = self.baked()
        rows = {row["name"]: row for row in found["parts"]}
        self.assertEqual((rows["Floor"]["asked"], rows["Floor"]["excused"]), (12.0, ""))
        self.assertAlmostEqual(rows["Floor"]["density"], 12.0, delta=0.6)
        self.assertEqual(
            [fault["part"] for fault in found["faults"] if fault["kind"] == "leak"], ["part:Floor"]
        )
        for lens in found["lenses"]:
            picture = pixels(
                identify(
                    "i", "a.png", "", self.client.get(f"/api{here}/lightmap.png?number=0&lens={lens}").content
                )
            )
            self.assertEqual(
                picture.shape[:2],
                (found["baked"]["maps"][0]["height"], found["baked"]["maps"][0]["width"]),
                lens,
            )
        self.assertEqual(self.client.get(f"/api{here}/lightmap.png?number=0&lens=nothing").status_code, 422)
        glb = self.client.get(f"/api{here}/lightmaps.glb").content
        document = json.loads(glb[20 : 20 + struct.unpack("<I", glb[12:16])[0]])
        self.assertEqual({m["extras"]["id"] for m in document["materials"]}, {"image:lightmap 0"})
        # The reference is as it was, so nothing else has to be computed again.
        leak = next(fault for fault in found["faults"] if fault["kind"] == "leak")
        key = Bench(Move.objects.latest("id")).reference_name.key
        self.ask(f"{here}/decisions", "POST", leak["decisions"])
        self.assertEqual(Bench(Move.objects.latest("id")).reference_name.key, key)
        self.assertIsNone(self.ask(f"{here}/lightmaps")["baked"])
        self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {}})
        self.work()
        self.assertEqual(
            [fault for fault in self.ask(f"{here}/lightmaps")["faults"] if fault["kind"] == "leak"], []
        )

    def test_they_are_delivered_and_a_proof_of_before_is_no_longer_current(self) -> None:
        here, _ = self.baked()
        self.ask(
            f"{here}/jobs", "POST", {"kind": "prove", "settings": {"width": 32, "height": 18, "samples": 2}}
        )
        self.ask(f"{here}/jobs", "POST", {"kind": "deliver", "settings": {}})
        self.assertEqual({job.state for job in self.work()}, {Job.State.DONE})
        row = Handover.objects.latest("id")
        self.assertIn("media/lightmap-1.exr", row.files)
        with zipfile.ZipFile(BytesIO(get_blob(row.archive))) as archive:
            listed = json.loads(archive.read("materials.json"))
        self.assertEqual(
            {entry["part"]: entry["lightmap"]["image"] for entry in listed["parts"]},
            {"Floor": "media/lightmap-1.exr", "Wall": "media/lightmap-1.exr"},
        )
        self.assertIn("media/lightmap-1-direction.png", row.files)
        self.assertIn("2 parts in 1 lightmap, with where light comes from", row.packing_list)
        self.assertTrue(self.ask(f"{here}/proofs")["proofs"][0]["current"])
        self.ask(f"{here}/decisions", "POST", [{"target": "lightmaps", "field": "lightmaps", "value": False}])
        self.assertFalse(self.ask(f"{here}/proofs")["proofs"][0]["current"])

    def test_light_that_came_along_stands_beside_light_that_is_baked(self) -> None:
        given = walled(0.3, 6.0)[0]
        floor = given.meshes["mesh:Floor"].primitives[0]
        given = replace(
            given,
            meshes={
                **given.meshes,
                "mesh:Floor": replace(
                    given.meshes["mesh:Floor"], primitives=(replace(floor, uvs=(floor.uvs[0], floor.uvs[0])),)
                ),
            },
        )
        here = f"/moves/{self.made({'walled.glb': write_glb(given), 'floor_lightmap.exr': image('l', np.full((8, 8, 3), 0.5, np.float32), 'exr').data}, destination='lanterna')}"
        finding = next(f for f in self.ask(f"{here}/inventory")["findings"] if f["kind"] == "received_light")
        self.ask(
            f"{here}/decisions",
            "POST",
            [
                *finding["mends"][0]["decisions"],
                *(
                    {"target": "lightmaps", "field": field, "value": value}
                    for field, value in (("lightmaps", True), ("paths", 4), ("lightmap_mib", 0.05))
                ),
            ],
        )
        self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {}})
        self.assertEqual([job.state for job in self.work()], [Job.State.DONE])
        rows = {row["name"]: row for row in self.ask(f"{here}/lightmaps")["parts"]}
        self.assertEqual(
            (rows["Floor"]["excused"], rows["Floor"]["received"]["lux"], rows["Floor"]["place"]),
            ("brings its own", 500.0, None),
        )
        self.assertGreater(rows["Wall"]["place"]["width"], 3)
        self.assertEqual(self.client.get(f"/api{here}/lightmaps.glb").status_code, 200)
        arrival = Bench(Move.objects.latest("id")).arrival()
        levels = {
            node.name: round(node.lightmap.level) for node in arrival.parts() if node.lightmap is not None
        }
        self.assertEqual((levels["Floor"], set(levels)), (250, {"Floor", "Wall"}))

    def test_a_bake_that_was_cancelled_goes_on_after_a_restart_and_old_ones_are_forgotten(self) -> None:
        here, _ = self.baked()
        move = Move.objects.latest("id")
        for bounces in (1, 2, 3):
            self.ask(
                f"{here}/decisions", "POST", [{"target": "lightmaps", "field": "bounces", "value": bounces}]
            )
            self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {}})
            self.work()
        kept = store.get(Bench(move).bakes.list_name.key)
        self.assertEqual((len(kept), kept[-1]), (3, Bench(move).light_name.inputs))
        self.assertTrue(all(store.has(key) for key in kept))
        self.ask(f"{here}/decisions", "POST", [{"target": "lightmaps", "field": "bounces", "value": 0}])
        self.assertFalse(Bench(move).has_light())

        # Cancelled when all is gathered: the light is on disk, and another worker, which remembers nothing,
        # has no path to follow.
        def stop(fraction: float, message: str) -> None:
            if message == "Looking for faults":
                raise Cancelled

        with self.assertRaises(Cancelled):
            Bench(move).baked(stop)
        store.memory.clear()
        with mock.patch(
            "trasloco.light.lightmaps.baking.trace_texels", side_effect=AssertionError("traced again")
        ):
            self.assertEqual(Bench(move).baked().gathered[0].samples, 8)

    def test_what_matters_and_where_light_comes_from_are_asked_for(self) -> None:
        here, found = self.baked()
        self.assertEqual((found["directed"], found["takes_direction"], found["matters"]), (True, True, None))
        self.ask(
            f"{here}/decisions",
            "POST",
            [
                {"target": "lightmaps", "field": "matters", "value": {"part": "part:Wall", "around_m": 0.2}},
                {"target": "lightmaps", "field": "directed", "value": False},
            ],
        )
        told = self.ask(f"{here}/lightmaps")
        self.assertEqual(
            (told["directed"], told["matters"], told["baked"]),
            (False, {"part": "part:Wall", "around_m": 0.2}, None),
        )
        files = Bench(Move.objects.latest("id")).package().files
        self.assertFalse([path for path in files if "direction" in path])

    def test_a_destination_that_takes_none_says_so(self) -> None:
        self.assertFalse(self.ask(f"/moves/{self.made(destination='fornace')}/lightmaps")["taken"])
        here = f"/moves/{self.made(destination='taccuino')}"
        for path in ("lightmap.png", "lightmaps.glb"):
            self.assertEqual(self.client.get(f"/api{here}/{path}").status_code, 422)

    def test_wrong_wishes_are_refused_where_they_are_made(self) -> None:
        here = f"/moves/{self.made()}"
        for field, value in (
            ("paths", 0),
            ("bounces", 99),
            ("lightmap_mib", -1),
            ("texels_per_metre", "many"),
            ("receives", 3),
            ("kelvin", 12),
        ):
            self.ask(
                f"{here}/decisions",
                "POST",
                [{"target": "lightmaps", "field": field, "value": value}],
                expect=422,
            )


class Mix(ServerTest):
    def test_lamps_alone_and_their_sum(self) -> None:
        here = f"/moves/{self.made({'rich.glb': GLB}, destination='lanterna')}"
        self.assertEqual(self.ask(f"{here}/mix")["layers"], [])
        self.assertEqual(self.client.get(f"/api{here}/mix.bin").status_code, 422)
        self.ask(
            f"{here}/jobs", "POST", {"kind": "mix", "settings": {"width": 32, "height": 18, "samples": 4}}
        )
        self.work()
        told = self.ask(f"{here}/mix")
        layers = np.frombuffer(self.client.get(f"/api{here}/mix.bin").content, "<f4").reshape(
            len(told["layers"]), told["height"], told["width"], 3
        )
        lamp = next(layer for layer in told["layers"] if layer["label"] == "Lamp")
        self.assertEqual(
            (lamp["base"], lamp["strength"], lamp["target"], told["current"]),
            (20.0, 20.0, "light:Lamp", True),
        )
        self.ask(f"{here}/decisions", "POST", [{"target": "light:Lamp", "field": "intensity", "value": 5.0}])
        again = self.ask(f"{here}/mix")
        changed = next(layer for layer in again["layers"] if layer["label"] == "Lamp")
        self.assertEqual(
            (changed["base"], changed["strength"], again["current"], again["version"]),
            (20.0, 5.0, True, told["version"]),
        )
        whole = Layers(
            tuple(layer["name"] for layer in told["layers"]),
            tuple(layer["base"] for layer in told["layers"]),
            layers,
        )
        np.testing.assert_allclose(
            mixed(whole, {lamp["name"]: 5.0}),
            mixed(whole, {}) - 0.75 * layers[[layer["name"] for layer in told["layers"]].index(lamp["name"])],
            atol=1e-4,
        )
        self.ask(f"{here}/decisions", "POST", [{"target": "light:Lamp", "field": "enabled", "value": False}])
        self.assertFalse(self.ask(f"{here}/mix")["current"])
