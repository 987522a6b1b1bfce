"""A side in motion: the geometry, skins and clips that the live view plays, held against closed forms by a
reader that is not ours.
"""

from __future__ import annotations

import io
import json
import struct
from typing import Any

import numpy as np
import trimesh

from tests.server.making import ServerTest
from tests.winch import RATE, TURNED, moving_winch
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.usd_write import write_usd


class Moving(ServerTest):
    def side(self, move: int, side: str) -> dict[str, Any]:
        for _ in range(100):
            told = self.ask_any(f"/moves/{move}/moving?side={side}")
            if "coming" not in told:
                return told
        raise AssertionError("never made")

    def ask_any(self, path: str) -> dict[str, Any]:
        response = self.client.get(f"/api{path}")
        self.assertIn(response.status_code, (200, 202))
        return dict(response.json())

    def test_clips_and_cameras_of_every_side(self) -> None:
        move = self.made({"winch.glb": write_glb(moving_winch())})
        for side in ("received", "mended", "arrival"):
            with self.subTest(side):
                told = self.side(move, side)
                (clip,) = told["clips"]
                self.assertEqual(
                    (clip["name"], clip["meant"], clip["start_s"], clip["end_s"]),
                    ("Hoist", "clip:Hoist", 0.0, 2.0),
                )
                self.assertEqual([one["name"] for one in told["cameras"]], ["Dolly"])
                self.assertAlmostEqual(told["cameras"][0]["yfov_deg"], np.degrees(0.8), 4)
                self.assertIsNone(told["frame_rate"])  # glTF has no place for it
                data = b"".join(self.client.get(f"/api/blobs/{told['view']}.glb"))  # type: ignore[call-overload]
                tree = read_json(data)
                (animation,) = tree["animations"]
                self.assertEqual(animation["extras"]["id"], clip["id"])
                held = trimesh.load(io.BytesIO(data), file_type="glb")
                self.assertEqual(sum(len(mesh.faces) for mesh in held.geometry.values()), 2 + 12 + 2)
                moved = {
                    tree["nodes"][one["target"]["node"]]["name"]: values(tree, data, animation, one)
                    for one in animation["channels"]
                }
                np.testing.assert_allclose(moved["Load"], [[0, 0.5, 0], [0, 3.5, 0]], atol=1e-6)
                np.testing.assert_allclose(moved["Dolly"], [[0, 1.5, 9], [2, 1.5, 9]], atol=1e-6)
                np.testing.assert_allclose(moved["Up"], [[0, 0, 0, 1], [0, 0, TURNED, TURNED]], atol=1e-6)
                self.assertEqual(len(tree["skins"][0]["joints"]), 2)

    def test_a_rate_that_is_stated_is_told_as_it_is(self) -> None:
        move = self.made({"winch.usdc": write_usd(moving_winch(), "Y", 1.0)})
        self.assertAlmostEqual(self.side(move, "received")["frame_rate"], RATE, 6)


def read_json(data: bytes) -> dict[str, Any]:
    """The document of a binary glTF 2.0 file."""
    (length,) = struct.unpack_from("<I", data, 12)
    return dict(json.loads(data[20 : 20 + length]))


def values(tree: dict[str, Any], data: bytes, animation: dict[str, Any], channel: dict[str, Any]) -> Any:
    """Key values of a channel, (K, C)."""
    (length,) = struct.unpack_from("<I", data, 12)
    accessor = tree["accessors"][animation["samplers"][channel["sampler"]]["output"]]
    view = tree["bufferViews"][accessor["bufferView"]]
    width = {"VEC3": 3, "VEC4": 4}[accessor["type"]]
    start = 28 + length + view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
    return np.frombuffer(data, np.float32, accessor["count"] * width, start).reshape(-1, width)
