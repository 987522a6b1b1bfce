"""A proof becomes better known while no job waits: in its own row, to the next of what a page offers."""

from __future__ import annotations

from unittest import mock

from server.lanes import ahead
from server.moves.bench import Bench
from server.moves.models import Job, Move, ProofRow
from server.moves.refining import go_on
from tests.core.test_figures import ball_room
from tests.making import material, quad, scene, sky
from tests.server.making import ServerTest
from trasloco.errors import Cancelled
from trasloco.formats.gltf_write import write_glb
from trasloco.progress import silent
from trasloco.results.better_known import next_aim, next_step
from trasloco.results.proving import KNOWN_TO
from trasloco.scene.lit import Environment


class BetterKnown(ServerTest):
    def setUp(self) -> None:
        self.number = self.made({"ball.glb": write_glb(ball_room())}, destination="taccuino")
        self.ask(
            f"/moves/{self.number}/jobs",
            "POST",
            {"kind": "prove", "settings": {"width": 64, "height": 48, "samples": 2, "stand_in": True}},
        )
        self.assertEqual([job.state for job in self.work()], ["done"])
        self.row = ProofRow.objects.get(move=self.number)

    def bench(self) -> Bench:
        return Bench(Move.objects.get(id=self.number))

    def test_it_takes_the_place_of_what_it_was(self) -> None:
        before = self.row.figures
        self.row.figures = {**before, "causes": None, "within": 0.7}
        self.row.save()
        key = self.ask(f"/moves/{self.number}")["keys"]["proofs"]
        beat = self.ask(f"/moves/{self.number}/pulse")["beat"]
        self.assertTrue(go_on(self.bench(), silent))
        row = ProofRow.objects.get(move=self.number)
        self.assertEqual((row.id, row.number), (self.row.id, self.row.number))
        self.assertLessEqual(row.figures["within"], 0.5)
        self.assertEqual(row.figures["refined"], {"aim": 0.5, "over": False})
        self.assertEqual((row.figures["key"], row.figures["settings"]), (before["key"], before["settings"]))
        self.assertIn("causes", row.figures)
        self.assertGreater(row.figures["views"][0]["samples"], before["views"][0]["samples"])
        self.assertGreater(row.figures["views"][0]["seconds"][0], before["views"][0]["seconds"][0])
        self.assertNotEqual(row.pictures, self.row.pictures)
        self.assertNotEqual(self.ask(f"/moves/{self.number}")["keys"]["proofs"], key)
        self.assertNotEqual(self.ask(f"/moves/{self.number}/pulse")["beat"], beat)
        (told,) = self.ask(f"/moves/{self.number}/proofs")["proofs"]
        self.assertEqual(told["figures"]["refined"], {"aim": 0.5, "over": False})

    def test_a_lane_goes_on_until_it_is_known_to_the_closest(self) -> None:
        self.assertTrue(ahead.work_ahead(self.number))
        row = ProofRow.objects.get(move=self.number)
        self.assertTrue(row.figures["within"] <= min(KNOWN_TO) or row.figures["refined"]["over"])
        self.assertFalse(go_on(self.bench(), silent))
        # Asking for the same again shows it, and draws nothing.
        settings = {"kind": "prove", "settings": row.figures["settings"]}
        self.ask(f"/moves/{self.number}/jobs", "POST", settings)
        self.assertEqual(self.work()[-1].result, {"proof": row.id})

    def test_a_job_that_waits_stops_it_and_nothing_is_lost(self) -> None:
        self.row.figures = {**self.row.figures, "within": 0.7}
        self.row.save()

        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            go_on(self.bench(), stop)
        self.assertEqual(ProofRow.objects.get(move=self.number).figures, self.row.figures)
        waiting = Job.objects.create(move=Move.objects.get(id=self.number), kind="account")
        with mock.patch.object(ahead, "_ASKED_EVERY_S", 0.0):
            self.assertFalse(ahead.work_ahead(self.number))
        waiting.delete()

    def test_a_proof_of_other_contents_or_code_stays_as_it_is(self) -> None:
        for field in ("plan", "code"):
            kept = getattr(self.row, field)
            ProofRow.objects.filter(id=self.row.id).update(**{field: "other"})
            self.assertFalse(go_on(self.bench(), silent))
            ProofRow.objects.filter(id=self.row.id).update(**{field: kept})


class Order(ServerTest):
    def test_a_difference_that_is_seen_is_explained_before_it_is_drawn_to_the_last(self) -> None:
        """A sail whose sheen is lost at Lanterna."""
        sail = scene(
            quad(),
            materials=(material(sheen_color=(0.9, 0.1, 0.1)),),
            images=(sky(3.0),),
            names=("Sail",),
            environment=Environment("image:sky", 2.0),
        )
        number = self.made({"sail.glb": write_glb(sail)}, destination="lanterna")
        self.ask(
            f"/moves/{number}/jobs",
            "POST",
            {"kind": "prove", "settings": {"width": 64, "height": 48, "samples": 4, "stand_in": True}},
        )
        self.work()
        row = ProofRow.objects.get(move=number)
        self.assertGreaterEqual(row.figures["judged"], 1.0)
        ProofRow.objects.filter(id=row.id).update(figures={**row.figures, "within": 0.45})
        steps = []
        while (step := next_step(self.of(number), ProofRow.objects.get(move=number).figures)) is not None:
            steps.append(step)
            self.assertTrue(go_on(self.of(number), silent))
        self.assertEqual(steps[:2], ["causes", "worth"])
        self.assertEqual(set(steps[2:]), {"draw on"})
        (told,) = self.ask(f"/moves/{number}/proofs")["proofs"]
        self.assertTrue(told["figures"]["causes"]["causes"])
        self.assertEqual(told["figures"]["worth"]["view"], told["figures"]["worst_view"])
        self.assertLessEqual(told["figures"]["within"], 0.3)

    def of(self, number: int) -> Bench:
        return Bench(Move.objects.get(id=number))


class Aims(ServerTest):
    def test_the_widest_that_is_not_reached_comes_next(self) -> None:
        for within, aim in ((3.0, 0.5), (0.5, 0.3), (0.31, 0.3), (0.2, 0.1), (0.1, None), (0.05, None)):
            self.assertEqual(next_aim({"within": within}), aim)
        self.assertIsNone(next_aim({}))
        self.assertIsNone(next_aim({"within": 2.0, "refined": {"aim": 0.5, "over": True}}))
