"""Taken off the desk and brought back; what takes room; what nobody needs is removed; damaged rows and full
disks are told.
"""

from __future__ import annotations

import errno
import os
import time
from contextlib import AbstractContextManager
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.db import OperationalError
from django.utils import timezone

from server.moves.faults import fault_of
from server.moves.models import Job, Move, ProofRow, Result
from server.moves.room import UNTOUCHED_S, blobs_of, bytes_of, keep_house, purge
from server.moves.store import blob_path, put_blob, result_path, store
from tests.making import cube, noise_image, quad, scene
from tests.server.making import GLB, ServerTest
from trasloco.formats.gltf_write import write_glb


class Removed(ServerTest):
    def setUp(self) -> None:
        store.memory.clear()

    def test_a_move_is_taken_off_brought_back_and_its_work_stops(self) -> None:
        move = self.made()
        job = self.ask(f"/moves/{move}/jobs", "POST", {"kind": "account"})
        self.ask(f"/moves/{move}", "DELETE", expect=204)
        self.assertEqual(self.ask("/moves"), [])
        self.ask(f"/moves/{move}/inventory", expect=404)
        self.assertEqual(Job.objects.get(id=job["id"]).state, "cancelled")
        told = self.ask("/taken-off")
        self.assertEqual([(one["id"], one["days_left"]) for one in told], [(move, 30)])
        self.assertGreater(told[0]["bytes"], len(GLB))
        self.assertEqual(self.ask(f"/taken-off/{move}/back", "POST")["name"], "rich")
        self.assertEqual([one["id"] for one in self.ask("/moves")], [move])
        self.assertEqual(self.ask("/taken-off"), [])
        self.ask(f"/taken-off/{move}", "DELETE", expect=404)

    def test_removed_for_good_frees_what_only_it_used(self) -> None:
        image = noise_image("cloth", 8, 8).data
        other = self.made({"a.glb": write_glb(scene(quad(), names=("One",))), "shared.png": image})
        move = self.made({"b.glb": write_glb(scene(cube(1.0), names=("Two",))), "shared.png": image})
        shared, before = blobs_of(Move.objects.filter(id=other)), bytes_of(Move.objects.get(id=move))
        own = blobs_of(Move.objects.filter(id=move)) - shared
        self.assertTrue(own)
        same = set(Result.objects.exclude(move=move).values_list("blob", flat=True))
        mine = Result.objects.filter(move=move).values_list("blob", flat=True)
        results = [result_path(one) for one in mine if one not in same]
        self.assertTrue(results)
        self.ask(f"/moves/{move}", "DELETE", expect=204)
        self.assertTrue(all(blob_path(digest).exists() for digest in own))
        with mock.patch("server.moves.api.trash.purge", side_effect=purge) as made:
            self.ask(f"/taken-off/{move}", "DELETE", expect=204)
        self.assertEqual(made.call_count, 1)
        self.assertFalse(any(blob_path(digest).exists() for digest in own))
        self.assertFalse(any(path.exists() for path in results))
        self.assertTrue(all(blob_path(digest).exists() for digest in shared))
        self.assertGreater(before, 0)
        self.assertEqual(len(self.ask(f"/moves/{other}/inventory")["parts"]), 1)

    def test_a_result_that_two_moves_read_stays_when_one_leaves(self) -> None:
        first = self.made()
        store.memory.clear()
        self.made()  # the same delivery: it reads what the first made
        key = Result.objects.filter(move=None).values_list("key", flat=True).first()
        self.assertIsNotNone(key)
        purge(Move.objects.get(id=first))
        self.assertTrue(Result.objects.filter(key=key).exists())

    def test_after_thirty_days_it_is_gone_and_so_is_what_no_row_names(self) -> None:
        move, kept = self.made(), self.made({"a.glb": write_glb(scene(quad(), names=("One",)))})
        lost, fresh = put_blob(b"nobody refers to me"), put_blob(b"my row is on its way")
        for digest in (lost, *blobs_of(Move.objects.filter(id=kept))):
            os.utime(blob_path(digest), (0, time.time() - UNTOUCHED_S - 9))
        half = blob_path(lost).parent / "tmpabc"
        half.write_bytes(b"half")
        os.utime(half, (0, time.time() - UNTOUCHED_S - 9))
        Move.objects.filter(id=move).update(deleted=timezone.now() - timedelta(days=31))
        keep_house()
        self.assertFalse(Move.objects.filter(id=move).exists())
        self.assertEqual(
            [blob_path(lost).exists(), half.exists(), blob_path(fresh).exists()], [False, False, True]
        )
        self.assertEqual(len(self.ask(f"/moves/{kept}/inventory")["parts"]), 1)

    def test_old_jobs_leave_but_for_the_last_of_a_kind(self) -> None:
        move = Move.objects.get(id=self.made())
        old = timezone.now() - timedelta(days=60)
        for _ in range(3):
            Job.objects.create(move=move, kind="account", state=Job.State.DONE, finished=old)
        keep_house()
        self.assertEqual(Job.objects.filter(move=move, kind="account").count(), 1)
        self.assertEqual(Job.objects.filter(move=move, kind="receive").count(), 1)

    def test_what_takes_room_is_told(self) -> None:
        move = self.made()
        told = self.ask("/room")
        self.assertEqual([one["id"] for one in told["moves"]], [move])
        self.assertGreaterEqual(told["moves"][0]["bytes"], len(GLB))
        self.assertGreater(told["free"], 0)
        self.assertLessEqual(told["results"], told["results_most"])


class Faults(ServerTest):
    def test_one_damaged_move_never_hurts_the_desk(self) -> None:
        bad, good = self.made(), self.made()
        ProofRow.objects.create(move_id=bad, number=1, figures={}, pictures={}, plan="")
        Move.objects.update(told="")
        with self.assertLogs("server.moves.desk", "ERROR"):
            told = {one["id"]: one for one in self.ask("/moves")}
        self.assertIn("damaged", told[bad]["refusal"]["what"])
        self.assertTrue(told[good]["ready"])

    def failing(self, error: Exception) -> AbstractContextManager[Any]:
        return mock.patch("server.moves.api.deciding.keep_decisions", side_effect=error)

    def test_what_is_wrong_outside_is_told_as_what_it_is(self) -> None:
        move = self.made()
        for error, status, words in (
            (OSError(errno.ENOSPC, "No space left on device"), 507, "disk is full"),
            (OSError(errno.EROFS, "Read-only file system"), 507, "cannot be written"),
            (OperationalError("database or disk is full"), 507, "disk is full"),
            (OperationalError("attempt to write a readonly database"), 507, "cannot be written"),
            (OperationalError("database is locked"), 503, "holds the database"),
            (OperationalError("no such table: moves_move"), 503, "cannot be read"),
            (OperationalError("database disk image is malformed"), 503, "cannot be read"),
        ):
            with self.failing(error), self.assertLogs("server.moves.api", "WARNING"):
                told = self.ask(f"/moves/{move}/decisions", "POST", [], expect=status)
            self.assertIn(words, told["what"], error)
            self.assertTrue(told["remedy"])
        self.assertIsNone(fault_of(ValueError("ours")))

    def test_work_without_room_is_refused_before_it_begins(self) -> None:
        move = self.made()
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        usage = mock.Mock(free=10 * 2**20)
        with mock.patch("server.moves.faults.shutil.disk_usage", return_value=usage):
            job = self.work()[0]
            answer = self.client.post(f"/api/moves/{move}/files", {"name": "x" * 100})
        self.assertEqual(job.state, "refused")
        self.assertIn("too little room", job.refusal["what"])
        self.assertEqual(answer.status_code, 507)
        self.assertEqual(job.result, {})

    def test_a_result_that_cannot_be_kept_is_used_all_the_same(self) -> None:
        with (
            mock.patch("server.moves.store._write_once", side_effect=OSError(errno.ENOSPC, "full")),
            self.assertLogs("server.moves.store", "WARNING"),
        ):
            self.assertEqual(store.get_or_make("fresh", lambda: b"made"), b"made")
        self.assertFalse(Result.objects.filter(key="fresh").exists())

    def test_uploads_leave_nothing_behind(self) -> None:
        self.upload({"big.glb": GLB + b"\0" * settings.FILE_UPLOAD_MAX_MEMORY_SIZE}, expect=200)
        self.assertEqual(list(Path(settings.FILE_UPLOAD_TEMP_DIR).iterdir()), [])
        names = [path.name for path in (Path(settings.DATA_DIR) / "blobs").rglob("tmp*")]
        self.assertEqual(names, [])
