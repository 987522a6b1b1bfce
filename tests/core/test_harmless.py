"""Files that ask for much and bring little are refused before anything is allocated; what is cut stays one
finding.
"""

import io
import resource
import struct
import tempfile
import zipfile
import zlib
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np

from tests.making import image, material, noise_image, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.formats import bundle, gltf_accessors
from trasloco.formats.bundle import bundle_files
from trasloco.formats.glb import pack_glb
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.inventory import survey
from trasloco.inventory.survey import notice
from trasloco.limits import LIMITS, MEBI
from trasloco.scene import images
from trasloco.scene.images import identify
from trasloco.scene.model import Texture
from trasloco.sheets.library import built_in_sheets

SHEETS = built_in_sheets()


def asking(count: int, sparse: bool = True) -> bytes:
    """A GLB of some hundred bytes whose points are an accessor without data."""
    accessor: dict[str, object] = {
        "componentType": 5126,
        "count": count,
        "type": "VEC3",
        "min": [0, 0, 0],
        "max": [0, 0, 0],
    }
    if sparse:
        accessor["sparse"] = {
            "count": 1,
            "indices": {"bufferView": 0, "componentType": 5125},
            "values": {"bufferView": 1},
        }
    document = {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [accessor],
        "bufferViews": [{"buffer": 0, "byteLength": 4}, {"buffer": 0, "byteOffset": 4, "byteLength": 12}],
        "buffers": [{"byteLength": 16}],
    }
    return pack_glb(document, struct.pack("<I3f", 0, 1.0, 2.0, 3.0))


class Ceilings(TestCase):
    def test_values_that_are_asked_for_and_not_brought(self) -> None:
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        for sparse in (True, False):
            data = asking(2**27, sparse)
            self.assertLess(len(data), 900)
            with self.assertRaisesRegex(Refused, "without bringing them"):
                receive({"a.glb": data})
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 64 * 1024)
        honest = receive({"a.glb": asking(300)}).scene
        np.testing.assert_allclose(next(iter(honest.meshes.values())).primitives[0].positions[0], [1, 2, 3])

    def test_many_accessors_over_the_same_bytes_count_together(self) -> None:
        glb = write_glb(scene(*(quad() for _ in range(4)), materials=(material(),)))
        held, gltf_accessors.LIMITS = gltf_accessors.LIMITS, replace(LIMITS, decoded_bytes=300)
        try:
            with self.assertRaisesRegex(Refused, "in all"):
                receive({"a.glb": glb})
        finally:
            gltf_accessors.LIMITS = held

    def test_archives_that_swell(self) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("flat.tga", bytes(8 * MEBI) + np.random.default_rng(1).bytes(60_000))
        self.assertEqual(bundle_files({"a.zip": out.getvalue()}).files.keys(), {"flat.tga"})
        held, bundle.LIMITS = bundle.LIMITS, replace(LIMITS, unpack_freely_bytes=4 * MEBI)
        try:
            with self.assertRaisesRegex(Refused, "would unpack"):
                receive({"a.zip": out.getvalue()})
        finally:
            bundle.LIMITS = held

    def test_images_that_would_fill_the_memory(self) -> None:
        whole = noise_image("large", 32, 32, 3)
        held, images.LIMITS = images.LIMITS, replace(LIMITS, image_bytes=3000)
        try:
            self.assertIn("take more than", identify("image:a", "a.png", "a.png", whole.data).problem)
        finally:
            images.LIMITS = held
        self.assertEqual(identify("image:a", "a.png", "a.png", whole.data).problem, "")

    def test_a_vast_picture_of_nothing_is_a_finding_and_large_ones_that_say_something_pass(self) -> None:
        def flat(side: int) -> bytes:
            """A grey PNG of zeros, written row by row."""

            def chunk(kind: bytes, data: bytes) -> bytes:
                return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

            press = zlib.compressobj(9)
            rows = b"".join(press.compress(bytes(side + 1)) for _ in range(side)) + press.flush()
            head = struct.pack(">IIBBBBB", side, side, 8, 0, 0, 0, 0)
            return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")

        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        vast = flat(16384)
        self.assertLess(len(vast), 300_000)
        self.assertIn("next to nothing", identify("i", "m.png", "m.png", vast).problem)
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 64 * 1024)
        self.assertEqual(identify("i", "m.png", "m.png", flat(8192)).problem, "")  # an honest flat mask

    def test_a_check_that_looks_for_too_long_says_so(self) -> None:
        given = scene(*(quad() for _ in range(4)), materials=(material(),))
        held, survey.LIMITS = survey.LIMITS, replace(LIMITS, check_seconds=-1)
        try:
            told = notice(given, SHEETS["plain"], SHEETS["lanterna"], [])
        finally:
            survey.LIMITS = held
        self.assertIn(("not_looked_at", "4 of 4 meshes"), {(f.kind, f.where) for f in told})
        self.assertNotIn(
            "not_looked_at", {f.kind for f in notice(given, SHEETS["plain"], SHEETS["lanterna"], [])}
        )


class Cut(TestCase):
    def test_one_cut_image_is_a_finding_and_the_move_goes_on(self) -> None:
        whole = noise_image("cloth", 32, 32)
        for cut in (whole.data[: len(whole.data) // 2], whole.data[:-1]):
            broken = identify("image:cloth", "cloth.png", "cloth.png", cut)
            self.assertIn("cut short", broken.problem)
            made = material(
                base_color=Texture("image:cloth", "rgb", "srgb"), roughness=Texture("image:fine", "r")
            )
            given = scene(
                quad(), materials=(made,), images=(broken, image("fine", np.full((8, 8, 1), 99, np.uint8)))
            )
            for to in ("lanterna", "taccuino", "fornace"):
                sheet = SHEETS[to]
                self.assertIn("unreadable_image", {f.kind for f in notice(given, SHEETS["plain"], sheet, [])})
                plan = move.plan(given, SHEETS["plain"], sheet)
                self.assertEqual([c.mark for c in plan.crossings if c.name == "base_color"], ["blocked"])
                carried = move.carry(given, plan, sheet)
                arrival = move.arrive(move.package(carried, sheet), sheet)
                self.assertIn("roughness", next(iter(arrival.materials.values())).inputs)
                move.account(given, arrival, carried.plan, sheet)

    def test_cut_jpegs_too(self) -> None:
        whole = image("photo", np.random.default_rng(1).integers(0, 255, (32, 32, 3)).astype(np.uint8), "jpg")
        self.assertEqual(whole.problem, "")
        self.assertIn("cut short", identify("image:p", "p.jpg", "p.jpg", whole.data[:-300]).problem)


class Confined(TestCase):
    """A layer lies outside of every delivery; nothing of it may ever be read."""

    def setUp(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.canary = Path(self.folder.name) / "canary.usda"
        self.canary.write_text(
            '#usda 1.0\n(\n    defaultPrim = "Bird"\n)\ndef Mesh "Bird"\n{\n    point3f[] points = [(0, 0, 7), (1, 0, 7), (0, 1, 7)]\n    int[] faceVertexCounts = [3]\n    int[] faceVertexIndices = [0, 1, 2]\n'
            "    point3f[] points.timeSamples = { 0: [(0, 0, 7), (1, 0, 7), (0, 1, 7)] }\n}\n"
        )

    def layer(self, metadata: str, more: str = "") -> bytes:
        points = "    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\n    int[] faceVertexCounts = [3]\n    int[] faceVertexIndices = [0, 1, 2]\n"
        return f'#usda 1.0\n(\n    defaultPrim = "Bird"\n)\ndef Mesh "Bird" (\n{metadata}\n)\n{{\n{points}{more}}}\n'.encode()

    def test_value_clips_are_taken_out_and_told(self) -> None:
        clips = f'clips = {{ dictionary default = {{ asset[] assetPaths = [@{self.canary}@]\n string primPath = "/Bird"\n double2[] active = [(0, 0)]\n double2[] times = [(0, 0), (1, 1)] }} }}'
        received = receive({"a.usda": self.layer(clips)})
        self.assertIn("value_clips", {f.kind for f in received.findings})
        np.testing.assert_allclose(
            next(iter(received.scene.meshes.values())).primitives[0].positions[:, 2], 0
        )

    def test_nothing_else_leads_outside_in_any_variant(self) -> None:
        arcs = (
            f"prepend references = @{self.canary}@",
            f"prepend payload = @{self.canary}@",
            'variants = { string look = "plain" }\nprepend variantSets = "look"',
        )
        inside = f'    variantSet "look" = {{\n        "plain" {{\n        }}\n        "other" (prepend references = @{self.canary}@) {{\n        }}\n    }}\n'
        for metadata, more in ((arcs[0], ""), (arcs[1], ""), (arcs[2], inside)):
            with self.assertRaisesRegex(Refused, "outside the delivery"):
                receive({"a.usda": self.layer(metadata, more)})
        sub = f"#usda 1.0\n(\n    subLayers = [@{self.canary}@]\n)\n".encode()
        with self.assertRaisesRegex(Refused, "outside the delivery"):
            receive({"a.usda": sub})
