"""Results on disk: bounded, never taken from a running job, apart from what artists sent, and of use after
the code has changed.
"""

from __future__ import annotations

from datetime import timedelta
from unittest import mock

from django.test import override_settings
from django.utils import timezone

from server.moves.bench import Bench
from server.moves.models import Job, Move, Result
from server.moves.store import blob_path, make_room, put_blob, result_path, store
from tests.making import quad, scene
from tests.server.making import GLB, ServerTest
from tests.server.test_lightmaps_api import WALLED
from trasloco.formats.gltf_write import write_glb


class Bounded(ServerTest):
    def held(self, *keys: str) -> list[bool]:
        return [Result.objects.filter(key=key).exists() for key in keys]

    def test_what_was_not_used_for_longest_leaves_when_there_is_no_room(self) -> None:
        now = timezone.now()
        with override_settings(RESULTS_DISK_BYTES=11_000):
            for hours, key in ((3, "old"), (2, "older use"), (1, "new")):
                store.get_or_make(key, lambda key=key: key.encode() * 700)  # type: ignore[misc]
                Result.objects.filter(key=key).update(used=now - timedelta(hours=hours))
            self.assertEqual(self.held("old", "older use", "new"), [True, True, True])
            store.memory.clear()
            store.get_or_make("old", bytes)  # used again: now it is the last to leave
            store.get_or_make("more", lambda: b"x" * 2000)
            self.assertEqual(self.held("old", "older use", "new", "more"), [True, False, True, True])
        store.memory.clear()
        self.assertEqual(store.get_or_make("older use", lambda: b"made anew"), b"made anew")

    def test_a_running_job_keeps_what_it_may_be_reading(self) -> None:
        move = Move.objects.get(id=self.made())
        Job.objects.create(
            move=move, kind="prove", state=Job.State.RUNNING, started=timezone.now() - timedelta(hours=1)
        )
        Result.objects.update(used=timezone.now())
        with override_settings(RESULTS_DISK_BYTES=1):
            self.assertEqual(make_room(), 0)
            Job.objects.filter(state=Job.State.RUNNING).update(state=Job.State.DONE)
            self.assertGreater(make_room(), 0)
        self.assertFalse(Result.objects.exists())
        self.assertEqual(
            len(self.ask(f"/moves/{move.id}/inventory")["parts"]), len(Bench(move).received().scene.parts())
        )

    def test_results_never_take_the_bytes_of_a_delivery_with_them(self) -> None:
        """A result may be the same bytes as a file that was sent."""
        name = put_blob(GLB)
        store.get_or_make("twin", lambda: GLB)
        kept = result_path(Result.objects.get(key="twin").blob)
        self.assertEqual(kept.read_bytes(), blob_path(name).read_bytes())
        store.drop("twin")
        self.assertEqual((kept.exists(), blob_path(name).exists()), (False, True))


class Damaged(ServerTest):
    """Disks fail, and people clean up."""

    def test_a_damaged_result_is_made_again(self) -> None:
        store.memory.clear()
        move = self.made()
        before = self.ask(f"/moves/{move}/inventory")
        store.memory.clear()
        for row in Result.objects.all():
            path = result_path(row.blob)
            path.write_bytes(path.read_bytes()[:-9] if row.size % 2 else b"\x80rubbish" * 20)
        with self.assertLogs("server.moves.store", "WARNING"):
            self.assertEqual(self.ask(f"/moves/{move}/inventory")["findings"], before["findings"])

    def test_a_damaged_or_lost_delivery_hurts_its_move_alone_and_is_mended_by_adding_it_again(self) -> None:
        move, other = self.made(), self.made({"other.glb": write_glb(scene(quad(), names=("Other",)))})
        name = next(iter(Move.objects.get(id=move).revisions.get().files.values()))
        for spoil in (lambda path: path.write_bytes(b"glTF"), lambda path: path.unlink()):
            spoil(blob_path(name))
            store.memory.clear()
            Result.objects.all().delete()
            told = self.ask(f"/moves/{move}/inventory", expect=422)
            self.assertIn("Add it to the move again", told["remedy"])
            self.assertEqual(len(self.ask("/moves")), 2)
            self.assertEqual(len(self.ask(f"/moves/{other}/inventory")["parts"]), 1)
            self.upload({"rich.glb": GLB}, path=f"/moves/{move}/files")
            self.work()
            self.assertGreater(len(self.ask(f"/moves/{move}/inventory")["parts"]), 1)


class Earlier(ServerTest):
    def test_what_took_minutes_stays_of_use_after_the_code_has_changed_and_is_made_anew_where_asked(
        self,
    ) -> None:
        move = self.made({"walled.glb": WALLED}, destination="lanterna")
        here = f"/moves/{move}"
        self.ask(
            f"{here}/decisions",
            "POST",
            [
                {"target": "lightmaps", "field": field, "value": value}
                for field, value in (
                    ("lightmaps", True),
                    ("paths", 4),
                    ("bounces", 0),
                    ("lightmap_mib", 0.05),
                )
            ],
        )
        self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {}})
        self.ask(
            f"{here}/jobs", "POST", {"kind": "prove", "settings": {"width": 32, "height": 18, "samples": 2}}
        )
        self.assertEqual([job.state for job in self.work()], ["done", "done"])
        first = self.ask(f"{here}/lightmaps")["baked"]
        self.assertEqual(
            (first["earlier"], [(p["current"], p["earlier"]) for p in self.ask(f"{here}/proofs")["proofs"]]),
            (False, [(True, False)]),
        )
        with mock.patch("trasloco.results.name.code_of", return_value="a later version"):
            self.assertTrue(self.ask(f"{here}/lightmaps")["baked"]["earlier"])
            self.assertEqual(
                [(p["current"], p["earlier"]) for p in self.ask(f"{here}/proofs")["proofs"]], [(True, True)]
            )
            self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {}})
            self.work()
            self.assertTrue(self.ask(f"{here}/lightmaps")["baked"]["earlier"])
            self.ask(f"{here}/jobs", "POST", {"kind": "bake", "settings": {"anew": True}})
            self.work()
            self.assertFalse(self.ask(f"{here}/lightmaps")["baked"]["earlier"])
