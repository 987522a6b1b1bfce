"""The API: a move from upload to handover, decisions with undo and redo, refusals, jobs that are cancelled or
orphaned.
"""

import io
import json
import zipfile
from datetime import timedelta
from typing import Any
from unittest import mock

from django.db import DatabaseError
from django.db.models import QuerySet
from django.utils import timezone

from server.lanes.queue import give_back
from server.moves import desk, jobs
from server.moves.models import Job, Move
from server.moves.store import DiskStore, blob_path, put_blob, store
from tests.core.test_bad_input import Refusals
from tests.making import noise_image, sky
from tests.server.making import GLB, ServerTest
from trasloco.errors import Cancelled
from trasloco.progress import Progress


class Moves(ServerTest):
    def test_from_upload_to_handover(self) -> None:
        move = self.upload({"scenes/rich.glb": GLB}, destination="lanterna")
        self.assertEqual((move["name"], move["ready"], move["job"]["state"]), ("rich", False, "waiting"))
        self.assertIn("still being read", self.ask(f"/moves/{move['id']}/inventory", expect=422)["what"])
        self.work()
        here = f"/moves/{move['id']}"
        told = self.ask(here)
        self.assertTrue(told["ready"] and told["picture"])
        inventory = self.ask(f"{here}/inventory")
        self.assertEqual([len(inventory[k]) for k in ("parts", "materials", "lights")], [5, 5, 3])
        self.assertEqual(self.client.get(f"/api/blobs/{inventory['view']}.glb").status_code, 200)
        fit = self.ask(f"{here}/fit")
        self.assertEqual(fit["marks"]["blocked"], 0)
        for path in (
            f"{here}/sample.png?material=material:m",
            f"{here}/input.png?material=material:m&name=roughness",
            f"{here}/crossing.png?crossing=material:m/roughness",
            f"{here}/image.png?image={inventory['images'][0]['id']}",
        ):
            answer = self.client.get(f"/api{path}")
            self.assertEqual((answer.status_code, answer.content[:4]), (200, b"\x89PNG"), path)
        sample = self.ask(f"{here}/samples?material=material:m")
        self.assertLess(sample["mean"], 1.5)
        self.ask(
            f"{here}/jobs",
            "POST",
            {"kind": "prove", "settings": {"width": 64, "height": 36, "samples": 4, "view": "Overview"}},
        )
        self.ask(f"{here}/jobs", "POST", {"kind": "deliver"})
        self.assertEqual([job.state for job in self.work()], ["done", "done"])
        proof = self.ask(f"{here}/proofs")["proofs"][0]
        self.assertTrue(
            proof["current"]
            and set(proof["pictures"]["Overview"])
            == {"reference", "arrival", "difference", "flip", "reference_exr", "arrival_exr"}
        )
        handover = self.ask(f"{here}/handovers")[0]
        archive = zipfile.ZipFile(
            io.BytesIO(
                b"".join(self.client.get(f"/api/handovers/{handover['id']}/package.zip").streaming_content)
            )
        )
        self.assertEqual(
            sorted(archive.namelist()),
            sorted(
                [
                    *(f["path"] for f in handover["files"]),
                    "contents.txt",
                    "packing-list.json",
                    "packing-list.txt",
                    "report.html",
                    "return-note.txt",
                ]
            ),
        )
        report = b"".join(self.client.get(f"/api/handovers/{handover['id']}/report").streaming_content)
        self.assertIn(b"What was sent, and what arrived", report)

    def test_handovers_are_numbered_and_never_overwritten(self) -> None:
        move = self.made()
        for _ in range(2):
            self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
            self.work()
        first = self.ask(f"/moves/{move}/handovers")[1]
        self.ask(
            f"/moves/{move}/decisions", "POST", [{"target": "part:Pane", "field": "include", "value": False}]
        )
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        self.work()
        rows = self.ask(f"/moves/{move}/handovers")
        self.assertEqual([r["number"] for r in rows], [3, 2, 1])
        self.assertEqual((rows[2], rows[0]["current"]), (first | {"current": False}, True))
        self.assertIn("\n  Pane\n", rows[2]["packing_list"])
        self.assertNotIn("\n  Pane\n", rows[0]["packing_list"])
        self.assertIn("\n  Pane: left out\n", rows[0]["packing_list"])

    def test_decisions_change_the_plan_and_walk_back_and_forth(self) -> None:
        move = self.made()
        here = f"/moves/{move}"

        def rough() -> float:
            return next(
                c for c in self.ask(f"{here}/fit")["crossings"] if c["id"] == "material:cloth/roughness"
            )["given"]["factor"][0]

        before = rough()
        for value in (0.25, 0.75):
            self.ask(
                f"{here}/decisions",
                "POST",
                [{"target": "material:cloth/roughness", "field": "factor", "value": [value]}],
            )
        self.assertEqual(rough(), 0.75)
        self.ask(f"{here}/undo", "POST")
        self.assertEqual(rough(), 0.25)
        told = self.ask(f"{here}/undo", "POST")
        self.assertEqual((rough(), told["can_undo"], told["can_redo"]), (before, False, True))
        self.ask(f"{here}/redo", "POST")
        self.assertEqual(rough(), 0.25)
        self.ask(
            f"{here}/decisions",
            "POST",
            [{"target": "material:cloth/roughness", "field": "factor", "value": [0.5]}],
        )
        self.assertEqual((rough(), self.ask(here)["can_redo"]), (0.5, False))
        for _ in range(5):
            self.ask(f"{here}/undo", "POST")
        self.assertEqual(rough(), before)

    def test_changing_the_destination_changes_the_plan_at_once(self) -> None:
        move = self.made()
        lost = self.ask(f"/moves/{move}/fit")["marks"]["lost"]
        self.ask(f"/moves/{move}", "PATCH", {"destination": "Fornace"})
        fit = self.ask(f"/moves/{move}/fit")
        self.assertLess(fit["marks"]["lost"], lost)
        self.assertIn("metres to centimetres, times 100", fit["geometry"])

    def test_files_dropped_later_make_the_next_revision_and_keep_decisions(self) -> None:
        obj = b"mtllib a.mtl\no Sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl cloth\nf 1/1 2/2 3/3\n"
        move = self.made({"a.obj": obj, "a.mtl": b"newmtl cloth\nmap_Kd sail.png\n"})
        here = f"/moves/{move}"
        self.assertIn("missing_image", [f["kind"] for f in self.ask(f"{here}/inventory")["findings"]])
        self.ask(f"{here}/decisions", "POST", [{"target": "scene", "field": "unit_m", "value": 0.01}])
        self.upload({"elsewhere/sail.png": noise_image("sail").data}, path=f"{here}/files")
        self.work()
        inventory = self.ask(f"{here}/inventory")
        self.assertNotIn("missing_image", [f["kind"] for f in inventory["findings"]])
        self.assertEqual(
            (self.ask(here)["revision"], inventory["size"]["unit_m"], inventory["size"]["unit_origin"]),
            (2, 0.01, "decision"),
        )

    def test_the_light_stop_turns_and_dims(self) -> None:
        move = self.made({"rich.glb": GLB, "sky.exr": sky(2.0).data})
        here = f"/moves/{move}"
        before = self.ask(f"{here}/light")
        self.assertEqual(before["environment"]["name"], "sky.exr")
        lamp = before["lights"][0]
        self.ask(
            f"{here}/decisions",
            "POST",
            [
                {"target": lamp["id"], "field": "intensity", "value": 5},
                {"target": "environment", "field": "turn_rad", "value": 1.5},
                {"target": "proof", "field": "ev100", "value": 4.5},
            ],
        )
        after = self.ask(f"{here}/light")
        self.assertEqual(
            (
                after["lights"][0]["intensity"],
                after["lights"][0]["received_intensity"],
                after["environment"]["turn_rad"],
                after["ev100"],
            ),
            (5, lamp["intensity"], 1.5, 4.5),
        )


class Refused(ServerTest):
    def test_every_bad_delivery_keeps_the_move_and_says_why(self) -> None:
        for name, (files, words) in Refusals.CASES.items():
            if not files:
                continue
            with self.subTest(name):
                move = self.upload(files)
                self.work()
                told = self.ask(f"/moves/{move['id']}")
                self.assertFalse(told["ready"])
                self.assertIn(words, f"{told['refusal']['what']} {told['refusal']['where']}")
                self.assertEqual(
                    set(self.ask(f"/moves/{move['id']}/fit", expect=422)), {"what", "where", "remedy"}
                )

    def test_requests_that_cannot_be(self) -> None:
        move = self.made()
        here = f"/moves/{move}"
        for path, method, body in (
            ("/moves/999999", "GET", None),
            (f"{here}/nothing", "GET", None),
            (f"{here}/decisions", "POST", [{"target": "x", "field": "explode", "value": 1}]),
            (f"{here}/decisions", "POST", {"not": "a list"}),
            (f"{here}/decisions", "POST", [{"target": "scene", "field": "unit_m", "value": -1}]),
            (f"{here}/decisions", "POST", [{"target": "scene", "field": "up_axis", "value": "Q"}]),
            (
                f"{here}/decisions",
                "POST",
                [{"target": "material:m/roughness", "field": "factor", "value": "shiny"}],
            ),
            (
                f"{here}/decisions",
                "POST",
                [{"target": "material:m/roughness", "field": "image", "value": "image:nowhere"}],
            ),
            (f"{here}/jobs", "POST", {"kind": "dance"}),
            (here, "PATCH", {"destination": "narnia"}),
            (f"{here}/sample.png?material=none", "GET", None),
            (f"{here}/input.png?material=material:m&name=shine", "GET", None),
            (f"{here}/image.png?image=none", "GET", None),
            (f"{here}/crossing.png?crossing=none", "GET", None),
            (f"/blobs/{'0' * 64}.png", "GET", None),
        ):
            response = self.client.generic(
                method,
                f"/api{path}",
                json.dumps(body) if body is not None else "",
                content_type="application/json",
            )
            self.assertIn(response.status_code, (404, 422), path)
            self.assertNotIn(b"Traceback", response.content)
        self.assertFalse(self.ask(here)["can_undo"])

    def test_names_that_climb_are_refused_at_the_door(self) -> None:
        self.assertIn("outside", self.upload({"../../x.glb": GLB}, expect=422)["what"])

    def test_other_sites_cannot_write(self) -> None:
        response = self.client.post("/api/moves/1/undo", HTTP_ORIGIN="http://elsewhere.example")
        self.assertEqual(response.status_code, 403)


class Jobs(ServerTest):
    def test_a_waiting_job_is_cancelled_before_it_starts_and_a_running_one_at_its_next_report(self) -> None:
        move = self.made()
        job = self.ask(
            f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": {"width": 64, "height": 36}}
        )
        self.assertEqual(self.ask(f"/jobs/{job['id']}/cancel", "POST")["state"], "cancelled")
        self.assertEqual(self.work(), [])
        running = Job.objects.create(
            move_id=move, kind="prove", state=Job.State.RUNNING, cancel=True, beat=timezone.now()
        )
        with self.assertRaises(Cancelled):
            jobs.reporter(running.id)(0.5, "half")
        self.assertEqual(self.ask(f"/moves/{move}/proofs")["proofs"], [])

    def test_a_job_whose_worker_died_is_taken_up_again_three_times_at_most(self) -> None:
        move = self.made()
        row = Job.objects.create(move_id=move, kind="deliver", state=Job.State.RUNNING, tries=2)
        gone = Job.objects.create(move_id=move, kind="again", state=Job.State.RUNNING, tries=1, cancel=True)
        self.assertEqual(give_back(), 2)
        row.refresh_from_db()
        gone.refresh_from_db()
        self.assertEqual((row.state, gone.state), ("waiting", "cancelled"))
        self.work()
        row.refresh_from_db()
        self.assertEqual((row.state, row.tries), ("done", 3))

    def test_a_job_whose_worker_died_says_so_and_can_be_run_again(self) -> None:
        move = self.made()
        job = Job.objects.create(
            move_id=move,
            kind="deliver",
            state=Job.State.RUNNING,
            tries=3,
            beat=timezone.now() - timedelta(minutes=2),
        )
        self.assertEqual(self.ask(f"/jobs/{job.id}")["state"], "stopped")
        self.assertEqual(give_back(), 1)
        self.assertIn("Run it again", self.ask(f"/jobs/{job.id}")["message"])
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        self.assertEqual(self.work()[0].state, "done")

    def test_time_left_follows_the_pace(self) -> None:
        move = Move.objects.create(name="x", source="plain", destination="lanterna")
        job = Job.objects.create(
            move=move,
            kind="prove",
            state=Job.State.RUNNING,
            fraction=0.25,
            started=timezone.now() - timedelta(seconds=10),
            beat=timezone.now(),
        )
        self.assertAlmostEqual(desk.seconds_left(job) or 0, 30, delta=1)
        job.fraction = 0.0
        self.assertIsNone(desk.seconds_left(job))

    def test_faults_of_the_program_end_a_job_with_words(self) -> None:
        move = self.made()

        def broken(*_: object) -> None:
            raise ZeroDivisionError

        kept, jobs._WORK["deliver"] = jobs._WORK["deliver"], broken  # type: ignore[assignment]
        try:
            self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
            with self.assertLogs("server.moves.jobs", "ERROR"):
                job = self.work()[0]
        finally:
            jobs._WORK["deliver"] = kept
        self.assertEqual(job.state, "refused")
        self.assertNotIn("ZeroDivision", str(job.refusal))

    def test_a_job_waits_for_a_held_database_but_not_for_a_damaged_one(self) -> None:
        for said, wanted, times in (("database is locked", "done", 2), ("file is malformed", "refused", 1)):
            move, tried = self.made(), []
            wrong = [DatabaseError(said)]

            def held_once(job: Job, report: Progress, wrong: Any = wrong, tried: Any = tried) -> None:
                tried.append(job.id)
                if wrong:
                    raise wrong.pop()

            with mock.patch.dict(jobs._WORK, {"deliver": held_once}):
                self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
                job = self.work()[0]
            self.assertEqual((job.state, len(tried)), (wanted, times), said)

    def test_a_report_that_cannot_be_written_ends_no_job(self) -> None:
        move = Move.objects.create(name="x", source="plain", destination="lanterna")
        job = Job.objects.create(move=move, kind="prove", state=Job.State.RUNNING)
        with mock.patch.object(QuerySet, "update", side_effect=DatabaseError("database is locked")):
            jobs.reporter(job.id)(0.5, "half")
        Job.objects.filter(id=job.id).update(cancel=True)
        with self.assertRaises(Cancelled):
            jobs.reporter(job.id)(0.5, "half")


class Pressed(ServerTest):
    def test_ten_presses_of_deliver_make_one_handover_and_a_later_one_another(self) -> None:
        move = self.made(destination="lanterna")
        first = self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        Job.objects.filter(id=first["id"]).update(state=Job.State.RUNNING)  # taken up by a worker
        for _ in range(9):
            self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        Job.objects.filter(id=first["id"]).update(state=Job.State.WAITING)
        done = self.work()
        self.assertEqual([job.state for job in done], ["done", "done"])
        self.assertEqual(done[0].result, done[1].result)
        self.assertEqual(len(self.ask(f"/moves/{move}/handovers")), 1)
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver"})
        self.work()
        self.assertEqual([row["number"] for row in self.ask(f"/moves/{move}/handovers")], [2, 1])


class Kept(ServerTest):
    def test_results_are_made_once_and_survive_a_restart(self) -> None:
        made: list[int] = []
        key = "k" * 64
        for holder in (store, store, DiskStore()):
            self.assertEqual(holder.get_or_make(key, lambda: made.append(1) or len(made)), 1)  # type: ignore[func-returns-value]
        self.assertEqual(len(made), 1)

    def test_equal_bytes_are_kept_once(self) -> None:
        self.assertEqual(put_blob(b"same"), put_blob(b"same"))
        self.assertEqual(blob_path(put_blob(b"same")).read_bytes(), b"same")

    def test_every_page_is_served_at_its_own_address(self) -> None:
        for path in ("/", "/sheets", "/moves/1/fit?material=x"):
            response = self.client.get(path)
            self.assertEqual(response.status_code, 200, path)
            self.assertIn(b'id="root"', b"".join(response.streaming_content))
