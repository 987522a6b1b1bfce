"""Spoilt deliveries through the whole move, for some seconds; ``make fuzz`` does the same for longer."""

import json
import os
import re
import subprocess
import sys
import time
from collections.abc import Mapping
from unittest import TestCase, mock

import numpy as np

from fuzzing import forking
from tests.core.test_arrival import rich
from tests.making import cube, material, scene
from trasloco.errors import Refused
from trasloco.formats.bundle import bundle_files
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.scene.model import Channel, Clip
from trasloco.scene.transforms import compose, decompose

SECONDS = float(os.environ.get("FUZZ_SECONDS", "24"))


class Spoilt(TestCase):
    def test_no_delivery_crashes_hangs_or_floods(self) -> None:
        done = subprocess.run(
            [sys.executable, "-m", "fuzzing.run", "--alone", "--seconds", str(SECONDS), "--seed", "7"],
            capture_output=True,
            text=True,
        )
        self.assertEqual(done.returncode, 0, done.stdout[-3000:] + done.stderr[-2000:])
        told = re.search(r"(\d+) cases: .*?(\d+) refused", done.stdout)
        assert told is not None, done.stdout
        self.assertGreater(int(told[1]), 100)
        self.assertGreater(int(told[2]), 20)  # it does spoil


def _sleeps(_: object) -> None:
    time.sleep(60)


def _turns(_: object) -> None:
    while True:
        pass


class Watched(TestCase):
    def test_what_does_not_end_is_told_whether_it_works_or_waits(self) -> None:
        with mock.patch.object(forking, "MOST_S", 1.0):
            for does in (_turns, _sleeps):
                with mock.patch.object(forking, "whole_move", does):
                    (found,) = forking.outcomes_of([{"given.glb": b""}])
                self.assertEqual(found.end, "hung")
                self.assertTrue(0.9 < found.seconds < 4.5, found.seconds)

    def test_what_ends_is_no_hang(self) -> None:
        with mock.patch.object(forking, "whole_move", lambda files: None):
            found = list(forking.outcomes_of([{"given.glb": b""}] * 3))
        self.assertEqual([one.end for one in found], ["made"] * 3)

    def test_memory_of_the_process_that_forks_is_no_flood_and_memory_of_a_case_is(self) -> None:
        def holds(files: Mapping[str, bytes]) -> None:
            np.ones(int(files["given.glb"]) << 20, np.uint8)

        before = np.ones(300 << 20, np.uint8)
        with (
            mock.patch.object(forking, "MOST_BYTES", 200 << 20),
            mock.patch.object(forking, "whole_move", holds),
        ):
            found = list(
                forking.outcomes_of([{"given.glb": b"20"}, {"given.glb": b"190"}, {"given.glb": b"300"}])
            )
        self.assertEqual([one.end for one in found], ["made", "made", "crashed"])  # the last is not given it
        self.assertLess(found[1].mib, 200)
        self.assertEqual(before[-1], 1)


def changed(data: bytes, change: object) -> bytes:
    """A GLB whose document was changed."""
    length = int.from_bytes(data[12:16], "little")
    document = json.loads(data[20 : 20 + length])
    change(document)  # type: ignore[operator]
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    rest = data[20 + length :]
    head = b"glTF" + (2).to_bytes(4, "little") + (20 + len(text) + len(rest)).to_bytes(4, "little")
    return head + len(text).to_bytes(4, "little") + b"JSON" + text + rest


class Found(TestCase):
    """Faults that spoilt deliveries found, each as its own case."""

    def kinds(self, data: bytes) -> set[str]:
        return {finding.kind for finding in receive({"a.glb": data}).findings}

    def test_numbers_that_mean_nothing_are_told_and_replaced(self) -> None:
        whole = write_glb(rich())
        self.assertFalse({"odd_place", "odd_light", "odd_camera"} & self.kinds(whole))

        def spoil(document: dict) -> None:  # type: ignore[type-arg]
            document["nodes"][0].pop("matrix", None)
            document["nodes"][0]["translation"] = [1e300, 0, 0]
            for lamp in document["extensions"]["KHR_lights_punctual"]["lights"]:
                lamp["intensity"] = 1e300
            document["cameras"] = [{"type": "perspective", "perspective": {"yfov": 0.5, "znear": 1e-2}}]
            for camera in document["cameras"]:
                camera["perspective"]["yfov"] = 0

        received = receive({"a.glb": changed(whole, spoil)})
        self.assertLessEqual({"odd_place", "odd_light", "odd_camera"}, {f.kind for f in received.findings})
        self.assertTrue(all(np.isfinite(n.matrix).all() for n in received.scene.nodes.values()))
        self.assertEqual({lamp.intensity for lamp in received.scene.lights.values()}, {1.0})
        self.assertTrue(all(c.yfov_rad > 0.1 for c in received.scene.cameras.values()))

    def test_a_lamp_of_an_unknown_kind_stays_behind_alone(self) -> None:
        def spoil(document: dict) -> None:  # type: ignore[type-arg]
            document["extensions"]["KHR_lights_punctual"]["lights"][0]["type"] = "lantern"

        whole = write_glb(rich())
        count = len(receive({"a.glb": whole}).scene.lights)
        received = receive({"a.glb": changed(whole, spoil)})
        self.assertEqual(len(received.scene.lights), count - 1)
        self.assertIn("unknown_light", {f.kind for f in received.findings})

    def test_buffers_that_are_no_list_are_refused_in_words(self) -> None:
        for value in (None, 3, {}, "x"):
            with self.assertRaises(Refused):
                receive({"a.glb": changed(write_glb(rich()), lambda d, value=value: d.update(buffers=value))})

    def test_faces_of_points_beyond_any_number_are_left_out(self) -> None:
        text = (
            b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1e38 0 0\nf 1 2 3\nf 1 2 "
            + b"9" * 30
            + b"\nf 1 2 4\nv 5\nf 1 2 5\n"
        )
        received = receive({"a.obj": text})
        mesh = next(iter(received.scene.meshes.values()))
        self.assertEqual(sum(len(p.indices) for p in mesh.primitives), 1)

    def test_motion_whose_keys_do_not_fit_stays_behind_and_is_told(self) -> None:
        given = scene(cube(1.0), materials=(material(),))
        node = next(iter(given.nodes))
        times = np.array([0.0, 1.0], np.float32)
        good = Channel(node, "translation", times, np.zeros((2, 3), np.float32))
        clip = Clip("clip:a", "a", (good,))
        whole = write_glb(type(given)(**{**given.__dict__, "clips": {"clip:a": clip}}))

        def spoil(document: dict) -> None:  # type: ignore[type-arg]
            document["animations"][0]["channels"][0]["target"]["path"] = "rotation"

        self.assertNotIn("motion_damaged", self.kinds(whole))
        self.assertIn("motion_damaged", self.kinds(changed(whole, spoil)))

    def test_what_is_scaled_to_nothing_along_an_axis_keeps_its_turn(self) -> None:
        half = np.sqrt(0.5)
        for scale in ((0, 2, 3), (2, 0, 3), (2, 3, 0)):
            _, turn, found = decompose(compose((1, 2, 3), (0, half, 0, half), scale))
            np.testing.assert_allclose(np.abs(turn @ [0, half, 0, half]), 1, atol=1e-9)
            np.testing.assert_allclose(np.abs(found), scale, atol=1e-12)

    def test_files_of_one_name_are_kept_apart_and_endless_names_cut_and_both_told(self) -> None:
        long = "x" * 100_000 + ".obj"
        bundle = bundle_files(
            {"a.obj": b"one", "./a.obj": b"two", long: b"three", "b/../a.obj".replace("b/../", ""): b"one"}
        )
        self.assertEqual(bundle.files["a.obj"], b"one")
        self.assertEqual(bundle.files["a (2).obj"], b"two")
        self.assertEqual(
            {title for _, title, _ in bundle.notes}, {"Two files of one name", "A file name beyond reason"}
        )
        self.assertLess(max(map(len, bundle.files)), 210)
