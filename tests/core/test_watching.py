"""A folder that is watched: told once it stands still, delivered anew when a source changes, stopped by a
key.
"""

from __future__ import annotations

import itertools
import os
import signal
import subprocess
import tempfile
import time
from pathlib import Path
from unittest import TestCase

from tests.command import PLAINLY, TRASLOCO, trasloco
from tests.making import cube, material, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.watching import settled


class Watching(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name) / "in"
        self.out = self.folder / "out"
        self.out.mkdir(parents=True)

    def written(self, name: str, size: float, folder: Path | None = None) -> None:
        given = scene(cube(size), materials=(material(),), names=("Trunk",))
        ((folder or self.folder) / name).write_bytes(write_glb(given))

    def test_it_tells_what_changed_once_the_folder_stands_still(self) -> None:
        acts = iter(
            [
                lambda: (self.folder / "a.glb").write_bytes(b"one"),
                lambda: None,
                lambda: None,
                # It grows over three looks.
                lambda: (self.folder / "b.glb").write_bytes(b"1"),
                lambda: (self.folder / "b.glb").write_bytes(b"12"),
                lambda: (self.folder / "b.glb").write_bytes(b"123"),
                lambda: None,
                # What is delivered there is no source.
                lambda: (self.out / "package.glb").write_bytes(b"out"),
                lambda: None,
                lambda: (self.folder / "a.glb").unlink(),
                lambda: None,
                lambda: None,
            ]
        )
        looks = 0

        def wait(seconds: float) -> None:
            nonlocal looks
            looks += 1
            next(acts)()

        told = settled(self.folder, self.out, 0.5, wait)
        names = [([Path(one).name for one in next(told)], looks) for _ in range(3)]
        self.assertEqual(names, [(["a.glb"], 2), (["b.glb"], 7), (["a.glb"], 11)])

    def test_a_source_that_changes_is_delivered_and_proved_anew(self) -> None:
        self.written("trunk.glb", 1.0)
        words = ("--to", "lanterna", "--out", str(self.out), "--every", "0.1", "--workers", "1")
        with subprocess.Popen(
            [TRASLOCO, "watch", str(self.folder), "--from", "plain", *words],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            env=PLAINLY,
            start_new_session=True,
        ) as process:
            assert process.stdout is not None
            first = self.out / "trunk" / "lanterna"
            for place, size in ((first, 2.0), (first.with_name("lanterna-2"), 0.0)):
                self.comes(place / "result.json", process)
                if size:
                    self.written("trunk.glb", size)
            # As a terminal does: all its processes hear of it.
            os.killpg(process.pid, signal.SIGINT)
            try:
                told, _ = process.communicate(timeout=60)
            finally:
                os.killpg(process.pid, signal.SIGKILL) if process.poll() is None else None
        self.assertEqual(process.returncode, 130, told)
        self.assertNotIn("Traceback", told)
        self.assertNotIn("out to lanterna", told)  # what was delivered is no delivery
        self.assertEqual(told.count("trunk.glb changed"), 2, told)
        self.assertTrue((self.out / "batch.json").exists())

    def comes(self, path: Path, process: subprocess.Popen[str]) -> None:
        for _ in itertools.takewhile(lambda _: process.poll() is None, range(900)):
            if path.exists():
                return
            time.sleep(0.1)
        os.killpg(process.pid, signal.SIGKILL)
        self.fail(f"{path.name} did not come")

    def test_a_folder_or_sheet_that_is_not_there_is_refused_at_once(self) -> None:
        for folder, to in (("nowhere", "lanterna"), ("", "narnia")):
            words = ("--from", "plain", "--to", to, "--out", str(self.out))
            told = trasloco("watch", str(self.folder / folder), *words)
            self.assertEqual(told.returncode, 2, told.stderr)
            self.assertNotIn("Traceback", told.stderr)
