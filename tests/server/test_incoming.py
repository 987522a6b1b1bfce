"""Large files are kept where they came in, under their digest, and read where they lie."""

from __future__ import annotations

import hashlib
from pathlib import Path
from unittest import mock

import numpy as np
from django.conf import settings
from django.test import override_settings

from server.moves import incoming
from server.moves import store as kept_files
from server.moves.bench import Bench
from server.moves.models import Move, Result
from server.moves.store import blob_at_rest, blob_path, get_blob, result_path, store
from tests.server.making import GLB, ServerTest
from trasloco.at_rest import is_mapped


class ComingIn(ServerTest):
    def test_a_large_file_is_moved_to_its_place_and_not_copied(self) -> None:
        large = np.random.default_rng(5).bytes(3 * 2**20)
        with (
            override_settings(FILE_UPLOAD_MAX_MEMORY_SIZE=2**20),
            mock.patch.object(incoming, "put_chunks", side_effect=AssertionError("copied")),
        ):
            move = self.upload({"notes.bin": large, "again.bin": large, "rich.glb": GLB + b"\0" * 2**20})[
                "id"
            ]
        files = Move.objects.get(id=move).revisions.get().files
        digest = hashlib.sha256(large).hexdigest()
        self.assertEqual((files["notes.bin"], files["again.bin"]), (digest, digest))
        self.assertEqual(blob_path(digest).read_bytes(), large)
        self.assertEqual([one.name for one in Path(settings.FILE_UPLOAD_TEMP_DIR).glob("*.upload*")], [])
        self.work()
        self.assertTrue(self.ask(f"/moves/{move}/inventory")["parts"])

    def test_a_move_reads_large_files_and_results_where_they_lie(self) -> None:
        store.memory.clear()  # what others made of the same file is in memory alone
        with mock.patch.object(kept_files, "_MAPPED", 1024):
            move = Move.objects.get(id=self.made())
            blob = next(iter(move.revisions.get().files.values()))
            self.assertTrue(is_mapped(blob_at_rest(blob)))
            self.assertEqual(get_blob(blob), GLB)
            told = self.ask(f"/moves/{move.id}/inventory")
            store.memory.clear()
            bench = Bench(move)
            shape = next(iter(bench.received().scene.meshes.values())).primitives[0]
            self.assertTrue(is_mapped(shape.positions))
            image = next(i for i in bench.received().scene.images.values() if len(i.data) > 100)
            self.assertEqual(hashlib.sha256(image.data).hexdigest(), image.digest)
            package = bench.package()
            store.memory.clear()
            again = Bench(move).package()
            self.assertEqual({p: bytes(d) for p, d in again.files.items()}, package.files)
            self.assertEqual(self.ask(f"/moves/{move.id}/inventory"), told)

    def test_what_an_earlier_version_kept_is_read(self) -> None:
        """Light that took half an hour to bake is not lost with an update."""
        import pickle

        for name in ("pickled", "bytes"):
            data = pickle.dumps([1, 2, 3]) if name == "pickled" else b"told " * 99
            digest = hashlib.sha256(data).hexdigest()
            result_path(digest).parent.mkdir(parents=True, exist_ok=True)
            result_path(digest).write_bytes(data)
            Result.objects.create(key=name, blob=digest, size=len(data), pickled=name == "pickled")
        self.assertEqual(store.get("pickled"), [1, 2, 3])
        self.assertEqual(store.get("bytes"), b"told " * 99)
