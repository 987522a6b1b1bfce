"""A backup brings everything back, is checked before anything is touched, and a database that cannot be used
is told at the start.
"""

from __future__ import annotations

import json
import sqlite3
import subprocess
import sys
import tempfile
import zipfile
from contextlib import closing
from pathlib import Path
from unittest import TestCase

from django.conf import settings
from django.db import connection

from server.backup import DATABASE, backup, fault_of_database, restore
from server.holding import hold
from server.moves.models import Move
from server.moves.store import blob_path
from server.soundness import check_database
from tests.server.making import ServerTest
from trasloco.errors import Refused


class Backups(ServerTest):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.data = self.folder / "data"
        self.data.mkdir()

    def kept(self) -> Path:
        """A backup of this test's moves, whose database lies beside the folder's usual one."""
        (self.data / "blobs").symlink_to(Path(settings.DATA_DIR) / "blobs")
        with closing(sqlite3.connect(self.data / DATABASE)) as copy:
            connection.ensure_connection()
            connection.connection.backup(copy)
        target = self.folder / "kept.zip"
        self.assertEqual(backup(self.data, target)[1], 0)
        return target

    def test_everything_comes_back_and_what_was_there_is_moved_aside(self) -> None:
        move = self.made()
        digest = next(iter(Move.objects.get(id=move).revisions.get().files.values()))
        target, other = self.kept(), self.folder / "other"
        other.mkdir()
        (other / DATABASE).write_text("something else")
        restore(target, other)
        self.assertEqual((other / "blobs" / digest[:2] / digest).read_bytes(), blob_path(digest).read_bytes())
        with closing(sqlite3.connect(other / DATABASE)) as held:
            self.assertEqual(held.execute("SELECT id FROM moves_move").fetchall(), [(move,)])
            self.assertEqual(held.execute("SELECT count(*) FROM moves_result").fetchall(), [(0,)])
        aside = list(other.glob("before-restore-*"))
        self.assertEqual((aside[0] / DATABASE).read_text(), "something else")
        self.assertEqual([p.name for p in other.glob("restoring-*")], [])

    def test_a_damaged_backup_changes_nothing(self) -> None:
        self.made()
        target, other = self.kept(), self.folder / "other"
        other.mkdir()
        (other / DATABASE).write_text("mine")
        data = bytearray(target.read_bytes())
        with zipfile.ZipFile(target) as archive:
            name = next(one for one in archive.namelist() if one.startswith("blobs/"))
            entry = archive.getinfo(name)
        spoilt = self.folder / "spoilt.zip"
        data[entry.header_offset + 30 + len(name) + 40] ^= 255
        spoilt.write_bytes(data)
        short = self.folder / "short.zip"
        short.write_bytes(target.read_bytes()[:-200])
        forged = self.folder / "forged.zip"
        with zipfile.ZipFile(forged, "w") as archive:
            archive.writestr(
                "manifest.json", json.dumps({"database": "../../x", "blobs": ["../../etc/passwd"]})
            )
        for bad in (spoilt, short, forged, self.folder / "none.zip"):
            with self.assertRaises(Refused):
                restore(bad, other)
        self.assertEqual((other / DATABASE).read_text(), "mine")

    def test_nothing_is_brought_back_under_a_running_instance(self) -> None:
        self.made()
        target, other = self.kept(), self.folder / "other"
        held = hold(other, "work")
        with self.assertRaisesRegex(Refused, "Another Trasloco"):
            restore(target, other)
        held.let_go()
        restore(target, other)

    def test_a_database_of_a_later_version_is_told(self) -> None:
        check_database(self.data)
        with connection.cursor() as cursor:
            cursor.execute(
                "INSERT INTO django_migrations (app, name, applied) VALUES ('moves', '9999_later', '2030-01-01')"
            )
            try:
                with self.assertRaisesRegex(Refused, "later version.*9999_later"):
                    check_database(self.data)
            finally:
                cursor.execute("DELETE FROM django_migrations WHERE name = '9999_later'")


class Damaged(TestCase):
    def test_a_damaged_database_is_told_at_the_start_and_left_as_it_is(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / DATABASE
            with closing(sqlite3.connect(path)) as held:
                held.execute("CREATE TABLE t (x)")
                held.executemany("INSERT INTO t VALUES (?)", [("y" * 500,)] * 200)
                held.commit()
            self.assertEqual(fault_of_database(path), "")
            data = bytearray(path.read_bytes())
            data[4096:12288] = b"\xff" * 8192
            path.write_bytes(data)
            self.assertNotEqual(fault_of_database(path), "")
            done = subprocess.run(
                [sys.executable, "-m", "server.run", "--port", "8799"],
                env={"TRASLOCO_DATA": name, "PATH": ""},
                capture_output=True,
                text=True,
            )
            self.assertEqual(done.returncode, 1, done.stderr)
            self.assertIn("trasloco restore", done.stderr)
            self.assertNotIn("Traceback", done.stderr)
            self.assertEqual(path.read_bytes(), bytes(data))

    def test_nobody_else_is_served_without_accounts(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            done = subprocess.run(
                [sys.executable, "-m", "server.run", "--port", "8799", "--host", "0.0.0.0"],
                env={"TRASLOCO_DATA": name, "PATH": ""},
                capture_output=True,
                text=True,
            )
            self.assertEqual(done.returncode, 1)
            self.assertIn("trasloco user add", done.stderr)
            wild = subprocess.run(
                [sys.executable, "manage.py", "check"],
                env={"TRASLOCO_DATA": name, "PATH": "", "TRASLOCO_HOSTS": "*"},
                capture_output=True,
                text=True,
            )
            self.assertIn("nobody signs in", wild.stderr)
            added = subprocess.run(
                [sys.executable, "-m", "console.command", "user", "add", "ada"],
                env={"TRASLOCO_DATA": name, "PATH": ""},
                input="12345\n",
                capture_output=True,
                text=True,
            )
            self.assertEqual(added.returncode, 2)
            self.assertIn("too short", added.stderr)
