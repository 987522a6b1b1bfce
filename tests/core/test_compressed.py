"""Compressed geometry and images, by the formats' own encoders."""

from __future__ import annotations

import json
import struct
from typing import Any
from unittest import TestCase

import alktx2
import DracoPy
import meshoptimizer
import numpy as np
import trimesh

from tests.core.reading import read, same_triangles, triangles
from trasloco.errors import Refused
from trasloco.scene.images import identify, pixels


class CompressedGltf(TestCase):
    def document(self, needs: list[str], **parts: Any) -> bytes:
        return json.dumps(
            {
                "asset": {"version": "2.0"},
                "extensionsUsed": needs,
                "extensionsRequired": needs,
                "scene": 0,
                "scenes": [{"nodes": [0]}],
                "nodes": [{"mesh": 0}],
                **parts,
            }
        ).encode()

    def draco(self) -> tuple[bytes, bytes]:
        """A document and its packed buffer: a ball with weights."""
        ball = trimesh.creation.icosphere(subdivisions=1)
        weights = np.random.default_rng(2).random((len(ball.vertices), 4)).astype(np.float32)
        packed = DracoPy.encode(
            ball.vertices.astype(np.float32),
            ball.faces.astype(np.uint32),
            quantization_bits=16,
            preserve_order=True,
            generic_attributes={5: weights},
        )
        unique = next(a["unique_id"] for a in DracoPy.decode(packed).attributes if a["attribute_type"] == 0)
        count = len(ball.vertices)
        accessors = [
            {"componentType": 5125, "count": ball.faces.size, "type": "SCALAR"},
            {"componentType": 5126, "count": count, "type": "VEC3"},
            {"componentType": 5126, "count": count, "type": "VEC4"},
        ]
        primitive = {
            "attributes": {"POSITION": 1, "WEIGHTS_0": 2},
            "indices": 0,
            "extensions": {
                "KHR_draco_mesh_compression": {
                    "bufferView": 0,
                    "attributes": {"POSITION": unique, "WEIGHTS_0": 5},
                }
            },
        }
        document = self.document(
            ["KHR_draco_mesh_compression"],
            meshes=[{"primitives": [primitive]}],
            accessors=accessors,
            bufferViews=[{"buffer": 0, "byteLength": len(packed)}],
            buffers=[{"uri": "a.bin", "byteLength": len(packed)}],
        )
        return document, packed

    def test_draco(self) -> None:
        ball = trimesh.creation.icosphere(subdivisions=1)
        document, packed = self.draco()
        scene = read(a__gltf=document, a__bin=packed)
        weights = np.random.default_rng(2).random((len(ball.vertices), 4)).astype(np.float32)
        np.testing.assert_allclose(triangles(scene), ball.triangles, atol=1e-3)
        kept = next(iter(scene.meshes.values())).primitives[0].weights
        assert kept is not None
        np.testing.assert_allclose(kept, weights)

    def meshopt(self) -> tuple[bytes, bytes]:
        """A document and its packed buffer: a ball."""
        ball = trimesh.creation.icosphere(subdivisions=1)
        points, faces = ball.vertices.astype(np.float32), ball.faces.astype(np.uint32)
        vertex = meshoptimizer.encode_vertex_buffer(points, len(points), 12)
        index = meshoptimizer.encode_index_buffer(faces.reshape(-1), faces.size, len(points))
        data = bytes(vertex) + bytes(index)
        views = [
            {
                "buffer": 1,
                "byteLength": points.nbytes,
                "byteStride": 12,
                "extensions": {
                    "EXT_meshopt_compression": {
                        "buffer": 0,
                        "byteLength": len(vertex),
                        "byteStride": 12,
                        "count": len(points),
                        "mode": "ATTRIBUTES",
                    }
                },
            },
            {
                "buffer": 1,
                "byteOffset": points.nbytes,
                "byteLength": faces.nbytes,
                "extensions": {
                    "EXT_meshopt_compression": {
                        "buffer": 0,
                        "byteOffset": len(vertex),
                        "byteLength": len(index),
                        "byteStride": 4,
                        "count": faces.size,
                        "mode": "TRIANGLES",
                    }
                },
            },
        ]
        accessors = [
            {"bufferView": 1, "componentType": 5125, "count": faces.size, "type": "SCALAR"},
            {"bufferView": 0, "componentType": 5126, "count": len(points), "type": "VEC3"},
        ]
        document = self.document(
            ["EXT_meshopt_compression"],
            meshes=[{"primitives": [{"attributes": {"POSITION": 1}, "indices": 0}]}],
            accessors=accessors,
            bufferViews=views,
            buffers=[
                {"uri": "a.bin", "byteLength": len(data)},
                {
                    "byteLength": points.nbytes + faces.nbytes,
                    "extensions": {"EXT_meshopt_compression": {"fallback": True}},
                },
            ],
        )
        return document, data

    def test_meshopt(self) -> None:
        document, data = self.meshopt()
        same_triangles(
            self,
            triangles(read(a__gltf=document, a__bin=data)),
            trimesh.creation.icosphere(subdivisions=1).triangles,
        )

    def test_damaged_draco_is_told(self) -> None:
        junk = b"DRACO" + bytes(range(200))
        primitive = {
            "attributes": {"POSITION": 0},
            "extensions": {"KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": 0}}},
        }
        document = self.document(
            ["KHR_draco_mesh_compression"],
            meshes=[{"primitives": [primitive]}],
            accessors=[{"componentType": 5126, "count": 3, "type": "VEC3"}],
            bufferViews=[{"buffer": 0, "byteLength": len(junk)}],
            buffers=[{"uri": "a.bin", "byteLength": len(junk)}],
        )
        with self.assertRaises(Refused) as told:
            read(a__gltf=document, a__bin=junk)
        self.assertIn("compress", f"{told.exception.what} {told.exception.remedy}")

    def test_variants_are_listed_and_kept(self) -> None:
        points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
        primitive = {
            "attributes": {"POSITION": 0},
            "material": 0,
            "extensions": {"KHR_materials_variants": {"mappings": [{"material": 1, "variants": [1]}]}},
        }
        document = self.document(
            ["KHR_materials_variants"],
            meshes=[{"primitives": [primitive]}],
            materials=[{"name": "New"}, {"name": "Worn"}],
            extensions={"KHR_materials_variants": {"variants": [{"name": "new"}, {"name": "worn"}]}},
            accessors=[{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
            bufferViews=[{"buffer": 0, "byteLength": 36}],
            buffers=[{"uri": "a.bin", "byteLength": 36}],
        )
        scene = read(a__gltf=document, a__bin=points)
        self.assertEqual(scene.variants, ("new", "worn"))
        self.assertEqual(next(iter(scene.meshes.values())).primitives[0].variants, {"worn": "material:Worn"})


class Ktx2(TestCase):
    def test_basis_and_plain_texels(self) -> None:
        texels = np.zeros((16, 8, 4), np.uint8)
        texels[..., 0], texels[..., 3], texels[:8, :, 1] = 200, 255, 90
        basis = identify(
            "i", "a.ktx2", "a.ktx2", alktx2.encode_raw_rgba_to_ktx2(texels.tobytes(), 8, 16, codec="uastc")
        )
        self.assertEqual((basis.kind, basis.width, basis.height, basis.problem), ("ktx2", 8, 16, ""))
        self.assertLess(np.abs(pixels(basis).astype(int) - texels).max(), 8)
        head = (
            b"\xabKTX 20\xbb\r\n\x1a\n"
            + struct.pack("<9I4I2Q", 37, 1, 8, 16, 0, 0, 1, 1, 0, 0, 0, 0, 0, 0, 0)
            + struct.pack("<3Q", 104, texels.nbytes, texels.nbytes)
        )
        plain = identify("i", "b.ktx2", "b.ktx2", head + texels.tobytes())
        np.testing.assert_array_equal(pixels(plain), texels)

    def test_a_cube_map_says_why(self) -> None:
        head = b"\xabKTX 20\xbb\r\n\x1a\n" + struct.pack("<9I", 37, 1, 8, 8, 0, 0, 6, 1, 0) + bytes(60)
        self.assertIn("Cube", identify("i", "c.ktx2", "c.ktx2", head).problem)
