"""Hostile and broken deliveries: a clear refusal naming the file and the fault, or a finding; never a crash."""

import io
import json
import struct
import zipfile
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_formats import gltf
from tests.making import cube, noise_image, scene
from trasloco.errors import Refused
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.scene.images import identify


def packed(files: dict[str, bytes], compression: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", compression) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


GLB = write_glb(scene(cube()))


def changed(**parts: Any) -> bytes:
    return json.dumps(gltf(**parts)).encode()


def with_indices(values: list[int]) -> bytes:
    document = gltf()
    import base64

    data = (
        np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
        + np.array(values, np.uint16).tobytes()
        + b"\0\0"
    )
    document["buffers"][0]["uri"] = "data:;base64," + base64.b64encode(data).decode()
    return json.dumps(document).encode()


class Refusals(TestCase):
    CASES: dict[str, tuple[dict[str, bytes], str]] = {
        "nothing": ({}, "Nothing"),
        "empty file": ({"a.glb": b""}, "empty"),
        "text called glb": ({"a.glb": b"hello, this is a letter"}, "something else"),
        "cut short": ({"a.glb": GLB[:200]}, "cut short"),
        "glTF 1": ({"a.glb": struct.pack("<4sIII", b"glTF", 1, 20, 0) + b"\0\0\0\0"}, "version 1"),
        "broken JSON": ({"a.gltf": b'{"asset": {"version": "2.0"'}, "cannot be read"),
        "deep JSON": ({"a.gltf": b'{"asset":' + b"[" * 100_000}, "cannot be read"),
        "missing buffer": ({"a.gltf": changed(buffers=[{"byteLength": 44, "uri": "lost.bin"}])}, "lost.bin"),
        "buffer too short": (
            {"a.gltf": changed(buffers=[{"byteLength": 44, "uri": "data:;base64,AAAA"}])},
            "past the end",
        ),
        "view past the end": (
            {
                "a.gltf": changed(
                    bufferViews=[{"buffer": 0, "byteLength": 9999}, {"buffer": 0, "byteLength": 6}]
                )
            },
            "past the end",
        ),
        "negative offset": (
            {
                "a.gltf": changed(
                    bufferViews=[
                        {"buffer": 0, "byteOffset": -8, "byteLength": 36},
                        {"buffer": 0, "byteLength": 6},
                    ]
                )
            },
            "past the end",
        ),
        "enormous count": (
            {
                "a.gltf": changed(
                    accessors=[{"bufferView": 0, "componentType": 5126, "count": 10**12, "type": "VEC3"}]
                )
            },
            "impossible",
        ),
        "mesh that is not there": ({"a.gltf": changed(nodes=[{"mesh": 7}])}, "leads nowhere"),
        "node cycle": ({"a.gltf": changed(nodes=[{"children": [1]}, {"children": [0]}])}, "ancestor"),
        "required extension": (
            {"a.gltf": changed(extensionsRequired=["KHR_xmp_of_tomorrow"])},
            "KHR_xmp_of_tomorrow",
        ),
        "version one": ({"a.gltf": changed(asset={"version": "1.0"})}, "version 1"),
        "wrong shapes": ({"a.gltf": changed(meshes=[{"primitives": "no"}])}, "damaged"),
        "closed format": ({"a.scn3": b"\x01private"}, "closed"),
        "only images": ({"a.png": noise_image("x").data}, "no scene"),
        "archive cut short": ({"a.zip": packed({"a.glb": GLB})[:-40]}, "cannot be opened"),
        "archive bomb": ({"a.zip": packed({"a.obj": b"\0" * 60_000_000})}, "unpack"),
        "path that climbs": ({"a.zip": packed({"../../etc/a.glb": GLB})}, "outside"),
        "absolute path": ({"a.zip": packed({"/etc/a.glb": GLB})}, "outside"),
        "drive letter": ({"a.zip": packed({"C:\\a.glb": GLB})}, "outside"),
        "obj with a letter": ({"a.obj": b"v 0 0 zero\n"}, "Line 1"),
        "obj without faces": ({"a.obj": b"v 0 0 0\n"}, "no faces"),
        "binary called obj": ({"a.obj": b"\0\1\2\3"}, "not text"),
    }

    def test_each_names_the_fault_and_what_to_do(self) -> None:
        for name, (files, words) in self.CASES.items():
            with self.subTest(name), self.assertRaises(Refused) as caught:
                receive(files)
            self.assertIn(words, f"{caught.exception.what} {caught.exception.where}", name)
            self.assertTrue(caught.exception.where and caught.exception.remedy, name)

    @given(st.binary(max_size=64), st.integers(0, len(GLB) - 1))
    @settings(max_examples=150, deadline=None)
    def test_a_glb_with_any_damage_is_read_or_refused(self, noise: bytes, at: int) -> None:
        damaged = GLB[:at] + noise + GLB[at + len(noise) :]
        try:
            receive({"a.glb": damaged})
        except Refused as refusal:
            self.assertTrue(refusal.where)


class NotLost(TestCase):
    def test_faces_that_name_missing_points_are_left_out_and_told(self) -> None:
        received = receive({"a.gltf": with_indices([0, 1, 9])})
        self.assertEqual([f.kind for f in received.findings], ["index_out_of_range"])
        self.assertEqual(len(next(iter(received.scene.meshes.values())).primitives[0].indices), 0)
        told = receive({"a.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\nf 1 2 99\n"})
        self.assertEqual([f.kind for f in told.findings], ["index_out_of_range"])
        self.assertEqual(len(told.scene.meshes["mesh:unnamed"].primitives[0].indices), 1)

    def test_points_that_are_not_numbers_are_told(self) -> None:
        body = cube()
        positions = body.positions.copy()
        positions[0, 0] = np.nan
        received = receive({"a.obj": b"v nan 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 2 3 4\n"})
        self.assertEqual(len(received.scene.meshes["mesh:unnamed"].primitives[0].indices), 1)
        self.assertEqual([f.kind for f in received.findings], ["index_out_of_range"])

    def test_broken_images_carry_their_problem(self) -> None:
        good = noise_image("x").data
        self.assertIn("cut short", identify("i", "a.png", "a.png", good[:20]).problem)
        self.assertIn(
            "not an image", identify("i", "a.png", "a.png", b"plain text, long enough to look at").problem
        )
        self.assertIn("empty", identify("i", "a.png", "a.png", b"").problem)

    def test_one_broken_model_of_two_is_a_finding(self) -> None:
        received = receive({"a.glb": GLB, "b.glb": b"letter"})
        self.assertEqual([f.kind for f in received.findings], ["unreadable"])
        self.assertEqual(len(received.scene.parts()), 1)

    def test_strange_files_beside_the_model_are_told(self) -> None:
        received = receive({"a.glb": GLB, "plan.xyz": b"?", "empty.txt": b""})
        self.assertEqual(sorted(f.kind for f in received.findings), ["empty", "unknown"])
