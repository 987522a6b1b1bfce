"""Proofs through the API: kept views, limits, pixels, files, causes, what comes from the store, what goes on
after a stop.
"""

from __future__ import annotations

import io
import zipfile
from dataclasses import replace
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image

from server.moves import jobs
from server.moves.bench import Bench
from server.moves.models import Job, Move, ProofRow
from server.moves.store import store
from tests.core.test_sequence import winch
from tests.making import quad, scene
from tests.server.making import ServerTest
from trasloco.errors import Cancelled
from trasloco.formats.gltf_write import write_glb
from trasloco.results import proving
from trasloco.results.pages.proof import seconds_a_sample, words_of
from trasloco.scene.images import identify, pixels

SMALL = {"width": 64, "height": 36, "samples": 4, "view": "Overview"}
STAND = {"matrix": [1, 0, 0, 0, 0, 1, 0, 0.5, 0, 0, 1, 4, 0, 0, 0, 1], "yfov_rad": 0.6}


class Proofs(ServerTest):
    def proved(self, move: int, **settings: Any) -> dict[str, Any]:
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": {**SMALL, **settings}})
        self.assertEqual(self.work()[-1].state, "done")
        return self.ask(f"/moves/{move}/proofs")["proofs"][0]  # type: ignore[no-any-return]

    def test_kept_views_are_proved_beside_the_cameras(self) -> None:
        move = self.made(destination="lanterna")
        views = [
            {"name": "From the left", **STAND},
            {"name": "Overview", **STAND, "lens_radius_m": 0.01, "focus_m": 3},
        ]
        self.ask(f"/moves/{move}/decisions", "POST", [{"target": "proof", "field": "views", "value": views}])
        names = self.ask(f"/moves/{move}/proofs")["views"]
        self.assertIn("From the left", names)
        self.assertEqual(len(names), len(set(names)))
        proof = self.proved(move, view="all")
        self.assertEqual({v["name"] for v in proof["figures"]["views"]}, set(names))
        self.assertEqual(proof["figures"]["mean"], max(v["mean"] for v in proof["figures"]["views"]))

    def test_a_proof_is_asked_to_be_known_and_says_how_well_it_is(self) -> None:
        move = self.made(destination="lanterna")
        figures = self.proved(move, samples=64, within=1.0)["figures"]
        self.assertEqual((figures["asked_within"], figures["known_as_asked"]), (1.0, True))
        subject = figures["subject"]
        self.assertAlmostEqual(figures["within"], (subject["high"] - subject["low"]) / 2, places=6)
        self.assertLessEqual(figures["within"], 1.0)
        capped = self.proved(move, samples=8, within=0.02)["figures"]
        self.assertLessEqual(capped["views"][0]["samples"], 8)
        self.assertEqual(capped["known_as_asked"], capped["within"] <= 0.02)
        self.assertIsNone(self.proved(move)["figures"]["asked_within"])
        offered = self.ask(f"/moves/{move}/proofs")["known_to"]
        self.assertEqual([one["within"] for one in offered], sorted(proving.KNOWN_TO, reverse=True))
        bench = Bench(Move.objects.get(id=move))
        for one in offered:  # said alone, it brings the most samples along
            asked = proving.asked_of(bench, {"within": one["within"]})
            self.assertEqual((asked.within, asked.quality.samples), (one["within"], one["samples"]))
        self.assertEqual(proving.asked_of(bench, {"within": 0.3, "samples": 5}).quality.samples, 5)
        # What is measured beside it draws as many paths, at half the size and half the samples.
        self.proved(move, samples=1024, within=1.0, width=72)
        kept = ProofRow.objects.order_by("-number")[0].figures
        taken = kept["views"][0]["samples"]
        self.assertLess(taken, 1024 / 8)
        self.assertEqual(proving.worst_view(bench, kept)[1].samples, min(round(8 * taken), 128))
        further = {**kept, "views": [{**kept["views"][0], "samples": 300.0}]}
        self.assertEqual(proving.worst_view(bench, further)[1].samples, 128)
        self.proved(move, samples=6, width=72)
        kept = ProofRow.objects.order_by("-number")[0].figures
        self.assertEqual(proving.worst_view(bench, kept)[1].samples, 6)
        wrong = {"kind": "prove", "settings": {**SMALL, "within": -1}}
        self.ask(f"/moves/{move}/jobs", "POST", wrong, 422)

    def test_an_area_is_proved_and_blamed_as_a_view_of_its_own(self) -> None:
        move = self.made(destination="lanterna")
        whole = self.proved(move, samples=8)
        area = [0.25, 0.25, 0.75, 0.75]
        proof = self.proved(move, samples=8, area=area)
        (view,) = proof["figures"]["views"]
        self.assertEqual((view["window"], view["width"], view["height"]), (area, 64, 36))
        self.assertTrue(view["name"].startswith(f"{whole['figures']['views'][0]['name']}, 25–75 % across"))
        near = Image.open(io.BytesIO(self.picture(proof, view["name"])))
        far = Image.open(io.BytesIO(self.picture(whole, whole["figures"]["views"][0]["name"])))
        small = np.asarray(near.resize((32, 18), Image.Resampling.BOX)).astype(float)
        crop = np.asarray(far).astype(float)[9:27, 16:48]
        self.assertLess(np.abs(small - crop).mean(), 12)  # codes; another view of it differs by dozens
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "causes", "settings": {"proof": proof["id"]}})
        self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)])
        for wrong in ([0.5, 0, 0.5, 1], [0.2, 0.9, 0.4, 0.1]):
            self.ask(f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": {**SMALL, "area": wrong}})
            refused = self.work()[-1].refusal
            self.assertIn("no area", (refused or {})["what"])

    def picture(self, proof: dict[str, Any], view: str) -> bytes:
        answer = self.client.get(f"/api/proofs/{proof['id']}/picture", {"view": view, "side": "reference"})
        self.assertEqual(answer.status_code, 200)
        return b"".join(answer) if answer.streaming else answer.content  # type: ignore[arg-type]

    def test_each_figure_has_its_word_by_the_limits_as_they_are_and_a_sample_its_time(self) -> None:
        move = self.made(destination="lanterna")
        self.assertIsNone(self.ask(f"/moves/{move}/proofs")["seconds_a_sample"])
        self.proved(move)
        row = ProofRow.objects.get()
        told = {"value": 0.4}, {"value": 3.0}, {"value": 30.0}
        kept = {**row.figures, **dict(zip(("frame", "subject", "worst_material"), told, strict=True))}
        row.figures = {
            **kept,
            "views": [
                {**v, "seconds": [1.0, 3.0], "width": 10, "height": 4, "samples": 5} for v in kept["views"]
            ],
        }
        bench = Bench(row.move)
        words = ["not seen", "seen when compared", "seen at once"]
        self.assertEqual(list(words_of(bench, row.figures).values()), words)
        limits = [{"target": "proof", "field": "limits", "value": [0.1, 0.2, 0.3]}]
        self.ask(f"/moves/{move}/decisions", "POST", limits)
        self.assertEqual(set(words_of(Bench(row.move), row.figures).values()), {"seen at once"})
        # Four seconds for ten by four pixels of five samples.
        self.assertAlmostEqual(seconds_a_sample(row.figures) or 0, 0.02)
        self.assertGreater(self.ask(f"/moves/{move}/proofs")["seconds_a_sample"], 0)

    def test_a_clip_is_proved_frame_by_frame_and_saved(self) -> None:
        move = self.made(
            {"winch.glb": write_glb(replace(winch(), environment=None, images={}))}, destination="lanterna"
        )
        clips = self.ask(f"/moves/{move}/proofs")["clips"]
        self.ask(f"/moves/{move}/sequence.zip", expect=422)
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "sequence", "settings": {"clip": "clip:nobody"}})
        self.assertEqual(self.work()[-1].state, "refused")
        self.ask(
            f"/moves/{move}/jobs",
            "POST",
            {
                "kind": "sequence",
                "settings": {
                    "clip": clips[0]["id"],
                    "rate": 2,
                    "width": 32,
                    "height": 18,
                    "samples": 2,
                    "stand_in": True,
                },
            },
        )
        self.assertEqual(self.work()[-1].state, "done")
        told = self.ask(f"/moves/{move}/proofs")["sequence"]
        self.assertEqual(
            (told["clip"], told["current"], len(told["frames"])),
            (clips[0]["id"], True, int(clips[0]["seconds"] * 2) + 1),
        )
        with zipfile.ZipFile(
            io.BytesIO(self.client.get(f"/api/moves/{move}/sequence.zip").content)
        ) as archive:
            self.assertEqual(
                len([n for n in archive.namelist() if n.startswith("arrival-")]), len(told["frames"])
            )
            self.assertEqual(
                archive.read("differences.csv").decode().splitlines()[0], "frame,seconds,subject,low,high"
            )
        self.ask(f"/moves/{move}/decisions", "POST", [{"target": "scene", "field": "scale", "value": 2.0}])
        self.assertFalse(self.ask(f"/moves/{move}/proofs")["sequence"]["current"])

    def test_what_is_dark_is_told_before_anything_is_carried(self) -> None:
        """With large images that would be minutes."""
        move = self.made({"dark.glb": write_glb(scene(quad(), names=("Board",)))})
        asked = {"width": 32, "height": 18, "samples": 2}
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": asked})
        job = self.work()[-1]
        self.assertEqual((job.state, job.refusal["what"][:26]), ("refused", "Nothing lights this scene:"))
        self.assertFalse(Bench(Move.objects.get(id=move)).has_package())
        early: list[bytes] = []
        with mock.patch(
            "server.moves.jobs.put_blob", side_effect=lambda data: early.append(data) or "0" * 64
        ):
            self.ask(
                f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": {**asked, "stand_in": True}}
            )
            self.assertEqual(self.work()[-1].state, "done")
        first = pixels(identify("first", "first.png", "first.png", early[0]))
        self.assertGreater(int(first.max()), 32)

    def test_what_cannot_be_a_view_or_limits_is_refused(self) -> None:
        move = self.made()
        for field, value in (
            ("views", [{"name": "", **STAND}]),
            ("views", [{"name": "a", "matrix": [0] * 16, "yfov_rad": 1}]),
            ("views", [{"name": "a", **STAND, "yfov_rad": 9}]),
            ("views", "a"),
            ("limits", [3, 2, 1]),
            ("limits", [1, 2]),
        ):
            told = self.ask(
                f"/moves/{move}/decisions",
                "POST",
                [{"target": "proof", "field": field, "value": value}],
                expect=422,
            )
            self.assertTrue(told["what"] and told["remedy"])

    def test_limits_change_the_words_and_not_the_figure(self) -> None:
        move = self.made(destination="taccuino")
        first = self.proved(move)
        mean = first["figures"]["judged"]
        self.ask(
            f"/moves/{move}/decisions",
            "POST",
            [
                {
                    "target": "proof",
                    "field": "limits",
                    "value": [mean * 1.5 + 0.1, mean * 2 + 0.2, mean * 3 + 0.3],
                }
            ],
        )
        second = self.proved(move)
        self.assertEqual(second["figures"]["judged"], mean)
        self.assertEqual(second["figures"]["verdict"], "not seen")
        self.assertTrue(second["current"], "limits are not part of the plan")

    def test_pixels_are_read_on_both_sides_and_pictures_are_files(self) -> None:
        move = self.made(destination="lanterna")
        proof = self.proved(move)
        here = f"/proofs/{proof['id']}"
        pixel = self.ask(f"{here}/pixel?view=Overview&x=32&y=18")
        data = self.client.get(f"/api{here}/picture?view=Overview&side=reference_exr")
        self.assertIn("proof-1-Overview-reference.exr", data.headers["Content-Disposition"])
        values = pixels(identify("picture", "picture", "picture.exr", data.content))
        np.testing.assert_allclose(pixel["linear"][0], values[18, 32, :3], rtol=1e-3, atol=1e-4)
        png = self.client.get(f"/api{here}/picture?view=Overview&side=arrival").content
        self.assertEqual(png[:4], b"\x89PNG")
        code = np.asarray(Image.open(io.BytesIO(png)).convert("RGB"))[18, 32]
        self.assertLessEqual(int(np.abs(code.astype(int) - pixel["srgb"][1]).max()), 1)
        self.ask(f"{here}/pixel?view=Overview&x=64&y=0", expect=422)
        self.ask(f"{here}/pixel?view=Nowhere&x=1&y=1", expect=422)
        self.ask(f"{here}/picture?view=Overview&side=nothing", expect=422)

    def test_causes_are_written_beside_the_figures(self) -> None:
        move = self.made(destination="taccuino")
        proof = self.proved(move)
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "causes", "settings": {"proof": proof["id"]}})
        self.assertEqual(self.work()[-1].state, "done")
        causes = self.ask(f"/moves/{move}/proofs")["proofs"][0]["figures"]["causes"]
        self.assertTrue(causes["causes"])
        self.assertAlmostEqual(
            sum(c["share"] for c in causes["causes"]) + causes["remainder"], causes["mean"], places=6
        )
        self.assertTrue(all(c["reason"] and c["where"] for c in causes["causes"]))
        for cause in causes["causes"]:
            self.assertEqual(cause["cure"]["stop"], "light" if cause["kind"] == "light" else "fit")
            if cause["cure"]["show"] == "nearest":  # what is lost of a look, and others stand in for
                self.assertEqual(cause["cure"]["material"], cause["id"].rpartition("/")[0])
            elif cause["kind"] == "input":
                self.assertEqual(cause["cure"]["crossing"], cause["id"])
        looks = {cause["id"] for cause in causes["causes"] if cause["cure"]["show"] == "nearest"}
        self.assertIn("material:glass/transmission", looks)
        self.ask(
            f"/moves/{move}/decisions",
            "POST",
            [{"target": f"cause:{causes['causes'][0]['id']}", "field": "accept", "value": True}],
        )
        self.assertEqual(
            self.ask(f"/moves/{move}/proofs")["accepted"], [f"cause:{causes['causes'][0]['id']}"]
        )
        self.ask(
            f"/moves/{move}/decisions",
            "POST",
            [{"target": "material:m/roughness", "field": "factor", "value": 0.123}],
        )
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "causes", "settings": {"proof": proof["id"]}})
        job = self.work()[-1]
        self.assertEqual(job.state, "refused")
        self.assertIn("changed", job.refusal["what"])

    def test_the_same_proof_comes_from_the_store(self) -> None:
        move = self.made(destination="lanterna")
        first = self.proved(move)
        again = self.proved(move)
        self.assertEqual((again["id"], ProofRow.objects.count()), (first["id"], 1))
        finer = self.proved(move, samples=6)
        self.assertNotEqual(finer["id"], first["id"])

    def test_a_stopped_proof_goes_on_where_it_was(self) -> None:
        move = self.made(destination="lanterna")
        counted: list[str] = []

        def stop(fraction: float, message: str) -> None:
            counted.append(message)
            if "arrival: 8 of" in message:
                raise Cancelled

        job = Job.objects.create(move_id=move, kind="prove", settings={**SMALL, "samples": 8})
        with self.assertRaises(Cancelled):
            jobs.prove(job, stop)
        bench = Bench(job.move)
        shown = proving.pictures_key(bench, proving.asked_of(bench, job.settings))
        held = store.recall(f"begun {shown}")["Overview"]
        self.assertEqual([one.samples if one else 0 for one in held], [8, 4])
        went_on = self.proved(move, samples=8)
        store.memory.clear()
        ProofRow.objects.all().delete()
        at_once = self.proved(move, samples=8)
        self.assertAlmostEqual(went_on["figures"]["mean"], at_once["figures"]["mean"], places=4)
