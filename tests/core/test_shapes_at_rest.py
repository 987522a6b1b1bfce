"""Shapes that are on at rest: a file that says so is not read silently as if they were off."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
from pxr import Usd, UsdSkel

from tests.carried import delivered
from tests.making import quad, scene
from trasloco import move
from trasloco.formats.glb import pack_glb, unpack_glb
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Channel, Clip, MorphTarget, Scene
from trasloco.sheets.library import built_in_sheets

TITLE = "Shapes that are on at rest are not read"


def mask() -> Scene:
    """A square with two shapes, and a clip that moves them."""
    raised = MorphTarget(np.tile(np.float32([0, 1, 0]), (4, 1)))
    given = scene(replace(quad(), morphs=(raised, raised)), names=("Mask",))
    mesh = replace(given.meshes["mesh:Mask"], morph_names=("smile", "frown"))
    still = Channel("part:Mask", "weights", np.float32([0, 1]), np.float32([[0, 0], [1, 0]]))
    return replace(given, meshes={mesh.id: mesh}, clips={"clip:a": Clip("clip:a", "Laugh", (still,))})


def told(files: dict[str, bytes]) -> list[str]:
    found = move.receive(files).findings
    return [one.evidence for one in found if one.title == TITLE]


class Told(TestCase):
    def test_gltf_on_the_mesh_or_on_the_part(self) -> None:
        document, held = unpack_glb(write_glb(mask()), "mask.glb")
        binary = bytes(held)
        self.assertEqual(told({"mask.glb": pack_glb(document, binary)}), [])
        document["meshes"][0]["weights"] = [0.0, 0.5]
        self.assertEqual(len(told({"mask.glb": pack_glb(document, binary)})), 1)
        (part,) = (node for node in document["nodes"] if "mesh" in node)
        part["weights"] = [0.0, 0.0]  # glTF 2.0, section 5.25: a node's weights outrank its mesh's
        self.assertEqual(told({"mask.glb": pack_glb(document, binary)}), [])
        part["weights"] = "damaged"
        self.assertEqual(told({"mask.glb": pack_glb(document, binary)}), [])

    def test_collada(self) -> None:
        sheet = built_in_sheets()["sipario"]
        sheet = sheet.model_copy(
            update={"structure": sheet.structure.model_copy(update={"motion": ["places", "shapes"]})}
        )
        ((path, data),) = ((p, d) for p, d in delivered(mask(), sheet).files.items() if p.endswith(".dae"))
        self.assertEqual(told({path: data}), [])
        at = data.index(b"<morph")
        on = data[:at] + data[at:].replace(b">0 0</float_array>", b">0 0.5</float_array>", 1)
        self.assertNotEqual(on, data)
        self.assertEqual(len(told({path: on})), 1)

    def test_usd(self) -> None:
        files = delivered(mask(), built_in_sheets()["plancia"]).files
        with tempfile.TemporaryDirectory() as folder:
            for path, data in files.items():
                (Path(folder) / path).parent.mkdir(parents=True, exist_ok=True)
                (Path(folder) / path).write_bytes(data)
            (root,) = Path(folder).glob("*.usda")
            stage = Usd.Stage.Open(str(root))
            flat = Usd.Stage.Open(stage.Flatten())
            for prim in flat.Traverse():
                if prim.IsA(UsdSkel.Animation):
                    weights = UsdSkel.Animation(prim).GetBlendShapeWeightsAttr()
                    weights.Clear()
                    weights.Set([0.0, 0.5])
            held = Path(folder) / "still.usda"
            flat.GetRootLayer().Export(str(held))
            self.assertEqual(len(told({"still.usda": held.read_bytes()})), 1)
