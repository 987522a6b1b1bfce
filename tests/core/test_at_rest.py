"""What is large lies on the disk: the same bytes, arrays, packages and pictures as in memory."""

from __future__ import annotations

import gc
import io
import os
import pickle
import subprocess
import sys
import tempfile
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase, mock

import numpy as np

from bench.large import make_files
from tests.everything import everything
from trasloco import at_rest, move
from trasloco.accounts.model import Accounts
from trasloco.at_rest import Row, held, is_mapped, laid
from trasloco.errors import Refused
from trasloco.formats import bundle, gltf_document, gltf_parts
from trasloco.formats.bundle import gather
from trasloco.handover.packing import Package
from trasloco.inventory import world
from trasloco.limits import LIMITS
from trasloco.render import flatten as flattening
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, framing, render
from trasloco.results import delivering
from trasloco.results.as_bytes import made_of, pieces_of
from trasloco.results.delivering import Delivery, papers_of
from trasloco.results.memory import Memory
from trasloco.scene.digest import digest
from trasloco.scene.images import encode, identify
from trasloco.sheets.library import sheet_named

PLAIN, LANTERNA = sheet_named("plain"), sheet_named("lanterna")
SMALL = replace(LIMITS, held_bytes=64, drawn_bytes=0, row_bytes=16)


class everything_at_rest:
    """As if all were large."""

    def __enter__(self) -> None:
        self.patches = [
            *(
                mock.patch.object(m, "LIMITS", SMALL)
                for m in (at_rest, bundle, gltf_document, gltf_parts, flattening, world, delivering)
            ),
        ]
        for patch in self.patches:
            patch.start()

    def __exit__(self, *_: object) -> None:
        for patch in self.patches:
            patch.stop()


def open_files() -> int:
    gc.collect()
    return len(list(Path("/proc/self/fd").iterdir()))


class Rows(TestCase):
    def test_a_row_is_what_joining_its_arrays_gives_wherever_it_lies(self) -> None:
        rng = np.random.default_rng(1)
        for most in (float("inf"), 100, 0):
            for kind, item in ((np.float32, (3,)), (np.uint16, ()), (np.int32, (2, 2))):
                given = [(rng.random((n, *item)) * 1000).astype(kind) for n in (3, 0, 7, 1)]
                row = Row(kind, item, most)
                for one in given:
                    row.append(one)
                whole = row.whole()
                self.assertEqual((whole.dtype, whole.shape), (np.dtype(kind), (11, *item)))
                np.testing.assert_array_equal(whole, np.concatenate(given))
                whole[0] = 0  # for kernels, an array that cannot be written to is of another kind
                self.assertFalse(whole[0].any())

    def test_an_empty_row_is_empty(self) -> None:
        for most in (float("inf"), 0):
            self.assertEqual(Row(np.float32, (3,), most).whole().shape, (0, 3))

    def test_what_is_let_go_leaves_no_open_file(self) -> None:
        before = open_files()
        for _ in range(5):
            row = Row(np.uint8, (), 0)
            row.append(np.arange(10, dtype=np.uint8))
            part = row.whole()[2:5]
            del row
            self.assertEqual(part.tolist(), [2, 3, 4])
            del part
        self.assertEqual(open_files(), before)

    def test_files_are_the_same_in_memory_and_on_the_disk(self) -> None:
        given = {"a": [b"one", b"two"], "b": [], "c": [b"\0" * 300]}
        small, large = held(given, 306), None
        with mock.patch.object(at_rest, "LIMITS", SMALL):
            large = held(given, 306)
        self.assertEqual(small, {"a": b"onetwo", "b": b"", "c": b"\0" * 300})
        self.assertEqual({name: bytes(data) for name, data in large.items()}, small)
        self.assertTrue(is_mapped(large["c"]))
        self.assertFalse(is_mapped(small["c"]))

    def test_a_full_disk_is_told(self) -> None:
        def full(*_: object) -> object:
            return open("/dev/full", "wb")

        row = Row(np.uint8, (), 0)
        with mock.patch.object(tempfile, "TemporaryFile", full), self.assertRaises(Refused) as told:
            row.append(np.zeros(2**20, np.uint8))
        self.assertIn("no room on the disk", told.exception.what)
        self.assertIn("TMPDIR", told.exception.remedy)
        with mock.patch.object(tempfile, "TemporaryFile", full), self.assertRaises(Refused):
            laid([b"x" * 2**20])

    def test_what_lies_on_the_disk_weighs_as_much_as_an_open_file(self) -> None:
        memory = Memory(2**40)
        row = Row(np.uint8, (), 0)
        row.append(np.zeros(2**25, np.uint8))
        whole = row.whole()
        memory.put("mapped", [whole[: 2**20], whole[2**20 :]])
        on_disk = memory.bytes
        memory.put("held", np.zeros(2**25, np.uint8))
        self.assertLess(on_disk, 2**24)
        self.assertGreater(memory.bytes - on_disk, 2**25 - 1)


class Pickled(TestCase):
    def test_arrays_and_files_are_read_where_they_lie(self) -> None:
        png = encode(np.random.default_rng(2).integers(0, 255, (64, 64, 3), np.uint8), "png")
        image = identify("image:a", "a.png", "a.png", png)
        given = {"points": np.arange(5000.0), "image": image, "package": Package({"a.png": png, "b": b"b"})}
        data = memoryview(bytearray(b"".join(pieces_of(given))))
        made = made_of(data)
        np.testing.assert_array_equal(made["points"], given["points"])
        self.assertEqual(made["image"], image)
        self.assertEqual(made["image"].digest, image.digest)
        self.assertEqual(made["package"].files, {"a.png": png, "b": b"b"})
        lying = np.frombuffer(data, np.uint8)
        self.assertTrue(np.shares_memory(made["points"], lying))
        self.assertTrue(np.shares_memory(np.frombuffer(made["image"].data, np.uint8), lying))
        self.assertTrue(made["points"].flags.writeable)
        self.assertEqual(made["points"].ctypes.data % 8, lying.ctypes.data % 8)

    def test_mapped_images_go_to_other_processes(self) -> None:
        png = encode(np.random.default_rng(3).integers(0, 255, (64, 64, 3), np.uint8), "png")
        image = identify("image:a", "a.png", "a.png", laid([png]))
        for protocol in range(2, 6):
            again = pickle.loads(pickle.dumps([image, image.data], protocol))
            self.assertEqual(again[0], image)
            self.assertEqual(bytes(again[0].data), png)
            self.assertEqual(hash(again[0]), hash(image))
            self.assertEqual(bytes(again[1]), png)

    def test_what_is_no_result_is_not_read(self) -> None:
        for data in (b"", b"PNG", b"trasloco result"):
            with self.assertRaises(ValueError):
                made_of(memoryview(data))
        self.assertEqual(made_of(memoryview(pickle.dumps({"an earlier": [1, 2]}))), {"an earlier": [1, 2]})


class Moves(TestCase):
    """Whole moves, all of them at rest."""

    def carried(self, files: dict[str, at_rest.Bytes]) -> tuple[str, dict[str, bytes], str]:
        """Digests of what was read, delivered and read back."""
        scene = move.mend(move.receive(files).scene, PLAIN)
        carried = move.carry(scene, move.plan(scene, PLAIN, LANTERNA), LANTERNA)
        package = move.package(carried, LANTERNA)
        arrival = move.arrive(package, LANTERNA)
        return digest(scene), {path: bytes(data) for path, data in package.files.items()}, digest(arrival)

    def test_a_move_is_the_same_wherever_it_lies(self) -> None:
        for seed in range(3):
            scene = everything(f"at rest {seed}")
            plain = move.package(
                move.carry(scene, move.plan(scene, PLAIN, LANTERNA), LANTERNA), LANTERNA
            ).files
            packed = io.BytesIO()
            with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
                for path, data in plain.items():
                    archive.writestr(path, data)
            for given in (dict(plain), {"packed.zip": packed.getvalue()}):
                expected = self.carried(given)
                with everything_at_rest():
                    self.assertEqual(self.carried(given), expected)

    def test_a_picture_is_the_same_wherever_it_lies(self) -> None:
        scene = everything("at rest, seen")
        quality = Quality(width=40, height=24, samples=4, bounces=3)
        here = render(flatten(scene), framing(scene), quality).radiance
        with everything_at_rest():
            flat = flatten(scene)
            self.assertTrue(is_mapped(flat.arrays.texels8))
            there = render(flat, framing(scene), quality).radiance
        np.testing.assert_array_equal(here, there)

    def test_an_archive_holds_the_same_wherever_it_lies(self) -> None:
        given = {"a/b.bin": bytes(range(256)), "c.txt": b"c"}
        delivery = Delivery(given, Accounts(()), "list", b"report", "contents", "{}", "note", {}, [])
        held = delivery.archive()
        with everything_at_rest():
            lying = delivery.archive()
        self.assertEqual((is_mapped(held), is_mapped(lying)), (False, True))
        for data in (held, lying):
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                found = {name: archive.read(name) for name in archive.namelist()}
            self.assertEqual(found, {**given, **papers_of(delivery)})

    def test_files_on_the_disk_may_change_while_they_are_worked_on(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            made = Path(folder) / "sheets"
            made.mkdir()
            make_files(made, images=2, triangles=400, side=16)
            expected = digest(move.receive(gather([made])).scene)
            with everything_at_rest():
                files = gather([made])
                for one in made.iterdir():
                    one.write_bytes(b"")
                self.assertEqual(digest(move.receive(files).scene), expected)

    def test_a_reader_may_take_more_from_the_disk_than_from_memory(self) -> None:
        """What is on the disk can be taken back: only the rest is of this process alone."""
        told = subprocess.run(
            [sys.executable, "-c", _GROWS], capture_output=True, text=True, check=True, env={**os.environ}
        ).stdout
        memory, disk = map(float, told.split())
        self.assertGreater(memory, 60)
        self.assertLess(disk, 16)


_GROWS = """
import numpy as np
from pathlib import Path
from trasloco.at_rest import Row

def own():
    lines = Path("/proc/self/status").read_text().splitlines()
    return int(next(l for l in lines if l.startswith("RssAnon")).split()[1]) / 1024

for most in (float("inf"), 0):
    before, row = own(), Row(np.uint8, (), most)
    for _ in range(64):
        row.append(np.ones(2**20, np.uint8))
    whole = row.whole()
    assert int(whole.sum(dtype=np.int64)) == 2**26
    print(own() - before)
    del whole, row
"""
