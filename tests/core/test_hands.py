"""Pieces of work by threads, processes and a cluster of two worker processes: the same is found whoever does
it, and what a worker that is ended was at is done by another.
"""

from __future__ import annotations

import logging
import os
import signal
import subprocess
import time
from collections import Counter
from contextlib import closing
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, ClassVar
from unittest import TestCase, mock

import dask
import numpy as np
from distributed import LocalCluster

from tests.command import TRASLOCO
from tests.core.test_arrival import rich
from tests.core.test_bake import ALONE
from tests.core.test_batch import props
from tests.core.test_figures import LOOK, ball_room
from tests.making import material, quad, scene, sky
from trasloco import move
from trasloco.batch import RESULT, all_done, tasks_of
from trasloco.errors import Cancelled, Refused
from trasloco.hands import setting
from trasloco.hands.cluster import Cluster, code
from trasloco.hands.model import NOTHING, SETTING, Ended, Hands, Shared, in_order
from trasloco.hands.processes import Processes
from trasloco.hands.setting import hands
from trasloco.hands.threads import Threads
from trasloco.hands.worker import serve
from trasloco.light.lightmaps.bake_wish import Wish
from trasloco.light.lightmaps.baking import gather
from trasloco.light.lightmaps.charts import with_light_uvs
from trasloco.light.lightmaps.layout import lay_out
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.scene.lit import Environment
from trasloco.sheets.library import sheet_named

QUALITY = Quality(96, 64, 4, 2)


def squared(shared: Any, piece: int) -> int:
    return piece * piece + (shared or 0)


def slower_first(shared: Any, piece: int) -> int:
    time.sleep(0.05 if piece == 0 else 0.0)
    return piece


def refused(shared: Any, piece: int) -> int:
    if piece == 3:
        raise Refused("It is three.", "piece", "Take another.")
    return piece


def unreadable(shared: str, piece: int) -> int:
    """Notes that it was tried, and finds no file."""
    with Path(shared).open("a") as file:
        file.write("tried\n")
    raise FileNotFoundError(piece)


def ending(shared: Any, piece: int) -> int:
    """Piece 2 ends whoever tries it."""
    if piece == 2:
        os.kill(os.getpid(), signal.SIGKILL)
    return piece


def ending_later(shared: Any, piece: int) -> int:
    """Piece 1 ends whoever tries it, once others wait behind it."""
    if piece == 1:
        time.sleep(0.5)
        os.kill(os.getpid(), signal.SIGKILL)
    return piece


def noted(shared: str, piece: int) -> int:
    """Leaves a line with the process that does it, slowly."""
    with Path(shared).open("a") as file:
        file.write(f"{os.getpid()} {piece}\n")
    time.sleep(0.03)
    return piece


class Fuse:
    """What ends the second process that it is sent to, and no other."""

    def __init__(self, folder: str) -> None:
        self.folder = folder

    def __reduce__(self) -> Any:
        return lit, (self.folder,)


def lit(folder: str) -> Fuse:
    with (Path(folder) / "sent").open("a") as file:
        file.write(f"{os.getpid()}\n")
    if len((Path(folder) / "sent").read_text().splitlines()) == 2:
        os.kill(os.getpid(), signal.SIGKILL)
    return Fuse(folder)


def sent_it(shared: Fuse, piece: int) -> int:
    time.sleep(0.05)
    return piece


def local_cluster(workers: int, processes: bool = True) -> Any:
    """A scheduler and so many workers on this machine."""
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    start: Any = LocalCluster
    return start(
        n_workers=workers,
        threads_per_worker=1,
        dashboard_address=None,
        silence_logs=logging.CRITICAL,
        processes=processes,
    )


class AnyHands:
    """What holds of all of them."""

    hands: ClassVar[Hands]

    def test_pieces_come_in_order(self) -> None:
        self.assertEqual(list(in_order(self.hands, slower_first, NOTHING, range(20))), list(range(20)))  # type: ignore[attr-defined]

    def test_what_is_shared_is_there(self) -> None:
        found = list(in_order(self.hands, squared, Shared(1000), range(5)))
        self.assertEqual(found, [1000, 1001, 1004, 1009, 1016])  # type: ignore[attr-defined]

    def test_nothing_is_nothing(self) -> None:
        self.assertEqual(list(in_order(self.hands, squared, NOTHING, [])), [])  # type: ignore[attr-defined]

    def test_what_a_piece_raises_is_raised(self) -> None:
        with self.assertRaises(Refused) as caught:  # type: ignore[attr-defined]
            list(in_order(self.hands, refused, NOTHING, range(8)))
        self.assertEqual(caught.exception.remedy, "Take another.")  # type: ignore[attr-defined]

    def test_a_fault_of_a_piece_is_no_fault_of_its_worker(self) -> None:
        with TemporaryDirectory() as folder:
            tried = Path(folder) / "tried"
            with self.assertRaises(FileNotFoundError):  # type: ignore[attr-defined]
                list(in_order(self.hands, unreadable, Shared(str(tried)), range(1)))
            self.assertEqual(tried.read_text(), "tried\n")  # type: ignore[attr-defined]

    def test_a_picture_is_the_same_to_the_last_bit(self) -> None:
        flat = flatten(ball_room())
        own = render(flat, LOOK, QUALITY, hands=Threads(1))
        made = render(flat, LOOK, QUALITY, hands=self.hands)
        for name in ("even", "odd", "ids", "guides"):
            np.testing.assert_array_equal(getattr(made, name), getattr(own, name))
        self.assertEqual(made.rays, own.rays)  # type: ignore[attr-defined]

    def test_light_on_texels_is_the_same_to_the_last_bit(self) -> None:
        given = scene(
            quad(2),
            materials=(material("m"),),
            images=(sky(3.0),),
            environment=Environment("image:sky", 2.0),
            names=("Floor",),
        )
        laid = lay_out(given, ALONE, Wish(True, density={"part:Floor": 24.0}))
        wish = Wish(True, 4, threads=1)
        (own,), (made,) = gather(laid, wish), gather(laid, wish, hands=self.hands)
        for name in ("lux", "straight", "toward", "counted"):
            np.testing.assert_array_equal(getattr(made, name), getattr(own, name))

    def test_charts_and_images_are_the_same(self) -> None:
        given, sheet = rich(), sheet_named("lanterna")
        with mock.patch("trasloco.meshes.charting.hands", lambda: self.hands):
            made, _ = with_light_uvs(given, dict.fromkeys(given.meshes, 64))
        own, _ = with_light_uvs(given, dict.fromkeys(given.meshes, 64))
        for mesh in given.meshes:
            for a, b in zip(own.meshes[mesh].primitives, made.meshes[mesh].primitives, strict=True):
                np.testing.assert_array_equal(a.uvs[-1], b.uvs[-1])
        with mock.patch("trasloco.fit.carry.hands", lambda: self.hands):
            there = move.carry(given, move.plan(given, sheet_named("plain"), sheet, ()), sheet)
        here = move.carry(given, move.plan(given, sheet_named("plain"), sheet, ()), sheet)
        self.assertGreater(len(here.images), 1)  # type: ignore[attr-defined]
        self.assertEqual(  # type: ignore[attr-defined]
            {path: one.data for path, one in there.images.items()},
            {path: one.data for path, one in here.images.items()},
        )
        self.assertEqual(there.plan.crossings, here.plan.crossings)  # type: ignore[attr-defined]

    def test_who_stops_listening_stops_what_has_not_begun(self) -> None:
        with TemporaryDirectory() as folder:
            file = str(Path(folder) / "done")
            for _ in in_order(self.hands, noted, Shared(file), range(400)):
                break
            time.sleep(0.5)
            before = Path(file).read_text().splitlines()
            time.sleep(0.2)
            self.assertEqual(Path(file).read_text().splitlines(), before)  # type: ignore[attr-defined]
            begun = {line.split()[1] for line in before}  # one lost with its worker is begun again
            self.assertLess(len(begun), 100)  # type: ignore[attr-defined]

    def test_a_cancelled_picture_raises_at_once(self) -> None:
        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):  # type: ignore[attr-defined]
            render(flatten(ball_room()), LOOK, Quality(256, 256, 64, 4), stop, hands=self.hands)


class OfThreads(AnyHands, TestCase):
    hands = Threads(2)


class OfProcesses(AnyHands, TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.hands = cls.enterClassContext(Processes(2))

    def test_only_what_ends_its_process_alone_is_given_up(self) -> None:
        found = dict(self.hands.each(ending, NOTHING, range(6)))
        self.assertIsInstance(found.pop(2), Ended)
        self.assertEqual(found, {n: n for n in (0, 1, 3, 4, 5)})
        with self.assertRaisesRegex(Refused, "ended every worker"):
            list(in_order(self.hands, ending, NOTHING, range(6)))


class OfACluster(AnyHands, TestCase):
    local: ClassVar[Any]

    @classmethod
    def setUpClass(cls) -> None:
        cls.local = cls.enterClassContext(local_cluster(2))
        cls.hands = Cluster(cls.local.scheduler_address)
        cls.addClassCleanup(cls.hands.close)

    def setUp(self) -> None:
        self.local.wait_for_workers(2, 60)  # those that were killed are back

    def test_its_workers_run_this_code(self) -> None:
        self.assertEqual(self.hands.count, 2)
        self.assertEqual(sorted(self.hands.workers().values()), [1, 1])  # type: ignore[attr-defined]

    def test_a_worker_that_is_killed_costs_only_what_it_was_at(self) -> None:
        with TemporaryDirectory() as folder:
            file = Path(folder) / "done"
            found = []
            for number in in_order(self.hands, noted, Shared(str(file)), range(120)):
                found.append(number)
                if number == 10:
                    os.kill(int(file.read_text().split()[0]), signal.SIGKILL)
            self.assertEqual(found, list(range(120)))
            tries = Counter(line.split()[1] for line in file.read_text().splitlines())
            again = sum(count - 1 for count in tries.values())
        self.assertEqual(len(tries), 120)
        # At most what it was at, eight pieces, and what it had done and not yet been asked for.
        self.assertLessEqual(again, 16)

    def test_a_worker_that_ends_while_it_is_sent_what_is_shared_is_not_waited_for(self) -> None:
        with TemporaryDirectory() as folder:
            found = in_order(self.hands, sent_it, Shared(Fuse(folder), ("fuse", folder)), range(40))
            self.assertEqual(list(found), list(range(40)))
            self.assertGreater(len((Path(folder) / "sent").read_text().splitlines()), 1)

    def test_a_picture_survives_a_killed_worker(self) -> None:
        flat = flatten(ball_room())
        own = render(flat, LOOK, QUALITY, hands=Threads(1))
        killed = []

        def kill_one(fraction: float, message: str) -> None:
            if fraction > 0.3 and not killed:
                killed.append(next(iter(self.local.workers.values())).pid)
                os.kill(killed[0], signal.SIGKILL)

        made = render(flat, LOOK, QUALITY, kill_one, hands=self.hands)
        self.assertTrue(killed)
        np.testing.assert_array_equal(made.even, own.even)
        np.testing.assert_array_equal(made.odd, own.odd)


class AFailingCluster(TestCase):
    def done(self, failures: int, work: Any, count: int) -> dict[int, Any]:
        """What pieces gave on a cluster of one worker that bears so many failures."""
        once: Any = dask.config.set
        with (
            once({"distributed.scheduler.allowed-failures": failures}),
            local_cluster(1) as local,
            closing(Cluster(local.scheduler_address)) as found,
        ):
            return dict(found.each(work, NOTHING, range(count)))

    def test_what_ends_every_worker_is_given_up(self) -> None:
        made = self.done(1, ending, 6)
        self.assertIsInstance(made.pop(2), Ended)
        self.assertEqual(made, {n: n for n in (0, 1, 3, 4, 5)})

    def test_what_waits_beside_it_is_not_blamed(self) -> None:
        """The third waits on the worker that the second ends, so that it is lost with it."""
        made = self.done(0, ending_later, 3)
        self.assertIsInstance(made.pop(1), Ended)
        self.assertEqual(made, {0: 0, 2: 2})

    def test_a_cluster_that_goes_away_leaves_the_rest_to_this_machine(self) -> None:
        with (
            mock.patch("trasloco.hands.cluster._SECONDS", 0.3),
            mock.patch("trasloco.hands.cluster._BACK", 1),
        ):
            local = local_cluster(1)
            found = Cluster(local.scheduler_address)
            self.addCleanup(found.close)
            with TemporaryDirectory() as folder:
                made = []
                for number in in_order(found, noted, Shared(str(Path(folder) / "done")), range(40)):
                    made.append(number)
                    if number == 5:
                        local.close()
        self.assertEqual(made, list(range(40)))


class AWorkerOfOurs(TestCase):
    def test_a_batch_is_done_by_a_worker_that_the_command_started(self) -> None:
        """Packages of a cluster are those of this machine, byte for byte."""
        with local_cluster(0) as local, TemporaryDirectory() as folder:
            place = Path(folder)
            (place / "in").mkdir()
            props(place / "in")
            command = [TRASLOCO, "worker", local.scheduler_address, "--threads", "1"]
            with subprocess.Popen(command, stderr=subprocess.PIPE, text=True) as worker:
                assert worker.stderr is not None
                said = next((line for line in worker.stderr if line.startswith("Works for")), "")
                self.assertIn(local.scheduler_address, said)
                with mock.patch.dict(os.environ, {SETTING: local.scheduler_address}):
                    there = all_done(
                        tasks_of(place / "in", "plain", ["lanterna"], place / "there", (), False)
                    )
                worker.terminate()
            setting._MET.popitem()[1].close()
            here = all_done(tasks_of(place / "in", "plain", ["lanterna"], place / "here", (), False), 1)
            self.assertEqual([one.state for one in there], [one.state for one in here])
            self.assertEqual(files_in(place / "there"), files_in(place / "here"))
            self.assertGreater(len(files_in(place / "there")), 4)

    def test_a_scheduler_that_does_not_answer_is_told(self) -> None:
        with self.assertRaises(Refused) as caught:
            serve("tcp://127.0.0.1:1", 1, seconds=0.5)
        self.assertIn("does not answer", caught.exception.what)


def files_in(folder: Path) -> dict[str, bytes]:
    """What lies in a folder, but for how long it took."""
    return {
        str(path.relative_to(folder)): path.read_bytes()
        for path in folder.rglob("*")
        if path.is_file() and path.name != RESULT
    }


class Setting(TestCase):
    def test_without_a_setting_threads_of_this_machine_do_it(self) -> None:
        with mock.patch.dict(os.environ, {SETTING: ""}):
            self.assertEqual(hands(3), Threads(3))

    def test_a_cluster_that_does_not_answer_is_told_and_the_work_is_done_here(self) -> None:
        with (
            mock.patch.dict(os.environ, {SETTING: "tcp://127.0.0.1:1"}),
            mock.patch("trasloco.hands.cluster._SECONDS", 0.5),
            self.assertLogs("trasloco.hands.setting", "WARNING") as told,
        ):
            self.assertEqual(hands(), Threads())
            self.assertEqual(hands(), Threads())  # not asked again at once
        self.assertEqual(len(told.output), 1)
        self.assertIn("tcp://127.0.0.1:1", told.output[0])
        setting._AWAY.clear()

    def test_workers_with_other_code_are_passed_over(self) -> None:
        with (
            local_cluster(1, processes=False) as local,
            closing(Cluster(local.scheduler_address)) as found,
            mock.patch("trasloco.hands.cluster.code", lambda: "other"),
            self.assertLogs("trasloco.hands.cluster", "WARNING"),
        ):
            found._codes = {next(iter(local.scheduler_info["workers"])): code()}
            self.assertEqual(list(in_order(found, squared, NOTHING, range(4))), [0, 1, 4, 9])
