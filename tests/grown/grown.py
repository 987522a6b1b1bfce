"""Each new thing from the upload to the delivered bytes, through the API alone."""

from __future__ import annotations

import json
import struct
import zipfile
from io import BytesIO
from typing import Any

import numpy as np

from tests.grown.things import EXTENSION, NOTE
from tests.making import material, quad, scene
from tests.server.making import ServerTest
from trasloco.destinations.importer import import_package
from trasloco.fit.families.kinds import WORDS
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.images import pixels
from trasloco.scene.lit import Light
from trasloco.scene.model import Input, Scene
from trasloco.sheets.text import parse_sheet

SHEET = """
name = "Quaderno"
role = "destination"
summary = "A GLB with a note beside it."
layout = "glb and note"

[materials]
alpha = ["opaque", "mask", "blend"]
vertex_color = "multiplies"
texture_transform = true
[materials.inputs.base_color]
[materials.inputs.metalness]
[materials.inputs.roughness]
[materials.inputs.wetness]

[lights]
kinds = ["sun", "point", "spot"]

[lightmaps]
taken = true
encoding = "eighth root"
packing = "one a part"
largest = 64
budget_mib = 1.0

[[habits]]
name = "reads the note"
does = "Slots that the note does not name have no material."
"""
LAMP = Light("light:bulb", "Bulb", "point", intensity=400.0)


def wet_floor() -> bytes:
    """A GLB with the new extension, its factor and its number as another program would write them."""
    wet = material("boards", wetness=Input((0.75,)), base_color=(0.5, 0.4, 0.3))
    above = np.eye(4)
    above[1, 3] = 2.0
    return write_glb(scene(quad(2.0, wet.id), materials=(wet,), lights=((LAMP, above),)))


def document_of(glb: bytes) -> dict[str, Any]:
    length = struct.unpack_from("<I", glb, 12)[0]
    found: dict[str, Any] = json.loads(glb[20 : 20 + length])
    return found


class Grown(ServerTest):
    def setUp(self) -> None:
        self.ask("/sheets/import", "POST", {"text": SHEET})
        self.move = self.made({"floor.glb": wet_floor()}, destination="quaderno")
        self.here = f"/moves/{self.move}"

    def delivered(self) -> dict[str, bytes]:
        self.ask(f"{self.here}/jobs", "POST", {"kind": "deliver"})
        for job in self.work():
            self.assertEqual(job.state, "done", job.refusal)
        handover = self.ask(f"{self.here}/handovers")[0]
        told = self.ask(f"{self.here}/accounts")
        self.assertEqual((told["known"], told["counts"]["unaccounted"]), (True, 0), told["entries"])
        data = self.client.get(f"/api/handovers/{handover['id']}/package.zip").getvalue()
        with zipfile.ZipFile(BytesIO(data)) as archive:
            files = {name.split("/", 1)[-1]: archive.read(name) for name in archive.namelist()}
        return {name: data for name, data in files.items() if name in {f["path"] for f in handover["files"]}}

    def arrived(self) -> tuple[dict[str, Any], Scene]:
        """What the delivered GLB says, and what the importer makes of the package."""
        files = self.delivered()
        glb = next(data for path, data in files.items() if path.endswith(".glb"))
        return document_of(glb), import_package(files, parse_sheet(SHEET, "Quaderno"))

    def decide(self, target: str, field: str, value: Any, expect: int = 200) -> Any:
        said = [{"target": target, "field": field, "value": value}]
        return self.ask(f"{self.here}/decisions", "POST", said, expect=expect)

    def history(self) -> str:
        return json.dumps(self.ask(f"{self.here}/history"), ensure_ascii=False)

    def test_an_input_travels_by_its_name(self) -> None:
        self.assertIn(EXTENSION, document_of(wet_floor())["extensionsUsed"])
        slot = self.ask(f"{self.here}/inventory")["materials"][0]["id"]
        self.decide(f"{slot}/wetness", "factor", [0.25])
        self.assertIn("boards, wetness: set to 0.25", self.history())
        crossing = next(c for c in self.ask(f"{self.here}/fit")["crossings"] if c["label"] == "Wetness")
        self.assertEqual(crossing["mark"], "exact")
        document, scene = self.arrived()
        self.assertEqual(
            [m["extensions"][EXTENSION] for m in document["materials"]], [{"wetnessFactor": 0.25}]
        )
        (only,) = scene.materials.values()
        self.assertEqual(only.inputs["wetness"].factor, (0.25,))
        self.assertEqual(WORDS["wetmap"], "wetness")

    def test_a_finding_is_mended_by_a_decision_of_its_own(self) -> None:
        self.client.get(f"/api{self.here}/inventory")
        self.work()
        (found,) = [f for f in self.ask(f"{self.here}/inventory")["findings"] if f["kind"] == "glaring"]
        (mend,) = found["mends"]
        # Nobody said that it cannot go wrong, so it is never taken with all others.
        self.assertEqual(mend["nature"], "guess")
        refused = self.decide(LAMP.id, "dimmed", 2.0, expect=422)
        self.assertIn("from 0 to 1", refused["remedy"])
        self.ask(f"{self.here}/decisions", "POST", mend["decisions"])
        self.assertIn("turned down to 10%", self.history())
        (found,) = [f for f in self.ask(f"{self.here}/inventory")["findings"] if f["kind"] == "glaring"]
        self.assertEqual(found["state"], "mended")
        document, scene = self.arrived()
        (lamp,) = document["extensions"]["KHR_lights_punctual"]["lights"]
        self.assertAlmostEqual(lamp["intensity"], LAMP.intensity / 10, places=4)
        self.assertAlmostEqual(next(iter(scene.lights.values())).intensity, LAMP.intensity / 10, places=4)
        self.ask(f"{self.here}/undo", "POST")
        self.assertEqual(
            self.arrived()[0]["extensions"]["KHR_lights_punctual"]["lights"][0]["intensity"], 400
        )

    def test_a_layout_is_written_read_and_keeps_its_rules(self) -> None:
        files = self.delivered()
        self.assertEqual(files[NOTE].decode().splitlines()[1:], ["boards"])
        without = {**files, NOTE: b"Slots of nothing:\n"}
        self.assertEqual(import_package(without, parse_sheet(SHEET, "Quaderno")).materials, {})
        wrong = SHEET.replace("[materials]", '[images]\nkind = "jpg"\n\n[materials]', 1)
        refused = self.ask("/sheets/import", "POST", {"text": wrong}, expect=422)
        self.assertIn("no place for JPEG", refused["what"])

    def test_light_is_written_in_an_encoding_of_its_own(self) -> None:
        for field, value in (("lightmaps", True), ("paths", 16), ("bounces", 0), ("lightmap_mib", 0.05)):
            self.decide("lightmaps", field, value)
        self.ask(f"{self.here}/jobs", "POST", {"kind": "bake", "settings": {}})
        self.assertEqual([job.state for job in self.work()], ["done"])
        document, scene = self.arrived()
        (told,) = [m["extras"]["lightmap"] for m in document["materials"] if "extras" in m]
        self.assertEqual(told["encoding"], "eighth root")
        (part,) = scene.parts()
        assert part.lightmap is not None
        lux = pixels(scene.images[part.lightmap.image]) * part.lightmap.level
        # A lamp of 400 cd two metres above the middle: I / d^2, the closed form of a point straight above.
        self.assertAlmostEqual(float(lux.max()), LAMP.intensity / 4, delta=6)
        line = next(
            one
            for sheet in self.ask("/sheets")
            if sheet["name"] == "Quaderno"
            for one in sheet["lines"]
            if one["path"] == "lightmaps.encoding"
        )
        self.assertEqual(line["said"], "As the eighth root, 8 bits a channel")
