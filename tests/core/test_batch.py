"""Many deliveries at once: each told by itself, the worst as the exit code, and gone on with where it
stopped.
"""

from __future__ import annotations

import json
import os
import signal
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from tests.command import trasloco
from tests.making import cube, material, quad, scene
from trasloco.batch import RESULT, Outcome, Task, all_done, deliveries_in, done, tasks_of
from trasloco.errors import Refused
from trasloco.formats.gltf_write import write_glb
from trasloco.hands.model import SETTING
from trasloco.scene.model import Decision


def props(folder: Path) -> None:
    """A plain trunk, a sail whose sheen is lost at Lanterna, and a file that is none."""
    trunk = scene(cube(), materials=(material(base_color=(0.4, 0.2, 0.1)),), names=("Trunk",))
    sail = scene(quad(), materials=(material(sheen_color=(0.5, 0.1, 0.1)),), names=("Sail",))
    (folder / "trunk.glb").write_bytes(write_glb(trunk))
    (folder / "boat").mkdir()
    (folder / "boat" / "sail.glb").write_bytes(write_glb(sail))
    (folder / "moon.glb").write_bytes(b"glTF, but not at all")


def struck(nothing: None, task: Task) -> Outcome:
    """The moon ends the process that reads it, as a fault in a decoder does."""
    if task.name == "moon":
        os.kill(os.getpid(), signal.SIGKILL)
    return done(task)


class Batch(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.place = Path(held.name)
        self.folder, self.out = self.place / "in", self.place / "out"
        self.folder.mkdir()
        props(self.folder)

    def run_all(
        self, *to: str, decisions: tuple[Decision, ...] = (), prove: bool = False
    ) -> dict[tuple[str, str], object]:
        tasks = tasks_of(self.folder, "plain", to, self.out, decisions, prove)
        self.heard: list[int] = []
        made = all_done(tasks, 1, lambda one, left: self.heard.append(left))
        return {(one.name, one.to): one for one in made}

    def test_each_delivery_to_each_destination_is_told(self) -> None:
        found = self.run_all("lanterna", "taccuino")
        self.assertEqual(len(found), 6)
        self.assertEqual(self.heard, [5, 4, 3, 2, 1, 0])
        codes = {key: one.code for key, one in found.items()}  # type: ignore[attr-defined]
        self.assertEqual(codes[("trunk", "lanterna")], 0)
        self.assertEqual(codes[("boat", "lanterna")], 1)
        self.assertEqual(codes[("moon", "taccuino")], 2)
        names = {path.name for path in (self.out / "trunk" / "lanterna").iterdir()}
        self.assertLessEqual({"packing-list.txt", "report.html", "return-note.txt", RESULT}, names)
        self.assertFalse((self.out / "moon").exists())

    def test_it_goes_on_where_it_stopped_and_only_what_changed_is_done_again(self) -> None:
        first = self.run_all("lanterna")
        again = self.run_all("lanterna")
        known = {name: one.known for (name, _), one in again.items()}  # type: ignore[attr-defined]
        self.assertEqual(known, {"trunk": True, "boat": True, "moon": False})
        self.assertEqual(again[("boat", "lanterna")].marks, first[("boat", "lanterna")].marks)  # type: ignore[attr-defined]
        other = scene(cube(2.0), materials=(material(),), names=("Trunk",))
        (self.folder / "trunk.glb").write_bytes(write_glb(other))
        third = self.run_all("lanterna")
        self.assertEqual([third[(name, "lanterna")].known for name in ("trunk", "boat")], [False, True])  # type: ignore[attr-defined]
        recipe = (Decision("part:Trunk", "name", "Chest"), Decision("part:Nobody", "include", False))
        fourth = self.run_all("lanterna", decisions=recipe)
        self.assertFalse(fourth[("trunk", "lanterna")].known)  # type: ignore[attr-defined]
        self.assertIn("Chest", (Path(fourth[("trunk", "lanterna")].out) / "packing-list.txt").read_text())  # type: ignore[attr-defined]

    def test_a_list_that_was_changed_by_hand_is_not_lost_and_no_package_is_mixed_with_an_older_one(
        self,
    ) -> None:
        first = self.run_all("lanterna")
        lists = self.out / "trunk" / "lanterna" / "packing-list.txt"
        lists.write_text("mine")
        (self.folder / "trunk.glb").write_bytes(
            write_glb(scene(cube(2.0), materials=(material(),), names=("Chest",)))
        )
        second = self.run_all("lanterna")
        self.assertEqual(lists.read_text(), "mine")
        outs = [Path(found[("trunk", "lanterna")].out) for found in (first, second)]  # type: ignore[attr-defined]
        self.assertEqual([out.name for out in outs], ["lanterna", "lanterna-2"])
        self.assertIn("Chest", (outs[1] / "packing-list.txt").read_text())
        # What was first done is found there again, under the name that it went to.
        self.assertEqual(self.run_all("lanterna")[("trunk", "lanterna")].out, str(outs[1]))  # type: ignore[attr-defined]

    def test_a_file_that_ends_the_process_is_refused_alone(self) -> None:
        tasks = tasks_of(self.folder, "plain", ["lanterna"], self.out, (), False)
        found = {one.name: one for one in all_done(tasks, 2, work=struck)}
        self.assertEqual(
            {name: one.state for name, one in found.items()},
            {"trunk": "done", "boat": "done", "moon": "refused"},
        )
        self.assertIn("ended by the system", found["moon"].words)

    def test_where_no_cluster_answers_processes_of_this_machine_do_it(self) -> None:
        tasks = tasks_of(self.folder, "plain", ["lanterna"], self.out, (), False)
        with (
            mock.patch.dict(os.environ, {SETTING: "tcp://127.0.0.1:1"}),
            mock.patch("trasloco.hands.cluster._SECONDS", 0.5),
            mock.patch.dict("trasloco.hands.setting._AWAY", clear=True),
            self.assertLogs("trasloco.hands.setting", "WARNING"),
        ):
            found = {one.name: one.state for one in all_done(tasks, 2, work=struck)}
        self.assertEqual(found, {"trunk": "done", "boat": "done", "moon": "refused"})

    def test_a_single_model_with_its_images_is_one_delivery(self) -> None:
        alone = self.place / "alone"
        alone.mkdir()
        (alone / "boat.obj").write_bytes(b"v 0 0 0\n")
        (alone / "sail.png").write_bytes(b"\x89PNG")
        self.assertEqual([(name, len(paths)) for name, paths in deliveries_in(alone)], [("boat", 2)])
        with self.assertRaises(Refused):
            deliveries_in(self.place / "nowhere")
        empty = self.place / "empty"
        empty.mkdir()
        with self.assertRaises(Refused):
            deliveries_in(empty)

    def test_from_the_command_line_by_two_processes(self) -> None:
        words = ("--to", "lanterna", "--out", str(self.out), "--workers", "2", "--prove", "--json")
        told = trasloco("batch", str(self.folder), "--from", "plain", *words)
        self.assertEqual(told.returncode, 2, told.stderr)
        rows = {one["name"]: one for one in json.loads(told.stdout)}
        self.assertEqual(rows["moon"]["state"], "refused")
        # Nothing of the trunk is lost: what is left of a difference is the pictures' noise.
        value, low, high = rows["trunk"]["judged"]
        self.assertTrue(low <= 0.2 and value < 1 and high >= value)
        self.assertIn("3 of 3", told.stderr)
        self.assertEqual(json.loads((self.out / "batch.json").read_text()), json.loads(told.stdout))
