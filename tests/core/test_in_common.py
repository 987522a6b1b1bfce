"""What one process has decoded the others find, and none is the worse off where they cannot."""

from __future__ import annotations

import errno
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

import numpy as np

from trasloco.results import in_common
from trasloco.scene import images
from trasloco.scene.images import Image, encode, identify, pixels
from trasloco.scene.texels_held import SHARED, Held, Shared

RANDOM = np.random.default_rng(7)
READS = """
import sys, time
import numpy as np
from pathlib import Path
from trasloco.scene import images
image = images.identify("i", "i.png", "i.png", Path(sys.argv[1]).read_bytes())
real, decoded = images._decode, []
def slowly(one):
    decoded.append(one)
    time.sleep(0.5)
    return real(one)
images._decode = slowly
print("ready", flush=True)
sys.stdin.readline()
texels = images.pixels(image)
print(len(decoded), int(texels.astype(np.int64).sum()), texels.flags.writeable, flush=True)
sys.stdin.readline()
"""


def image_of(texels: Any) -> Image:
    return identify("image", "image.png", "image.png", encode(texels, "png"))


def noise(side: int = 32, kind: Any = np.uint8) -> Any:
    return RANDOM.integers(0, np.iinfo(kind).max, (side, side, 3), kind)


class InCommon(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        for patch in (
            mock.patch.dict(os.environ, {SHARED: str(self.folder)}),
            mock.patch.object(images, "_HELD", Held(1 << 20)),
        ):
            patch.start()
            self.addCleanup(patch.stop)

    def forgotten(self) -> None:
        """What this process remembers for itself is gone."""
        images._HELD = Held(1 << 20)

    def test_processes_that_ask_at_once_decode_once(self) -> None:
        texels = noise()
        path = self.folder / "given.png"
        path.write_bytes(encode(texels, "png"))
        both = [
            subprocess.Popen([sys.executable, "-c", READS, str(path)], stdin=-1, stdout=-1, text=True)
            for _ in range(3)
        ]
        for one in both:
            assert one.stdout is not None
            self.assertEqual(one.stdout.readline(), "ready\n")
        for one in both:
            assert one.stdin is not None
            one.stdin.write("\n")
            one.stdin.flush()
        told = [one.communicate("\n")[0].split() for one in both]
        self.assertEqual(sorted(int(count) for count, _, _ in told), [0, 0, 1])
        self.assertEqual({total for _, total, _ in told}, {str(int(texels.astype(np.int64).sum()))})
        self.assertEqual({writeable for _, _, writeable in told}, {"False"})

    def test_every_kind_comes_back_as_it_was_decoded(self) -> None:
        for texels in (noise(), noise(kind=np.uint16), RANDOM.random((8, 8, 3), np.float32)):
            given = (
                image_of(texels)
                if texels.dtype != np.float32
                else identify("f", "f.exr", "f.exr", encode(texels, "exr"))
            )
            first = pixels(given)
            self.forgotten()
            with mock.patch.object(images, "_decode", side_effect=AssertionError("decoded again")):
                again = pixels(given)
            np.testing.assert_array_equal(again, first)
            self.assertEqual((again.dtype, again.flags.writeable), (first.dtype, False))

    def test_what_is_only_looked_at_once_is_not_put_there(self) -> None:
        pixels(image_of(noise()), keep=False)
        self.assertEqual([one for one in self.folder.iterdir() if not one.name.startswith(".")], [])

    def test_what_was_not_read_for_longest_leaves_and_who_reads_it_keeps_it(self) -> None:
        shared = Shared(self.folder, 3 * 4000)
        rows = [np.full(3500, k, np.uint8) for k in range(4)]
        held = shared.put("0", rows[0])
        for k in (1, 2):
            time.sleep(0.01)
            shared.put(str(k), rows[k])
        time.sleep(0.01)
        self.assertIsNotNone(shared.get("0"))
        time.sleep(0.01)
        shared.put("3", rows[3])
        self.assertEqual([k for k in range(4) if shared.get(str(k)) is not None], [0, 2, 3])
        for k in (0, 2, 3):
            (self.folder / str(k)).unlink()
        np.testing.assert_array_equal(held, rows[0])

    def test_where_memory_runs_out_everyone_decodes_for_himself(self) -> None:
        texels = noise()
        full = OSError(errno.ENOSPC, "No space left on device")
        with mock.patch("trasloco.scene.texels_held.np.save", side_effect=full):
            np.testing.assert_array_equal(pixels(image_of(texels)), texels)
        self.assertEqual([one for one in self.folder.iterdir() if "draft" in one.name], [])
        with mock.patch(
            "trasloco.scene.texels_held.os.statvfs", return_value=mock.Mock(f_bavail=0, f_frsize=1)
        ):
            self.forgotten()
            np.testing.assert_array_equal(pixels(image_of(texels)), texels)
        self.assertEqual([one for one in self.folder.iterdir() if not one.name.startswith(".")], [])

    def test_a_folder_that_is_gone_or_a_file_that_is_damaged_is_no_fault(self) -> None:
        texels = noise()
        given = image_of(texels)
        (self.folder / given.digest).write_bytes(b"\x93NUMPY\x01\x00 cut")
        np.testing.assert_array_equal(pixels(given), texels)
        self.forgotten()
        with mock.patch.dict(os.environ, {SHARED: str(self.folder / "nowhere")}):
            np.testing.assert_array_equal(pixels(given), texels)


class Folder(TestCase):
    def test_it_is_there_for_its_owner_alone_while_somebody_works_and_leaves_with_him(self) -> None:
        with tempfile.TemporaryDirectory() as memory, mock.patch.object(in_common, "_MEMORY", Path(memory)):
            with in_common.texels_in_common("a folder of data") as folder:
                assert folder is not None
                self.assertEqual(folder.stat().st_mode & 0o777, 0o700)
                self.assertEqual(os.environ[SHARED], str(folder))
                (folder / "left").write_bytes(b"by one that was killed")
                with in_common.texels_in_common("another's") as other:
                    self.assertNotEqual(other, folder)
                self.assertEqual(os.environ[SHARED], str(folder))
                with in_common.texels_in_common("a folder of data"):
                    self.assertEqual(list(folder.iterdir()), [])
            self.assertNotIn(SHARED, os.environ)
            self.assertEqual(list(Path(memory).iterdir()), [])

    def test_where_there_is_no_such_memory_nothing_is_shared(self) -> None:
        with (
            mock.patch.object(in_common, "_MEMORY", Path("/nowhere")),
            in_common.texels_in_common("x") as folder,
        ):
            self.assertIsNone(folder)
            self.assertNotIn(SHARED, os.environ)
